//! One gain and one offset for all channels: what exposure, brightness and contrast do.

use crate::reading::Pixels;

/// Levels between which a value was not clipped, however an encoder blurred it.
const OPEN: std::ops::RangeInclusive<u8> = 6..=249;
/// Values that are compared at least.
const LEAST: f64 = 64.0;
/// Pixels that are compared at most: of two numbers they tell more than enough.
const MOST: usize = 20_000;
/// Their variance at least, in square levels: two colours, or a slope, that a gain can be read from.
const LEAST_SPREAD: f64 = 25.0;
/// Levels between neighbours of a flat place.
const FLAT: u8 = 4;
/// Gains that a person sets.
const GAINS: std::ops::RangeInclusive<f64> = 0.3..=3.0;

/// `gain` times the level plus `offset`, clipped.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tone {
    gain: f64,
    offset: f64,
}

/// How far the pixels are that a flat place is compared with: chroma at half size spreads as far.
const NEAR: usize = 2;
/// Levels beyond which a value does not count, once a line is known and once it is known better.
const TRIMMED: [f64; 2] = [12.0, 4.0];
/// Levels by which a usual change may be off at most places that were measured.
const OFF: f64 = 3.0;

fn luma(pixel: &[u8]) -> f64 {
    0.299 * f64::from(pixel[0]) + 0.587 * f64::from(pixel[1]) + 0.114 * f64::from(pixel[2])
}

/// The luma of pixels before and after, of those that are not clipped after; see [`Lumas::new`].
struct Lumas(Vec<(f64, f64)>);

impl Lumas {
    /// Of flat places where there are enough, since an encoder changes edges and blurs their colours. Both images have one
    /// size.
    fn new(from: &Pixels, to: &Pixels) -> Self {
        let (columns, rows) = (from.width_px as usize, from.height_px as usize);
        let pixel = |at: usize| &from.data[at * 3..at * 3 + 3];
        let is_near =
            |here: &[u8], there: &[u8]| here.iter().zip(there).all(|(a, b)| a.abs_diff(*b) <= FLAT);
        let is_flat = |at: usize| {
            let (column, row) = (at % columns, at / columns);
            (NEAR..columns.saturating_sub(NEAR)).contains(&column)
                && (NEAR..rows.saturating_sub(NEAR)).contains(&row)
                && [at - NEAR, at + NEAR, at - NEAR * columns, at + NEAR * columns]
                    .into_iter()
                    .all(|other| is_near(pixel(at), pixel(other)))
        };
        let step = (columns * rows).div_ceil(MOST).max(1);
        let open = to.data.chunks_exact(3).enumerate().step_by(step);
        let open = open.filter(|(_, shown)| shown.iter().all(|level| OPEN.contains(level)));
        let (flat, others): (Vec<_>, Vec<_>) = open.partition(|(at, _)| is_flat(*at));
        let lumas = |places: Vec<(usize, &[u8])>| {
            places.into_iter().map(|(at, shown)| (luma(pixel(at)), luma(shown))).collect()
        };
        let flat = Lumas(lumas(flat));
        if flat.line().is_some() { flat } else { Lumas([flat.0, lumas(others)].concat()) }
    }

    /// The gain and offset that fit best, by least squares. None where there are too few values, or they are all about
    /// the same.
    fn line(&self) -> Option<Tone> {
        let count = self.0.len() as f64;
        let [mut x, mut y, mut xx, mut xy] = [0.0f64; 4];
        for (a, b) in &self.0 {
            x += a;
            y += b;
            xx += a * a;
            xy += a * b;
        }
        let spread = xx - x * x / count.max(1.0);
        if count < LEAST || spread < LEAST_SPREAD * count {
            return None;
        }
        let gain = (xy - x * y / count) / spread;
        Some(Tone { gain, offset: (y - gain * x) / count })
    }

    /// The gain that fits best without an offset.
    fn gain(&self) -> f64 {
        let (xy, xx) = self.0.iter().fold((0.0, 0.0), |(xy, xx), (a, b)| (xy + a * b, xx + a * a));
        if xx > 0.0 { xy / xx } else { 1.0 }
    }

    /// The values that `tone` explains up to this many levels.
    fn near(&self, tone: &Tone, levels: f64) -> Self {
        let near = self.0.iter().filter(|(a, b)| (tone.exact(*a) - b).abs() <= levels);
        Lumas(near.copied().collect())
    }
}

impl Tone {
    const NONE: Tone = Tone { gain: 1.0, offset: 0.0 };

    /// The changes of light that programs offer and that may have made `to` of `from`: brightness in whole percent, contrast
    /// in whole percent around the middle grey or around the mean, each rounded or cut to whole levels. Any other line
    /// would explain a drawing whose ink is another one as well. Both have one size.
    pub fn usual(from: &Pixels, to: &Pixels) -> Vec<Tone> {
        let mut lumas = Lumas::new(from, to);
        let Some(mut fit) = lumas.line() else { return Vec::new() };
        // What is far off is no place that an encoder left alone, and pulls at the line.
        for off in TRIMMED {
            lumas = lumas.near(&fit, off);
            let Some(line) = lumas.line() else { break };
            fit = line;
        }
        let count = (from.data.len() / 3).max(1) as f64;
        let mean = from.data.chunks_exact(3).map(luma).sum::<f64>() / count;
        let percent = |gain: f64| (gain * 100.0).round() / 100.0;
        let (brightness, contrast) = (percent(lumas.gain()), percent(fit.gain));
        let exact = [
            (brightness, 0.0),
            (contrast, (1.0 - contrast) * mean.round()),
            (contrast, (1.0 - contrast) * 128.0),
        ];
        let both = |(gain, offset)| [Tone { gain, offset: offset - 0.5 }, Tone { gain, offset }];
        let mut usual: Vec<Tone> = exact.into_iter().flat_map(both).collect();
        usual.retain(|tone| lumas.near(tone, OFF).0.len() * 2 > lumas.0.len());
        usual.retain(|tone| GAINS.contains(&tone.gain) && *tone != Tone::NONE);
        usual
    }

    fn exact(&self, level: f64) -> f64 {
        self.gain * level + self.offset
    }

    /// `pixels` in this light.
    pub fn applied(&self, pixels: &Pixels) -> Pixels {
        let table: [u8; 256] = std::array::from_fn(|level| self.level(level as u8));
        let data = pixels.data.iter().map(|&value| table[usize::from(value)]).collect();
        Pixels { data, ..*pixels }
    }

    fn level(&self, level: u8) -> u8 {
        (self.exact(f64::from(level)) + 0.5).clamp(0.0, 255.0) as u8
    }
}
