//! The thumbnails of a page, made from the files.

use sieve_core::catalog::Catalog;
use sieve_core::progress::Progress;
use sieve_core::reading;

use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::web::{ImageRegistry, thumbnail};
use crate::progress::TerminalProgress;

/// Makes the thumbnails of the album from the files.
pub fn take(
    config: &CollectionConfig,
    catalog: &Catalog,
    album: &mut ImageRegistry,
    progress: &TerminalProgress,
) -> Result<(), Failure> {
    let (wanted, side_px, limits) = (album.wanted(), album.side_px(), config.read_limits());
    let located: Vec<_> = wanted
        .iter()
        .map(|&number| catalog.records[album.records[number as usize]].located())
        .collect();
    progress.begin("making thumbnails", Some(located.len() as u64));
    let thumbnails = catalog.collection.visit(&located, &limits, progress, |at, bytes| {
        progress.advance(1);
        // What is broken is not shown as if it were whole.
        catalog.records[album.records[wanted[at] as usize]].image()?;
        let image = reading::decode_reduced(&bytes.ok()?.bytes, &limits, 2 * side_px).ok()?;
        Some(thumbnail(&image.pixels, side_px))
    })?;
    progress.end();
    album.take(thumbnails);
    Ok(())
}
