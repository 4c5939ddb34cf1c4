//! Buckets, and the objects in them.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One object of a bucket, as a listing describes it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ObjectFacts {
    /// Its whole key. It need not be a path.
    pub key: String,
    /// Bytes.
    pub size_bytes: u64,
    /// Time of its last change, in nanoseconds since 1970.
    pub modified_ns: i64,
    /// What the store calls this content; empty where it says nothing.
    pub etag: String,
}

/// The objects of one bucket. Errors are the end of a sentence.
pub trait ObjectStore: fmt::Debug + Send + Sync {
    /// Hands over every object whose key begins with `prefix`, in any order, until `take` returns false.
    ///
    /// # Errors
    ///
    /// When the bucket cannot be listed to its end.
    fn list(&self, prefix: &str, take: &mut dyn FnMut(ObjectFacts) -> bool) -> Result<(), String>;

    /// The bytes of an object, which must still be the one that was listed.
    ///
    /// # Errors
    ///
    /// When it is gone, was changed, or cannot be read whole.
    fn read(&self, object: &ObjectFacts) -> Result<Vec<u8>, String>;

    /// A file that holds the bytes of an object, for archives: these are read at many places. It may be kept from an
    /// earlier run.
    ///
    /// # Errors
    ///
    /// As [`ObjectStore::read`], and when there is no room for it.
    fn local_copy(&self, object: &ObjectFacts) -> Result<PathBuf, String>;
}

/// Opens buckets by address.
pub trait ObjectStores: fmt::Debug + Send + Sync {
    /// The bucket of `address`, and the prefix in it.
    ///
    /// # Errors
    ///
    /// When the address is none, or nothing can be reached with what is known about the caller.
    fn open(&self, address: &str) -> Result<(Arc<dyn ObjectStore>, String), String>;
}

/// How the address of a bucket begins.
pub const SCHEME: &str = "s3://";

/// Whether a path is the address of a bucket.
pub fn is_bucket(path: &Path) -> bool {
    path.as_os_str().as_encoded_bytes().starts_with(SCHEME.as_bytes())
}
