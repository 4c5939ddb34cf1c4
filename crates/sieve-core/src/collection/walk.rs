//! Walking the tree under a folder.

use std::io;
use std::path::Path;

use walkdir::{DirEntry, WalkDir};

use super::EntryKind;
use super::listing::{Found, Listing};
use crate::files::RelPath;
use crate::files::Stamp;
use crate::progress::Progress;
use crate::{Error, io_reason};

/// Lists what lies under the folder `root`. Trouble further down is kept in the listing.
pub(super) fn walk(
    root: &Path,
    follow_links: bool,
    progress: &dyn Progress,
) -> Result<Listing, Error> {
    let unreadable = |error: io::Error| Error::RootUnreadable {
        path: root.to_path_buf(),
        reason: io_reason(&error),
    };
    std::fs::read_dir(root).map_err(unreadable)?;
    let resolved = root.canonicalize().unwrap_or_else(|_| root.to_path_buf());
    let mut listing = Listing::default();
    for step in WalkDir::new(root).min_depth(1).follow_links(follow_links) {
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        if let Ok(entry) = &step
            && follow_links
            && entry.path_is_symlink()
            && let Some(target) = below(&resolved, entry.path())
        {
            listing.linked.push((relative(root, entry.path()), target));
        }
        match step {
            Ok(entry) if entry.file_type().is_dir() => {
                listing.folders.push(relative(root, entry.path()));
            }
            Ok(entry) => {
                progress.advance(1);
                let (path, kind) = (relative(root, entry.path()), kind(&entry));
                listing.files.push(Found { path, kind, offset: 0 });
            }
            Err(error) => {
                let path = error.path().unwrap_or(root);
                let file = relative(root, path);
                if error.loop_ancestor().is_some() {
                    listing.files.push(Found { path: file, kind: EntryKind::LinkLoop, offset: 0 });
                } else if path.is_symlink() {
                    // Leads nowhere: met as an error only when links are followed.
                    let kind = EntryKind::BrokenLink;
                    listing.files.push(Found { path: file, kind, offset: 0 });
                } else {
                    let reason = error.io_error().map_or_else(|| error.to_string(), io_reason);
                    let reason = format!("the folder cannot be listed: {reason}");
                    listing.unlistable.push((file, reason));
                }
            }
        }
    }
    Ok(listing.sorted())
}

/// The part of `path`, which was found by walking `root`, below that root.
#[cfg(unix)]
fn relative(root: &Path, path: &Path) -> RelPath {
    use std::os::unix::ffi::OsStrExt;
    // A walk joins names to the root as it was given: cutting it off is enough, and many times
    // faster than comparing it part by part.
    let (root, path) = (root.as_os_str().as_bytes(), path.as_os_str().as_bytes());
    let below = path.get(root.len()..).unwrap_or_default();
    let below = below.strip_prefix(b"/").unwrap_or(below);
    RelPath::new(Path::new(std::ffi::OsStr::from_bytes(below)))
}

#[cfg(not(unix))]
fn relative(root: &Path, path: &Path) -> RelPath {
    RelPath::new(path.strip_prefix(root).unwrap_or(path))
}

/// What a link that is not followed is: one that leads nowhere need not be.
pub(super) fn link_kind(link: &Path) -> EntryKind {
    // A target that may not be looked at may well be there.
    let leads_nowhere = std::fs::metadata(link).is_err_and(|error| {
        matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory)
            || error.raw_os_error() == Some(LINKS_IN_A_CIRCLE)
    });
    if leads_nowhere { EntryKind::BrokenLink } else { EntryKind::Link }
}

/// ELOOP of Linux: the standard library has no stable name for it.
const LINKS_IN_A_CIRCLE: i32 = 40;

/// Where below the folder `root`, which is resolved, a link leads; none where it leads out.
fn below(root: &Path, link: &Path) -> Option<RelPath> {
    let target = link.canonicalize().ok()?;
    Some(RelPath::new(target.strip_prefix(root).ok()?))
}

fn kind(entry: &DirEntry) -> EntryKind {
    let file_type = entry.file_type();
    if file_type.is_symlink() {
        link_kind(entry.path())
    } else if file_type.is_file() {
        // A file that vanished since it was listed is met again, and reported, when it is opened.
        let stamp = entry.metadata().map(|facts| Stamp::from_metadata(&facts)).unwrap_or_default();
        EntryKind::File { stamp }
    } else {
        EntryKind::Special
    }
}
