//! Roots in object storage: a prefix is read like a folder, an archive like one on this machine.

use std::sync::Arc;

use super::Root;
use super::bucket_source::BucketSource;
use super::open::Opening;
use super::source::Source;
use crate::Error;

impl Opening<'_> {
    /// Adds the objects below the prefix of an address, or the archive that lies there.
    pub(super) fn add_bucket(&mut self, root: &Root) -> Result<(), Error> {
        let broken = |reason: String| Error::RootUnreadable { path: root.path.clone(), reason };
        let no_buckets = "this build reads no object storage; build with --features bucket";
        let stores = self.request.buckets.as_ref().ok_or_else(|| broken(no_buckets.to_owned()))?;
        let address = root.path.to_str().ok_or_else(|| broken("it is not UTF-8".to_owned()))?;
        let (store, prefix) = stores.open(address).map_err(broken)?;
        let (source, listing) =
            BucketSource::list(Arc::clone(&store), &prefix, &root.path, self.progress)?;
        if source.is_empty() {
            let mut archive = None;
            let found = store.list(&prefix, &mut |object| {
                archive = (object.key == prefix).then_some(object);
                archive.is_none()
            });
            found.map_err(broken)?;
            let Some(archive) = archive else {
                return Err(Error::RootMissing { path: root.path.clone() });
            };
            let path = store.local_copy(&archive).map_err(broken)?;
            return self.add_file(&Root { path, ..root.clone() });
        }
        self.add_listing(root, listing, Source::Bucket(source))
    }
}
