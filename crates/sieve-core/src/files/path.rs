//! The identity of a file: its path below the collection's root.

use std::ffi::OsStr;
use std::fmt;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A path relative to the collection's root. Ordered by its bytes, so that the order of files is
/// the same on every machine and in every locale.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RelPath {
    shown: Box<str>,
    /// Only where it differs from what is shown.
    native: Option<Box<Path>>,
}

impl RelPath {
    /// Makes the identity of `native`, which must be relative.
    pub fn new(native: &Path) -> Self {
        match native.to_str() {
            Some(text) if std::path::MAIN_SEPARATOR == '/' => {
                RelPath { shown: text.into(), native: None }
            }
            _ => {
                let parts: Vec<String> = parts(native).map(shown_name).collect();
                RelPath { shown: parts.join("/").into(), native: Some(native.into()) }
            }
        }
    }

    /// The path as the file system knows it, to be joined to the root.
    pub fn native(&self) -> &Path {
        self.native.as_deref().unwrap_or(Path::new(&*self.shown))
    }

    /// The path as text: `/` between parts, bytes that are not UTF-8 as `\xHH`.
    pub fn as_str(&self) -> &str {
        &self.shown
    }

    /// The parts of the path as text, outermost first.
    pub fn parts(&self) -> impl DoubleEndedIterator<Item = &str> {
        self.shown.split('/')
    }

    /// The folder that holds it, as text; empty at the root.
    pub fn folder(&self) -> &str {
        &self.shown[..self.slash().unwrap_or(0)]
    }

    /// The name of the file alone.
    pub fn file_name(&self) -> &str {
        &self.shown[self.slash().map_or(0, |slash| slash + 1)..]
    }

    /// Where the last `/` is.
    fn slash(&self) -> Option<usize> {
        self.shown.as_bytes().iter().rposition(|&byte| byte == b'/')
    }

    /// The file name's extension as it is written, without the dot.
    pub fn written_extension(&self) -> Option<&str> {
        let name = self.file_name();
        // Dots are one byte, and so is what stands around them.
        let dot = name.as_bytes().iter().rposition(|&byte| byte == b'.')?;
        (dot > 0).then(|| &name[dot + 1..])
    }

    /// The file name's extension in lower case, without the dot.
    pub fn extension(&self) -> Option<String> {
        self.written_extension().map(str::to_lowercase)
    }

    /// The bytes of the path where they are not UTF-8, so that [`RelPath::as_str`] holds escapes.
    pub fn undecodable_bytes(&self) -> Option<&[u8]> {
        let native = self.native.as_ref()?.as_os_str();
        native.to_str().is_none().then_some(native.as_encoded_bytes())
    }

    /// The path as the file system knows it, in bytes.
    pub(crate) fn native_bytes(&self) -> &[u8] {
        self.native().as_os_str().as_encoded_bytes()
    }

    /// The identity that [`RelPath::undecodable_bytes`] came from.
    pub(crate) fn of_bytes(bytes: &[u8]) -> Self {
        RelPath::new(&native_of_bytes(bytes))
    }

    /// This path inside of the folder `name`.
    pub fn inside(&self, name: &str) -> Self {
        RelPath::new(&Path::new(name).join(self.native()))
    }
}

/// As text, or as a list of bytes where it is not UTF-8.
impl Serialize for RelPath {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.undecodable_bytes() {
            Some(bytes) => bytes.serialize(serializer),
            None => self.shown.serialize(serializer),
        }
    }
}

impl<'de> Deserialize<'de> for RelPath {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Kept {
            Text(String),
            Bytes(Vec<u8>),
        }
        Ok(match Kept::deserialize(deserializer)? {
            Kept::Text(text) => RelPath::new(Path::new(&text)),
            Kept::Bytes(bytes) => RelPath::of_bytes(&bytes),
        })
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

/// A path of these bytes, which need not be UTF-8 where the system allows that.
#[cfg(unix)]
pub(crate) fn native_of_bytes(bytes: &[u8]) -> PathBuf {
    use std::os::unix::ffi::OsStrExt;
    PathBuf::from(OsStr::from_bytes(bytes))
}

#[cfg(not(unix))]
pub(crate) fn native_of_bytes(bytes: &[u8]) -> PathBuf {
    PathBuf::from(String::from_utf8_lossy(bytes).into_owned())
}

/// A name or path as text: itself where it is UTF-8, otherwise with `\xHH` for each bad byte.
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
