//! Which collection is meant, and how it is to be read.

use std::ffi::{OsStr, OsString};
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::names::split_of_name;
use super::pattern::Pattern;
use super::table::Columns;
use crate::files::{native_of_bytes, shown_name};
use crate::objects::ObjectStores;

/// A collection as it is asked for.
#[derive(Clone, Debug, Default)]
pub struct Request {
    /// Where it is: one root, or several that each are a split.
    pub roots: Vec<Root>,
    /// How roots that are addresses of buckets are reached; none where they cannot be.
    pub buckets: Option<Arc<dyn ObjectStores>>,
    /// Follow symbolic links. Loops are noticed.
    pub follow_links: bool,
    /// How its folders, names or table are to be read.
    pub options: LayoutOptions,
}

/// A folder, archive or table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Root {
    /// The split that it is, where there are several roots.
    pub split: Option<String>,
    /// Where it is.
    pub path: PathBuf,
}

impl Root {
    /// What a word of a command means: `SPLIT=PATH`, or a path; one that is there is meant as it stands.
    pub fn of_word(word: &OsStr) -> Self {
        let plain = Root { split: None, path: PathBuf::from(word) };
        let bytes = word.as_encoded_bytes();
        let Some(at) = bytes.iter().position(|&byte| byte == b'=') else { return plain };
        match std::str::from_utf8(&bytes[..at]) {
            Ok(name) if !name.is_empty() && !name.contains('/') && !plain.path.exists() => {
                let split = split_of_name(name).unwrap_or(name).to_owned();
                Root { split: Some(split), path: native_of_bytes(&bytes[at + 1..]) }
            }
            _ => plain,
        }
    }

    /// As a word of a command.
    pub fn to_word(&self) -> OsString {
        let split = self.split.iter().map(|split| format!("{split}="));
        let mut word: OsString = split.collect::<String>().into();
        word.push(&self.path);
        word
    }
}

/// For people and programs that read text.
impl fmt::Display for Root {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(split) = &self.split {
            write!(f, "{split}=")?;
        }
        f.write_str(&shown_name(self.path.as_os_str()))
    }
}

/// How a collection is to be read where its own folders are not to decide.
#[derive(Clone, Debug, Default)]
pub struct LayoutOptions {
    /// Which folders are splits.
    pub splits: SplitFolders,
    /// Which folders are classes.
    pub class_depth: Option<ClassDepth>,
    /// Labels are in the names of files.
    pub label_from: Option<Pattern>,
    /// The names of a table's columns.
    pub columns: Columns,
    /// The folder that a table's paths begin at; its own where there is none.
    pub images: Option<PathBuf>,
}

/// Which folders are splits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SplitFolders {
    /// None.
    None,
    /// Those with the usual names, and these: name of the split and of the folder.
    ByName(Vec<(String, String)>),
}

impl Default for SplitFolders {
    fn default() -> Self {
        SplitFolders::ByName(Vec::new())
    }
}

/// Which folders are classes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ClassDepth {
    /// Those this many folders below the root or the split, from 1.
    Folders(usize),
    /// Those that hold the images.
    Innermost,
}

impl Request {
    /// One root, read as its own folders say.
    pub fn at(root: impl AsRef<Path>) -> Self {
        let root = Root { split: None, path: root.as_ref().to_path_buf() };
        Request { roots: vec![root], ..Request::default() }
    }
}
