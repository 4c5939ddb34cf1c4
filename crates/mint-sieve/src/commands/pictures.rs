//! The pixels of the pictures on a sheet.

use sieve_core::Error;
use sieve_core::collection::Located;
use sieve_core::duplicates::Side;
use sieve_core::progress::Watch;
use sieve_core::reading;

use crate::failure::Failure;
use crate::present::sheet::{self, TileRow};
use crate::progress::Progress;

/// Reads the pictures of `rows` that have no pixels yet. One that cannot be read any more keeps none.
pub fn fill(
    mut rows: Vec<TileRow>,
    sides: &[Side<'_>],
    progress: &Progress,
) -> Result<Vec<TileRow>, Failure> {
    let wanted = |tile: &&mut sheet::Labelled| tile.pixels.is_none();
    let count = rows.iter_mut().flat_map(|row| row.tiles.iter_mut()).filter(wanted).count();
    progress.begin("painting the sheet", Some(count as u64));
    for (number, side) in sides.iter().enumerate() {
        let tiles = rows.iter_mut().flat_map(|row| row.tiles.iter_mut()).filter(wanted);
        let mut here: Vec<&mut sheet::Labelled> =
            tiles.filter(|tile| tile.record.is_some_and(|(side, _)| side == number)).collect();
        let located: Vec<Located<'_>> = here
            .iter()
            .filter_map(|tile| Some(side.catalog.records[tile.record?.1].located()))
            .collect();
        let fitted = side
            .catalog
            .collection
            .visit(&located, side.limits, progress, |_, bytes| {
                progress.advance(1);
                let picture = reading::decode(&bytes.ok()?.bytes, side.limits).ok()?;
                Some(sheet::fitted(&picture.pixels))
            })
            .map_err(|error: Error| Failure::from(error))?;
        for (tile, pixels) in here.iter_mut().zip(fitted) {
            tile.pixels = pixels;
        }
    }
    progress.end();
    Ok(rows)
}
