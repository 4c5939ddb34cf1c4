//! How sure it is that two images are copies of one, and what they are otherwise.
//!
//! What thumbnails say, what a close look sees, and how alike different images of the collection get are weighed
//! together. `scripts/fit-copies.py` fitted the weights, and says how and to what.

use super::blocks::Blocks;
use super::close_features::{CLOSE_FEATURES, CloseFeatures};
use super::weights::Weights;

/// Numbers that are weighed beside those of a close look.
const OTHERS: usize = 8;
/// All numbers that are weighed.
pub const WEIGHED: usize = OTHERS + CLOSE_FEATURES;
/// Sums that they are brought to: those of four fits.
const HIDDEN: usize = 48;

include!("copy_model_coefficients.rs");

/// The share of one colour above which an image is drawn on a uniform background, as far as anybody can tell:
/// most drawings and emoji have more, three photographs in four less.
const PLAIN: f32 = 0.2;
/// Log odds of thumbnails from which two drawings are of one design, whatever a close look finds to differ.
const ONE_DESIGN: f32 = 3.8;
/// The share of blocks that fit from which they are, whatever thumbnails say.
const ONE_DRAWING: f32 = 0.8;

/// Whether an image with this share of one colour is drawn on a uniform background.
pub fn is_plain(share: f32) -> bool {
    share >= PLAIN
}

/// All that is known of two images that seem to be the same.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CloseComparison {
    /// The log odds that thumbnails give.
    pub tentative: f32,
    /// In which ways one was changed: mirrored or turned by quarters, tilted, cropped or framed, squeezed.
    pub ways: [bool; 4],
    /// The larger share of one colour of the two images, 0 to 1.
    pub plain: f32,
    /// The lesser share of the contents that lies on the other image, 0 to 1.
    pub shared: f32,
    /// By how much they are more alike than different images of the collection get around them.
    pub excess: f32,
    /// What a close look sees.
    pub close: CloseFeatures,
    /// Whether one of them was made again from the other.
    pub is_replayed: bool,
}

impl CloseComparison {
    /// The numbers that are weighed.
    pub fn to_array(&self) -> [f32; WEIGHED] {
        let mut to_array = [0.0; WEIGHED];
        let ways = self.ways.map(|way| f32::from(u8::from(way)));
        to_array[0] = self.tentative;
        to_array[1..5].copy_from_slice(&ways);
        to_array[5..OTHERS].copy_from_slice(&[self.plain, self.shared, self.excess]);
        to_array[OTHERS..].copy_from_slice(&self.close.to_array());
        to_array
    }

    /// Log odds that they are copies of one, where as many pairs are copies as among those that were fitted.
    pub fn log_odds(&self) -> f32 {
        COPIES.log_odds(&self.to_array())
    }

    /// Whether one of them is drawn on a uniform background.
    pub fn is_plain(&self) -> bool {
        is_plain(self.plain)
    }

    /// Whether one is mirrored or turned by quarters.
    pub fn is_turned(&self) -> bool {
        self.ways[0]
    }

    /// Whether it is worth trying to make one of them again from the other: neither is tilted or squeezed against the other
    /// along a slope, and no block that shows something contradicts.
    pub fn is_worth_replaying(&self) -> bool {
        !self.ways[1] && self.close.shown.disagreeing <= 0.15
    }

    /// Whether two images that are no copies are drawings of one design.
    pub fn is_one_design(&self) -> bool {
        let Blocks { agreeing, clear, .. } = self.close.shown;
        self.is_plain() && clear > 0.0 && (self.tentative >= ONE_DESIGN || agreeing >= ONE_DRAWING)
    }
}
