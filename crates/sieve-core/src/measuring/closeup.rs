//! A picture larger than its thumbnail: read from its file only when that leaves a doubt.

use super::grid::Averager;
use super::thumbnail::luma_of;
use crate::reading::{self, ReadLimits, Trouble};

/// Rows and columns of a close-up.
pub const CLOSEUP_PX: usize = 96;

/// The luma of a picture squeezed to a square, whatever its sides.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Closeup {
    /// 96 x 96 values, row-major, 0 to 255.
    pub luma: Vec<u8>,
    /// The pixels that the longer side of the picture has, at most 96: there is no finer detail.
    pub finest_px: usize,
}

impl Closeup {
    /// Of the picture that the file holds.
    ///
    /// # Errors
    ///
    /// Why the file gives no picture.
    pub fn of(bytes: &[u8], limits: &ReadLimits) -> Result<Self, Trouble> {
        let mut averager = Averager::new(CLOSEUP_PX);
        let facts = reading::survey(bytes, limits, CLOSEUP_PX as u32, &mut averager)?.facts;
        let (grid, _) = averager.finish().expect("a picture that was read gave its rows");
        let luma = luma_of(&grid.upright(facts.orientation));
        let longer = facts.width_px.max(facts.height_px) as usize;
        // A conversion keeps to 0 and 255 by itself.
        let luma = luma.into_iter().map(|value| (value + 0.5) as u8).collect();
        Ok(Closeup { luma, finest_px: longer.min(CLOSEUP_PX) })
    }
}
