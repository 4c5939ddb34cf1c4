//! Where the bytes of files come from.

use std::io::Read;
use std::sync::mpsc::{SyncSender, sync_channel};
use std::time::SystemTime;

use rayon::prelude::*;

#[cfg(any(feature = "parquet", feature = "arrow"))]
use super::archive::RowImages;
use super::archive::{Frames, TakesEntries, Tar, Zip};
use super::bucket_source::BucketSource;
use super::folder::{FolderSource, SourceFile};
use super::listing::Found;
use super::{Collection, EntryKind};
use crate::files::RelPath;
use crate::files::Stamp;
use crate::progress::Progress;
use crate::reading::{self, FileBytes, MemoryBudget, MemoryPermit, ReadError, ReadLimits};
use crate::{Error, bounded_read};

/// One root of a collection, open.
#[derive(Debug)]
pub(super) enum Source {
    /// Files below a folder.
    Folder(FolderSource),
    /// Entries of a ZIP archive.
    Zip(Zip),
    /// Entries of a tar archive.
    Tar(Tar),
    /// Frames of an array.
    Frames(Frames),
    /// Objects of a bucket.
    Bucket(BucketSource),
    /// Rows of a Parquet or Arrow file.
    #[cfg(any(feature = "parquet", feature = "arrow"))]
    Rows(RowImages),
}

/// Where a file's bytes are.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Locator {
    /// Index of the source.
    pub(super) source: u32,
    /// Where in an archive.
    pub(super) offset: u64,
    /// Size and times, when it was listed.
    pub(crate) stamp: Stamp,
}

/// A file that is to be read.
#[derive(Clone, Copy, Debug)]
pub struct Located<'a> {
    /// Its identity.
    pub path: &'a RelPath,
    /// Where its bytes are.
    pub at: Locator,
}

/// Bytes of packed files that are handed over together: enough work for all threads.
const BATCH_BYTES: usize = 16 << 20;
/// Files that are handed over together.
const BATCH_FILES: usize = 256;

/// What was read of one file, by its place in the list of those wanted.
type Unpacked = (usize, Result<(Vec<u8>, MemoryPermit), ReadError>);

impl Source {
    /// Whether its files lie packed together.
    pub fn is_archive(&self) -> bool {
        !matches!(self, Source::Folder(_))
    }

    /// Whether its files are read in order only.
    fn is_stream(&self) -> bool {
        match self {
            Source::Tar(tar) => tar.is_stream(),
            Source::Bucket(_) => true,
            #[cfg(any(feature = "parquet", feature = "arrow"))]
            Source::Rows(_) => true,
            _ => false,
        }
    }

    /// Reads files in the order in which they are packed; nothing where they are read one by one.
    fn stream(&self, numbers: &[u64], limits: &ReadLimits, into: &mut dyn TakesEntries) {
        match self {
            Source::Tar(tar) => tar.stream(numbers, limits, into),
            Source::Bucket(bucket) => bucket.stream(numbers, limits, into),
            #[cfg(any(feature = "parquet", feature = "arrow"))]
            Source::Rows(images) => images.stream(numbers, limits, into),
            _ => {}
        }
    }

    /// Bytes from the beginning of a file of its listing, `most` of them where no more need be unpacked; none where
    /// they cannot be read.
    pub fn head_of(&self, found: &Found, most: u64) -> Option<Vec<u8>> {
        let EntryKind::File { stamp } = found.kind else { return None };
        let limits =
            ReadLimits { file_bytes: bounded_read::MOST_TABLE_BYTES, ..ReadLimits::default() };
        match self {
            Source::Folder(folder) => {
                let mut head = Vec::new();
                // The paths of a listing do not begin with the name of a split.
                let opened = folder.listed_file(&found.path)?.open().ok()?;
                opened.take(most).read_to_end(&mut head).ok()?;
                Some(head)
            }
            Source::Zip(zip) => zip.head(found.offset, most),
            Source::Frames(frames) => Some(frames.read(found.offset, &limits).ok()?.0),
            Source::Bucket(bucket) => bucket.read(found.offset, &limits).ok(),
            #[cfg(any(feature = "parquet", feature = "arrow"))]
            Source::Rows(images) => {
                let mut one = Only(None);
                images.stream(&[found.offset], &limits, &mut one);
                one.0
            }
            Source::Tar(tar) => match tar.read(found.offset, stamp.size_bytes.min(most), &limits) {
                Some(read) => Some(read.ok()?.0),
                None => {
                    // A packed archive gives its entries whole.
                    let mut one = Only(None);
                    tar.stream(&[found.offset], &limits, &mut one);
                    one.0
                }
            },
        }
    }
}

/// Takes the one entry that was wanted.
struct Only(Option<Vec<u8>>);

impl TakesEntries for Only {
    fn room(&mut self, _size_bytes: u64) -> Option<MemoryPermit> {
        Some(MemoryPermit::default())
    }

    fn take(&mut self, _at: usize, entry: Result<(Vec<u8>, MemoryPermit), ReadError>) -> bool {
        self.0 = entry.ok().map(|(bytes, _)| bytes);
        false
    }
}

impl Locator {
    /// Size and times, when it was listed.
    pub fn stamp(&self) -> Stamp {
        self.stamp
    }
}

impl Collection {
    /// The file in the file system, where it is one.
    pub fn file(&self, file: Located<'_>) -> Option<SourceFile<'_>> {
        match &self.sources[file.at.source as usize] {
            Source::Folder(folder) => folder.file(file.path),
            _ => None,
        }
    }

    /// Reads the `wanted` files, as far as `limits` allow, and does `work` on each, on all threads
    /// of the current pool. The results are in the order of `wanted`. One file's bytes are in memory
    /// per thread, and a batch of those of a packed tar archive, which is read from its beginning to
    /// its end.
    ///
    /// # Errors
    ///
    /// Only when `progress` asks to stop.
    pub fn visit<T: Send>(
        &self,
        wanted: &[Located<'_>],
        limits: &ReadLimits,
        progress: &dyn Progress,
        work: impl Fn(usize, Result<FileBytes, ReadError>) -> T + Sync,
    ) -> Result<Vec<T>, Error> {
        let mut results: Vec<Option<T>> = wanted.iter().map(|_| None).collect();
        let done = results.par_iter_mut().zip(wanted).enumerate().try_for_each(
            |(index, (result, file))| {
                if progress.stopped() {
                    return Err(Error::Interrupted);
                }
                if let Some(bytes) = self.read(*file, limits) {
                    *result = Some(work(index, bytes));
                }
                Ok(())
            },
        );
        done?;
        for (number, source) in (0u32..).zip(&self.sources) {
            if !source.is_stream() {
                continue;
            }
            let mut here: Vec<usize> = (0..wanted.len())
                .filter(|&at| wanted[at].at.source == number && results[at].is_none())
                .collect();
            here.sort_by_key(|&at| wanted[at].at.offset);
            let numbers: Vec<u64> = here.iter().map(|&at| wanted[at].at.offset).collect();
            let stamp = |index: usize| remembered(wanted[index].at.stamp);
            let mut take = |batch: Vec<Unpacked>| {
                let made: Vec<(usize, T)> = batch
                    .into_par_iter()
                    .map(|(at, bytes)| {
                        let index = here[at];
                        let whole = |(bytes, held)| FileBytes { bytes, stamp: stamp(index), held };
                        (index, work(index, bytes.map(whole)))
                    })
                    .collect();
                made.into_iter().for_each(|(index, value)| results[index] = Some(value));
            };
            in_batches(source, &numbers, limits, progress, &mut take)?;
        }
        // What was given up halfway says nothing of its file.
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        let results: Option<Vec<T>> = results.into_iter().collect();
        results.ok_or(Error::Interrupted)
    }

    /// The bytes of one file; none where its archive must be read in order.
    fn read(&self, file: Located<'_>, limits: &ReadLimits) -> Option<Result<FileBytes, ReadError>> {
        let Locator { source, offset, stamp } = file.at;
        let whole = |(bytes, held)| FileBytes { bytes, stamp: remembered(stamp), held };
        match &self.sources[source as usize] {
            Source::Folder(folder) => Some(match folder.file(file.path) {
                Some(file) => reading::bytes_of(&|| file.open(), limits),
                None => {
                    Err(ReadError::Unreadable("its path leads out of the collection".to_owned()))
                }
            }),
            Source::Zip(zip) => Some(zip.read(offset, limits).map(whole)),
            Source::Frames(frames) => Some(frames.read(offset, limits).map(whole)),
            Source::Bucket(_) => None,
            #[cfg(any(feature = "parquet", feature = "arrow"))]
            Source::Rows(_) => None,
            Source::Tar(tar) => {
                tar.read(offset, stamp.size_bytes, limits).map(|bytes| bytes.map(whole))
            }
        }
    }
}

/// The stamp of an archive, unless a change of it might leave the stamp as it is.
fn remembered(stamp: Stamp) -> Option<Stamp> {
    (!stamp.is_fresh(SystemTime::now())).then_some(stamp)
}

/// Unpacks on a thread of its own, so that decoding need not wait for it.
fn in_batches(
    source: &Source,
    numbers: &[u64],
    limits: &ReadLimits,
    progress: &dyn Progress,
    take: &mut dyn FnMut(Vec<Unpacked>),
) -> Result<(), Error> {
    if numbers.is_empty() {
        return Ok(());
    }
    std::thread::scope(|scope| {
        let (sender, receiver) = sync_channel(1);
        scope.spawn(move || {
            let mut batches =
                Batches { sender, memory: &limits.memory, batch: Vec::new(), bytes: 0 };
            source.stream(numbers, limits, &mut batches);
            batches.hand_over();
        });
        for batch in receiver {
            if progress.stopped() {
                return Err(Error::Interrupted);
            }
            take(batch);
        }
        Ok(())
    })
}

/// Gathers unpacked files and hands them over together.
struct Batches<'a> {
    sender: SyncSender<Vec<Unpacked>>,
    memory: &'a MemoryBudget,
    batch: Vec<Unpacked>,
    bytes: usize,
}

impl Batches<'_> {
    /// False when nobody listens any more, because the work was stopped.
    fn hand_over(&mut self) -> bool {
        self.bytes = 0;
        self.sender.send(std::mem::take(&mut self.batch)).is_ok()
    }
}

impl TakesEntries for Batches<'_> {
    fn room(&mut self, size_bytes: u64) -> Option<MemoryPermit> {
        // What would be waited for may lie in the batch itself.
        let room = self.memory.try_file(size_bytes);
        room.or_else(|| self.hand_over().then(|| self.memory.file(size_bytes)))
    }

    fn take(&mut self, at: usize, entry: Result<(Vec<u8>, MemoryPermit), ReadError>) -> bool {
        self.bytes += entry.as_ref().map_or(0, |(bytes, _)| bytes.len());
        self.batch.push((at, entry));
        let is_full = self.bytes >= BATCH_BYTES || self.batch.len() >= BATCH_FILES;
        !is_full || self.hand_over()
    }
}
