//! Walking the tree under a root.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::path::Path;

use walkdir::{DirEntry, WalkDir};

use super::layout::Reading;
use super::path::RelPath;
use super::{Collection, Entry, EntryKind};
use crate::progress::Watch;
use crate::{Error, io_reason};

/// How a tree is walked.
#[derive(Clone, Debug, Default)]
pub struct WalkOptions {
    /// Follow symbolic links. Loops are noticed.
    pub follow_links: bool,
}

/// Lists the collection under `root` and reads its layout.
///
/// # Errors
///
/// When the root is missing, is no folder, cannot be listed, or `watch` asks to stop. Trouble
/// further down is kept in [`Collection::unlistable`].
pub fn open(root: &Path, options: &WalkOptions, watch: &dyn Watch) -> Result<Collection, Error> {
    let path = || root.to_path_buf();
    let unreadable =
        |error: io::Error| Error::RootUnreadable { path: path(), reason: io_reason(&error) };
    match fs::metadata(root) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            return Err(Error::RootMissing { path: path() });
        }
        Err(error) => return Err(unreadable(error)),
        Ok(facts) if !facts.is_dir() => return Err(Error::RootNotAFolder { path: path() }),
        Ok(_) => {}
    }
    fs::read_dir(root).map_err(unreadable)?;

    watch.begin("listing files", None);
    let mut folders = Vec::new();
    let mut files = Vec::new();
    let mut unlistable = Vec::new();
    for step in WalkDir::new(root).min_depth(1).follow_links(options.follow_links) {
        if watch.stopped() {
            return Err(Error::Interrupted);
        }
        match step {
            Ok(entry) if entry.file_type().is_dir() => folders.push(relative(root, entry.path())),
            Ok(entry) => {
                watch.advance(1);
                files.push((relative(root, entry.path()), kind(&entry)));
            }
            Err(error) => {
                let path = error.path().unwrap_or(root);
                let file = relative(root, path);
                if error.loop_ancestor().is_some() {
                    files.push((file, EntryKind::LinkLoop));
                } else if path.is_symlink() {
                    // Leads nowhere: met as an error only when links are followed.
                    files.push((file, EntryKind::Link));
                } else {
                    let reason = error.io_error().map_or_else(|| error.to_string(), io_reason);
                    unlistable.push((file, reason));
                }
            }
        }
    }
    folders.sort();
    files.sort_by(|a, b| a.0.cmp(&b.0));
    unlistable.sort();

    let (paths, kinds): (Vec<RelPath>, Vec<EntryKind>) = files.into_iter().unzip();
    let reading = Reading::of(&folders, &paths);
    let class_folders: BTreeSet<_> =
        folders.iter().filter_map(|folder| reading.class_folder(folder)).collect();
    let entries = paths
        .into_iter()
        .zip(kinds)
        .map(|(path, kind)| Entry { place: reading.place(&path), path, kind })
        .collect();
    Ok(Collection { root: path(), layout: reading.layout, entries, class_folders, unlistable })
}

fn relative(root: &Path, path: &Path) -> RelPath {
    RelPath::new(path.strip_prefix(root).unwrap_or(path).to_path_buf())
}

fn kind(entry: &DirEntry) -> EntryKind {
    let file_type = entry.file_type();
    if file_type.is_symlink() {
        EntryKind::Link
    } else if file_type.is_file() {
        // A file that vanished since it was listed is met again, and reported, when it is opened.
        let size_bytes = entry.metadata().map(|facts| facts.len()).unwrap_or(0);
        EntryKind::File { size_bytes }
    } else {
        EntryKind::Special
    }
}
