//! Listings that were made once and are kept in a file, for the machines that each measure a part of a bucket.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::store::{ObjectFacts, ObjectStore, ObjectStores};
use crate::io_reason;

/// The columns of a listing. Keys stand in it as they are: nothing but this program is to read it.
const COLUMNS: [&str; 4] = ["key", "size_bytes", "modified_ns", "etag"];

/// Writes what a bucket holds below a prefix; how many objects.
///
/// # Errors
///
/// When the bucket cannot be listed or the file not written.
pub fn write_listing(store: &dyn ObjectStore, prefix: &str, into: impl Write) -> io::Result<u64> {
    let mut table = csv::Writer::from_writer(into);
    table.write_record(COLUMNS)?;
    let mut objects = 0;
    let mut failed = None;
    let listed = store.list(prefix, &mut |object| {
        let numbers = [object.size_bytes.to_string(), object.modified_ns.to_string()];
        let row = [&object.key, &numbers[0], &numbers[1], &object.etag];
        failed = table.write_record(row).err();
        objects += 1;
        failed.is_none()
    });
    if let Some(error) = failed {
        return Err(error.into());
    }
    listed.map_err(|why| io::Error::other(format!("the bucket cannot be listed: {why}")))?;
    table.flush()?;
    Ok(objects)
}

/// Stores whose buckets are listed by a file.
#[derive(Debug)]
pub struct ListedStores {
    /// How they are reached.
    pub stores: Arc<dyn ObjectStores>,
    /// The listing.
    pub listing: PathBuf,
}

impl ObjectStores for ListedStores {
    fn open(&self, address: &str) -> Result<(Arc<dyn ObjectStore>, String), String> {
        let (store, prefix) = self.stores.open(address)?;
        let wrong =
            |why: String| format!("the listing {} cannot be used: {why}", self.listing.display());
        let objects = read(&self.listing).map_err(wrong)?;
        if !objects.iter().any(|object| object.key.starts_with(&prefix)) {
            return Err(wrong(format!("it names no key that begins with {prefix:?}")));
        }
        Ok((Arc::new(ListedStore { store, objects }), prefix))
    }
}

/// A bucket that is listed by a file.
#[derive(Debug)]
struct ListedStore {
    store: Arc<dyn ObjectStore>,
    objects: Vec<ObjectFacts>,
}

impl ObjectStore for ListedStore {
    fn list(&self, prefix: &str, take: &mut dyn FnMut(ObjectFacts) -> bool) -> Result<(), String> {
        let mut below = self.objects.iter().filter(|object| object.key.starts_with(prefix));
        below.all(|object| take(object.clone()));
        Ok(())
    }

    fn read(&self, object: &ObjectFacts) -> Result<Vec<u8>, String> {
        self.store.read(object)
    }

    fn local_copy(&self, object: &ObjectFacts) -> Result<PathBuf, String> {
        self.store.local_copy(object)
    }
}

fn read(file: &Path) -> Result<Vec<ObjectFacts>, String> {
    let opened = File::open(file).map_err(|error| io_reason(&error))?;
    let mut table = csv::ReaderBuilder::new().buffer_capacity(1 << 20).from_reader(opened);
    if table.headers().map_err(|error| error.to_string())? != COLUMNS.as_slice() {
        return Err(format!("expected the columns {}", COLUMNS.join(",")));
    }
    let object = |(number, row): (usize, Result<csv::StringRecord, csv::Error>)| {
        let row = row.map_err(|error| error.to_string())?;
        let wrong = || format!("row {} has a wrong number", number + 1);
        Ok(ObjectFacts {
            key: row[0].to_owned(),
            size_bytes: row[1].parse().map_err(|_| wrong())?,
            modified_ns: row[2].parse().map_err(|_| wrong())?,
            etag: row[3].to_owned(),
        })
    };
    table.records().enumerate().map(object).collect()
}
