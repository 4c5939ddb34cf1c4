//! A folder as the place where the files of a collection are.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use super::EntryKind;
use super::walk::link_kind;
use crate::files::{FileFacts, FileKind, InsidePath, RelPath, Root, Stamp};

/// A folder that files are read from.
#[derive(Debug)]
pub(super) struct FolderSource {
    /// The folder, open.
    pub root: Root,
    /// Whether the paths of files begin with the name of a split that is no folder.
    pub is_split: bool,
    /// Whether symbolic links are followed, also out of the folder.
    pub follow_links: bool,
}

impl FolderSource {
    /// A file of the collection; none where its path leads out of the folder.
    pub fn file(&self, path: &RelPath) -> Option<SourceFile<'_>> {
        let mut parts = path.native().components();
        if self.is_split {
            parts.next();
        }
        self.inner_file(parts.as_path())
    }

    /// A file of the listing of the folder, whose path begins in the folder in any case.
    pub fn listed_file(&self, path: &RelPath) -> Option<SourceFile<'_>> {
        self.inner_file(path.native())
    }

    fn inner_file(&self, path: &Path) -> Option<SourceFile<'_>> {
        let path = InsidePath::new(path).ok()?;
        Some(SourceFile { source: self, path })
    }

    /// What is at a path below the folder.
    pub fn kind(&self, path: &InsidePath) -> EntryKind {
        let whole = self.root.path().join(path.as_path());
        if self.follow_links {
            return match std::fs::metadata(&whole) {
                Ok(facts) if facts.is_file() => {
                    EntryKind::File { stamp: Stamp::from_metadata(&facts) }
                }
                Ok(_) => EntryKind::Special,
                Err(_) => EntryKind::Missing,
            };
        }
        match self.root.facts(path) {
            Ok(facts) if facts.kind == FileKind::File => EntryKind::File { stamp: facts.stamp() },
            Ok(facts) if facts.kind == FileKind::Link => link_kind(&whole),
            Ok(_) => EntryKind::Special,
            // Reached through a link only.
            Err(_) if whole.exists() => EntryKind::Link,
            Err(_) => EntryKind::Missing,
        }
    }
}

/// A file of a collection that lies in a folder.
#[derive(Clone, Debug)]
pub struct SourceFile<'a> {
    source: &'a FolderSource,
    path: InsidePath,
}

impl SourceFile<'_> {
    /// The folder of the collection.
    pub fn root(&self) -> &Root {
        &self.source.root
    }

    /// Where the file is in it.
    pub fn path(&self) -> &InsidePath {
        &self.path
    }

    /// Whether the collection is read through symbolic links, so that the file may be one or lie behind one.
    pub fn follows_links(&self) -> bool {
        self.source.follow_links
    }

    /// The whole path, for people and for what is opened by others.
    pub fn whole_path(&self) -> PathBuf {
        self.source.root.path().join(self.path.as_path())
    }

    /// Opens the file; through symbolic links only where the collection is read so.
    ///
    /// # Errors
    ///
    /// When it cannot be opened, or is no regular file.
    pub fn open(&self) -> io::Result<File> {
        if self.follows_links() {
            File::open(self.whole_path())
        } else {
            self.root().read(&self.path)
        }
    }

    /// What the system knows of the file itself: of a symbolic link, about the link.
    ///
    /// # Errors
    ///
    /// When it is not there.
    pub fn facts(&self) -> io::Result<FileFacts> {
        self.root().facts(&self.path)
    }

    /// What tells that the file is unchanged; behind a symbolic link where these are followed.
    ///
    /// # Errors
    ///
    /// When it is not there.
    pub fn stamp(&self) -> io::Result<Stamp> {
        match self.follows_links() {
            true => Ok(Stamp::from_metadata(&std::fs::metadata(self.whole_path())?)),
            false => Ok(self.facts()?.stamp()),
        }
    }
}
