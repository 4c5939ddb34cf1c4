//! Paths that cannot leave the folder they are joined to.

use std::ffi::{OsStr, OsString};
use std::fmt;
use std::path::{Path, PathBuf};

/// The longest name of a file that common file systems store, in bytes (`NAME_MAX` of Linux).
pub const MAX_NAME_BYTES: usize = 255;
/// The longest relative path that one system call takes, in bytes (`PATH_MAX` of Linux, with its closing NUL).
pub const MAX_PATH_BYTES: usize = 4095;

/// A relative path of ordinary names: joined to any folder, it names something below that folder, as long as no
/// symbolic link is followed on the way. Everything that is written, moved or removed is named by one.
///
/// It is built from names as they are stored, after all escapes are decoded.
///
/// ```
/// # use sieve_core::files::InsidePath;
/// # use std::path::Path;
/// assert!(InsidePath::new(Path::new("bay/p04.jpg")).is_ok());
/// assert!(InsidePath::new(Path::new("bay/../../p04.jpg")).is_err());
/// assert!(InsidePath::new(Path::new("/etc/passwd")).is_err());
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct InsidePath(PathBuf);

/// Why a name or path cannot be used for writing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum UnsafePath {
    /// It is empty, or one of its names is.
    Empty,
    /// It begins at the root of the file system or of a drive.
    Absolute,
    /// One of its names is `.` or `..`.
    Dots,
    /// It holds a NUL character, which ends a name for the system.
    Nul,
    /// A name holds what separates names.
    Separator,
    /// One of its names is longer than [`MAX_NAME_BYTES`].
    LongName(usize),
    /// It is longer than [`MAX_PATH_BYTES`].
    LongPath(usize),
}

impl fmt::Display for UnsafePath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            UnsafePath::Empty => f.write_str("it is empty or contains an empty name"),
            UnsafePath::Absolute => f.write_str("it is absolute"),
            UnsafePath::Dots => f.write_str("it contains . or .. as a name"),
            UnsafePath::Nul => f.write_str("it contains a NUL character"),
            UnsafePath::Separator => f.write_str("it contains a path separator"),
            UnsafePath::LongName(bytes) => {
                write!(f, "a name of {bytes} bytes is too long (at most {MAX_NAME_BYTES})")
            }
            UnsafePath::LongPath(bytes) => {
                write!(f, "a path of {bytes} bytes is too long (at most {MAX_PATH_BYTES})")
            }
        }
    }
}

impl InsidePath {
    /// The path, if it is one of ordinary names.
    ///
    /// # Errors
    ///
    /// What could lead out of a folder, or cannot be stored.
    pub fn new(path: &Path) -> Result<Self, UnsafePath> {
        let bytes = path.as_os_str().as_encoded_bytes();
        match bytes.first() {
            None => return Err(UnsafePath::Empty),
            Some(&byte) if path.is_absolute() || is_separator(byte) => {
                return Err(UnsafePath::Absolute);
            }
            _ => {}
        }
        if bytes.len() > MAX_PATH_BYTES {
            return Err(UnsafePath::LongPath(bytes.len()));
        }
        bytes.split(|&byte| is_separator(byte)).try_for_each(check_bytes)?;
        Ok(InsidePath(path.to_owned()))
    }

    /// The path of one name.
    ///
    /// # Errors
    ///
    /// As [`InsidePath::new`], and for a separator in the name.
    pub fn of_name(name: impl AsRef<OsStr>) -> Result<Self, UnsafePath> {
        check_name(name.as_ref())?;
        Ok(InsidePath(name.as_ref().into()))
    }

    /// The path of these names, the outermost first.
    ///
    /// # Errors
    ///
    /// As [`InsidePath::of_name`]; without any name it is empty.
    pub fn of_names<N: AsRef<OsStr>>(
        names: impl IntoIterator<Item = N>,
    ) -> Result<Self, UnsafePath> {
        let mut path = PathBuf::new();
        for name in names {
            check_name(name.as_ref())?;
            path.push(name.as_ref());
        }
        InsidePath::new(&path)
    }

    /// What is called `name` in this folder.
    ///
    /// # Errors
    ///
    /// As [`InsidePath::of_name`].
    pub fn join(&self, name: impl AsRef<OsStr>) -> Result<Self, UnsafePath> {
        check_name(name.as_ref())?;
        InsidePath::new(&self.0.join(name.as_ref()))
    }

    /// `path` below this folder.
    ///
    /// # Errors
    ///
    /// When both together are too long.
    pub fn join_path(&self, path: &InsidePath) -> Result<Self, UnsafePath> {
        InsidePath::new(&self.0.join(&path.0))
    }

    /// As a path of the standard library, relative.
    pub fn as_path(&self) -> &Path {
        &self.0
    }

    /// The folder that holds it; none directly below the root.
    pub fn parent(&self) -> Option<InsidePath> {
        let parent = self.0.parent().filter(|parent| !parent.as_os_str().is_empty());
        parent.map(|parent| InsidePath(parent.to_owned()))
    }

    /// Its last name.
    pub fn file_name(&self) -> &OsStr {
        self.0.file_name().unwrap_or_default()
    }

    /// Its names, the outermost first.
    pub fn names(&self) -> impl DoubleEndedIterator<Item = &OsStr> {
        self.0.iter()
    }

    /// Whether it is `folder` or lies below it.
    pub fn is_in(&self, folder: &InsidePath) -> bool {
        self.0.starts_with(&folder.0)
    }

    /// The same place with `-number` before the extension; what stands before is cut where the name would be too long.
    pub fn numbered(&self, number: u64) -> Self {
        let mut tail = OsString::from(format!("-{number}"));
        let whole = self.file_name();
        let (mut stem, mut extension) = (self.0.file_stem(), self.0.extension());
        let fits = |extension: &OsStr| extension.len() + tail.len() + 2 <= MAX_NAME_BYTES;
        if !extension.is_none_or(fits) {
            (stem, extension) = (Some(whole), None);
        }
        if let Some(extension) = extension {
            tail.push(".");
            tail.push(extension);
        }
        let mut name = shortened(stem.unwrap_or_default(), MAX_NAME_BYTES - tail.len());
        name.push(tail);
        InsidePath(self.0.with_file_name(name))
    }
}

/// The beginning of `name`, at most this many bytes, cut between letters.
fn shortened(name: &OsStr, bytes: usize) -> OsString {
    if name.len() <= bytes {
        return name.to_owned();
    }
    let mut end = bytes;
    let all = name.as_encoded_bytes();
    // The continuation bytes of a UTF-8 letter are 10xxxxxx.
    while end > 0 && all[end] & 0xc0 == 0x80 {
        end -= 1;
    }
    super::native_of_bytes(&all[..end]).into_os_string()
}

/// Whether `name` can be the name of a file or folder.
///
/// # Errors
///
/// Why not.
pub fn check_name(name: &OsStr) -> Result<(), UnsafePath> {
    let bytes = name.as_encoded_bytes();
    if bytes.iter().any(|&byte| is_separator(byte)) {
        return Err(UnsafePath::Separator);
    }
    check_bytes(bytes)
}

fn check_bytes(name: &[u8]) -> Result<(), UnsafePath> {
    match name {
        b"" => Err(UnsafePath::Empty),
        b"." | b".." => Err(UnsafePath::Dots),
        _ if name.contains(&0) => Err(UnsafePath::Nul),
        _ if name.len() > MAX_NAME_BYTES => Err(UnsafePath::LongName(name.len())),
        // The root of a drive, which only some systems know.
        [letter, b':'] if cfg!(windows) && letter.is_ascii_alphabetic() => {
            Err(UnsafePath::Absolute)
        }
        _ => Ok(()),
    }
}

fn is_separator(byte: u8) -> bool {
    std::path::is_separator(char::from(byte))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn only_ordinary_names_are_taken() {
        let long = "a".repeat(MAX_NAME_BYTES + 1);
        let deep = "ab/".repeat(MAX_PATH_BYTES / 3) + "abc";
        let table: [(&str, Result<(), UnsafePath>); 14] = [
            ("bay/p04.jpg", Ok(())),
            ("bay/..p04.jpg..", Ok(())),
            ("薄荷/a b\\c", Ok(())),
            ("", Err(UnsafePath::Empty)),
            ("bay//p04.jpg", Err(UnsafePath::Empty)),
            ("bay/", Err(UnsafePath::Empty)),
            ("/etc/passwd", Err(UnsafePath::Absolute)),
            ("..", Err(UnsafePath::Dots)),
            ("bay/../../p04.jpg", Err(UnsafePath::Dots)),
            ("./bay", Err(UnsafePath::Dots)),
            ("bay/.", Err(UnsafePath::Dots)),
            ("bay\0/p04.jpg", Err(UnsafePath::Nul)),
            (&long, Err(UnsafePath::LongName(256))),
            (&deep, Err(UnsafePath::LongPath(4098))),
        ];
        for (path, expected) in table {
            assert_eq!(InsidePath::new(Path::new(path)).map(|_| ()), expected, "{path:?}");
        }
        assert_eq!(InsidePath::of_name("a/b"), Err(UnsafePath::Separator));
        assert_eq!(InsidePath::of_names(["a", ".."]), Err(UnsafePath::Dots));
        assert_eq!(InsidePath::of_names::<&str>([]), Err(UnsafePath::Empty));
    }

    #[test]
    fn numbered_names_stay_short_enough() {
        let numbered = |name: &str| {
            let path = InsidePath::of_names(["bay", name]).unwrap().numbered(12);
            path.file_name().to_str().unwrap().to_owned()
        };
        assert_eq!(numbered("a.jpg"), "a-12.jpg");
        assert_eq!(numbered("a"), "a-12");
        assert_eq!(numbered(".hidden"), ".hidden-12");
        assert_eq!(
            numbered(&format!("{}.jpg", "é".repeat(125))),
            format!("{}-12.jpg", "é".repeat(124)).replacen("é", "é", 1)
        );
        let odd = format!("a.{}", "b".repeat(253));
        assert_eq!(numbered(&odd).len(), MAX_NAME_BYTES);
    }

    proptest! {
        #[test]
        fn what_is_taken_stays_below_any_root(path in r"[./ab\\\x00]{0,12}") {
            if let Ok(inside) = InsidePath::new(Path::new(&path)) {
                let mut depth = 0;
                for part in Path::new("/root").join(inside.as_path()).components().skip(2) {
                    prop_assert!(matches!(part, std::path::Component::Normal(_)));
                    depth += 1;
                }
                prop_assert_eq!(depth, inside.names().count());
                prop_assert!(depth > 0);
            }
        }
    }
}
