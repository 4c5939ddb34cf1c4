//! An image that is painted on: flat colours, other images, text.

use ab_glyph::{Font, ScaleFont, point};
use sieve_core::augment::averaged;
use sieve_core::reading::Pixels;

use super::lettering::Lettering;

/// A colour: red, green, blue.
pub type Colour = [u8; 3];

/// An image that is painted on.
pub struct Canvas {
    pixels: Pixels,
}

impl Canvas {
    /// An empty canvas of one colour.
    pub fn new(width_px: u32, height_px: u32, colour: Colour) -> Self {
        let count = width_px as usize * height_px as usize;
        let data = colour.iter().copied().cycle().take(count * 3).collect();
        Canvas { pixels: Pixels { width_px, height_px, data } }
    }

    /// What was painted.
    pub fn into_pixels(self) -> Pixels {
        self.pixels
    }

    fn put(&mut self, x: i64, y: i64, colour: Colour, cover: f32) {
        let (width, height) = (i64::from(self.pixels.width_px), i64::from(self.pixels.height_px));
        if !(0..width).contains(&x) || !(0..height).contains(&y) {
            return;
        }
        let at = ((y * width + x) * 3) as usize;
        for (value, colour) in self.pixels.data[at..at + 3].iter_mut().zip(colour) {
            let mixed = f32::from(*value) + (f32::from(colour) - f32::from(*value)) * cover;
            *value = mixed.round() as u8;
        }
    }

    /// Fills a rectangle.
    pub fn fill(&mut self, x: u32, y: u32, width: u32, height: u32, colour: Colour) {
        for row in y..y + height {
            for column in x..x + width {
                self.put(i64::from(column), i64::from(row), colour, 1.0);
            }
        }
    }

    /// Draws the edge of a rectangle, inside of it.
    pub fn frame(
        &mut self,
        (x, y): (u32, u32),
        (width, height): (u32, u32),
        stroke: u32,
        colour: Colour,
    ) {
        let (across, down) = (stroke.min(width), stroke.min(height));
        self.fill(x, y, width, down, colour);
        self.fill(x, y + height - down, width, down, colour);
        self.fill(x, y, across, height, colour);
        self.fill(x + width - across, y, across, height, colour);
    }

    /// Lays an image down, averaged in blocks of `shrink` x `shrink`, then each pixel repeated
    /// `enlarge` times in both directions.
    pub fn lay(&mut self, image: &Pixels, x: u32, y: u32, shrink: u32, enlarge: u32) {
        let reduced = averaged(image, shrink);
        for row in 0..reduced.height_px {
            for column in 0..reduced.width_px {
                let (x, y) = (x + column * enlarge, y + row * enlarge);
                self.fill(x, y, enlarge, enlarge, reduced.at(column, row));
            }
        }
    }

    /// Writes a line of text whose top left corner is at (`x`, `y`).
    pub fn write(&mut self, text: &str, x: u32, y: u32, lettering: &Lettering, colour: Colour) {
        let font = lettering.font();
        let baseline = y as f32 + font.ascent();
        let mut pen = x as f32;
        let mut previous = None;
        for letter in text.chars() {
            let id = font.glyph_id(letter);
            pen += previous.map_or(0.0, |previous| font.kern(previous, id));
            let glyph = id.with_scale_and_position(font.scale(), point(pen, baseline));
            pen += font.h_advance(id);
            previous = Some(id);
            if let Some(outline) = font.font().outline_glyph(glyph) {
                let corner = outline.px_bounds().min;
                outline.draw(|dx, dy, cover| {
                    let (x, y) = (corner.x as i64 + i64::from(dx), corner.y as i64 + i64::from(dy));
                    self.put(x, y, colour, cover.min(1.0));
                });
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pictures_are_laid_down_reduced_or_enlarged() {
        let data = [10, 20, 30, 40, 50, 60].iter().flat_map(|&grey| [grey; 3]).collect();
        let image = Pixels { width_px: 3, height_px: 2, data };
        let laid = |shrink, enlarge| {
            let mut canvas = Canvas::new(5, 5, [0; 3]);
            canvas.lay(&image, 1, 1, shrink, enlarge);
            let pixels = canvas.into_pixels();
            let row = |y| (0..5).map(|x| pixels.at(x, y)[0]).collect::<Vec<u8>>();
            [0, 1, 2, 3, 4].map(row)
        };
        assert_eq!(laid(1, 1)[1..3], [[0, 10, 20, 30, 0], [0, 40, 50, 60, 0]]);
        // Two by two are averaged; at the right edge one by two.
        assert_eq!(laid(2, 1)[1..3], [[0, 30, 45, 0, 0], [0; 5]]);
        // What does not fit on the canvas is left away.
        assert_eq!(
            laid(1, 2)[1..4],
            [[0, 10, 10, 20, 20], [0, 10, 10, 20, 20], [0, 40, 40, 50, 50]]
        );
    }

    #[test]
    fn text_leaves_ink_where_it_is_written_and_nowhere_else() {
        let mut canvas = Canvas::new(60, 30, [255; 3]);
        canvas.write("sage ↔ 薄", 10, 8, &Lettering::plain(12.0), [0; 3]);
        let pixels = canvas.into_pixels();
        let ink = |x: u32, y: u32| pixels.at(x, y) != [255; 3];
        assert!((10..50).any(|x| (8..22).any(|y| ink(x, y))));
        let beside = |x: u32, y: u32| x < 9 || !(6..24).contains(&y);
        assert!((0..60).all(|x| (0..30).all(|y| !beside(x, y) || !ink(x, y))));
    }
}
