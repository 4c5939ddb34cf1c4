//! The pixels of the images on a sheet.

use sieve_core::Error;
use sieve_core::collection::Located;
use sieve_core::duplicates::CollectionRef;
use sieve_core::progress::Progress;
use sieve_core::reading;

use crate::failure::Failure;
use crate::present::sheet::{self, TileRow};
use crate::progress::TerminalProgress;

/// Reads the images of `rows` that have no pixels yet. One that cannot be read any more keeps none.
pub fn fill(
    mut rows: Vec<TileRow>,
    collections: &[CollectionRef<'_>],
    progress: &TerminalProgress,
) -> Result<Vec<TileRow>, Failure> {
    let wanted = |tile: &&mut sheet::Labelled| tile.pixels.is_none();
    let count = rows.iter_mut().flat_map(|row| row.tiles.iter_mut()).filter(wanted).count();
    progress.begin("painting the sheet", Some(count as u64));
    for (number, collection) in collections.iter().enumerate() {
        let tiles = rows.iter_mut().flat_map(|row| row.tiles.iter_mut()).filter(wanted);
        let mut here: Vec<&mut sheet::Labelled> = tiles
            .filter(|tile| tile.record.is_some_and(|(collection, _)| collection == number))
            .collect();
        let located: Vec<Located<'_>> = here
            .iter()
            .filter_map(|tile| Some(collection.catalog.records[tile.record?.1].located()))
            .collect();
        let fitted = collection
            .catalog
            .collection
            .visit(&located, collection.limits, progress, |_, bytes| {
                progress.advance(1);
                let image = reading::decode(&bytes.ok()?.bytes, collection.limits).ok()?;
                Some(sheet::fitted(&image.pixels))
            })
            .map_err(|error: Error| Failure::from(error))?;
        for (tile, pixels) in here.iter_mut().zip(fitted) {
            tile.pixels = pixels;
        }
    }
    sheet::outline(&mut rows);
    progress.end();
    Ok(rows)
}
