//! The step that a person would take next, as a command to paste.

use std::path::{Path, PathBuf};

use super::names::quoted;
use super::style::heading;

/// Words as a person would type them at a shell.
pub fn command_line(words: &[impl AsRef<str>]) -> String {
    words.iter().map(|word| quoted(word.as_ref())).collect::<Vec<_>>().join(" ")
}

/// The line that ends an answer: a command to paste.
pub fn next_step(why: &str, words: &[impl AsRef<str>]) -> String {
    format!("{} {why}\n  {}\n", heading("Next:"), command_line(words))
}

/// Endings of files that are collections.
const ARCHIVES: [&str; 9] =
    [".zip", ".tar", ".tar.gz", ".tgz", ".tar.zst", ".csv", ".tsv", ".jsonl", ".ndjson"];

/// A folder for the splits of the collection at `root`: beside it, never inside.
pub fn splits_folder(root: &Path) -> String {
    let folder = match root.file_name() {
        Some(name) => {
            let name = name.to_string_lossy();
            let archive = ARCHIVES.iter().find_map(|ending| name.strip_suffix(ending));
            root.with_file_name(format!("{}-splits", archive.unwrap_or(&name)))
        }
        // `.` or `..`: its own name is known to the file system only.
        None => {
            let absolute = root.canonicalize().unwrap_or_default();
            let name = absolute.file_name().map(|name| name.to_string_lossy().into_owned());
            above(root).join(format!("{}-splits", name.unwrap_or_default()))
        }
    };
    folder.to_string_lossy().into_owned()
}

/// A file for a sheet of the collection at `root`, not inside of it.
pub fn sheet_file(root: &Path) -> String {
    let file = PathBuf::from("preview.png");
    let is_inside = root.file_name().is_none();
    (if is_inside { above(root).join(file) } else { file }).to_string_lossy().into_owned()
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
        let splits = |root: &str| splits_folder(Path::new(root));
        assert_eq!(splits("herbs"), "herbs-splits");
        assert_eq!(splits("a/herbs/"), "a/herbs-splits");
        assert_eq!(splits("../herbs"), "../herbs-splits");
        assert_eq!(splits("a/herbs.2026.tar.gz"), "a/herbs.2026-splits");
        let here = std::env::current_dir().unwrap();
        let name = |folder: &Path| folder.file_name().unwrap().to_string_lossy().into_owned();
        assert_eq!(splits("."), format!("../{}-splits", name(&here)));
        assert_eq!(splits(".."), format!("../../{}-splits", name(here.parent().unwrap())));
        assert_eq!(sheet_file(Path::new("herbs")), "preview.png");
        assert_eq!(sheet_file(Path::new(".")), "../preview.png");
    }

    #[test]
    fn commands_can_be_pasted() {
        let command = command_line(&["mint-sieve", "audit", "Bay leaves"]);
        assert_eq!(command, "mint-sieve audit 'Bay leaves'");
    }
}
