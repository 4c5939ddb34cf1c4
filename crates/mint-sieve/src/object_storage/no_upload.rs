//! What stands for uploads in a build that makes none.

use std::path::Path;

use sieve_core::progress::Progress;

use super::Access;

/// Nothing: there is no upload in this build.
#[derive(Debug)]
pub enum Upload {}

impl Upload {
    /// Refuses.
    ///
    /// # Errors
    ///
    /// Always.
    pub fn begin(_address: &str, _access: &Access) -> Result<Self, String> {
        Err("this build writes to no object storage; build with --features bucket".to_owned())
    }

    /// Is never called.
    pub fn send(&self, _folder: &Path, _progress: &dyn Progress) -> Result<(), String> {
        match *self {}
    }
}
