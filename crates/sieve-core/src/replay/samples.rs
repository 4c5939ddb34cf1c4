//! Whether a prediction explains a file without loss.

use crate::reading::Pixels;

/// Levels by which a value may differ: the two passes of a resize and a change of light are rounded by half a level
/// each, and the first error may be amplified by a kernel with negative lobes.
const ROUNDING: u8 = 2;
/// Levels between neighbours from which they tell one image from another, far beyond rounding.
const EDGE: u16 = 24;
/// Edges that a prediction has at least: an unrelated image does not agree in that many places by chance,
/// even if every second one does.
const LEAST_EDGES: usize = 64;

/// Whether `shown`, of the same size, is `predicted` within rounding, and there is enough in it to tell.
pub fn explains_samples(predicted: &Pixels, shown: &Pixels) -> bool {
    are_near(predicted, shown) && edges(predicted).nth(LEAST_EDGES - 1).is_some()
}

/// Whether two images of one size differ by no more than rounding.
pub fn are_near(predicted: &Pixels, shown: &Pixels) -> bool {
    let is_near = |(a, b): (&u8, &u8)| a.abs_diff(*b) <= ROUNDING;
    predicted.data.len() == shown.data.len() && predicted.data.iter().zip(&shown.data).all(is_near)
}

/// The places, row-major, that differ from the pixel to the right or below by an edge.
pub fn edges(pixels: &Pixels) -> impl Iterator<Item = usize> {
    let columns = pixels.width_px as usize;
    let data = &pixels.data;
    let apart = move |at: usize, other: usize| -> u16 {
        let (here, there) = (&data[at * 3..at * 3 + 3], &data[other * 3..other * 3 + 3]);
        here.iter().zip(there).map(|(a, b)| u16::from(a.abs_diff(*b))).sum()
    };
    let count = columns * pixels.height_px as usize;
    let is_edge = move |&at: &usize| {
        let has_right = !(at + 1).is_multiple_of(columns);
        has_right && apart(at, at + 1) >= EDGE
            || at + columns < count && apart(at, at + columns) >= EDGE
    };
    (0..count).filter(is_edge)
}
