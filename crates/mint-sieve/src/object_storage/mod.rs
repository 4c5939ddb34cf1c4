//! OBJECT STORAGE: buckets of S3-compatible stores, behind the feature `bucket`.

#[cfg(feature = "bucket")]
mod address;
#[cfg(feature = "bucket")]
mod bucket;
#[cfg(feature = "bucket")]
mod connection;
#[cfg(feature = "bucket")]
mod credentials;
#[cfg(feature = "bucket")]
mod listing;
#[cfg(feature = "bucket")]
mod local_copy;
#[cfg(not(feature = "bucket"))]
mod no_upload;
#[cfg(feature = "bucket")]
mod parallel;
#[cfg(feature = "bucket")]
mod read_into;
#[cfg(feature = "bucket")]
mod retry;
#[cfg(feature = "bucket")]
mod upload;

#[cfg(not(feature = "bucket"))]
pub use no_upload::Upload;
#[cfg(feature = "bucket")]
pub use upload::Upload;

use std::sync::Arc;

use sieve_core::objects::ObjectStores;

/// How stores are reached.
#[derive(Clone, Debug, Default)]
pub struct Access {
    /// The address of the store's server; that of AWS where there is none.
    pub endpoint: Option<String>,
    /// The region that requests are signed for; the environment's where there is none.
    pub region: Option<String>,
    /// Requests are not signed.
    pub anonymous: bool,
    /// Credentials are taken from the metadata address of the machine.
    pub instance_credentials: bool,
}

/// The stores that are reached so; none in a build without the feature.
pub fn stores(access: &Access) -> Option<Arc<dyn ObjectStores>> {
    #[cfg(feature = "bucket")]
    return Some(Arc::new(bucket::Stores { access: access.clone() }));
    #[cfg(not(feature = "bucket"))]
    {
        let _ = access;
        None
    }
}
