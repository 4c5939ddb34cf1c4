//! What the names of folders and files stand for.

use std::borrow::Cow;
use std::collections::HashSet;
use std::ffi::OsStr;
use std::sync::Arc;

use unicode_normalization::{UnicodeNormalization, is_nfc};

use crate::files::{RelPath, check_name};
use crate::reading::is_image_name;

/// The split that a folder's name stands for: `train`, `validation` or `test`.
///
/// ```
/// # use sieve_core::collection::split_of_name;
/// assert_eq!(split_of_name("Valid"), Some("validation"));
/// assert_eq!(split_of_name("sage"), None);
/// ```
pub fn split_of_name(folder: &str) -> Option<&'static str> {
    match folder.to_lowercase().as_str() {
        "train" | "training" => Some("train"),
        "val" | "valid" | "validation" | "dev" => Some("validation"),
        "test" | "testing" | "holdout" => Some("test"),
        _ => None,
    }
}

/// The place of a split in lists: the order in which they are used.
pub fn split_rank(split: &str) -> usize {
    ["train", "validation", "test"].iter().position(|name| *name == split).unwrap_or(3)
}

/// True for names that systems and editors leave behind: hidden files and folders, resource forks,
/// editors' backups and locks. Nobody means them as images or classes.
pub fn is_left_behind(name: &str) -> bool {
    name.starts_with('.')
        || name.ends_with('~')
        || name.starts_with("~$")
        || (name.len() > 1 && name.starts_with('#') && name.ends_with('#'))
        || name == "__MACOSX"
}

/// Whether a class or split can be the name of a folder that is read again.
///
/// # Errors
///
/// Why not, as a clause.
pub fn check_folder_name(name: &str) -> Result<(), String> {
    check_name(OsStr::new(name)).map_err(|why| why.to_string())?;
    match is_left_behind(name) {
        true => Err("files in hidden and system folders are ignored".to_owned()),
        false => Ok(()),
    }
}

/// True when a file may be an image by its name: it says so, or says nothing.
pub(super) fn may_be_image(path: &RelPath) -> bool {
    let name = path.file_name();
    !is_left_behind(name) && (is_image_name(path) || !name.contains('.'))
}

/// A name in Unicode's composed form (NFC), in which names are compared: one file system stores
/// `é` as one letter, another as a letter and an accent.
pub fn composed(name: &str) -> Cow<'_, str> {
    if is_nfc(name) { Cow::Borrowed(name) } else { Cow::Owned(name.nfc().collect()) }
}

/// Names of classes and splits, each kept once however many files carry it.
#[derive(Default)]
pub(super) struct Interned(HashSet<Arc<str>>);

impl Interned {
    /// Every name that was asked for.
    pub fn in_use(&self) -> Vec<Arc<str>> {
        self.0.iter().cloned().collect()
    }

    /// The one copy of `name`.
    pub fn get(&mut self, name: &str) -> Arc<str> {
        if let Some(known) = self.0.get(name) {
            return Arc::clone(known);
        }
        let new: Arc<str> = name.into();
        self.0.insert(Arc::clone(&new));
        new
    }
}
