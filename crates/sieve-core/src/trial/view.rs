//! What of an image the learner sees.

use crate::learner::{CHANNELS, FRAME_VALUES, SIDE_PX};
use crate::measuring::LUMA;

/// What of an image the learner sees.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum View {
    /// All of it.
    #[default]
    Whole,
    /// All of it without colours.
    Grey,
    /// The mean colours of 4 x 4 cells.
    Colours,
    /// The border: an eighth of the image on each side, 44% of its area.
    Border,
    /// The middle half of its width and height, a quarter of its area.
    Centre,
}

/// Values of a channel.
const AREA: usize = SIDE_PX * SIDE_PX;
/// Rows and columns of a cell of [`View::Colours`].
const CELL_PX: usize = SIDE_PX / 4;
/// What stands for what is not seen: the middle of all levels.
const HIDDEN: f32 = 128.0;

impl View {
    /// All, the whole image first.
    pub const ALL: [View; 5] = [View::Whole, View::Grey, View::Colours, View::Border, View::Centre];

    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            View::Whole => "whole",
            View::Grey => "grey",
            View::Colours => "colours",
            View::Border => "border",
            View::Centre => "centre",
        }
    }

    /// Takes away what is not seen of a frame: red, then green, then blue, row by row, 0 to 255.
    pub(super) fn apply(self, frame: &mut [f32]) {
        debug_assert_eq!(frame.len(), FRAME_VALUES);
        let is_within = |at: usize, margin: usize| {
            let (row, column) = (at % AREA / SIDE_PX, at % SIDE_PX);
            let inner = margin..SIDE_PX - margin;
            inner.contains(&row) && inner.contains(&column)
        };
        match self {
            View::Whole => {}
            View::Grey => {
                for at in 0..AREA {
                    let luma = (0..CHANNELS).map(|c| LUMA[c] * frame[c * AREA + at]).sum();
                    (0..CHANNELS).for_each(|c| frame[c * AREA + at] = luma);
                }
            }
            View::Colours => {
                for channel in frame.chunks_exact_mut(AREA) {
                    for cell in 0..16 {
                        let (top, left) = (cell / 4 * CELL_PX, cell % 4 * CELL_PX);
                        let places =
                            |at: usize| (top + at / CELL_PX) * SIDE_PX + left + at % CELL_PX;
                        let all = 0..CELL_PX * CELL_PX;
                        let sum: f32 = all.clone().map(|at| channel[places(at)]).sum();
                        let mean = sum / (CELL_PX * CELL_PX) as f32;
                        all.for_each(|at| channel[places(at)] = mean);
                    }
                }
            }
            View::Border => {
                let hidden = (0..FRAME_VALUES).filter(|&at| is_within(at, SIDE_PX / 8));
                hidden.for_each(|at| frame[at] = HIDDEN);
            }
            View::Centre => {
                let hidden = (0..FRAME_VALUES).filter(|&at| !is_within(at, SIDE_PX / 4));
                hidden.for_each(|at| frame[at] = HIDDEN);
            }
        }
    }
}
