//! COLLECTIONS: which files there are, and the class and split of each.
//!
//! A collection is a folder, a ZIP or tar archive, a table of paths and labels, or several of these
//! that each are a split. Nothing is decoded here; of archives the lists of their entries are read.

mod archive;
mod augmented_table;
mod bucket;
mod bucket_source;
mod folder;
mod label_pattern;
mod label_table;
mod layout;
mod listing;
mod names;
mod open;
mod pack;
mod pack_file;
mod pack_manifest;
mod pattern;
mod remark;
mod request;
mod resplit;
mod source;
mod table;
mod walk;

pub use augmented_table::made_from;
pub use folder::SourceFile;
pub use label_pattern::LabelTable;
pub use listing::{ArchiveIndexCache, NoCache};
pub use names::{check_folder_name, composed, is_left_behind, split_of_name, split_rank};
pub use open::open;
pub use pack_file::{ContainerFile, Form, PACK_FILE, PackFile, PackedSplit};
pub use pack_manifest::{ManifestRow, read_manifest};
pub use pattern::Pattern;
pub use remark::{Alternative, DepthReason, Remark};
pub use request::{ClassDepth, LayoutOptions, Request, Root, SplitFolders};
pub use source::{Located, Locator};
pub use table::Columns;

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::files::{RelPath, Stamp};

/// The name of a file that says how a collection is to be judged; it may lie in its root.
pub const SETTINGS_FILE: &str = "mint-sieve.toml";
/// The file beside the parts of a split that says which image is in which.
pub const SPLIT_TABLE: &str = "split.csv";
/// The columns that every split table has.
pub const SPLIT_COLUMNS: [&str; 5] = ["path", "class", "split", "group", "digest"];
/// The file beside the parts of a split that says which number each class has.
pub const CLASS_INDEX: &str = "class-index.csv";
/// The columns that such a file has; one for each part follows.
pub const CLASS_INDEX_COLUMNS: [&str; 2] = ["index", "class"];

/// The file beside augmented copies that says what they were made from.
pub const AUGMENTED_TABLE: &str = "augmented.csv";
/// The columns of such a file.
pub const AUGMENTED_COLUMNS: [&str; 6] = ["path", "class", "source", "group", "digest", "draw"];

/// Whether a file of this name and content is one that was written beside images that were split or made. Its columns
/// decide, in any order, so that tables of other versions are recognised as well.
pub fn is_generated_table(name: &str, bytes: &[u8]) -> bool {
    let has = |columns: &[&str]| has_columns(bytes, columns);
    name.ends_with(".csv") && has(&SPLIT_COLUMNS)
        || name == CLASS_INDEX && has(&CLASS_INDEX_COLUMNS)
        || name == AUGMENTED_TABLE && has(&AUGMENTED_COLUMNS)
}

/// Whether the first line of a table names all of these columns.
pub(crate) fn has_columns(bytes: &[u8], columns: &[&str]) -> bool {
    let line = bytes.split(|&byte| byte == b'\n').next().unwrap_or_default();
    let line = line.strip_prefix("\u{feff}".as_bytes()).unwrap_or(line).trim_ascii();
    // What is no table has no line that ends soon.
    if line.len() > MOST_HEADER_BYTES {
        return false;
    }
    let names: Vec<&[u8]> = line.split(|&byte| byte == b',').map(<[u8]>::trim_ascii).collect();
    columns.iter().all(|column| names.contains(&column.as_bytes()))
}

/// Bytes of the first line of a table of ours, at most.
const MOST_HEADER_BYTES: usize = 1 << 16;

/// The files of one collection, in the order of their paths.
#[derive(Debug, Default)]
pub struct Collection {
    /// Where it is, as it was asked for.
    pub roots: Vec<Root>,
    /// How it was read, as a path with words for its parts.
    pub layout: String,
    /// What was decided about how it is read.
    pub remarks: Vec<Remark>,
    /// Everything that is not a folder, sorted by path.
    pub entries: Vec<Entry>,
    /// The splits that hold at least one file or class folder: train, validation and test first,
    /// in that order, then the others by name.
    pub splits: Vec<String>,
    /// Every class folder with its split, empty ones included, sorted.
    pub class_folders: BTreeSet<(Option<String>, String)>,
    /// Classes that are written in several Unicode forms, with these.
    pub spellings: BTreeMap<String, Vec<String>>,
    /// Folders and archives that could not be listed, or not to their end, and why.
    pub unlistable: Vec<(RelPath, String)>,
    /// Paths that a table names more than once, with the classes it gives them.
    pub listed_twice: Vec<(RelPath, Vec<String>)>,
    /// Paths that an archive holds more than once, and how often.
    pub packed_twice: Vec<(RelPath, u64)>,
    /// Names of a table's other columns, or a pattern's other parts.
    pub extra: Vec<String>,
    sources: Vec<source::Source>,
}

/// One thing in a collection that is not a folder.
#[derive(Clone, Debug)]
pub struct Entry {
    /// Its identity.
    pub path: RelPath,
    /// Its class and split.
    pub place: Place,
    /// What it is.
    pub kind: EntryKind,
    /// Where its bytes are.
    pub at: Locator,
}

/// What an entry is, as far as it can be known without opening it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum EntryKind {
    /// A regular file.
    File {
        /// Size and times when the collection was listed.
        stamp: Stamp,
    },
    /// A symbolic link that was not followed.
    Link,
    /// A symbolic link that leads nowhere, or to itself.
    BrokenLink,
    /// A symbolic link that was followed and leads back to a folder that holds it.
    LinkLoop,
    /// A pipe, socket or device: opening it could block for ever.
    Special,
    /// An entry of an archive or a row of a table that leads out of the collection: why.
    Refused(Cow<'static, str>),
    /// A row of a table without a file.
    Missing,
}

/// Where a file stands in its collection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Place {
    /// The split, where the collection has splits and the file is in one.
    pub split: Option<Arc<str>>,
    /// The class, or why there is none.
    pub label: Label,
    /// True when the file lies in a folder inside of its class folder.
    pub is_deeper: bool,
    /// How many parts of its path, from the first, say at most which split it is in: the name of a root, folders
    /// around all others, the folder of the split.
    pub base: u8,
    /// What a table or the name of the file says beside class and split.
    pub extra: Option<Box<ExtraColumns>>,
}

/// The class of a file, or why it has none.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Label {
    /// The file is of this class; the name is in Unicode's composed form (NFC).
    Class(Arc<str>),
    /// The file lies in a split that has no class folders: images kept for later.
    Unlabelled,
    /// The file lies beside the class folders.
    Outside,
}

/// What is carried along with a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ExtraColumns {
    /// Files of one group stay together when the collection is split.
    pub group: Option<String>,
    /// As many values as [`Collection::extra`] has names.
    pub values: Vec<String>,
}

impl Place {
    /// A place of this label, and nothing else known.
    pub fn new(split: Option<Arc<str>>, label: Label) -> Self {
        Place { split, label, is_deeper: false, base: 0, extra: None }
    }

    /// The class, if there is one.
    pub fn class(&self) -> Option<&str> {
        match &self.label {
            Label::Class(name) => Some(name),
            Label::Unlabelled | Label::Outside => None,
        }
    }

    /// The group that a table or name says the file belongs to.
    pub fn group(&self) -> Option<&str> {
        self.extra.as_ref()?.group.as_deref()
    }
}

impl Entry {
    /// Where to read it.
    pub fn located(&self) -> Located<'_> {
        Located { path: &self.path, at: self.at }
    }
}

impl Collection {
    /// What to call the collection.
    pub fn name(&self) -> String {
        self.roots.iter().map(Root::to_string).collect::<Vec<_>>().join(" ")
    }

    /// The same collection without its files: what analyses read of it.
    pub(crate) fn without_files(&self) -> Self {
        Collection {
            roots: self.roots.clone(),
            layout: self.layout.clone(),
            remarks: self.remarks.clone(),
            entries: Vec::new(),
            splits: self.splits.clone(),
            class_folders: self.class_folders.clone(),
            spellings: self.spellings.clone(),
            unlistable: self.unlistable.clone(),
            listed_twice: self.listed_twice.clone(),
            packed_twice: self.packed_twice.clone(),
            extra: self.extra.clone(),
            sources: Vec::new(),
        }
    }

    /// The names of the classes, sorted, empty ones included.
    pub fn classes(&self) -> Vec<String> {
        let names: BTreeSet<&String> = self.class_folders.iter().map(|(_, class)| class).collect();
        names.into_iter().cloned().collect()
    }
}
