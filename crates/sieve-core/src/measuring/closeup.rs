//! The content of an image, larger than its thumbnail shows it: read from its file only when two images
//! seem to be the same.

use super::grid::Averager;
use super::thumbnail::LUMA;
use crate::reading::{self, ReadError, ReadLimits};
use crate::rect::Region;

/// Rows and columns of a close-up.
pub const CLOSEUP_PX: usize = 96;
/// Rows and columns of the grid that a whole image is averaged into at most: what is less than a quarter of a
/// side is seen less closely.
const MOST_PX: usize = 4 * CLOSEUP_PX;
/// What is shown around the content, as a share of the image's side: half a cell of a thumbnail.
const MARGIN: f32 = 0.01;

/// A part of an image, squeezed to a square whatever its sides.
#[derive(Clone, Debug, PartialEq)]
pub struct Closeup {
    /// The part of the image that it shows.
    pub region: Region,
    /// 96 x 96 values of red, green and blue each, row-major, 0 to 255.
    pub rgb: [Vec<u8>; 3],
    /// The same number of values of luma.
    pub luma: Vec<u8>,
    /// The pixels that the longer side of the part has, at most 96: there is no finer detail.
    pub finest_px: usize,
}

impl Closeup {
    /// Of what `content` of the image that the file holds shows, and a little around it.
    ///
    /// # Errors
    ///
    /// Why the file gives no image.
    pub fn decode(bytes: &[u8], limits: &ReadLimits, content: Region) -> Result<Self, ReadError> {
        let wanted = content.grown(MARGIN);
        let longer = wanted.width().max(wanted.height()).max(f32::MIN_POSITIVE);
        let side = ((CLOSEUP_PX as f32 / longer).ceil() as usize).min(MOST_PX);
        let mut averager = Averager::new(side);
        let facts = reading::decode_rows(bytes, limits, side as u32, &mut averager)?.facts;
        let (grid, _) = averager.finish().expect("a picture that was read gave its rows");
        let grid = grid.upright(facts.orientation);
        let (width, height) = (facts.width_px as f32, facts.height_px as f32);
        let pixels = (width * wanted.width()).max(height * wanted.height());
        let rgb = grid.0.map(|plane| {
            part(&plane, side, &wanted).into_iter().map(|value| (value + 0.5) as u8).collect()
        });
        let luma = luma_of(&rgb);
        Ok(Closeup { region: wanted, rgb, luma, finest_px: (pixels as usize).min(CLOSEUP_PX) })
    }
}

fn luma_of([red, green, blue]: &[Vec<u8>; 3]) -> Vec<u8> {
    let pixels = red.iter().zip(green).zip(blue);
    let luma = pixels.map(|((&red, &green), &blue)| {
        f32::from(red) * LUMA[0] + f32::from(green) * LUMA[1] + f32::from(blue) * LUMA[2]
    });
    luma.map(|luma| (luma + 0.5) as u8).collect()
}

/// The part of a plane of `side` x `side` cells in [`CLOSEUP_PX`] rows and columns: between four cells their
/// weighted mean.
fn part(plane: &[f32], side: usize, region: &Region) -> Vec<f32> {
    if side == CLOSEUP_PX && *region == Region::WHOLE {
        return plane.to_vec();
    }
    let places = |from: f32, extent: f32| -> Vec<(usize, usize, f32)> {
        let place = |at: usize| {
            let share = from + 0.5 + extent * (at as f32 + 0.5) / CLOSEUP_PX as f32;
            let cell = (share * side as f32 - 0.5).clamp(0.0, (side - 1) as f32);
            let first = cell as usize;
            (first, (first + 1).min(side - 1), cell - first as f32)
        };
        (0..CLOSEUP_PX).map(place).collect()
    };
    let columns = places(region.left, region.width());
    let mut into = Vec::with_capacity(CLOSEUP_PX * CLOSEUP_PX);
    for (above, below, down) in places(region.top, region.height()) {
        let (above, below) = (&plane[above * side..][..side], &plane[below * side..][..side]);
        into.extend(columns.iter().map(|&(left, right, across)| {
            let (a, b) = (
                above[left] + (above[right] - above[left]) * across,
                below[left] + (below[right] - below[left]) * across,
            );
            a + (b - a) * down
        }));
    }
    into
}
