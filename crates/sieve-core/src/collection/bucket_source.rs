//! Buckets as places where the files of a collection are: each object below a prefix is a file.

use std::path::Path;
use std::sync::Arc;
use std::sync::Mutex;
use std::sync::mpsc::{channel, sync_channel};

use super::EntryKind;
use super::archive::TakesEntries;
use super::listing::{Found, Listing};
use crate::Error;
use crate::files::{RelPath, Stamp};
use crate::objects::{ObjectFacts, ObjectStore};
use crate::progress::Progress;
use crate::reading::{MemoryPermit, ReadError, ReadLimits};

/// Requests that are under way at the same time. Stores answer after tens of milliseconds, whatever the size: with sixteen,
/// two cores that decode 100 images per second each are kept busy up to 80 ms per request.
const REQUESTS: usize = 16;

/// Objects below a prefix.
#[derive(Debug)]
pub(super) struct BucketSource {
    store: Arc<dyn ObjectStore>,
    /// By the offsets of the listing.
    objects: Vec<ObjectFacts>,
}

impl BucketSource {
    /// Lists the objects below `prefix`, which is a folder whether or not a slash ends it.
    pub fn list(
        store: Arc<dyn ObjectStore>,
        prefix: &str,
        root: &Path,
        progress: &dyn Progress,
    ) -> Result<(Self, Listing), Error> {
        let folder = match prefix.trim_end_matches('/') {
            "" => String::new(),
            prefix => format!("{prefix}/"),
        };
        let mut objects = Vec::new();
        let listed = store.list(&folder, &mut |object| {
            progress.advance(1);
            objects.push(object);
            !progress.stopped()
        });
        let unreadable = |reason| Error::RootUnreadable { path: root.to_owned(), reason };
        listed.map_err(unreadable)?;
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        // A listing that changes between two pages can name an object twice: the later one counts.
        let mut objects: Vec<(usize, ObjectFacts)> = objects.into_iter().enumerate().collect();
        objects.sort_by(|a, b| a.1.key.cmp(&b.1.key).then(b.0.cmp(&a.0)));
        objects.dedup_by(|later, kept| later.1.key == kept.1.key);
        let objects: Vec<ObjectFacts> = objects.into_iter().map(|(_, object)| object).collect();
        let mut listing = Listing::default();
        for (number, object) in (0..).zip(&objects) {
            let Some(name) = object.key.strip_prefix(&folder).filter(|name| !name.is_empty())
            else {
                continue;
            };
            match name.strip_suffix('/') {
                // How consoles mark a folder.
                Some(name) if object.size_bytes == 0 && why_no_path(name).is_none() => {
                    listing.folders.push(RelPath::new(Path::new(name)));
                }
                _ => {
                    let found = Found::file(RelPath::new(Path::new(name)), stamp(object), number);
                    let kind = why_no_path(name).map(|why| EntryKind::Refused(why.into()));
                    listing.files.push(Found { kind: kind.unwrap_or(found.kind), ..found });
                }
            }
        }
        let listing = listing.with_implied_folders().sorted();
        Ok((BucketSource { store, objects }, listing))
    }

    /// Whether nothing lies below the prefix.
    pub fn is_empty(&self) -> bool {
        self.objects.is_empty()
    }

    /// The bytes of one object.
    pub fn read(&self, number: u64, limits: &ReadLimits) -> Result<Vec<u8>, ReadError> {
        let object = &self.objects[number as usize];
        limits.admit_file(object.size_bytes)?;
        self.store.read(object).map_err(ReadError::Unreadable)
    }

    /// Reads objects by their numbers, several at a time, and hands each over as it arrives.
    pub fn stream(&self, numbers: &[u64], limits: &ReadLimits, into: &mut dyn TakesEntries) {
        let (orders, taken) = sync_channel::<(usize, MemoryPermit)>(REQUESTS);
        let taken = Mutex::new(taken);
        let (done, arrived) = channel();
        std::thread::scope(|scope| {
            for _ in 0..REQUESTS.min(numbers.len()) {
                let (done, taken) = (done.clone(), &taken);
                scope.spawn(move || {
                    loop {
                        let order = taken.lock().unwrap_or_else(|lock| lock.into_inner()).recv();
                        let Ok((at, held)) = order else { break };
                        let bytes = self.read(numbers[at], limits).map(|bytes| (bytes, held));
                        if done.send((at, bytes)).is_err() {
                            break;
                        }
                    }
                });
            }
            drop(done);
            let mut under_way = 0;
            let mut next = 0;
            let orders = orders;
            while next < numbers.len() || under_way > 0 {
                while next < numbers.len() && under_way < REQUESTS {
                    let size_bytes = self.objects[numbers[next] as usize].size_bytes;
                    // Memory that requests under way hold comes free only when they are handed over.
                    let held = match under_way {
                        0 => match into.room(size_bytes) {
                            Some(held) => held,
                            None => return,
                        },
                        _ => match limits.memory.try_file(size_bytes) {
                            Some(held) => held,
                            None => break,
                        },
                    };
                    if orders.send((next, held)).is_err() {
                        return;
                    }
                    (next, under_way) = (next + 1, under_way + 1);
                }
                let Ok((at, bytes)) = arrived.recv() else { return };
                under_way -= 1;
                if !into.take(at, bytes) {
                    return;
                }
            }
        });
    }
}

/// What tells that an object is unchanged. The third number is made of its ETag, and never that of a time near today: so
/// an object is never too fresh to be remembered.
fn stamp(object: &ObjectFacts) -> Stamp {
    let digest = blake3::hash(object.etag.as_bytes());
    let number = digest.as_bytes()[..8].iter().fold(0i64, |number, &b| number << 8 | i64::from(b));
    Stamp {
        size_bytes: object.size_bytes,
        modified_ns: object.modified_ns,
        changed_ns: if object.etag.is_empty() { -1 } else { number | i64::MIN },
    }
}

/// Why a key is no path below the prefix; none where it is one.
fn why_no_path(name: &str) -> Option<&'static str> {
    let has = |part: &dyn Fn(&str) -> bool| name.split('/').any(part);
    if has(&|part| part == "." || part == "..") {
        return Some("its key has a part . or ..");
    }
    if has(&|part| part.is_empty()) {
        return Some("its key has an empty part (//)");
    }
    name.contains('\0').then_some("its key contains a NUL character")
}
