//! The step that a person would take next, as a command to paste.

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

use sieve_core::objects::is_bucket;

use crate::console::heading;
use crate::console::quoted;

/// Words as a person would type them at a shell.
pub fn command_line(words: &[impl AsRef<OsStr>]) -> String {
    words.iter().map(|word| quoted(word.as_ref())).collect::<Vec<_>>().join(" ")
}

/// The line that ends an answer: a command to paste.
pub fn next_step(why: &str, words: &[impl AsRef<OsStr>]) -> String {
    format!("{} {why}\n  {}\n", heading("Next:"), command_line(words))
}

/// Endings of files that are collections.
const ARCHIVES: [&str; 10] = [
    ".zip", ".tar", ".tar.gz", ".tgz", ".tar.zst", ".csv", ".tsv", ".jsonl", ".ndjson", ".parquet",
];

/// A folder for the splits of the collection at `root`: beside it, never inside.
pub fn splits_folder(root: &Path) -> PathBuf {
    folder_beside(root, "-splits")
}

/// A folder for the pack of the splits at `root`.
pub fn pack_folder(root: &Path) -> PathBuf {
    folder_beside(root, "-pack")
}

/// A folder for what the collection at `root` becomes once it is repaired.
pub fn repaired_folder(root: &Path) -> PathBuf {
    folder_beside(root, "-repaired")
}

fn folder_beside(root: &Path, ending: &str) -> PathBuf {
    let named = |name: &OsStr| {
        let text = name.to_str();
        let stem = text.and_then(|text| ARCHIVES.iter().find_map(|end| text.strip_suffix(end)));
        let mut splits = OsString::from(stem.map_or(name, OsStr::new));
        splits.push(ending);
        splits
    };
    match root.file_name() {
        // What comes from a bucket is written to this machine.
        Some(name) if is_bucket(root) => PathBuf::from(named(name)),
        Some(name) => root.with_file_name(named(name)),
        // `.` or `..`: its own name is known to the file system only.
        None => {
            let absolute = root.canonicalize().unwrap_or_default();
            above(root).join(named(absolute.file_name().unwrap_or_default()))
        }
    }
}

/// A file for a sheet of the collection at `root`, not inside of it.
pub fn sheet_file(root: &Path) -> PathBuf {
    let file = PathBuf::from("preview.png");
    let is_inside = root.file_name().is_none();
    if is_inside { above(root).join(file) } else { file }
}

/// The folder above a root like `.` or `../..`.
fn above(root: &Path) -> PathBuf {
    if root == Path::new(".") { PathBuf::from("..") } else { root.join("..") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn suggested_outputs_lie_beside_the_collection() {
        let splits =
            |root: &str| splits_folder(Path::new(root)).into_os_string().into_string().unwrap();
        assert_eq!(splits("herbs"), "herbs-splits");
        assert_eq!(splits("a/herbs/"), "a/herbs-splits");
        assert_eq!(splits("../herbs"), "../herbs-splits");
        assert_eq!(splits("a/herbs.2026.tar.gz"), "a/herbs.2026-splits");
        let here = std::env::current_dir().unwrap();
        let name = |folder: &Path| folder.file_name().unwrap().to_string_lossy().into_owned();
        assert_eq!(splits("."), format!("../{}-splits", name(&here)));
        assert_eq!(splits(".."), format!("../../{}-splits", name(here.parent().unwrap())));
        assert_eq!(sheet_file(Path::new("herbs")), Path::new("preview.png"));
        assert_eq!(sheet_file(Path::new(".")), Path::new("../preview.png"));
    }

    #[test]
    fn commands_can_be_pasted() {
        let command = command_line(&["mint-sieve", "audit", "Bay leaves"]);
        assert_eq!(command, "mint-sieve audit 'Bay leaves'");
    }
}
