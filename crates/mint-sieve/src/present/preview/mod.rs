//! The answer of `preview`.

mod json;
mod text;

pub use json::json;
pub use text::text;

use sieve_core::augment::{GeometryCost, Policy, ToneCost};
use sieve_core::collection::Collection;

use super::sheet::{Sheet, Tile};
use crate::args::PreviewArgs;
use crate::config::CollectionConfig;

/// Everything that the answer tells of.
pub struct Preview<'a> {
    /// What was typed.
    pub args: &'a PreviewArgs,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// The name of the policy.
    pub policy_name: &'a str,
    /// The policy.
    pub policy: &'a Policy,
    /// The split whose pictures are shown, where the collection has splits.
    pub split: Option<&'a str>,
    /// Classes that there are to choose from.
    pub classes: usize,
    /// Chosen files that are no readable pictures, and were passed over.
    pub passed_over: u64,
    /// What was painted.
    pub sheet: &'a Sheet,
    /// The collection.
    pub collection: &'a Collection,
    /// What the geometry of the policy does to images of the sizes on the sheet.
    pub geometry: &'a GeometryCost,
}

/// Mean and greatest share outside of the picture.
struct Outside {
    mean: f64,
    most: f64,
}

impl Preview<'_> {
    /// The frames without augmentation.
    fn plain(&self) -> impl Iterator<Item = &Tile> {
        self.sheet.rows.iter().filter_map(|row| row.tiles.first())
    }

    /// The frames that were drawn.
    fn drawn(&self) -> impl Iterator<Item = &Tile> {
        self.sheet.rows.iter().flat_map(|row| row.tiles.iter().skip(1))
    }
}

fn outside<'a>(tiles: impl Iterator<Item = &'a Tile>) -> Outside {
    let shares: Vec<f64> = tiles.map(|tile| tile.warped.outside_share).collect();
    Outside {
        mean: shares.iter().sum::<f64>() / shares.len().max(1) as f64,
        most: shares.iter().copied().fold(0.0, f64::max),
    }
}

/// What tones do on the sheet.
struct Tones {
    /// Share of values that are newly 0 or 255: in the mean of the draws, and at most.
    clipped: f64,
    most_clipped: f64,
    /// By how many levels the mean of an image moves, whichever way, in the mean of the draws.
    shift: f64,
}

impl Preview<'_> {
    fn tones(&self) -> Tones {
        let costs: Vec<ToneCost> = self.drawn().map(|tile| tile.warped.tone).collect();
        let count = costs.len().max(1) as f64;
        Tones {
            clipped: costs.iter().map(|cost| cost.newly_clipped).sum::<f64>() / count,
            most_clipped: costs.iter().map(|cost| cost.newly_clipped).fold(0.0, f64::max),
            shift: costs.iter().map(|cost| cost.shift_levels.abs()).sum::<f64>() / count,
        }
    }
}
