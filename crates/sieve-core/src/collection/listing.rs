//! What lies under one root, before anything is known about classes.

use std::collections::BTreeSet;
use std::path::Path;

use serde::{Deserialize, Serialize};

use super::EntryKind;
use crate::files::RelPath;
use crate::files::Stamp;

/// Remembers what packed archives hold: to list one, all of it must be unpacked.
pub trait ArchiveIndexCache {
    /// What was kept for the archive `file`, if it still has this stamp.
    fn lookup(&self, file: &Path, stamp: Stamp) -> Option<Vec<u8>>;
    /// Keeps a listing, if that is possible.
    fn keep(&self, file: &Path, stamp: Stamp, listing: &[u8]);
}

/// Remembers nothing.
pub struct NoCache;

impl ArchiveIndexCache for NoCache {
    fn lookup(&self, _file: &Path, _stamp: Stamp) -> Option<Vec<u8>> {
        None
    }
    fn keep(&self, _file: &Path, _stamp: Stamp, _listing: &[u8]) {}
}

/// The folders and files under one root.
#[derive(Debug, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Listing {
    /// Every folder, sorted.
    pub folders: Vec<RelPath>,
    /// Everything else, sorted by path.
    pub files: Vec<Found>,
    /// Folders that could not be listed, and why.
    pub unlistable: Vec<(RelPath, String)>,
    /// Paths that an archive holds more than once, and how often.
    pub repeated: Vec<(RelPath, u64)>,
    /// Folders and files that are followed links to something else below the root, and to what.
    pub linked: Vec<(RelPath, RelPath)>,
}

/// One thing that is no folder.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Found {
    /// Its path below the root.
    pub path: RelPath,
    /// What it is.
    pub kind: EntryKind,
    /// Where in an archive its bytes are.
    pub offset: u64,
}

impl Found {
    /// A file of `stamp`.
    pub fn file(path: RelPath, stamp: Stamp, offset: u64) -> Self {
        Found { path, kind: EntryKind::File { stamp }, offset }
    }
}

impl Listing {
    /// As bytes to be kept.
    pub fn to_bytes(&self) -> Vec<u8> {
        serde_json::to_vec(self).expect("plain structures serialise")
    }

    /// From bytes that were kept; none when they are damaged.
    pub fn of_bytes(bytes: &[u8]) -> Option<Self> {
        serde_json::from_slice(bytes).ok()
    }

    /// Puts everything into the order of paths. Of several files of one path the last one stays,
    /// as unpacking an archive would leave it; how many there were is kept.
    pub fn sorted(mut self) -> Self {
        self.folders.sort();
        self.folders.dedup();
        self.files.sort_by(|a, b| a.path.cmp(&b.path));
        let same = self.files.chunk_by(|a, b| a.path == b.path).filter(|same| same.len() > 1);
        self.repeated.extend(same.map(|same| (same[0].path.clone(), same.len() as u64)));
        self.files.dedup_by(|later, kept| {
            let is_same = later.path == kept.path;
            if is_same {
                std::mem::swap(later, kept);
            }
            is_same
        });
        self.unlistable.sort();
        self.repeated.sort();
        self
    }

    /// Adds the folders that are known only from what lies in them: archives need not name them.
    pub fn with_implied_folders(mut self) -> Self {
        let mut implied = BTreeSet::new();
        let inside = |found: &&Found| !matches!(found.kind, EntryKind::Refused(_));
        for found in self.files.iter().filter(inside) {
            let mut folder = found.path.native().parent();
            while let Some(path) = folder.filter(|path| *path != Path::new("")) {
                if !implied.insert(path.to_path_buf()) {
                    break;
                }
                folder = path.parent();
            }
        }
        self.folders.extend(implied.iter().map(|path| RelPath::new(path)));
        self
    }
}
