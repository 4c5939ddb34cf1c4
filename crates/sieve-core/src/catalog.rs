//! CATALOG: one record per file of a collection; the only thing that analyses read.

use std::path::Path;

use rayon::prelude::*;

use crate::Error;
use crate::collection::{Collection, Entry, EntryKind, Layout, Place, RelPath, is_left_behind};
use crate::measuring::{self, Measured};
use crate::progress::Watch;
use crate::reading::{self, ReadLimits, Trouble, is_picture_name};

/// What is known about a collection.
#[derive(Debug)]
pub struct Catalog {
    /// The files as they were listed. `records[i]` tells of `collection.entries[i]`.
    pub collection: Collection,
    /// What is known of each file, in the order of their paths.
    pub records: Vec<Record>,
}

/// What is known about one file.
#[derive(Clone, Debug)]
pub struct Record {
    /// Its identity.
    pub path: RelPath,
    /// Its class and split.
    pub place: Place,
    /// Its size in bytes when it was read; for what was not opened, when it was listed.
    pub size_bytes: u64,
    /// A picture, or why it was set aside.
    pub outcome: Outcome,
}

/// What became of one file.
#[derive(Clone, Debug)]
pub enum Outcome {
    /// A picture to train on.
    Image(Measured),
    /// No picture: why.
    SetAside(Reason),
}

/// Why a file was set aside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reason {
    /// It was meant as a picture, and is none that can be used.
    Trouble(Trouble),
    /// It was not meant as a picture; what it looks like, where that is known.
    Stray(Option<&'static str>),
    /// The table that a split was built from, found at the root.
    SplitTable,
    /// A symbolic link that was not followed, or that leads nowhere.
    Link,
    /// A symbolic link that leads back to a folder that holds it.
    LinkLoop,
    /// A pipe, socket or device.
    Special,
}

impl Record {
    /// What was measured, if the file is a picture.
    pub fn image(&self) -> Option<&Measured> {
        match &self.outcome {
            Outcome::Image(measured) => Some(measured),
            Outcome::SetAside(_) => None,
        }
    }

    /// The split, or none.
    pub fn split(&self) -> Option<&str> {
        self.place.split.as_deref()
    }

    /// The class, or none.
    pub fn class(&self) -> Option<&str> {
        self.place.class()
    }
}

impl Catalog {
    /// The records that are pictures, with what was measured about each.
    pub fn images(&self) -> impl Iterator<Item = (&Record, &Measured)> {
        self.records.iter().filter_map(|record| Some((record, record.image()?)))
    }

    /// The layout of the collection.
    pub fn layout(&self) -> Layout {
        self.collection.layout
    }
}

/// The first line of a split table.
pub const SPLIT_TABLE_HEADER: &str = "path,class,split,group,digest";

/// Reads and measures every file of `collection`, one picture at a time on each thread of the
/// current pool. The records do not depend on the number of threads.
///
/// # Errors
///
/// Only when `watch` asks to stop. Trouble with a file is in its record.
pub fn measure(
    collection: Collection,
    limits: &ReadLimits,
    watch: &dyn Watch,
) -> Result<Catalog, Error> {
    watch.begin("reading pictures", Some(collection.entries.len() as u64));
    let records: Option<Vec<Record>> = collection
        .entries
        .par_iter()
        .map(|entry| {
            if watch.stopped() {
                return None;
            }
            let record = record(&collection.root, entry, limits);
            watch.advance(1);
            Some(record)
        })
        .collect();
    let records = records.ok_or(Error::Interrupted)?;
    Ok(Catalog { collection, records })
}

fn record(root: &Path, entry: &Entry, limits: &ReadLimits) -> Record {
    let (size_bytes, outcome) = match entry.kind {
        EntryKind::Link => (0, Outcome::SetAside(Reason::Link)),
        EntryKind::LinkLoop => (0, Outcome::SetAside(Reason::LinkLoop)),
        EntryKind::Special => (0, Outcome::SetAside(Reason::Special)),
        // Left behind by a system or an editor: counted, never opened.
        EntryKind::File { size_bytes } if entry.path.parts().any(is_left_behind) => {
            (size_bytes, Outcome::SetAside(Reason::Stray(Some("a hidden or backup file"))))
        }
        EntryKind::File { size_bytes } => {
            read_file(&root.join(entry.path.native()), &entry.path, size_bytes, limits)
        }
    };
    if let Outcome::SetAside(reason) = &outcome {
        tracing::debug!(path = entry.path.as_str(), ?reason, "set aside");
    }
    Record { path: entry.path.clone(), place: entry.place.clone(), size_bytes, outcome }
}

fn read_file(
    file: &Path,
    path: &RelPath,
    listed_bytes: u64,
    limits: &ReadLimits,
) -> (u64, Outcome) {
    let bytes = match reading::bytes_of(file, limits) {
        Ok(bytes) => bytes,
        Err(found) => return (listed_bytes, Outcome::SetAside(reason(found, path))),
    };
    let size_bytes = bytes.len() as u64;
    if path.as_str() == "split.csv" && bytes.starts_with(SPLIT_TABLE_HEADER.as_bytes()) {
        return (size_bytes, Outcome::SetAside(Reason::SplitTable));
    }
    let outcome = match measuring::measure(&bytes, limits) {
        Ok(measured) => Outcome::Image(measured),
        Err(found @ Trouble::OverLimit(_)) => Outcome::SetAside(Reason::Trouble(found)),
        Err(found) => Outcome::SetAside(reason(found, path)),
    };
    (size_bytes, outcome)
}

/// What is no picture and does not claim to be one by its name was not meant as one.
fn reason(found: Trouble, path: &RelPath) -> Reason {
    match found {
        Trouble::NotAnImage(what) if !is_picture_name(path) => Reason::Stray(what),
        Trouble::Empty if !is_picture_name(path) => Reason::Stray(Some("an empty file")),
        Trouble::OverLimit(_) if !is_picture_name(path) => {
            Reason::Stray(Some("a large file that was not opened"))
        }
        found => Reason::Trouble(found),
    }
}
