//! DIFFERENCE: where two images that are the same but for something differ.

use crate::measuring::grid_of;
use crate::reading::Pixels;
use crate::statistics::upper_median;

/// Rows and columns of the grid that is compared: a mark of a twentieth of a side covers a cell, and a cell of a small
/// image is still larger than what JPEG loses.
const SIDE: usize = 20;
/// Levels of 255 by which the mean of a cell changes when an image is saved again. As JPEG of quality 40 it was at most 12 on
/// images of the demo of 192 x 144 pixels; the test `saving_again_is_no_difference` looks at such.
const LEAST_LEVELS: f32 = 16.0;
/// How many times the median of all cells a cell must differ by: what differs everywhere is not a place.
const TIMES: f32 = 5.0;
/// The part of all cells beyond which images are not laid over each other: one is turned, cut or another image.
const MOST: f64 = 0.25;
/// Places that are reported.
const PLACES: usize = 3;
/// Times that the light of one image is fitted to the other without the cells that differ.
const FITS: usize = 3;

/// A part of an image, in shares of its sides from its upper left corner, 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Place {
    /// The left edge.
    pub left: f32,
    /// The top edge.
    pub top: f32,
    /// The right edge.
    pub right: f32,
    /// The bottom edge.
    pub bottom: f32,
}

/// The places where `other` differs from `picture`, the one that differs most first; none where they do not, or where they
/// differ nearly everywhere. Both may have any sides; their light may differ. It is for images of which one lies on the other
/// as it is: of what is turned, cut or framed it tells of places that mean nothing.
///
/// # Panics
///
/// When an image has no pixels.
pub fn places(picture: &Pixels, other: &Pixels) -> Vec<Place> {
    let differences = differences(&grid_of(picture, SIDE), &grid_of(other, SIDE));
    let usual = upper_median(&mut differences.clone()).expect("a grid has cells");
    let limit = LEAST_LEVELS.max(TIMES * usual);
    let is_other: Vec<bool> = differences.iter().map(|difference| *difference > limit).collect();
    if is_other.iter().filter(|cell| **cell).count() as f64 > MOST * differences.len() as f64 {
        return Vec::new();
    }
    let mut parts = parts(&is_other);
    let sum = |part: &Vec<usize>| part.iter().map(|&cell| differences[cell]).sum::<f32>();
    parts.sort_by(|a, b| sum(b).total_cmp(&sum(a)));
    parts.iter().take(PLACES).map(|part| around(part)).collect()
}

/// By how many levels each cell differs, in the channel in which it does most, once the other image is in the light of
/// the first.
fn differences(picture: &[Vec<f32>; 3], other: &[Vec<f32>; 3]) -> Vec<f32> {
    let mut worst = vec![0.0f32; SIDE * SIDE];
    for (to, from) in picture.iter().zip(other) {
        let (mut gain, mut offset) = fitted(to, from, &vec![true; to.len()]);
        let off = |gain: f32, offset: f32| -> Vec<f32> {
            to.iter().zip(from).map(|(to, from)| (to - gain * from - offset).abs()).collect()
        };
        for _ in 0..FITS {
            let usual = upper_median(&mut off(gain, offset)).expect("a grid has cells");
            let limit = 2.0 * usual;
            let used: Vec<bool> = off(gain, offset).iter().map(|off| *off <= limit).collect();
            (gain, offset) = fitted(to, from, &used);
        }
        worst.iter_mut().zip(off(gain, offset)).for_each(|(worst, off)| *worst = worst.max(off));
    }
    worst
}

/// The gain and offset that bring `from` nearest to `to` over the used cells, by least squares; the gain stays between a
/// half and two, so that a flat image is not taken for any other.
fn fitted(to: &[f32], from: &[f32], used: &[bool]) -> (f32, f32) {
    let cells = || to.iter().zip(from).zip(used).filter(|(_, used)| **used).map(|(cell, _)| cell);
    let count = cells().count().max(1) as f32;
    let (mean_to, mean_from) = (
        cells().map(|(to, _)| to).sum::<f32>() / count,
        cells().map(|(_, from)| from).sum::<f32>() / count,
    );
    let covariance: f32 =
        cells().map(|(to, from)| (to - mean_to) * (from - mean_from)).sum::<f32>();
    let variance: f32 = cells().map(|(_, from)| (from - mean_from).powi(2)).sum::<f32>();
    let gain = if variance > 0.0 { (covariance / variance).clamp(0.5, 2.0) } else { 1.0 };
    (gain, mean_to - gain * mean_from)
}

/// Cells that touch each other, at corners too.
fn parts(is_in: &[bool]) -> Vec<Vec<usize>> {
    let mut left = is_in.to_vec();
    let mut parts = Vec::new();
    for first in 0..left.len() {
        if !std::mem::take(&mut left[first]) {
            continue;
        }
        let mut part = vec![first];
        let mut next = 0;
        while let Some(&cell) = part.get(next) {
            next += 1;
            let (x, y) = (cell % SIDE, cell / SIDE);
            for row in y.saturating_sub(1)..=(y + 1).min(SIDE - 1) {
                for column in x.saturating_sub(1)..=(x + 1).min(SIDE - 1) {
                    if std::mem::take(&mut left[row * SIDE + column]) {
                        part.push(row * SIDE + column);
                    }
                }
            }
        }
        parts.push(part);
    }
    parts
}

/// What lies around these cells.
fn around(part: &[usize]) -> Place {
    let ends = |number: fn(usize) -> usize| {
        let numbers = part.iter().map(|&cell| number(cell));
        let (least, most) =
            numbers.fold((SIDE, 0), |(least, most), one| (least.min(one), most.max(one)));
        (least as f32 / SIDE as f32, (most + 1) as f32 / SIDE as f32)
    };
    let ((left, right), (top, bottom)) = (ends(|cell| cell % SIDE), ends(|cell| cell / SIDE));
    Place { left, top, right, bottom }
}

#[cfg(test)]
mod tests {
    use herb_shed::encode::{self, Jpeg};
    use herb_shed::paint::{Herb, Leaf, Material, Shot, Subject, Tray};
    use proptest::prelude::*;
    use rand::SeedableRng;
    use rand_chacha::ChaCha8Rng;

    use super::*;
    use crate::reading::{ReadLimits, decode};

    /// An image of the shed, as the demo paints it.
    fn painted(seed: u32) -> Pixels {
        let rng = &mut ChaCha8Rng::seed_from_u64(u64::from(seed));
        let leaf = Leaf::of([Herb::Sage, Herb::Nettle, Herb::Bay][seed as usize % 3], rng);
        let tray =
            Tray::of([Material::Wood, Material::Steel, Material::Linen][seed as usize % 3], rng);
        let picture = Shot::of(Subject::Leaf(leaf), tray, (192, 144), rng).take();
        Pixels { width_px: 192, height_px: 144, data: picture.data }
    }

    fn saved(pixels: &Pixels, quality: f32) -> Pixels {
        let picture = herb_shed::paint::Picture {
            width: pixels.width_px as usize,
            height: pixels.height_px as usize,
            data: pixels.data.clone(),
        };
        let bytes = encode::jpeg(&picture, quality, Jpeg::Baseline, None);
        decode(&bytes, &ReadLimits::default()).unwrap().pixels
    }

    #[test]
    fn saving_again_is_no_difference() {
        for seed in 0..6 {
            let picture = painted(seed);
            for quality in [40.0, 60.0, 85.0] {
                assert_eq!(places(&picture, &saved(&picture, quality)), []);
            }
            let small = crate::augment::averaged(&picture, 2);
            assert_eq!(places(&picture, &small), []);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn a_patch_is_found_where_it_was_put_whatever_the_light(
            seed in 0u32..6,
            x in 0.05f32..0.7,
            y in 0.05f32..0.7,
            side in 0.1f32..0.25,
            gain in 0.8f32..1.0,
        ) {
            let picture = painted(seed);
            let (width, height) = (picture.width_px as f32, picture.height_px as f32);
            let mut other = picture.clone();
            other.data.iter_mut().for_each(|value| *value = (f32::from(*value) * gain) as u8);
            for row in (y * height) as usize..((y + side) * height) as usize {
                for column in (x * width) as usize..((x + side) * width) as usize {
                    let at = (row * picture.width_px as usize + column) * 3;
                    other.data[at..at + 3].copy_from_slice(&[250, 20, 240]);
                }
            }
            let found = places(&picture, &other);
            prop_assert!(!found.is_empty());
            let near = |a: f32, b: f32| (a - b).abs() <= 1.6 / SIDE as f32;
            let Place { left, top, right, bottom } = found[0];
            prop_assert!(near(left, x) && near(top, y), "{found:?}");
            prop_assert!(near(right, x + side) && near(bottom, y + side), "{found:?}");
        }
    }
}
