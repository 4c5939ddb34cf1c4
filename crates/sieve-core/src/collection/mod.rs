//! COLLECTIONS: which files there are, and the class and split of each. No file is opened.

mod layout;
mod path;
mod walk;

pub use layout::{Label, Layout, Place, is_left_behind, split_of_name};
pub use path::{RelPath, shown_name};
pub use walk::{WalkOptions, open};

use std::collections::BTreeSet;
use std::path::PathBuf;

/// The files under one root, in the order of their paths.
#[derive(Debug)]
pub struct Collection {
    /// The root as it was given.
    pub root: PathBuf,
    /// How its folders were read.
    pub layout: Layout,
    /// Every entry that is not a folder, sorted by path.
    pub entries: Vec<Entry>,
    /// Every class folder with its split, empty ones included, sorted.
    pub class_folders: BTreeSet<(Option<String>, String)>,
    /// Folders that could not be listed, with what the system said.
    pub unlistable: Vec<(RelPath, String)>,
}

/// One entry of a collection that is not a folder.
#[derive(Clone, Debug)]
pub struct Entry {
    /// Its identity.
    pub path: RelPath,
    /// Its class and split.
    pub place: Place,
    /// What it is.
    pub kind: EntryKind,
}

/// What an entry is, as far as it can be known without opening it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EntryKind {
    /// A regular file.
    File {
        /// Its size when the collection was listed.
        size_bytes: u64,
    },
    /// A symbolic link that was not followed, or that leads nowhere.
    Link,
    /// A symbolic link that was followed and leads back to a folder that holds it.
    LinkLoop,
    /// A pipe, socket or device: opening it could block for ever.
    Special,
}

impl Collection {
    /// The splits that hold at least one file or class folder: train, validation and test first,
    /// in that order, then the others by name.
    pub fn splits(&self) -> Vec<String> {
        let mut splits: BTreeSet<&str> =
            self.class_folders.iter().filter_map(|(split, _)| split.as_deref()).collect();
        splits.extend(self.entries.iter().filter_map(|entry| entry.place.split.as_deref()));
        let mut splits: Vec<String> = splits.into_iter().map(str::to_owned).collect();
        splits.sort_by_key(|split| split_rank(split));
        splits
    }

    /// The names of the classes, sorted, empty ones included.
    pub fn classes(&self) -> Vec<String> {
        let names: BTreeSet<&String> = self.class_folders.iter().map(|(_, class)| class).collect();
        names.into_iter().cloned().collect()
    }
}

/// The place of a split in lists: the order in which they are used.
pub fn split_rank(split: &str) -> usize {
    ["train", "validation", "test"].iter().position(|name| *name == split).unwrap_or(3)
}
