//! One resampling of a picture through an affine map.

use super::frame::Frame;
use super::policy::Fill;
use super::tone_cost::ToneCost;
use crate::affine::Affine;
use crate::reading::Pixels;

/// A frame filled from a picture.
#[derive(Clone, Debug, PartialEq)]
pub struct Warped {
    /// The frame.
    pub pixels: Pixels,
    /// The map from points of the picture to points of the frame.
    pub to_frame: Affine,
    /// Share of the frame's samples that lie outside of the picture, 0 to 1.
    pub outside_share: f64,
    /// What tones and filters did to the values.
    pub tone: ToneCost,
}

/// Reduction that is left to the samples when a picture is averaged in blocks first: with four
/// samples or more in each direction the blocks do not show.
const LEFT_TO_SAMPLES: f64 = 4.0;
/// Samples of a pixel in each direction at most; only a map that flattens the picture asks for more.
const MOST_SAMPLES: f64 = 64.0;

/// Fills a frame from `image`, whose points `to_frame` maps to points of the frame.
///
/// Each pixel of the frame is the mean of `n` x `m` samples spread evenly over it, where `n` and `m`
/// are the numbers of source pixels that one step right and one step down in the frame cross,
/// rounded up: 1 x 1 where the picture is not reduced, which is the usual bilinear warp. A sample
/// is interpolated bilinearly between the centres of the four pixels around it; pixels outside of
/// the picture have the value that `fill` gives them. Values are rounded to nearest.
///
/// A picture that is reduced eight times or more is averaged in blocks first, so that a reduction
/// of four to eight times is left: the same to the eye, and many times faster.
///
/// ```text
/// frame pixel, reduced 2.5 times      the picture under it
///   +-----------+                       . o . o . o .
///   | x   x   x |    x samples          . . x . x . x
///   | x   x   x |    o pixel centres    . o . o . o .
///   | x   x   x |                       . . x . x . x
///   +-----------+
/// ```
///
/// # Panics
///
/// When the picture or the frame has no pixels, or the map cannot be undone.
pub fn warp(image: &Pixels, to_frame: Affine, frame: Frame, fill: Fill) -> Warped {
    assert!(!image.data.is_empty(), "a picture has pixels");
    let to_image = to_frame.inverse().expect("the map can be undone");
    let [a, b, _, d, e, _] = to_image.0;
    let (crossed_right, crossed_down) = (a.hypot(d), b.hypot(e));
    let block = (crossed_right.min(crossed_down) / LEFT_TO_SAMPLES).max(1.0) as u32;
    let blocks;
    let image = if block > 1 {
        blocks = averaged(image, block);
        &blocks
    } else {
        image
    };
    let shrunk = 1.0 / f64::from(block);
    let to_image = to_image.then(Affine::scale(shrunk, shrunk, (0.0, 0.0)));

    let samples = |crossed: f64| (crossed * shrunk - 1e-9).ceil().clamp(1.0, MOST_SAMPLES) as u32;
    let (across, down) = (samples(crossed_right), samples(crossed_down));
    let count = across * down;
    let source = Source { image, fill };
    let (width, height) = (frame.width_px, frame.height_px);
    let mut data = Vec::with_capacity(width as usize * height as usize * 3);
    let mut outside = 0u64;
    for row in 0..height {
        for column in 0..width {
            let mut sums = [0.0; 3];
            for j in 0..down {
                let y = f64::from(row) + (f64::from(j) + 0.5) / f64::from(down);
                for i in 0..across {
                    let x = f64::from(column) + (f64::from(i) + 0.5) / f64::from(across);
                    let (u, v) = to_image.at(x, y);
                    let sample = source.inner(u, v).unwrap_or_else(|| {
                        outside += u64::from(!source.contains(u, v));
                        source.sample(u, v)
                    });
                    (0..3).for_each(|c| sums[c] += sample[c]);
                }
            }
            data.extend(sums.map(|sum| (sum / f64::from(count) + 0.5) as u8));
        }
    }
    let all = u64::from(width) * u64::from(height) * u64::from(count);
    Warped {
        pixels: Pixels { width_px: width, height_px: height, data },
        to_frame,
        outside_share: outside as f64 / all as f64,
        tone: ToneCost::default(),
    }
}

/// A picture reduced `block` times: each pixel is the mean of `block` x `block`, or of what is there
/// of them at the right and bottom edges.
pub fn averaged(image: &Pixels, block: u32) -> Pixels {
    let (width, height) = (image.width_px, image.height_px);
    let (columns, rows) = (width.div_ceil(block), height.div_ceil(block));
    let mut data = Vec::with_capacity(columns as usize * rows as usize * 3);
    let row_length = width as usize * 3;
    for band in image.data.chunks(row_length * block as usize) {
        let mut sums = vec![[0u32; 3]; columns as usize];
        for row in band.chunks_exact(row_length) {
            for (sums, pixels) in sums.iter_mut().zip(row.chunks(3 * block as usize)) {
                for pixel in pixels.chunks_exact(3) {
                    (0..3).for_each(|c| sums[c] += u32::from(pixel[c]));
                }
            }
        }
        let band_rows = (band.len() / row_length) as u32;
        for (column, sums) in (0..columns).zip(sums) {
            let count = band_rows * block.min(width - column * block);
            data.extend(sums.map(|sum| ((sum + count / 2) / count) as u8));
        }
    }
    Pixels { width_px: columns, height_px: rows, data }
}

struct Source<'a> {
    image: &'a Pixels,
    fill: Fill,
}

impl Source<'_> {
    /// Whether a point lies on the picture. Points that rounding has put a hair's breadth outside
    /// lie on it.
    fn contains(&self, u: f64, v: f64) -> bool {
        const HAIR: f64 = 1e-6;
        let on = |at: f64, side: u32| (-HAIR..=f64::from(side) + HAIR).contains(&at);
        on(u, self.image.width_px) && on(v, self.image.height_px)
    }

    /// The colour at a point whose four pixels are all in the picture: what [`Source::sample`] gives
    /// there, many times faster. Most points of large pictures are such.
    fn inner(&self, u: f64, v: f64) -> Option<[f64; 3]> {
        let (x, y) = (u - 0.5, v - 0.5);
        let (width, height) = (self.image.width_px as usize, self.image.height_px as usize);
        if !(x >= 0.0 && y >= 0.0 && x < (width - 1) as f64 && y < (height - 1) as f64) {
            return None;
        }
        let (left, top) = (x as usize, y as usize);
        let (fx, fy) = (x - left as f64, y - top as f64);
        let at = (top * width + left) * 3;
        let above: &[u8; 6] = self.image.data[at..at + 6].try_into().expect("6 values");
        let at = at + width * 3;
        let below: &[u8; 6] = self.image.data[at..at + 6].try_into().expect("6 values");
        Some([0, 1, 2].map(|c| {
            let column = |c: usize| {
                let (above, below) = (f64::from(above[c]), f64::from(below[c]));
                above + (below - above) * fy
            };
            column(c) + (column(c + 3) - column(c)) * fx
        }))
    }

    /// The colour at a point, 0 to 255.
    fn sample(&self, u: f64, v: f64) -> [f64; 3] {
        let (u, v) = (u - 0.5, v - 0.5);
        let (left, top) = (u.floor(), v.floor());
        let (fx, fy) = (u - left, v - top);
        let (left, top) = (left as i64, top as i64);
        let [a, b] =
            [left, left + 1].map(|column| [top, top + 1].map(|row| self.pixel(column, row)));
        [0, 1, 2].map(|c| {
            let left = a[0][c] + (a[1][c] - a[0][c]) * fy;
            let right = b[0][c] + (b[1][c] - b[0][c]) * fy;
            left + (right - left) * fx
        })
    }

    /// The colour of a pixel, inside or outside of the picture.
    fn pixel(&self, column: i64, row: i64) -> [f64; 3] {
        let inside = |at: i64, side: u32| (0..i64::from(side)).contains(&at);
        let (width, height) = (self.image.width_px, self.image.height_px);
        let (column, row) = match self.fill {
            _ if inside(column, width) && inside(row, height) => (column, row),
            Fill::Colour(colour) => return colour.map(f64::from),
            fill => (folded(column, width, fill), folded(row, height, fill)),
        };
        self.image.at(column as u32, row as u32).map(f64::from)
    }
}

/// The index that stands for `at` on a side of `side` pixels.
fn folded(at: i64, side: u32, fill: Fill) -> i64 {
    let side = i64::from(side);
    match fill {
        Fill::Wrap => at.rem_euclid(side),
        Fill::Mirror => {
            let there_and_back = at.rem_euclid(2 * side);
            there_and_back.min(2 * side - 1 - there_and_back)
        }
        Fill::Edge | Fill::Colour(_) => at.clamp(0, side - 1),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::augment::Fit;
    use proptest::prelude::*;

    fn image(width_px: u32, height_px: u32, value: impl Fn(u32, u32) -> u8) -> Pixels {
        let places = (0..height_px).flat_map(|y| (0..width_px).map(move |x| (x, y)));
        Pixels { width_px, height_px, data: places.flat_map(|(x, y)| [value(x, y); 3]).collect() }
    }

    fn frame(width_px: u32, height_px: u32) -> Frame {
        Frame { width_px, height_px, fit: Fit::Stretch }
    }

    /// The red values of a frame, row by row.
    fn grey(warped: &Warped) -> Vec<u8> {
        warped.pixels.data.iter().step_by(3).copied().collect()
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

    /// The same warp by the definition, one sample at a time, with the fill made real: the picture
    /// is first laid out three times in both directions.
    fn slow_twin(image: &Pixels, to_frame: Affine, frame: Frame, fill: Fill) -> Vec<u8> {
        let (width, height) = (i64::from(image.width_px), i64::from(image.height_px));
        let index = |at: i64, side: i64| match fill {
            Fill::Wrap => (at + 4 * side) % side,
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
            degrees in -180.0..180.0, zoom in 1.0..2.0, dx in -4.0..4.0, dy in -4.0..4.0,
            values in proptest::collection::vec(any::<u8>(), 35), wrap in any::<bool>(), edge in any::<bool>(),
        ) {
            let source = image(7, 5, |x, y| values[(y * 7 + x) as usize]);
            let map = Affine::rotate(degrees, (3.5, 2.5))
                .then(Affine::scale(zoom, zoom, (3.5, 2.5))).then(Affine::shift(dx, dy));
            let fill = if wrap { Fill::Wrap } else if edge { Fill::Edge } else { Fill::Mirror };
            let fast = grey(&warp(&source, map, frame(7, 5), fill));
            let slow = slow_twin(&source, map, frame(7, 5), fill);
            let differs = fast.iter().zip(&slow).any(|(a, b)| a.abs_diff(*b) > 1);
            prop_assert!(!differs, "{fast:?} {slow:?}");
        }
    }
}
