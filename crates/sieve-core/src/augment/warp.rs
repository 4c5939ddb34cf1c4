//! One resampling of an image through a projective map.

use super::canvas::Canvas;
use super::frame::{Frame, Sampling};
use super::policy::Fill;
use super::prepared::{LANE, Level, SourcePyramid, packed, unpacked};
use super::projective::Projective;
use crate::affine::Affine;

/// A frame filled from an image, before colours are changed.
#[derive(Clone, Debug, PartialEq)]
pub struct Warped {
    /// The frame.
    pub canvas: Canvas,
    /// Share of the frame's samples that lie outside of the image, 0 to 1. What a frame shows as its background is no
    /// image, but belongs to it.
    pub outside_share: f64,
}

/// Reduction that is left to the samples when an image is averaged in blocks first: with two samples or more in each
/// direction, each of which blends two blocks, the blocks do not show.
const LEFT_TO_SAMPLES: f64 = 2.0;
/// Samples of a pixel in each direction at most; only a map that flattens the image asks for more.
const MOST_SAMPLES: u32 = 64;

/// Fills a frame from `image`, whose points `to_frame` maps to points of the frame.
///
/// Each pixel of the frame is the mean of `n` x `m` samples spread evenly over it, where `n` and `m`
/// are the numbers of source pixels that one step right and one step down in the frame cross, to the nearest
/// whole number: 1 x 1 where the image is not reduced, which is the usual bilinear warp. A sample, which takes
/// blends two pixels in each direction, so that hardly anything falls between it and the next. It
/// is interpolated between the centres of the 2 x 2 or 4 x 4 pixels around it; pixels outside of
/// the image have the value that `fill` gives them. Values are not rounded.
///
/// An image that is reduced four times or more is averaged in blocks first, whose side is a power of two, so that a
/// reduction of two to four times is left: the same to the eye, and many times faster.
///
/// ```text
/// frame pixel, reduced 2.5 times      the image under it
///   +-----------+                       . o . o . o .
///   | x   x   x |    x samples          . . x . x . x
///   | x   x   x |    o pixel centres    . o . o . o .
///   | x   x   x |                       . . x . x . x
///   +-----------+
/// ```
///
/// # Panics
///
/// When the image or the frame has no pixels, or the map cannot be undone.
pub fn warp(image: &SourcePyramid, to_frame: Projective, frame: Frame, fill: Fill) -> Warped {
    let to_image = to_frame.inverse().expect("the map can be undone");
    let (crossed_right, crossed_down) = crossed(to_image, frame);
    let halvings = (crossed_right.min(crossed_down) / LEFT_TO_SAMPLES).max(1.0).log2() as usize;
    let (halvings, level) = image.level(halvings);
    let shrunk = (-(halvings as f64)).exp2();
    let to_level = to_image.then(Affine::scale(shrunk, shrunk, (0.0, 0.0)));
    let samples =
        |crossed: f64| (crossed * shrunk).round().clamp(1.0, f64::from(MOST_SAMPLES)) as usize;
    let (across, down) = (samples(crossed_right), samples(crossed_down));

    let (left, above) = frame.margins(image.width_px, image.height_px);
    let margin = |pixels: u32| (f64::from(pixels) * shrunk).round() as i64;
    let source = Source {
        level,
        fill,
        background: frame.background.unwrap_or_default().map(f32::from),
        packed_background: packed(frame.background.unwrap_or_default()),
        packed_fill: match fill {
            Fill::Colour(colour) => packed(colour),
            _ => 0,
        },
        margins: (margin(left), margin(above)),
        sides: (f64::from(image.width_px) * shrunk, f64::from(image.height_px) * shrunk),
    };
    let (width, height) = (frame.width_px as usize, frame.height_px as usize);
    let each = 1.0 / (across * down) as f32;
    let mut data = vec![0.0f32; width * height * 3];
    let mut outside = 0u64;
    for (row, values) in data.chunks_exact_mut(width * 3).enumerate() {
        let sums = values.as_chunks_mut::<3>().0;
        for j in 0..down {
            let y = row as f64 + (j as f64 + 0.5) / down as f64;
            let line = Line { to_level, affine: to_level.affine(), y, across };
            if let (Some(map), Sampling::Bilinear) = (line.affine, frame.sampling) {
                outside += source.walk(map, &line, sums);
                continue;
            }
            for (column, sum) in sums.iter_mut().enumerate() {
                for number in column * across..(column + 1) * across {
                    let (sample, is_outside) = match line.place(number) {
                        Some((u, v)) if u.abs().max(v.abs()) < FARTHEST => {
                            (source.sample(u, v, frame.sampling), !source.contains(u, v))
                        }
                        _ => (source.beyond(), true),
                    };
                    outside += u64::from(is_outside);
                    (0..3).for_each(|c| sum[c] += sample[c]);
                }
            }
        }
        values.iter_mut().for_each(|value| *value *= each);
    }
    let all = (width * height * across * down) as f64;
    Warped {
        canvas: Canvas { width_px: width, height_px: height, data },
        outside_share: outside as f64 / all,
    }
}

/// Pixels from the image beyond which nothing is reported apart any more; only a horizon is as far.
const FARTHEST: f64 = 1e7;

/// The source pixels that one step right and one step down in the frame cross: the most of them at its corners and its
/// middle, which are all the same unless the map has a horizon.
fn crossed(to_image: Projective, frame: Frame) -> (f64, f64) {
    let (width, height) = (f64::from(frame.width_px), f64::from(frame.height_px));
    let places = [(0.0, 0.0), (width, 0.0), (0.0, height), (width, height), frame.middle()];
    let steps = places.map(|(x, y)| to_image.steps_at(x, y));
    steps.into_iter().fold((0.0, 0.0), |(a, b), (right, down)| (right.max(a), down.max(b)))
}

/// Samples of one row of the frame at one height.
struct Line {
    to_level: Projective,
    /// The same, where it has no horizon.
    affine: Option<Affine>,
    y: f64,
    across: usize,
}

impl Line {
    /// Where in the image the sample of this number lies.
    fn place(&self, number: usize) -> Option<(f64, f64)> {
        let x = (number as f64 + 0.5) / self.across as f64;
        match self.affine {
            Some(map) => Some(map.at(x, self.y)),
            None => self.to_level.at(x, self.y),
        }
    }
}

struct Source<'a> {
    level: &'a Level,
    fill: Fill,
    background: [f32; 3],
    packed_background: u64,
    packed_fill: u64,
    /// Columns on the left and right, and rows above and below, that show the background.
    margins: (i64, i64),
    /// The image's sides, of which the last pixels may be averages of fewer.
    sides: (f64, f64),
}

impl Source<'_> {
    /// Whether a point lies on the image or on its background. Points that rounding has put a hair's breadth outside
    /// lie on it.
    fn contains(&self, u: f64, v: f64) -> bool {
        const HAIR: f64 = 1e-6;
        let on = |at: f64, side: f64, margin: i64| {
            (-HAIR..=side + 2.0 * margin as f64 + HAIR).contains(&(at + margin as f64))
        };
        on(u, self.sides.0, self.margins.0) && on(v, self.sides.1, self.margins.1)
    }

    /// Adds the samples of a row to `sums`, and says how many of them lie outside: what [`Source::sample`] gives, many
    /// times faster, as the map is walked along in a straight line, and most of it lies well inside of the image.
    fn walk(&self, map: Affine, line: &Line, sums: &mut [[f32; 3]]) -> u64 {
        let Affine([a, b, c, d, e, f]) = map;
        let each = 1.0 / line.across as f64;
        // Sample s lies at (u + s du, v + s dv), from pixel centres on.
        let (du, dv) = (a * each, d * each);
        let (u, v) = (a * each / 2.0 + b * line.y + c - 0.5, d * each / 2.0 + e * line.y + f - 0.5);
        let inner = self.inner((u, v), (du, dv), sums.len() * line.across);
        // Columns all of whose samples are inner ones.
        let (first, last) = (inner.start.div_ceil(line.across), inner.end / line.across);
        let fixed = |value: f64| (value * ONE) as i64;
        let (mut x, mut y) = (fixed(u), fixed(v));
        let (dx, dy) = (fixed(du), fixed(dv));
        let mut outside = 0;
        for (column, sum) in sums.iter_mut().enumerate() {
            let mut lanes = 0u64;
            if (first..last).contains(&column) {
                let (width, data) = (self.level.width, &self.level.data[..]);
                for _ in 0..line.across {
                    let at = (y >> 32) as usize * width + (x >> 32) as usize;
                    let (above, below) = (&data[at..at + 2], &data[at + width..at + width + 2]);
                    let taps = [above[0], above[1], below[0], below[1]];
                    lanes += (blended(taps, x, y) >> ROOM) & KEPT;
                    (x, y) = (x + dx, y + dy);
                }
            } else {
                for _ in 0..line.across {
                    let (sample, is_outside) = self.outer(x, y);
                    lanes += (sample >> ROOM) & KEPT;
                    outside += u64::from(is_outside);
                    (x, y) = (x + dx, y + dy);
                }
            }
            for (c, sum) in sum.iter_mut().enumerate() {
                let lane = (lanes >> (c as u32 * LANE)) & ((1 << LANE) - 1);
                *sum += lane as f32 * (1.0 / (1 << (WEIGHT - ROOM)) as f32);
            }
        }
        outside
    }

    /// Which of `count` samples, the first at `start` and each a `step` further, blend pixels of the image alone.
    fn inner(&self, start: (f64, f64), step: (f64, f64), samples: usize) -> std::ops::Range<usize> {
        let (mut from, mut to) = (0.0, samples as f64 - 1.0);
        let sides = (self.level.width, self.level.height);
        if sides.0 < 2 || sides.1 < 2 {
            return 0..0; // there is nothing beside the one pixel to blend it with
        }
        for (start, step, side) in [(start.0, step.0, sides.0), (start.1, step.1, sides.1)] {
            // Walked in steps of 2^-32, which must not lead out.
            let (least, most) = (1e-5, side as f64 - 1.0 - 1e-5);
            if step.abs() < 1e-12 {
                if !(least..most).contains(&start) {
                    return 0..0;
                }
                continue;
            }
            let ends = [(least - start) / step, (most - start) / step];
            from = ends[0].min(ends[1]).max(from);
            to = ends[0].max(ends[1]).min(to);
        }
        if from > to { 0..0 } else { from.ceil() as usize..to.floor() as usize + 1 }
    }

    /// The sample at a point anywhere, and whether that is outside.
    fn outer(&self, x: i64, y: i64) -> (u64, bool) {
        let (beside, above) = self.margins;
        let (x, columns, is_beside) = self.taps(x, self.level.width, self.sides.0, beside);
        let (y, rows, is_above) = self.taps(y, self.level.height, self.sides.1, above);
        let tap = |column: Tap, row: Tap| match (column, row) {
            (Tap::Pixel(column), Tap::Pixel(row)) => {
                self.level.data[row * self.level.width + column]
            }
            (Tap::Fill, _) | (_, Tap::Fill) => self.packed_fill,
            _ => self.packed_background,
        };
        let [left, right] = columns;
        let [top, bottom] = rows;
        let taps = [tap(left, top), tap(right, top), tap(left, bottom), tap(right, bottom)];
        (blended(taps, x, y), is_beside || is_above)
    }

    /// The two pixels of a side that a place on it blends, the place itself where it was folded, and whether it lies
    /// outside.
    fn taps(&self, at: i64, side: usize, length: f64, margin: i64) -> (i64, [Tap; 2], bool) {
        const HAIR: i64 = 4295; // a millionth of a pixel
        let (side, one) = (side as i64, 1i64 << 32);
        let from_edge = at + one / 2 + margin * one;
        let whole = (length * ONE) as i64 + 2 * margin * one;
        let is_outside = from_edge < -HAIR || from_edge > whole + HAIR;
        let (least, most) = (-margin, side + margin - 1);
        let tap = |index: i64| match index {
            index if (0..side).contains(&index) => Tap::Pixel(index as usize),
            index if (least..=most).contains(&index) => Tap::Background,
            _ => Tap::Fill,
        };
        let folded = match self.fill {
            // Mirrored at the edges, a place between two pixels is the same place between their images.
            Fill::Mirror => {
                let (first, last) = (least * one - one / 2, most * one + one / 2);
                let mut at = at;
                if at < first || at > last {
                    let period = 2 * (last - first);
                    let beyond = (at - first).rem_euclid(period);
                    at = first + beyond.min(period - beyond);
                }
                at
            }
            Fill::Edge => at.clamp(least * one, most * one),
            Fill::Wrap => least * one + (at - least * one).rem_euclid((side + 2 * margin) * one),
            Fill::Colour(_) => at,
        };
        let before = folded >> 32;
        let taps = match self.fill {
            Fill::Mirror | Fill::Edge => {
                [before.clamp(least, most), (before + 1).clamp(least, most)]
            }
            Fill::Wrap if before + 1 > most => [before, least],
            Fill::Wrap | Fill::Colour(_) => [before, before + 1],
        };
        (folded, taps.map(tap), is_outside)
    }

    /// The colour at a point, 0 to 255.
    fn sample(&self, u: f64, v: f64, sampling: Sampling) -> [f32; 3] {
        let (u, v) = (u - 0.5, v - 0.5);
        let (left, top) = (u.floor(), v.floor());
        let (fx, fy) = ((u - left) as f32, (v - top) as f32);
        let (left, top) = (left as i64, top as i64);
        match sampling {
            Sampling::Bilinear => {
                let [a, b, d, e] = [(0, 0), (1, 0), (0, 1), (1, 1)]
                    .map(|(right, down)| self.pixel(left + right, top + down));
                [0, 1, 2].map(|c| {
                    let (above, below) = (a[c] + (b[c] - a[c]) * fx, d[c] + (e[c] - d[c]) * fx);
                    above + (below - above) * fy
                })
            }
            Sampling::Cubic => {
                let mut sum = [0.0f32; 3];
                for (row, in_row) in (top - 1..).zip(cubic(fy)) {
                    for (column, in_column) in (left - 1..).zip(cubic(fx)) {
                        let pixel = self.pixel(column, row);
                        (0..3).for_each(|c| sum[c] += pixel[c] * in_row * in_column);
                    }
                }
                // It swings beyond what is there beside edges.
                sum.map(|value| value.clamp(0.0, 255.0))
            }
        }
    }

    /// The colour of a pixel, inside or outside of the image.
    fn pixel(&self, column: i64, row: i64) -> [f32; 3] {
        let (width, height) = (self.level.width as i64, self.level.height as i64);
        let is_on =
            |column: i64, row: i64| (0..width).contains(&column) && (0..height).contains(&row);
        let at = |column: i64, row: i64| {
            unpacked(self.level.data[row as usize * self.level.width + column as usize])
                .map(f32::from)
        };
        if is_on(column, row) {
            return at(column, row);
        }
        let (beside, above) = self.margins;
        let is_in_margin =
            (-beside..width + beside).contains(&column) && (-above..height + above).contains(&row);
        match self.fill {
            _ if is_in_margin => self.background,
            Fill::Colour(colour) => colour.map(f32::from),
            fill => {
                let (column, row) =
                    (folded(column, width, beside, fill), folded(row, height, above, fill));
                if is_on(column, row) { at(column, row) } else { self.background }
            }
        }
    }

    /// What fills the frame beyond the horizon: the edge of the image is nowhere near.
    fn beyond(&self) -> [f32; 3] {
        match self.fill {
            Fill::Colour(colour) => colour.map(f32::from),
            _ => self.pixel(self.level.width as i64 / 2, 0),
        }
    }
}

/// What a sample blends on one axis.
#[derive(Clone, Copy)]
enum Tap {
    /// A row or column of the image.
    Pixel(usize),
    /// One of its background.
    Background,
    /// What lies outside, which is a colour.
    Fill,
}

/// Four packed pixels around a point, weighted by how near it is to each: left and right of the upper row, then of the
/// lower. Values are left with as many more bits as a weight has.
fn blended([a, b, c, d]: [u64; 4], x: i64, y: i64) -> u64 {
    let (fx, fy) = (fraction(x), fraction(y));
    // The four weights add up to one exactly.
    let both = (fx * fy) >> WEIGHT;
    a * ((1 << WEIGHT) + both - fx - fy) + b * (fx - both) + c * (fy - both) + d * both
}

/// One in fixed-point numbers of 32 bits after the point.
const ONE: f64 = 4_294_967_296.0;

/// Bits of a weight: with the 8 of a value they fill a lane.
const WEIGHT: u32 = LANE - 8;
/// Bits of a weighted value that make room for the sum of as many samples as there may be side by side.
const ROOM: u32 = MOST_SAMPLES.ilog2();
/// What is left of each lane.
const KEPT: u64 = {
    let lane = (1u64 << (LANE - ROOM)) - 1;
    lane | lane << LANE | lane << (2 * LANE)
};

/// What follows the point, as a weight.
fn fraction(fixed: i64) -> u64 {
    u64::from(fixed as u32 >> (32 - WEIGHT))
}

/// Weights of the four pixels around a point that lies `at` behind the second.
fn cubic(at: f32) -> [f32; 4] {
    let near = |d: f32| (1.5 * d - 2.5) * d * d + 1.0;
    let far = |d: f32| ((-0.5 * d + 2.5) * d - 4.0) * d + 2.0;
    [far(1.0 + at), near(at), near(1.0 - at), far(2.0 - at)]
}

/// The index that stands for `at` on a side of `side` pixels and a margin before and behind it.
fn folded(at: i64, side: i64, margin: i64, fill: Fill) -> i64 {
    let (at, side) = (at + margin, side + 2 * margin);
    let folded = match fill {
        _ if (0..side).contains(&at) => at,
        Fill::Wrap => at.rem_euclid(side),
        // Hardly anything is farther away than the image is wide, and a division takes long.
        Fill::Mirror if (-side..0).contains(&at) => -1 - at,
        Fill::Mirror if (side..2 * side).contains(&at) => 2 * side - 1 - at,
        Fill::Mirror => {
            let there_and_back = at.rem_euclid(2 * side);
            there_and_back.min(2 * side - 1 - there_and_back)
        }
        Fill::Edge | Fill::Colour(_) => at.clamp(0, side - 1),
    };
    folded - margin
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::augment::{Fit, averaged};
    use crate::reading::Pixels;
    use proptest::prelude::*;

    fn image(width_px: u32, height_px: u32, value: impl Fn(u32, u32) -> u8) -> Pixels {
        let places = (0..height_px).flat_map(|y| (0..width_px).map(move |x| (x, y)));
        Pixels { width_px, height_px, data: places.flat_map(|(x, y)| [value(x, y); 3]).collect() }
    }

    fn frame(width_px: u32, height_px: u32) -> Frame {
        Frame::new(width_px, height_px, Fit::Stretch)
    }

    fn warp(image: &Pixels, to_frame: Affine, frame: Frame, fill: Fill) -> Warped {
        super::warp(&SourcePyramid::new(image), to_frame.into(), frame, fill)
    }

    /// The red values of a frame, row by row.
    fn grey(warped: &Warped) -> Vec<u8> {
        warped.canvas.to_pixels().data.iter().step_by(3).copied().collect()
    }

    #[test]
    fn fills_continue_the_picture() {
        // Three pixels a b c, seen through a frame of nine that begins three pixels earlier.
        let strip = image(3, 1, |x, _| x as u8 + 1);
        let seen = |fill| {
            let warped = warp(&strip, Affine::shift(3.0, 0.0), frame(9, 1), fill);
            assert!((warped.outside_share - 6.0 / 9.0).abs() < 1e-12);
            grey(&warped)
        };
        assert_eq!(seen(Fill::Mirror), [3, 2, 1, 1, 2, 3, 3, 2, 1]);
        assert_eq!(seen(Fill::Edge), [1, 1, 1, 1, 2, 3, 3, 3, 3]);
        assert_eq!(seen(Fill::Wrap), [1, 2, 3, 1, 2, 3, 1, 2, 3]);
        assert_eq!(seen(Fill::Colour([9; 3])), [9, 9, 9, 1, 2, 3, 9, 9, 9]);
    }

    #[test]
    fn reduction_averages_what_it_covers() {
        // Stripes of one pixel would turn into black or white without averaging.
        let stripes = image(12, 12, |x, _| if x % 2 == 0 { 0 } else { 200 });
        let warped = warp(&stripes, Affine::scale(0.5, 0.5, (0.0, 0.0)), frame(6, 6), Fill::Edge);
        assert!(
            grey(&warped).iter().all(|value| (90..=110).contains(value)),
            "{:?}",
            grey(&warped)
        );
        assert_eq!(warped.outside_share, 0.0);
    }

    /// Each pixel of the frame as the mean of all it covers, where the sides divide without rest.
    fn block_means(image: &Pixels, times: u32) -> Vec<u8> {
        let (width, height) = (image.width_px / times, image.height_px / times);
        let mean = |x: u32, y: u32| {
            let places = (0..times).flat_map(|j| (0..times).map(move |i| (i, j)));
            let values = places.map(|(i, j)| u32::from(image.at(x * times + i, y * times + j)[0]));
            let sum: u32 = values.sum();
            (f64::from(sum) / f64::from(times * times)).round() as u8
        };
        (0..height).flat_map(|y| (0..width).map(move |x| (x, y))).map(|(x, y)| mean(x, y)).collect()
    }

    #[test]
    fn strong_reductions_stay_near_the_means() {
        let waves = image(240, 120, |x, y| {
            let (x, y) = (f64::from(x), f64::from(y));
            (127.0 + 70.0 * (x / 17.0).sin() + 50.0 * (y / 11.0).cos()) as u8
        });
        for times in [2, 3, 5, 8, 10, 20] {
            let (width, height) = (240 / times, 120 / times);
            let map = Affine::scale(1.0 / f64::from(times), 1.0 / f64::from(times), (0.0, 0.0));
            let warped = warp(&waves, map, frame(width, height), Fill::Edge);
            assert_eq!(warped.outside_share, 0.0);
            let pairs = grey(&warped).into_iter().zip(block_means(&waves, times));
            let worst = pairs.map(|(a, b)| a.abs_diff(b)).max().unwrap();
            assert!(worst <= 6, "{times} times: {worst} levels");
            assert_eq!(averaged(&waves, times).data, {
                let means = block_means(&waves, times);
                means.into_iter().flat_map(|value| [value; 3]).collect::<Vec<u8>>()
            });
        }
        // What is left over at the edges is averaged by itself.
        let rest = averaged(&image(5, 3, |x, y| (10 * x + y) as u8), 2);
        assert_eq!((rest.width_px, rest.height_px), (3, 2));
        assert_eq!(
            rest.data.iter().step_by(3).copied().collect::<Vec<u8>>(),
            [6, 26, 41, 7, 27, 42]
        );
    }

    #[test]
    fn the_smallest_pictures_do() {
        let dot = image(1, 1, |_, _| 7);
        for fill in [Fill::Mirror, Fill::Edge, Fill::Wrap] {
            let map = Affine::rotate(33.0, (0.5, 0.5)).then(Affine::shift(1.3, -0.4));
            assert!(grey(&warp(&dot, map, frame(5, 1), fill)).iter().all(|&value| value == 7));
        }
    }

    /// The same warp by the definition, one sample at a time, with the fill made real: the image
    /// is first laid out three times in both directions.
    fn slow_twin(image: &Pixels, to_frame: Affine, frame: Frame, fill: Fill) -> Vec<u8> {
        let (width, height) = (i64::from(image.width_px), i64::from(image.height_px));
        let index = |at: i64, side: i64| match fill {
            Fill::Wrap => at.rem_euclid(side),
            Fill::Edge => at.max(0).min(side - 1),
            _ => {
                let mut at = at;
                while !(0..side).contains(&at) {
                    at = if at < 0 { -1 - at } else { 2 * side - 1 - at };
                }
                at
            }
        };
        let value = |column: i64, row: i64| {
            let is_on = (0..width).contains(&column) && (0..height).contains(&row);
            if let (Fill::Colour([red, ..]), false) = (fill, is_on) {
                return f64::from(red);
            }
            f64::from(image.at(index(column, width) as u32, index(row, height) as u32)[0])
        };
        let back = to_frame.inverse().unwrap();
        let mut seen = Vec::new();
        for row in 0..frame.height_px {
            for column in 0..frame.width_px {
                let (u, v) = back.at(f64::from(column) + 0.5, f64::from(row) + 0.5);
                let mut sum = 0.0;
                for (i, j) in [(0, 0), (0, 1), (1, 0), (1, 1)] {
                    let (cx, cy) =
                        ((u - 0.5).floor() + f64::from(i), (v - 0.5).floor() + f64::from(j));
                    let weight = (1.0 - (u - 0.5 - cx).abs()) * (1.0 - (v - 0.5 - cy).abs());
                    sum += weight * value(cx as i64, cy as i64);
                }
                seen.push(sum.round() as u8);
            }
        }
        seen
    }

    proptest! {
        #[test]
        fn unreduced_warps_are_plain_bilinear(
            degrees in -180.0..180.0, zoom in 1.0..2.0, dx in -4.0f64..4.0, dy in -4.0f64..4.0,
            values in proptest::collection::vec(any::<u8>(), 35), width in 1u32..=7, height in 1u32..=5,
            fill in prop::sample::select(&[Fill::Mirror, Fill::Edge, Fill::Wrap, Fill::Colour([90; 3])][..]),
            is_still in any::<bool>(),
        ) {
            let source = image(width, height, |x, y| values[(y * 7 + x) as usize]);
            let middle = (f64::from(width) / 2.0, f64::from(height) / 2.0);
            let map = match is_still {
                true => Affine::shift(dx.round(), dy.round()),
                false => Affine::rotate(degrees, middle)
                    .then(Affine::scale(zoom, zoom, middle)).then(Affine::shift(dx, dy)),
            };
            let fast = grey(&warp(&source, map, frame(width, height), fill));
            let slow = slow_twin(&source, map, frame(width, height), fill);
            let differs = fast.iter().zip(&slow).any(|(a, b)| a.abs_diff(*b) > 1);
            prop_assert!(!differs, "{fast:?} {slow:?}");
        }
    }
}
