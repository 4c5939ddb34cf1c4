//! Steps on colours: what each pixel becomes, whatever lies around it.

use super::canvas::Canvas;

/// What is done to the colour of each pixel. Results are held within 0 to 255.
#[derive(Clone, Debug, PartialEq)]
pub enum Colour {
    /// `value * slope + offset`, each of red, green and blue by itself.
    Line {
        /// What each value is multiplied by.
        slope: f32,
        /// What is added then, in levels.
        offset: f32,
    },
    /// Red, green and blue are the rows of this times red, green and blue.
    Mix([[f32; 3]; 3]),
    /// A value for each sixteenth of a level from 0 to 255, with straight lines between them.
    Curve(Vec<f32>),
    /// A value for each level that begins at a whole number: what has steps, and no slope.
    Steps(Vec<f32>),
}

/// Entries of a curve to a level.
const FINE: usize = 16;

impl Colour {
    /// A curve through what `value` makes of each sixteenth of a level.
    pub fn curve(value: impl Fn(f64) -> f64) -> Self {
        let entries = (0..=255 * FINE).map(|at| value(at as f64 / FINE as f64) as f32);
        Colour::Curve(entries.collect())
    }

    /// What `value` makes of the nearest whole level.
    pub fn steps(value: impl Fn(f64) -> f64) -> Self {
        Colour::Steps((0..=255).map(|level| value(f64::from(level)) as f32).collect())
    }

    /// Carries it out on values of some pixels, three a pixel.
    fn apply(&self, data: &mut [f32]) {
        match self {
            Colour::Line { slope, offset } => {
                for value in data {
                    *value = (*value * slope + offset).clamp(0.0, 255.0);
                }
            }
            Colour::Mix(rows) => {
                for pixel in data.as_chunks_mut::<3>().0 {
                    let [r, g, b] = *pixel;
                    *pixel = rows.map(|[x, y, z]| (x * r + y * g + z * b).clamp(0.0, 255.0));
                }
            }
            Colour::Curve(entries) => {
                for value in data {
                    let at = *value * FINE as f32;
                    let below = (at as usize).min(255 * FINE - 1);
                    let part = at - below as f32;
                    let mixed = entries[below] + (entries[below + 1] - entries[below]) * part;
                    *value = mixed.clamp(0.0, 255.0);
                }
            }
            Colour::Steps(entries) => {
                for value in data {
                    *value = entries[usize::from((*value + 0.5) as u8)].clamp(0.0, 255.0);
                }
            }
        }
    }
}

/// Carries out `colours` in their order. Row by row, so that a row stays at hand from one to the next.
pub(super) fn apply(canvas: &mut Canvas, colours: &[Colour]) {
    if colours.is_empty() {
        return;
    }
    for row in canvas.data.chunks_mut(canvas.width_px.max(1) * 3) {
        colours.iter().for_each(|colour| colour.apply(row));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn coloured(colours: &[Colour]) -> Vec<f32> {
        let mut canvas = Canvas { width_px: 1, height_px: 1, data: vec![0.0, 100.0, 200.0] };
        apply(&mut canvas, colours);
        canvas.data
    }

    #[test]
    fn the_order_counts_and_values_stay_in_range_without_rounding() {
        let brighter = || Colour::Line { slope: 1.5, offset: 0.0 };
        let flatter = || Colour::Line { slope: 0.5, offset: 63.75 };
        assert_eq!(coloured(&[]), [0.0, 100.0, 200.0]);
        assert_eq!(coloured(&[brighter()]), [0.0, 150.0, 255.0]);
        assert_eq!(coloured(&[brighter(), flatter()]), [63.75, 138.75, 191.25]); // 300 was held at 255
        assert_eq!(coloured(&[flatter(), brighter()]), [95.625, 170.625, 245.625]);
        let turned = [[0.0, 1.0, 0.0], [0.0, 0.0, 1.0], [1.0, 0.0, 0.0]];
        assert_eq!(coloured(&[Colour::Mix(turned)]), [100.0, 200.0, 0.0]);
        let root = coloured(&[Colour::curve(|value| 255.0 * (value / 255.0).sqrt())]);
        assert!((root[1] - 159.687).abs() < 0.01 && root[0] == 0.0, "{root:?}");
        assert_eq!(coloured(&[Colour::steps(|level| 255.0 - level)]), [255.0, 155.0, 55.0]);
    }
}
