//! Writing to the store while images are read, on a thread of its own.

use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, sync_channel};
use std::time::{Duration, Instant};

use rusqlite::{Connection, TransactionBehavior};

use super::Store;
use super::row::{self, Key, Row};
use crate::files::{RelPath, Stamp};
use crate::measuring::{Digest, Thumbnail};
use crate::reading::ReadLimits;
use crate::record::Outcome;

/// Rows that are committed together at most: what a kill loses.
const BATCH_ROWS: usize = 500;
/// Time after which rows are committed, however few.
const BATCH_TIME: Duration = Duration::from_millis(200);
/// Rows that may wait to be written.
const QUEUE_ROWS: usize = 256;

pub(super) const PUT_THUMBNAIL: &str = "INSERT OR REPLACE INTO thumbnails VALUES (?, ?, ?)";

/// One file that was read.
struct CacheRow {
    key: Key,
    row: Row,
    thumbnail: Option<(Digest, Thumbnail)>,
}

/// Takes what is worth keeping, from many threads.
pub(crate) struct CacheWriter<'a> {
    queue: Option<SyncSender<CacheRow>>,
    limits: &'a ReadLimits,
}

impl CacheWriter<'_> {
    /// Remembers what reading a file gave, if the file is still what it was then.
    pub fn keep(
        &self,
        path: &RelPath,
        stamp: Option<Stamp>,
        outcome: &Outcome,
        thumbnail: Option<Thumbnail>,
    ) {
        let (Some(queue), Some(stamp)) = (&self.queue, stamp) else { return };
        if let Some(row) = Row::new(path, stamp, outcome, self.limits) {
            // Nobody listens any more once writing has failed.
            let digest = match outcome {
                Outcome::Image(measured) => Some(measured.digest),
                Outcome::SetAside(_) => None,
            };
            let _ =
                queue.send(CacheRow { key: Key::new(path), row, thumbnail: digest.zip(thumbnail) });
        }
    }
}

/// Runs `work`, which reads under `limits`, with a keeper for `store`, forgets the files that are `gone` when it succeeds, and
/// returns its result with the reason why not all could be kept, if there is one.
pub(crate) fn keep<T, E>(
    store: Option<&mut Store>,
    gone: &[Key],
    limits: &ReadLimits,
    work: impl FnOnce(&CacheWriter<'_>) -> Result<T, E>,
) -> (Result<T, E>, Option<String>) {
    let Some(store) = store else {
        return (work(&CacheWriter { queue: None, limits }), None);
    };
    let connection = &mut store.connection;
    std::thread::scope(|scope| {
        let (sender, receiver) = sync_channel(QUEUE_ROWS);
        let writer = scope.spawn(move || {
            let written = write_all(connection, &receiver);
            // After a failure senders must not wait for a queue that nobody empties.
            drop(receiver);
            (written, connection)
        });
        let result = work(&CacheWriter { queue: Some(sender), limits });
        let Ok((written, connection)) = writer.join() else {
            return (result, Some("the writer stopped".to_owned()));
        };
        let written = written.and_then(|()| match result {
            Ok(_) => forget(connection, gone),
            Err(_) => Ok(()),
        });
        (result, written.err().map(|error| error.to_string()))
    })
}

fn write_all(connection: &mut Connection, queue: &Receiver<CacheRow>) -> rusqlite::Result<()> {
    let put_image = row::put();
    // Waits for the first row outside of a transaction, which would keep other runs waiting.
    while let Ok(first) = queue.recv() {
        let mut batch = vec![first];
        let until = Instant::now() + BATCH_TIME;
        while batch.len() < BATCH_ROWS {
            match queue.recv_timeout(until.saturating_duration_since(Instant::now())) {
                Ok(kept) => batch.push(kept),
                Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected) => break,
            }
        }
        let change = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
        {
            let mut put_row = change.prepare_cached(&put_image)?;
            let mut put_thumbnail = change.prepare_cached(PUT_THUMBNAIL)?;
            for kept in &batch {
                kept.row.write(&mut put_row)?;
                if let Some((digest, thumbnail)) = &kept.thumbnail {
                    put_thumbnail.execute((&kept.key, digest.0, &thumbnail.0))?;
                }
            }
        }
        change.commit()?;
    }
    Ok(())
}

fn forget(connection: &mut Connection, gone: &[Key]) -> rusqlite::Result<()> {
    if gone.is_empty() {
        return Ok(());
    }
    let change = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
    for table in ["images", "thumbnails"] {
        let mut delete = change.prepare(&format!("DELETE FROM {table} WHERE path = ?"))?;
        for key in gone {
            delete.execute([key])?;
        }
    }
    change.commit()
}
