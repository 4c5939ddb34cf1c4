//! Buckets as the core reads them.

use std::path::PathBuf;
use std::sync::Arc;

use sieve_core::objects::{ObjectFacts, ObjectStore, ObjectStores};

use super::Access;
use super::address::Address;
use super::connection::Connection;
use super::listing;
use super::local_copy::local_copy;
use super::read_into::read_into;
use super::retry::retried;

/// All stores that can be reached.
#[derive(Debug)]
pub struct Stores {
    pub access: Access,
}

impl ObjectStores for Stores {
    fn open(&self, address: &str) -> Result<(Arc<dyn ObjectStore>, String), String> {
        let Address { bucket, prefix } = Address::parse(address)?;
        let connection = Connection::new(&bucket, &self.access)?;
        Ok((Arc::new(Bucket { connection }), prefix))
    }
}

/// One bucket.
#[derive(Debug)]
pub struct Bucket {
    connection: Connection,
}

impl ObjectStore for Bucket {
    fn list(&self, prefix: &str, take: &mut dyn FnMut(ObjectFacts) -> bool) -> Result<(), String> {
        listing::list(&self.connection, prefix, take)
    }

    fn read(&self, object: &ObjectFacts) -> Result<Vec<u8>, String> {
        retried(|| {
            let mut bytes = Vec::new();
            read_into(&self.connection, object, &mut |part| {
                bytes.extend_from_slice(part);
                Ok(())
            })?;
            Ok(bytes)
        })
    }

    fn local_copy(&self, object: &ObjectFacts) -> Result<PathBuf, String> {
        local_copy(&self.connection, object)
    }
}
