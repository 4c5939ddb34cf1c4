//! What was decided while a collection was opened, and what the other way to read it would be. Values only: how they
//! are said, and which option reads otherwise, is the program's.

use super::label_pattern::LabelTable;
use super::request::{ClassDepth, SplitFolders};
use crate::files::RelPath;

/// One thing that was decided about how a collection is read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Remark {
    /// One folder holds all others, and what lies in it is read as if it were the root.
    OnlyFolder {
        /// Its path.
        folder: String,
    },
    /// Folders with names of splits were taken as classes.
    SplitNamesAreClasses {
        /// Their names.
        folders: Vec<String>,
        /// The pattern that reads classes from the names of files, where these have some.
        pattern: Option<String>,
    },
    /// Folders with other names than the usual ones were taken as splits, since they lie beside splits.
    OtherSplits {
        /// Their names.
        folders: Vec<String>,
    },
    /// Folders without class folders beside splits: images kept for later.
    Unlabelled {
        /// Their names.
        folders: Vec<String>,
    },
    /// The folders that hold the images were taken as classes.
    InnermostClasses(DepthReason),
    /// The outer folders were taken as classes, although the images lie deeper.
    OuterClasses(DepthReason),
    /// There are no class folders.
    NoClassFolders {
        /// A pattern that may read classes from the names of files.
        pattern: String,
    },
    /// A table of labels lies among the images, and was not used.
    TableAmongImages(LabelTable),
    /// Labels were taken from a table in an archive.
    TableInArchive {
        /// Its path there.
        file: RelPath,
    },
    /// None of the files that a table names is there.
    NoFileOfTable,
    /// How many names a pattern matched.
    NamesMatched {
        /// The pattern.
        pattern: String,
        /// Names that it matched.
        matched: u64,
        /// All names.
        all: u64,
        /// The first that it did not match.
        first_not: Option<RelPath>,
    },
    /// A link that was followed leads to something else in the collection.
    LinkInside {
        /// The link.
        link: RelPath,
        /// What it leads to; empty for the root.
        target: RelPath,
    },
    /// So many more of these.
    MoreLinksInside(u64),
    /// Files in a class that a split table does not name.
    NotInSplitTable(u64),
    /// Rows of a split table that name no file.
    SplitRowsUnused(u64),
    /// Rows of a split table that put a file into a second split.
    SplitRowsContradicted(u64),
    /// Rows of a split table that name another class than the folder.
    SplitRowsRelabelled(u64),
}

/// Why folders of one depth were taken as the classes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DepthReason {
    /// The inner folders have no letters in their names.
    InnerWithoutLetters,
    /// The outer folders have no letters in their names.
    OuterWithoutLetters,
    /// Inner names come again in several outer folders.
    InnerRepeated,
    /// Each inner folder has its own name.
    InnerUnique,
}

/// Another way to read a collection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Alternative {
    /// With classes at this depth.
    ClassDepth(ClassDepth),
    /// With these splits.
    Splits(SplitFolders),
    /// With labels from the names of files, by this pattern.
    LabelFrom(String),
    /// With labels from this table.
    Table(LabelTable),
    /// With the paths of the table beginning at another folder.
    Pictures,
}

impl Remark {
    /// The way to read otherwise, where there is one.
    pub fn alternative(&self) -> Option<Alternative> {
        let outermost = Alternative::ClassDepth(ClassDepth::Folders(1));
        match self {
            Remark::OnlyFolder { .. }
            | Remark::InnermostClasses(_)
            | Remark::TableInArchive { .. } => Some(outermost),
            Remark::OuterClasses(_) => Some(Alternative::ClassDepth(ClassDepth::Innermost)),
            Remark::SplitNamesAreClasses { pattern: Some(pattern), .. }
            | Remark::NoClassFolders { pattern } => Some(Alternative::LabelFrom(pattern.clone())),
            Remark::SplitNamesAreClasses { folders, pattern: None } => {
                let named = folders.iter().map(|folder| (folder.clone(), folder.clone()));
                Some(Alternative::Splits(SplitFolders::ByName(named.collect())))
            }
            Remark::OtherSplits { .. } => Some(Alternative::Splits(SplitFolders::None)),
            Remark::TableAmongImages(table) => Some(Alternative::Table(table.clone())),
            Remark::NoFileOfTable => Some(Alternative::Pictures),
            _ => None,
        }
    }
}
