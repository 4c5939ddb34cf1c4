//! The thumbnails of the images of a search, from the catalog.

use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::measuring::Thumbnail;
use sieve_core::store::Store;

use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::progress::TerminalProgress;

/// The same, unless vectors take their place.
pub fn unless(
    has_vectors: bool,
    config: &CollectionConfig,
    measured: &(Catalog, Option<Store>),
    found: &DuplicateReport<'_>,
    progress: &TerminalProgress,
) -> Result<Vec<Option<Thumbnail>>, Failure> {
    if has_vectors { Ok(Vec::new()) } else { of_search(config, measured, found, progress) }
}

/// The thumbnails of all images of `found`, in their order; none for a file that cannot be read any more.
pub fn of_search(
    config: &CollectionConfig,
    (catalog, store): &(Catalog, Option<Store>),
    found: &DuplicateReport<'_>,
    progress: &TerminalProgress,
) -> Result<Vec<Option<Thumbnail>>, Failure> {
    let wanted: Vec<usize> = found.images.iter().map(|image| image.index).collect();
    Ok(catalog.thumbnails(&wanted, store.as_ref(), &config.read_limits(), progress)?)
}
