//! Where the catalog of a collection is kept between runs.

use std::path::{Path, PathBuf};

use etcetera::BaseStrategy;
use etcetera::base_strategy::Xdg;
use sieve_core::catalog_table::Part;
use sieve_core::collection::Root;
use sieve_core::measuring::Digest;
use sieve_core::objects::is_bucket;
use sieve_core::store::{Store, StoreError};

use crate::args::CatalogArgs;
use crate::config::CollectionConfig;
use crate::console::warn;
use crate::failure::Failure;

/// Opens the catalog. Where it cannot be used the work continues without; a file that was named must not be something
/// else, though.
pub fn open(config: &CollectionConfig, kept: &CatalogArgs) -> Result<Option<Store>, Failure> {
    open_for(config, kept, None)
}

/// The same for a part of the collection, which has a catalog of its own: the files of the others are not gone.
pub fn open_for(
    config: &CollectionConfig,
    kept: &CatalogArgs,
    part: Option<Part>,
) -> Result<Option<Store>, Failure> {
    if kept.no_catalog {
        return Ok(of_this_run());
    }
    if let Some(file) = &kept.catalog {
        config.refuse_inside(file)?;
        return match Store::open(file) {
            Ok((store, damaged)) => {
                damaged.iter().for_each(|file| tell_damaged(file));
                Ok(Some(store))
            }
            Err(error @ StoreError::Foreign { .. }) => Err(Failure::call(error.to_string())
                .hint("It was not changed. Choose another file for --catalog.")),
            // Locked by another run, on a full or a read-only disk: measuring needs no catalog.
            Err(error) => {
                warn(&format!(
                    "the catalog {} cannot be used: {error}; reading every file",
                    file.display()
                ));
                Ok(of_this_run())
            }
        };
    }
    let Some(file) = cache_file(config, part) else {
        tracing::debug!("no catalog: there is no cache folder, or it lies inside the collection");
        return Ok(of_this_run());
    };
    match Store::open(&file) {
        Ok((store, damaged)) => {
            damaged.iter().for_each(|file| tell_damaged(file));
            Ok(Some(store))
        }
        Err(error) => {
            warn(&format!(
                "measurements cannot be cached in {}: {error}; the next run will read every file again",
                file.parent().unwrap_or(&file).display()
            ));
            Ok(of_this_run())
        }
    }
}

/// Where it cannot be had either, thumbnails are made again when they are needed.
fn of_this_run() -> Option<Store> {
    let store = Store::of_this_run();
    store.inspect_err(|error| tracing::debug!(%error, "nothing is kept within the run")).ok()
}

/// Says that a damaged catalog was renamed.
pub fn tell_damaged(moved_to: &Path) {
    warn(&format!(
        "the catalog was damaged and has been moved to {}; reading every file",
        moved_to.display()
    ));
}

/// The file for a collection in the user's cache folder (XDG Base Directory Specification): its name
/// and a digest of where it lies. None when that would be inside of the collection.
fn cache_file(config: &CollectionConfig, part: Option<Part>) -> Option<PathBuf> {
    let folder = Xdg::new().ok()?.cache_dir().join("mint-sieve");
    // A bucket is the same wherever it is asked for, and another one of the same name may be at another endpoint.
    let place = |root: &Root| match is_bucket(&root.path) {
        true => Some(root.path.clone()),
        false => root.path.canonicalize().ok(),
    };
    let roots: Vec<PathBuf> = config.roots.iter().filter_map(place).collect();
    let name = roots.first()?.file_name().map(|name| name.to_string_lossy().into_owned());
    let safe = |c: char| if c.is_alphanumeric() || "-_.".contains(c) { c } else { '_' };
    let name: String = name.unwrap_or_default().chars().take(40).map(safe).collect();
    let mut key = Vec::new();
    for (root, path) in config.roots.iter().zip(&roots) {
        key.extend(root.split.as_deref().unwrap_or_default().as_bytes());
        key.push(0);
        key.extend(path.as_os_str().as_encoded_bytes());
        key.push(0);
    }
    if roots.iter().any(|root| is_bucket(root)) {
        key.extend(config.access.endpoint.as_deref().unwrap_or_default().as_bytes());
    }
    key.extend(part.map(|part| format!("part {part}")).unwrap_or_default().as_bytes());
    let digest = Digest::of_bytes(&key).to_string();
    let file = folder.join(format!("{name}-{}.sqlite", &digest[..16]));
    config.refuse_inside(&file).is_ok().then_some(file)
}
