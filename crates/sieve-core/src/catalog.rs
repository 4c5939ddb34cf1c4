//! CATALOG: one record per file of a collection; the only thing that analyses read.

use std::path::PathBuf;

use crate::Error;
use crate::collection::{
    Collection, Entry, EntryKind, Located, is_generated_table, is_left_behind,
};
use crate::files::RelPath;
use crate::measuring::{self, Digest, Measured, Thumbnail};
use crate::progress::Progress;
use crate::reading::{FileBytes, ReadError, ReadLimits, is_image_name};
use crate::record::{Outcome, Reason, Record};
use crate::store::{self, CacheWriter, Store};

/// What is known about a collection.
#[derive(Debug)]
pub struct Catalog {
    /// The collection, without its entries: these are the records.
    pub collection: Collection,
    /// What is known of each file, in the order of their paths.
    pub records: Vec<Record>,
    /// Where that knowledge came from.
    pub cache: CacheStats,
}

/// How a collection is measured.
#[derive(Clone, Debug, Default)]
pub struct Options {
    /// What one image may cost.
    pub limits: ReadLimits,
    /// Read every file again, whatever the store knows.
    pub recheck: bool,
}

/// What came out of the store and what was read.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CacheStats {
    /// Files that the store knew.
    pub hits: usize,
    /// Files that were read.
    pub read: usize,
    /// Files that the store knew and that are not there any more.
    pub gone: usize,
    /// The new name of a store that turned out to be damaged.
    pub set_aside: Option<PathBuf>,
    /// Why what was read could not be kept.
    pub write_error: Option<String>,
}

impl Catalog {
    /// The records that are images, with what was measured about each.
    pub fn images(&self) -> impl Iterator<Item = (&Record, &Measured)> {
        self.records.iter().filter_map(|record| Some((record, record.image()?)))
    }
}

impl Catalog {
    /// The thumbnails of the records at `wanted`, which are images: those that `store` keeps, and
    /// otherwise by reading the file again. None where it cannot be read any more.
    ///
    /// # Errors
    ///
    /// When `progress` asks to stop.
    pub fn thumbnails(
        &self,
        wanted: &[usize],
        store: Option<&Store>,
        limits: &ReadLimits,
        progress: &dyn Progress,
    ) -> Result<Vec<Option<Thumbnail>>, Error> {
        let image = |&index: &usize| {
            let record = &self.records[index];
            let digest = record.image().map_or(Digest([0; 32]), |measured| measured.digest);
            (&record.path, digest)
        };
        let images: Vec<(&RelPath, Digest)> = wanted.iter().map(image).collect();
        let mut thumbnails = match store {
            Some(store) => store.thumbnails(&images),
            None => vec![None; wanted.len()],
        };
        let missing: Vec<usize> =
            (0..wanted.len()).filter(|&at| thumbnails[at].is_none()).collect();
        if missing.is_empty() {
            return Ok(thumbnails);
        }
        progress.begin("reading images", Some(missing.len() as u64));
        let located: Vec<Located<'_>> =
            missing.iter().map(|&at| self.records[wanted[at]].located()).collect();
        let read = self.collection.visit(&located, limits, progress, |_, bytes| {
            progress.advance(1);
            Some(measuring::measure(&bytes.ok()?.bytes, limits).ok()?.1)
        })?;
        for (at, thumbnail) in missing.into_iter().zip(read) {
            thumbnails[at] = thumbnail;
        }
        Ok(thumbnails)
    }
}

/// Reads and measures every file of `collection` that the store does not know yet, one image at
/// a time on each thread of the current pool. The records do not depend on the number of threads,
/// nor on what the store knew.
///
/// # Errors
///
/// Only when `progress` asks to stop; what was read until then is kept in the store. Trouble with a
/// file is in its record, trouble with the store in [`CacheStats::write_error`].
pub fn measure(
    mut collection: Collection,
    options: &Options,
    mut store: Option<&mut Store>,
    progress: &dyn Progress,
) -> Result<Catalog, Error> {
    progress.begin("reading images", Some(collection.entries.len() as u64));
    let entries = std::mem::take(&mut collection.entries);
    let mut cache = CacheStats::default();
    let (mut outcomes, mut gone) = (Vec::new(), Vec::new());
    if let Some(store) = store.as_mut() {
        let hits = store.lookup(&entries, &options.limits);
        (outcomes, gone) = (hits.outcomes, hits.gone);
        cache.set_aside = hits.set_aside;
    }
    if store.is_none() || options.recheck {
        outcomes = entries.iter().map(|_| None).collect();
    }
    cache.hits = outcomes.iter().flatten().count();
    cache.gone = gone.len();
    progress.advance(cache.hits as u64);

    let mut wanted = Vec::new();
    for (index, entry) in entries.iter().enumerate() {
        if outcomes[index].is_none() {
            outcomes[index] = without_reading(entry);
            match outcomes[index] {
                Some(_) => progress.advance(1),
                None => wanted.push(index),
            }
        }
    }
    cache.read = wanted.len();
    let located: Vec<Located<'_>> = wanted.iter().map(|&index| entries[index].located()).collect();
    let (read, write_error) = store::keep(store, &gone, &options.limits, |writer| {
        collection.visit(&located, &options.limits, progress, |at, bytes| {
            let outcome = read_file(located[at].path, bytes, &options.limits, writer);
            progress.advance(1);
            outcome
        })
    });
    cache.write_error = write_error;
    let mut sizes: Vec<u64> = entries.iter().map(|entry| entry.at.stamp.size_bytes).collect();
    for (index, (size_bytes, outcome)) in wanted.into_iter().zip(read?) {
        sizes[index] = size_bytes.unwrap_or(sizes[index]);
        outcomes[index] = Some(outcome);
    }
    let records =
        entries.into_iter().zip(sizes).zip(outcomes).map(|((entry, size_bytes), outcome)| {
            let Entry { path, place, at, .. } = entry;
            let outcome = outcome.expect("every entry was recalled, told or read");
            if let Outcome::SetAside(reason) = &outcome {
                tracing::debug!(path = path.as_str(), ?reason, "set aside");
            }
            Record { path, place, size_bytes, outcome, at }
        });
    let records = records.collect();
    tracing::debug!(hits = cache.hits, read = cache.read, gone = cache.gone, "measured");
    Ok(Catalog { collection, records, cache })
}

/// What can be said of an entry that is not opened.
fn without_reading(entry: &Entry) -> Option<Outcome> {
    let reason = match &entry.kind {
        EntryKind::Link => Reason::Link,
        EntryKind::BrokenLink => Reason::BrokenLink,
        EntryKind::LinkLoop => Reason::LinkLoop,
        EntryKind::Special => Reason::Special,
        EntryKind::Refused(why) => Reason::Refused(why.clone()),
        EntryKind::Missing => Reason::Missing,
        // Left behind by a system or an editor: counted, never opened.
        EntryKind::File { .. } if entry.path.parts().any(is_left_behind) => {
            Reason::Stray(Some("a hidden or backup file".into()))
        }
        EntryKind::File { .. } => return None,
    };
    Some(Outcome::SetAside(reason))
}

/// What reading a file gave, and its size where it could be read.
fn read_file(
    path: &RelPath,
    bytes: Result<FileBytes, ReadError>,
    limits: &ReadLimits,
    writer: &CacheWriter<'_>,
) -> (Option<u64>, Outcome) {
    let FileBytes { bytes, stamp, held: _held } = match bytes {
        Ok(bytes) => bytes,
        Err(found) => return (None, Outcome::SetAside(reason(found, path))),
    };
    let (outcome, thumbnail) = if is_generated_table(path.file_name(), &bytes) {
        (Outcome::SetAside(Reason::GeneratedTable), None)
    } else {
        match measuring::measure(&bytes, limits) {
            // Of a small image it would be larger than the file, and few commands look at it.
            Ok((measured, _)) if measured.is_small() => (Outcome::Image(measured), None),
            Ok((measured, thumbnail)) => (Outcome::Image(measured), Some(thumbnail)),
            Err(found @ ReadError::OverLimit(_)) => {
                (Outcome::SetAside(Reason::ReadError(found)), None)
            }
            Err(found) => (Outcome::SetAside(reason(found, path)), None),
        }
    };
    writer.keep(path, stamp, &outcome, thumbnail);
    (Some(bytes.len() as u64), outcome)
}

/// What is no image and does not claim to be one by its name was not meant as one.
fn reason(found: ReadError, path: &RelPath) -> Reason {
    match found {
        ReadError::NotAnImage(what) if !is_image_name(path) => Reason::Stray(what),
        ReadError::Empty if !is_image_name(path) => Reason::Stray(Some("an empty file".into())),
        ReadError::OverLimit(_) if !is_image_name(path) => {
            Reason::Stray(Some("a large file that was not opened".into()))
        }
        found => Reason::ReadError(found),
    }
}
