//! REPLAY: proves that one image was made from another, by making it again.
//!
//! If a program made a copy, the copy can be made again: the original is turned, resized, cropped or framed, its light is
//! changed, and it is encoded as the copy's file is. If the result is the copy within what rounding explains, then it is
//! one, whatever other images a collection holds. If not, nothing is known: the program may have used another filter,
//! or saved more than once.
//!
//! 1. [`geometry`]: how the original lies on the copy; an exact place is looked for where pixels were kept.
//! 2. [`kernel`]: the common ways to resize.
//! 3. [`tone`]: one gain and one offset for all channels.
//! 4. [`quantised`] for JPEGs, [`samples`] for all else: whether the prediction explains the file.
//!
//! Palettes are compared as samples: mapping each colour to the nearest one of a palette would explain a recoloured
//! drawing as well as a quantised one.

mod coarse;
mod geometry;
mod kernel;
mod quantised;
mod samples;
#[cfg(test)]
mod tests;
mod tone;
mod turn;

use std::cmp::Reverse;
use std::ops::Range;

use coarse::{Coarse, Light};
use geometry::Geometry;
use kernel::{KERNELS, resized};
use quantised::{explains_coefficients, explains_luma};
use samples::{are_near, edges, explains_samples};
use tone::Tone;
use turn::Turn;

use crate::affine::Affine;
use crate::reading::{Format, JpegCoefficients, Pixels, ReadLimits, decode, jpeg_coefficients};

/// Pixels above which an image is not replayed: several versions of it are in memory at once.
const MOST_PX: u64 = 16 << 20;
/// Rows of the band by which a kernel is chosen: two of the blocks of a JPEG.
const BAND_ROWS: u32 = 16;

/// An image of which others may have been made, and that may have been made of others.
pub struct Replayable {
    /// Upright; transparent pixels are laid on white.
    pixels: Pixels,
    coarse: Coarse,
    /// What the file stores, where it is a JPEG.
    stored: Option<JpegCoefficients>,
    /// Whether what the file stores can be compared with a prediction.
    is_comparable: bool,
}

impl Replayable {
    /// Decodes a file. None where it gives no image, or more pixels than can be replayed.
    pub fn decode(bytes: &[u8], limits: &ReadLimits) -> Option<Self> {
        let image = decode(bytes, limits).ok()?;
        let facts = &image.facts;
        if u64::from(facts.width_px) * u64::from(facts.height_px) > MOST_PX {
            return None;
        }
        let is_jpeg = facts.format == Format::Jpeg;
        // Blocks of a file that is turned by its metadata lie otherwise than its upright pixels.
        let is_upright = facts.orientation <= 1;
        let stored = (is_jpeg && is_upright).then(|| jpeg_coefficients(bytes, limits)).flatten();
        let is_comparable = stored.is_some() || !is_jpeg;
        let coarse = Coarse::new(&image.pixels);
        Some(Replayable { pixels: image.pixels, coarse, stored, is_comparable })
    }

    fn size(&self) -> [u32; 2] {
        [self.pixels.width_px, self.pixels.height_px]
    }

    /// Whether what the file stores is `predicted`, within what rounding explains.
    fn is_explained_by(&self, predicted: &Pixels) -> bool {
        match &self.stored {
            Some(stored) => explains_coefficients(predicted, stored),
            None => explains_samples(predicted, &self.pixels),
        }
    }

    /// The rows that show most, from a multiple of [`BAND_ROWS`] on.
    fn band(&self) -> Range<u32> {
        let [columns, rows] = self.size();
        let mut counts = vec![0u32; rows.div_ceil(BAND_ROWS) as usize];
        for at in edges(&self.pixels) {
            counts[at / columns as usize / BAND_ROWS as usize] += 1;
        }
        let most = (0u32..).zip(&counts).max_by_key(|(at, count)| (**count, Reverse(*at)));
        let start = most.map_or(0, |(at, _)| at * BAND_ROWS);
        start..(start + BAND_ROWS).min(rows)
    }

    /// Whether `predicted` may be the rows `shown` of the file, which begin at `first`: a necessary part of
    /// [`Replayable::is_explained_by`].
    fn has_band(&self, predicted: &Pixels, shown: &Pixels, first: u32) -> bool {
        match &self.stored {
            Some(stored) => explains_luma(predicted, stored, first),
            None => are_near(predicted, shown),
        }
    }
}

/// Whether one of two images was made from the other; `map` brings the first to the second, both the square from -0.5 to
/// 0.5. The smaller one is taken for the copy first.
pub fn is_replayed(first: &Replayable, second: &Replayable, map: &Affine) -> bool {
    let Some(back) = map.inverse() else { return false };
    let area = |image: &Replayable| image.size().map(u64::from).iter().product::<u64>();
    let forward = || is_copy_of(second, first, map);
    let backward = || is_copy_of(first, second, &back);
    // A JPEG is seldom made into a lossless file, and never without a trace.
    let is_second_copy =
        (area(second), first.stored.is_some()) <= (area(first), second.stored.is_some());
    let [likelier, other]: [&dyn Fn() -> bool; 2] =
        if is_second_copy { [&forward, &backward] } else { [&backward, &forward] };
    likelier() || other()
}

/// Whether `copy` can be made again from `original`, which `map` brings onto it.
pub fn is_copy_of(copy: &Replayable, original: &Replayable, map: &Affine) -> bool {
    let Some(geometry) = Geometry::new(map, original.size(), copy.size()) else { return false };
    geometry.turns(&original.coarse, &copy.coarse).into_iter().any(|turn| {
        let light = original.coarse.light(turn, &copy.coarse).filter(|_| geometry.is_whole);
        if light.is_none() && !geometry.keeps_pixels {
            return false;
        }
        let turned = turn.applied(&original.pixels);
        let is_size_kept =
            (turned.width_px, turned.height_px) == (copy.pixels.width_px, copy.pixels.height_px);
        // The same pixels, in whatever file: turned by its metadata, or without loss. As they stand they say nothing of which
        // was first, and are known anyway.
        if is_size_kept && turn != Turn::default() && explains_samples(&turned, &copy.pixels) {
            return true;
        }
        if !copy.is_comparable {
            return false;
        }
        if is_size_kept {
            return light.is_some_and(|light| is_explained(&turned, copy, light));
        }
        let is_placed = || {
            let placed = geometry.placed(&turned, &copy.pixels);
            placed.is_some_and(|placed| is_explained(&placed, copy, Light::Other))
        };
        light.is_some_and(|light| is_resized(&turned, copy, light))
            || geometry.keeps_pixels && is_placed()
    })
}

/// Whether `copy` is `original` at another size.
fn is_resized(original: &Pixels, copy: &Replayable, light: Light) -> bool {
    let size = copy.size();
    let band = copy.band();
    let shown = rows(&copy.pixels, band.clone());
    KERNELS.iter().any(|kernel| {
        let part = resized(original, size, kernel, band.clone());
        let tones = match light {
            Light::Same => Vec::new(),
            Light::Other => Tone::usual(&part, &shown),
        };
        std::iter::once(None).chain(tones.into_iter().map(Some)).any(|tone| {
            let lit = |pixels: Pixels| match tone {
                Some(tone) => tone.applied(&pixels),
                None => pixels,
            };
            copy.has_band(&lit(part.clone()), &shown, band.start)
                && copy.is_explained_by(&lit(resized(original, size, kernel, 0..size[1])))
        })
    })
}

/// Whether `copy` is `predicted`, or that in another light.
fn is_explained(predicted: &Pixels, copy: &Replayable, light: Light) -> bool {
    if copy.is_explained_by(predicted) {
        return true;
    }
    let tones = match light {
        Light::Same => Vec::new(),
        Light::Other => Tone::usual(predicted, &copy.pixels),
    };
    tones.into_iter().any(|tone| copy.is_explained_by(&tone.applied(predicted)))
}

/// Some rows of an image.
fn rows(pixels: &Pixels, rows: Range<u32>) -> Pixels {
    let line = pixels.width_px as usize * 3;
    let data = pixels.data[rows.start as usize * line..rows.end as usize * line].to_vec();
    Pixels { width_px: pixels.width_px, height_px: rows.end - rows.start, data }
}
