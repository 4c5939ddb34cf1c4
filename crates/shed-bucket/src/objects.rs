//! The objects of the bucket.

use std::collections::BTreeMap;
use std::sync::Arc;

/// An object: its bytes, and what a store says of them.
#[derive(Clone, Debug)]
pub struct Object {
    /// Its content.
    pub bytes: Arc<[u8]>,
    /// The name of this content, in quotation marks.
    pub etag: String,
    /// Seconds since 1970.
    pub modified_s: i64,
}

/// The objects by key, in the order of listings.
pub(crate) type Objects = BTreeMap<String, Object>;

impl Object {
    /// An object of these bytes, changed now.
    pub fn new(bytes: Vec<u8>) -> Self {
        let etag = format!("\"{}\"", &blake3::hash(&bytes).to_hex()[..32]);
        Object { bytes: bytes.into(), etag, modified_s: jiff::Timestamp::now().as_second() }
    }

    /// Its last change as listings write it (ISO 8601).
    pub(crate) fn modified(&self) -> String {
        let time = jiff::Timestamp::from_second(self.modified_s).unwrap_or_default();
        time.strftime("%Y-%m-%dT%H:%M:%S.000Z").to_string()
    }

    /// Its last change as headers write it (RFC 9110).
    pub(crate) fn modified_http(&self) -> String {
        let time = jiff::Timestamp::from_second(self.modified_s).unwrap_or_default();
        time.strftime("%a, %d %b %Y %H:%M:%S GMT").to_string()
    }
}
