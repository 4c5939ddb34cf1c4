//! Images row by row, for what need not hold them whole.

use super::Pixels;
use super::ground::Ground;

/// The rows that are about to come. An image that was decoded at an eighth of its size has a last
/// column that may stand for less than eight of its pixels: the extents say how much of the grid
/// of columns and rows the image covers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Shape {
    /// Pixels in each row that comes.
    pub columns: u32,
    /// Rows that come.
    pub rows: u32,
    /// Width of the image in columns, above `columns - 1` and at most `columns`.
    pub width: f64,
    /// Height of the image in rows, above `rows - 1` and at most `rows`.
    pub height: f64,
}

/// Takes the rows of one image as they are decoded: stored orientation, top to bottom, 8-bit RGB,
/// transparency laid on white.
pub trait Rows {
    /// An image begins. May come again when a first attempt to decode it failed.
    fn begin(&mut self, shape: Shape);
    /// The next row: `columns` x 3 values.
    fn row(&mut self, rgb: &[u8]);
}

/// What is wanted of an image beside its facts.
pub(super) struct DecodeRequest<'a> {
    /// How its pixels are handed on.
    pub output: Output<'a>,
    /// What transparent pixels are laid on.
    pub ground: Ground,
}

/// How pixels are handed on.
pub(super) enum Output<'a> {
    /// All of them, at full size.
    Pixels,
    /// Row by row. The image may be decoded smaller, as long as both sides keep this many pixels.
    Rows { least_side_px: u32, rows: &'a mut dyn Rows },
}

impl Shape {
    /// An image of which every pixel comes.
    pub(crate) fn full(columns: u32, rows: u32) -> Self {
        Shape { columns, rows, width: f64::from(columns), height: f64::from(rows) }
    }
}

impl DecodeRequest<'_> {
    /// Hands on an image that was decoded whole; gives it back where it is wanted so.
    pub fn take(&mut self, pixels: Pixels) -> Pixels {
        match &mut self.output {
            Output::Pixels => pixels,
            Output::Rows { rows, .. } => {
                rows.begin(Shape::full(pixels.width_px, pixels.height_px));
                let row_bytes = (pixels.width_px as usize * 3).max(1);
                pixels.data.chunks_exact(row_bytes).for_each(|row| rows.row(row));
                Pixels::default()
            }
        }
    }
}
