//! STORE: the catalog on disk, so that nothing is read twice.
//!
//! One SQLite file per collection, one row per file, keyed by its path below the root. A row is valid
//! while the file's [`Stamp`] is the one that it had when it was read. Rows are committed while
//! reading, so that a run that was ended goes on where it was.

mod columns;
mod row;
mod writer;

pub(crate) use row::Row;
use row::Stored;
pub(crate) use writer::{CacheWriter, keep};

use std::fs::{self, File};
use std::io::{ErrorKind, Read};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, SystemTime};

use rusqlite::{Connection, ErrorCode, TransactionBehavior};

use crate::collection::{ArchiveIndexCache, Entry, EntryKind};
use crate::files::{RelPath, Stamp};
use crate::io_reason;
use crate::measuring::{Digest, MEASURING_VERSION, Thumbnail};
use crate::reading::{self, Content, ReadLimits};
use crate::record::Outcome;
use crate::record::Record;

/// Marks our files among all SQLite files: "MntS".
const APPLICATION_ID: u32 = u32::from_be_bytes(*b"MntS");
/// The version of the tables. What is measured has a version of its own.
const TABLES_VERSION: u32 = 6;
/// Bytes of a page of the file.
const PAGE_BYTES: u32 = 32_768;
/// Answers that are kept of one collection: as it is, at a reach or two, and as it was before a change or two.
const ANSWERS: u32 = 6;
/// How long another run's commit is waited for.
const PATIENCE: Duration = Duration::from_secs(20);

/// The tables beside that of images.
const OTHER_TABLES: &str = "
CREATE TABLE listings (
  archive PRIMARY KEY NOT NULL,
  size_bytes INTEGER NOT NULL, modified_ns INTEGER NOT NULL, changed_ns INTEGER NOT NULL,
  entries BLOB NOT NULL
);
CREATE TABLE thumbnails (path PRIMARY KEY NOT NULL, digest BLOB NOT NULL, planes BLOB NOT NULL);
CREATE TABLE answers (number INTEGER PRIMARY KEY, key BLOB NOT NULL UNIQUE, digest BLOB NOT NULL, answer BLOB NOT NULL);
";

/// The catalog of one collection on disk.
#[derive(Debug)]
pub struct Store {
    connection: Connection,
    file: PathBuf,
}

/// Why there is no store.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The file is something else, and is left as it is.
    #[error("{} is not a catalog: it is {what}", .file.display())]
    Foreign {
        /// The file.
        file: PathBuf,
        /// What it is.
        what: String,
    },
    /// The file or its folder cannot be used.
    #[error("{reason}")]
    Unusable {
        /// What the system said.
        reason: String,
    },
}

impl Store {
    /// Opens the catalog in `file`, making it and the folders above it where they are not there.
    /// A catalog of another version is rebuilt. A damaged one is renamed and rebuilt, too;
    /// its new name is returned.
    ///
    /// # Errors
    ///
    /// When the file is something else, or it cannot be written.
    pub fn open(file: &Path) -> Result<(Self, Option<PathBuf>), StoreError> {
        let unusable = |error: std::io::Error| StoreError::Unusable { reason: io_reason(&error) };
        if let Some(folder) = file.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            fs::create_dir_all(folder).map_err(unusable)?;
        }
        let is_damaged = looks_damaged(file)?;
        let moved = if is_damaged { Some(set_aside(file).map_err(unusable)?) } else { None };
        match Store::connect_patiently(file) {
            Ok(store) => Ok((store, moved)),
            Err(error) if is_damage(&error) && moved.is_none() => {
                let moved = set_aside(file).map_err(unusable)?;
                let store = Store::connect_patiently(file).map_err(|error| unusable_by(&error))?;
                Ok((store, Some(moved)))
            }
            Err(error) => Err(unusable_by(&error)),
        }
    }

    /// A catalog for this run alone, so that no file is decoded twice in it. The system keeps it in memory and, beyond a
    /// few megabytes, in a file of its own that is gone with the run, however that ends.
    ///
    /// # Errors
    ///
    /// When the database cannot be begun.
    pub fn of_this_run() -> Result<Self, StoreError> {
        // A file without a name is a temporary one to SQLite.
        Store::connect(Path::new("")).map_err(|error| unusable_by(&error))
    }

    /// Several runs that make the same file at once: while one turns the write-ahead log on, the
    /// others are refused at once, whatever patience the database was told to have.
    fn connect_patiently(file: &Path) -> rusqlite::Result<Self> {
        let until = Instant::now() + PATIENCE;
        loop {
            match Store::connect(file) {
                Err(error) if is_busy(&error) && Instant::now() < until => {
                    std::thread::sleep(Duration::from_millis(20));
                }
                result => return result,
            }
        }
    }

    fn connect(file: &Path) -> rusqlite::Result<Self> {
        let mut connection = Connection::open(file)?;
        connection.busy_timeout(PATIENCE)?;
        // Waiting for the disk would cost more than it saves: a kill loses nothing either way, and
        // what a power cut tears is noticed, by the database or by the sums of the rows, and read
        // again.
        connection.pragma_update(None, "synchronous", "OFF")?;
        // A page holds eleven thumbnails and wastes little; of a new file only.
        connection.pragma_update(None, "page_size", PAGE_BYTES)?;
        // Before the write-ahead log is on, so that the mark is in the file itself.
        let marked: u32 = connection.query_row("PRAGMA application_id", [], |row| row.get(0))?;
        if marked != APPLICATION_ID {
            connection.pragma_update(None, "application_id", APPLICATION_ID)?;
        }
        connection.pragma_update(None, "journal_mode", "WAL")?;
        let version = TABLES_VERSION << 16 | MEASURING_VERSION;
        let change = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let found: u32 = change.query_row("PRAGMA user_version", [], |row| row.get(0))?;
        if found != version {
            change
                .execute_batch("DROP TABLE IF EXISTS images; DROP TABLE IF EXISTS listings; DROP TABLE IF EXISTS thumbnails; DROP TABLE IF EXISTS answers;")?;
            change.execute_batch(&row::table())?;
            change.execute_batch(OTHER_TABLES)?;
            change.pragma_update(None, "user_version", version)?;
        }
        change.commit()?;
        Ok(Store { connection, file: file.to_owned() })
    }

    /// Takes a file aside that turned out to be damaged while it was read, and starts a new one. The new
    /// name of the old file is returned.
    ///
    /// # Errors
    ///
    /// When that cannot be done either.
    fn restart(&mut self) -> Result<PathBuf, StoreError> {
        // Closes the file.
        self.connection = Connection::open_in_memory().map_err(|error| unusable_by(&error))?;
        let unusable = |error: std::io::Error| StoreError::Unusable { reason: io_reason(&error) };
        let moved = set_aside(&self.file).map_err(unusable)?;
        *self = Store::connect_patiently(&self.file).map_err(|error| unusable_by(&error))?;
        Ok(moved)
    }

    /// What is known of `entries`, which are sorted by path: for each the outcome of reading it, if
    /// it is still the file that was read and `limits` would still have it read that way.
    pub(crate) fn lookup(&mut self, entries: &[Entry], limits: &ReadLimits) -> CacheLookup {
        let mut hits = CacheLookup { outcomes: Vec::new(), gone: Vec::new(), set_aside: None };
        let Err(error) = self.fill(entries, limits, &mut hits) else {
            return hits;
        };
        tracing::debug!(%error, "the catalog cannot be read");
        hits.outcomes = entries.iter().map(|_| None).collect();
        hits.gone.clear();
        if is_damage(&error) {
            hits.set_aside = self.restart().ok();
        }
        hits
    }

    fn fill(
        &self,
        entries: &[Entry],
        limits: &ReadLimits,
        hits: &mut CacheLookup,
    ) -> rusqlite::Result<()> {
        hits.outcomes = entries.iter().map(|_| None).collect();
        let mut query = self.connection.prepare("SELECT * FROM images")?;
        let mut rows = query.query([])?;
        // Rows come in the order of their paths, so that the next entry is nearly always the one.
        let mut next = 0;
        while let Some(columns) = rows.next()? {
            let row = Stored(columns);
            let is_next = entries.get(next).is_some_and(|entry| row.is_about(&entry.path));
            let found = if is_next {
                Ok(next)
            } else {
                let path = row.path();
                entries.binary_search_by(|entry| entry.path.cmp(&path))
            };
            let Ok(index) = found else {
                hits.gone.push(row.key());
                continue;
            };
            next = index + 1;
            let is_same =
                matches!(entries[index].kind, EntryKind::File { stamp } if stamp == row.stamp());
            if is_same {
                hits.outcomes[index] =
                    row.outcome(limits).filter(|outcome| limits_allow(outcome, limits));
            }
        }
        Ok(())
    }
}

/// The columns of what was measured about an image: their names, and their types in SQL.
pub(crate) fn measured_columns() -> impl Iterator<Item = (&'static str, &'static str)> {
    columns::MEASURED.iter().map(|column| (column.name, column.sql))
}

impl Store {
    /// Puts what was read elsewhere into the catalog, all of it or nothing.
    pub(crate) fn put_all(
        &mut self,
        files: impl Iterator<Item = (RelPath, Row, Option<(Digest, Thumbnail)>)>,
    ) -> rusqlite::Result<()> {
        let change = self.connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
        {
            let mut put_row = change.prepare_cached(&row::put())?;
            let mut put_thumbnail = change.prepare_cached(writer::PUT_THUMBNAIL)?;
            for (path, row, thumbnail) in files {
                row.write(&mut put_row)?;
                if let Some((digest, Thumbnail(planes))) = thumbnail {
                    put_thumbnail.execute((row::Key::new(&path), digest.0, planes))?;
                }
            }
        }
        change.commit()
    }

    /// Moves what waits in the log into the file itself, and closes it: the file alone is the catalog then.
    ///
    /// # Errors
    ///
    /// When it cannot be written.
    pub fn close(self) -> Result<(), StoreError> {
        let closed = self.connection.pragma_update(None, "journal_mode", "DELETE");
        closed.map_err(|error| unusable_by(&error))?;
        self.connection.close().map_err(|(_, error)| unusable_by(&error))
    }
}

impl Store {
    /// The thumbnails of images, by path and digest; none where they are not known. That of an earlier content of the file is
    /// not taken: a file that changes while it is read is measured, but not kept.
    pub(crate) fn thumbnails(&self, images: &[(&RelPath, Digest)]) -> Vec<Option<Thumbnail>> {
        let mut thumbnails = vec![None; images.len()];
        if let Err(error) = self.fill_thumbnails(images, &mut thumbnails) {
            tracing::debug!(%error, "thumbnails cannot be read");
        }
        thumbnails
    }

    /// Gives files new stamps: those that changed without their content, as a hard link does that is made to one. What
    /// cannot be kept is not.
    pub fn restamp<'a>(
        &self,
        files: impl Iterator<Item = (&'a Record, Stamp)>,
        limits: &ReadLimits,
    ) {
        let kept = || -> rusqlite::Result<()> {
            let change = self.connection.unchecked_transaction()?;
            {
                let mut put = change.prepare(&row::put())?;
                for (record, stamp) in files {
                    if let Some(row) = row::Row::new(&record.path, stamp, &record.outcome, limits) {
                        row.write(&mut put)?;
                    }
                }
            }
            change.commit()
        };
        if let Err(error) = kept() {
            tracing::debug!(%error, "new stamps cannot be kept");
        }
    }

    /// The answer that is kept by `key`, as it was given.
    pub(crate) fn answer(&self, key: Digest) -> Option<Vec<u8>> {
        let query = "SELECT digest, answer FROM answers WHERE key = ?";
        let of_row = |row: &rusqlite::Row<'_>| Ok((row.get(0)?, row.get(1)?));
        let (digest, answer): (Vec<u8>, Vec<u8>) =
            self.connection.query_row(query, [key.0], of_row).ok()?;
        // What a power cut tore is no answer.
        (digest == Digest::of_bytes(&answer).0).then_some(answer)
    }

    /// Keeps an answer by `key`, and of those before it the last few. What cannot be kept is not.
    pub(crate) fn keep_answer(&self, key: Digest, answer: &[u8]) {
        let kept = || -> rusqlite::Result<()> {
            let change = self.connection.unchecked_transaction()?;
            change.execute("DELETE FROM answers WHERE key = ?", [key.0])?;
            let row = (key.0, Digest::of_bytes(answer).0, answer);
            change.execute("INSERT INTO answers (key, digest, answer) VALUES (?, ?, ?)", row)?;
            let old = "DELETE FROM answers WHERE number NOT IN \
                       (SELECT number FROM answers ORDER BY number DESC LIMIT ?)";
            change.execute(old, [ANSWERS])?;
            change.commit()
        };
        if let Err(error) = kept() {
            tracing::debug!(%error, "an answer cannot be kept");
        }
    }

    fn fill_thumbnails(
        &self,
        images: &[(&RelPath, Digest)],
        thumbnails: &mut [Option<Thumbnail>],
    ) -> rusqlite::Result<()> {
        let query = "SELECT planes FROM thumbnails WHERE path = ? AND digest = ?";
        let mut query = self.connection.prepare(query)?;
        for ((path, digest), thumbnail) in images.iter().zip(thumbnails) {
            let mut rows = query.query((row::Key::new(path), digest.0))?;
            let planes: Option<Vec<u8>> = rows.next()?.map(|row| row.get(0)).transpose()?;
            *thumbnail = planes.filter(|planes| planes.len() == Thumbnail::BYTES).map(Thumbnail);
        }
        Ok(())
    }
}

impl ArchiveIndexCache for Store {
    fn lookup(&self, file: &Path, stamp: Stamp) -> Option<Vec<u8>> {
        let query = "SELECT entries FROM listings WHERE archive = ? AND size_bytes = ? AND \
                     modified_ns = ? AND changed_ns = ?";
        let archive = file.canonicalize().ok()?;
        let Stamp { size_bytes, modified_ns, changed_ns } = stamp;
        let key = (archive.to_string_lossy(), size_bytes as i64, modified_ns, changed_ns);
        self.connection.query_row(query, key, |row| row.get(0)).ok()
    }

    fn keep(&self, file: &Path, stamp: Stamp, listing: &[u8]) {
        let Ok(archive) = file.canonicalize() else { return };
        if stamp.is_fresh(SystemTime::now()) {
            return;
        }
        let put = "INSERT OR REPLACE INTO listings VALUES (?, ?, ?, ?, ?)";
        let Stamp { size_bytes, modified_ns, changed_ns } = stamp;
        let size_bytes = size_bytes as i64;
        let row = (archive.to_string_lossy(), size_bytes, modified_ns, changed_ns, listing);
        if let Err(error) = self.connection.execute(put, row) {
            tracing::debug!(%error, "a listing cannot be kept");
        }
    }
}

/// What a store knows of a collection.
pub(crate) struct CacheLookup {
    /// One for each entry; none where it must be read.
    pub outcomes: Vec<Option<Outcome>>,
    /// Keys of files that are not there any more.
    pub gone: Vec<row::Key>,
    /// The new name of a damaged catalog.
    pub set_aside: Option<PathBuf>,
}

/// Whether an image that was measured is within the limits of today.
fn limits_allow(outcome: &Outcome, limits: &ReadLimits) -> bool {
    let Outcome::Image(measured) = outcome else { return true };
    let facts = &measured.facts;
    let bytes_a_pixel = facts.colour.channels() * u64::from(facts.bits).div_ceil(8);
    limits.allow(facts.width_px, facts.height_px, bytes_a_pixel)
}

/// Whether a file that should be a catalog is rubbish; `Err` when it is something else.
fn looks_damaged(file: &Path) -> Result<bool, StoreError> {
    let foreign = |what: &str| StoreError::Foreign { file: file.to_owned(), what: what.to_owned() };
    match fs::metadata(file) {
        Ok(facts) if facts.is_dir() => return Err(foreign("a folder")),
        Ok(facts) if !facts.is_file() => return Err(foreign("not a regular file")),
        _ => {}
    }
    let mut start = Vec::new();
    match File::open(file) {
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(false),
        Err(error) => return Err(StoreError::Unusable { reason: io_reason(&error) }),
        Ok(opened) => {
            let read = opened.take(4096).read_to_end(&mut start);
            read.map_err(|error| StoreError::Unusable { reason: io_reason(&error) })?;
        }
    }
    if start.is_empty() {
        return Ok(false);
    }
    if start.starts_with(b"SQLite format 3\0") {
        // The file format's application id, at byte 68.
        return match start.get(68..72) {
            None => Ok(true),
            Some(id) if id == APPLICATION_ID.to_be_bytes() => Ok(false),
            Some(_) => Err(foreign("a database of another program")),
        };
    }
    match reading::content(&start) {
        Content::Image(format) => Err(foreign(&format!("an image ({})", format.name()))),
        Content::OtherImage(name) => Err(foreign(&format!("an image ({name})"))),
        Content::Other(Some(what)) if what != "nothing but zero bytes" => Err(foreign(what)),
        Content::Other(_) => Ok(true),
    }
}

fn is_damage(error: &rusqlite::Error) -> bool {
    matches!(error.sqlite_error_code(), Some(ErrorCode::DatabaseCorrupt | ErrorCode::NotADatabase))
}

fn is_busy(error: &rusqlite::Error) -> bool {
    matches!(error.sqlite_error_code(), Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked))
}

fn unusable_by(error: &rusqlite::Error) -> StoreError {
    StoreError::Unusable { reason: error.to_string() }
}

/// Renames a damaged catalog. Its log goes with it: it belongs to that file alone.
fn set_aside(file: &Path) -> std::io::Result<PathBuf> {
    let named = |suffix: &str| {
        let mut name = file.as_os_str().to_owned();
        name.push(suffix);
        PathBuf::from(name)
    };
    let names = (1..).map(|n| if n == 1 { ".damaged".into() } else { format!(".damaged-{n}") });
    let mut names = names.map(|suffix: String| named(&suffix));
    let target = names.find(|name| !name.exists()).expect("names do not end");
    fs::rename(file, &target)?;
    for suffix in ["-wal", "-shm"] {
        let _ = fs::remove_file(named(suffix));
    }
    Ok(target)
}
