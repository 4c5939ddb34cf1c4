//! The identity of a file: its path below the collection's root.

use std::ffi::OsStr;
use std::fmt;
use std::path::{Component, Path, PathBuf};

/// A path relative to the collection's root. Ordered by its bytes, so that the order of files is
/// the same on every machine and in every locale.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RelPath {
    native: PathBuf,
    shown: String,
}

impl RelPath {
    /// Makes the identity of `native`, which must be relative.
    pub fn new(native: PathBuf) -> Self {
        let parts: Vec<String> = parts(&native).map(shown_name).collect();
        RelPath { shown: parts.join("/"), native }
    }

    /// The path as the file system knows it, to be joined to the root.
    pub fn native(&self) -> &Path {
        &self.native
    }

    /// The path as text: `/` between parts, bytes that are not UTF-8 as `\xHH`.
    pub fn as_str(&self) -> &str {
        &self.shown
    }

    /// The parts of the path as text, outermost first.
    pub fn parts(&self) -> impl DoubleEndedIterator<Item = &str> {
        self.shown.split('/')
    }

    /// The name of the file alone.
    pub fn file_name(&self) -> &str {
        self.parts().next_back().unwrap_or_default()
    }

    /// The file name's extension in lower case, without the dot.
    pub fn extension(&self) -> Option<String> {
        let (stem, extension) = self.file_name().rsplit_once('.')?;
        (!stem.is_empty()).then(|| extension.to_lowercase())
    }

    /// The bytes of the path where they are not UTF-8, so that [`RelPath::as_str`] holds escapes.
    pub fn undecodable_bytes(&self) -> Option<&[u8]> {
        let native = self.native.as_os_str();
        native.to_str().is_none().then_some(native.as_encoded_bytes())
    }
}

impl PartialOrd for RelPath {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for RelPath {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        // The native bytes break the tie of two names that are shown alike.
        self.shown.cmp(&other.shown).then_with(|| self.native.cmp(&other.native))
    }
}

impl fmt::Display for RelPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.shown)
    }
}

fn parts(path: &Path) -> impl Iterator<Item = &OsStr> {
    path.components().filter_map(|part| match part {
        Component::Normal(name) => Some(name),
        _ => None,
    })
}

/// One name of a path as text: itself where it is UTF-8, otherwise with `\xHH` for each bad byte.
pub fn shown_name(name: &OsStr) -> String {
    match name.to_str() {
        Some(name) => name.to_owned(),
        None => {
            let mut shown = String::new();
            for chunk in name.as_encoded_bytes().utf8_chunks() {
                shown.push_str(chunk.valid());
                for byte in chunk.invalid() {
                    shown.push_str(&format!("\\x{byte:02x}"));
                }
            }
            shown
        }
    }
}
