//! An image as planes of levels that can be looked up between their cells.

use crate::affine::Affine;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::numeric::simd::{F32x8, Kernel, LANES, run};
use crate::rect::Region;

/// A square of levels whose whole is the square from -0.5 to 0.5 in `x` (right) and `y` (down).
#[derive(Clone, Debug)]
pub struct Plane {
    side: usize,
    /// Row-major: each cell with its neighbours to the right, below, and below to the right, from the
    /// lowest byte on, so that one look at memory brings all that lie around a point. In the last
    /// column and row cells are their own neighbours.
    cells: Vec<u32>,
}

impl Plane {
    pub fn of_bytes(side: usize, bytes: &[u8]) -> Self {
        let mut cells = vec![0; side * side];
        for (row, cells) in cells.chunks_exact_mut(side).enumerate() {
            let here = &bytes[row * side..][..side];
            let below = &bytes[(row + 1).min(side - 1) * side..][..side];
            let cell = |a: u8, b: u8, c: u8, d: u8| {
                u32::from(a) | u32::from(b) << 8 | u32::from(c) << 16 | u32::from(d) << 24
            };
            let last = side - 1;
            // Lists of one length, walked side by side, which processors do many at a time.
            let upper = here[..last].iter().zip(&here[1..]);
            let lower = below[..last].iter().zip(&below[1..]);
            for ((cells, (a, b)), (c, d)) in cells[..last].iter_mut().zip(upper).zip(lower) {
                *cells = cell(*a, *b, *c, *d);
            }
            cells[last] = cell(here[last], here[last], below[last], below[last]);
        }
        Plane { side, cells }
    }

    /// Half as many rows and columns: the rounded mean of each four levels.
    pub fn halved(&self) -> Self {
        let side = self.side / 2;
        let mean = |cell: u32| cell.to_le_bytes().map(u32::from).iter().sum::<u32>() + 2;
        let rows = self.cells.chunks_exact(2 * self.side);
        let bytes: Vec<u8> = rows
            .flat_map(|row| row[..self.side].iter().step_by(2).map(|&cell| (mean(cell) / 4) as u8))
            .collect();
        Plane::of_bytes(side, &bytes)
    }

    /// The levels, row by row, but what lies outside of `region` and within a cell of its edge painted over
    /// by the nearest cell inside.
    fn within(&self, region: &Region) -> Vec<u8> {
        let cells = self.side as f32;
        let inside = |from: f32, to: f32| {
            let first = ((from + 0.5) * cells + 1.0).ceil() as usize;
            let last = ((to + 0.5) * cells - 2.0).floor() as usize;
            (first, last.max(first))
        };
        let (left, right) = inside(region.left, region.right);
        let (top, bottom) = inside(region.top, region.bottom);
        let mut bytes = Vec::with_capacity(self.cells.len());
        for y in 0..self.side {
            let row = y.clamp(top, bottom);
            bytes.extend((0..self.side).map(|x| self.level(row, x.clamp(left, right))));
        }
        bytes
    }

    /// Rows, and columns.
    pub fn side(&self) -> usize {
        self.side
    }

    /// The level of one cell.
    pub fn level(&self, row: usize, column: usize) -> u8 {
        self.cells[row * self.side + column].to_le_bytes()[0]
    }

    /// The levels at a grid of `count` x `count` points, row by row, whose square `map` brings to
    /// this plane: between four cells their weighted mean; beyond the outermost centres the level of
    /// the nearest. `count` is a multiple of eight.
    pub fn sample(&self, map: &Affine, count: usize, into: &mut Vec<f32>) {
        run(LookUp::<false> { plane: self, map, count, into, inside: &mut [] });
    }

    /// The same, and 1 for each point that lies on the image, 0 for others.
    pub fn sample_inside(
        &self,
        map: &Affine,
        count: usize,
        into: &mut Vec<f32>,
        inside: &mut Vec<f32>,
    ) {
        let outermost = 0.5 - 0.5 / count as f64;
        let corner = |x: f64, y: f64| map.at(x * outermost, y * outermost);
        let corners = [corner(-1.0, -1.0), corner(1.0, -1.0), corner(-1.0, 1.0), corner(1.0, 1.0)];
        if corners.iter().all(|(x, y)| x.abs() <= 0.5 && y.abs() <= 0.5) {
            inside.clear();
            inside.resize(count * count, 1.0);
            run(LookUp::<false> { plane: self, map, count, into, inside });
        } else {
            inside.resize(count * count, 0.0);
            run(LookUp::<true> { plane: self, map, count, into, inside });
        }
    }
}

/// Points of a plane that are looked up, see [`Plane::sample_inside`].
struct LookUp<'a, const INSIDE: bool> {
    plane: &'a Plane,
    map: &'a Affine,
    count: usize,
    into: &'a mut Vec<f32>,
    inside: &'a mut [f32],
}

impl<const INSIDE: bool> Kernel for LookUp<'_, INSIDE> {
    type Out = ();

    /// Plain loops over lanes, which the compiler makes registers of.
    #[inline(always)]
    fn run<E: F32x8>(self) {
        let LookUp { plane, map, count, into, inside } = self;
        into.resize(count * count, 0.0);
        if !INSIDE && count == plane.side && *map == Affine::IDENTITY {
            for (value, cell) in into.iter_mut().zip(&plane.cells) {
                *value = (cell & 255) as i32 as f32;
            }
            return;
        }
        let (last, side) = ((plane.side - 1) as f32, plane.side as i32);
        // The map in cells, so that points become places in one step.
        let scale = plane.side as f32;
        let step = 1.0 / count as f32;
        let [a, b, c, d, e, f] = map.0;
        let (a, b, c, d, e, f) = (a as f32, b as f32, c as f32, d as f32, e as f32, f as f32);
        let cells = step * scale;
        let (right, below) = ([a * cells, d * cells], [b * cells, e * cells]);
        let first = 0.5 * step - 0.5;
        let start =
            [((a + b) * first + c + 0.5) * scale - 0.5, ((d + e) * first + f + 0.5) * scale - 0.5];
        for (row, values) in into.chunks_exact_mut(count).enumerate() {
            let down = row as u32 as f32;
            let first = [start[0] + below[0] * down, start[1] + below[1] * down];
            let mut columns: [f32; LANES] = std::array::from_fn(|lane| lane as f32);
            for (chunk, values) in values.as_chunks_mut::<LANES>().0.iter_mut().enumerate() {
                let x = columns.map(|column| first[0] + right[0] * column);
                let y = columns.map(|column| first[1] + right[1] * column);
                columns = columns.map(|column| column + LANES as f32);
                if INSIDE {
                    let inside = &mut inside[row * count + chunk * LANES..][..LANES];
                    for lane in 0..LANES {
                        let is = |place: f32| (place >= -0.5) & (place <= last + 0.5);
                        inside[lane] = if is(x[lane]) & is(y[lane]) { 1.0 } else { 0.0 };
                    }
                }
                let (x, y) = (x.map(|x| clamped(x, last)), y.map(|y| clamped(y, last)));
                // SAFETY: both lie between 0 and the last cell.
                let whole = |place: f32| unsafe { place.to_int_unchecked::<i32>() };
                let (left, top) = (x.map(whole), y.map(whole));
                let mut at = [0i32; LANES];
                for lane in 0..LANES {
                    at[lane] = top[lane] * side + left[lane];
                }
                // SAFETY: rows and columns are below the side, and there are side x side cells.
                let cells = at.map(|at| unsafe { *plane.cells.get_unchecked(at as usize) });
                for lane in 0..LANES {
                    let cell: u32 = cells[lane];
                    let (a, b) = ((cell & 255) as i32 as f32, (cell >> 8 & 255) as i32 as f32);
                    let (c, d) = ((cell >> 16 & 255) as i32 as f32, (cell >> 24) as i32 as f32);
                    let (dx, dy) = (x[lane] - left[lane] as f32, y[lane] - top[lane] as f32);
                    let (upper, lower) = (a + (b - a) * dx, c + (d - c) * dx);
                    values[lane] = upper + (lower - upper) * dy;
                }
            }
        }
    }
}

/// `value`, but at least 0 and at most `last`; 0 when it is no number.
#[inline(always)]
fn clamped(value: f32, last: f32) -> f32 {
    let value = if value > 0.0 { value } else { 0.0 };
    if value < last { value } else { last }
}

/// A thumbnail, and the planes of it that are looked up time and again.
#[derive(Clone, Debug)]
pub struct Planes {
    /// 48 x 48 luma and 16 x 16 chroma, as bytes: as planes they would take four times as much, for every image
    /// of a collection.
    pub thumbnail: Thumbnail,
    /// 24 x 24 luma.
    pub half: Plane,
    /// 16 x 16 blue and red chroma.
    pub chroma: [Plane; 2],
}

impl Planes {
    /// The planes of `thumbnail`.
    pub fn new(thumbnail: Thumbnail) -> Self {
        let half = Plane::of_bytes(LUMA_PX, thumbnail.luma()).halved();
        let chroma = thumbnail.chroma().map(|plane| Plane::of_bytes(CHROMA_PX, plane));
        Planes { thumbnail, half, chroma }
    }

    /// 48 x 48 luma.
    pub fn luma(&self) -> Plane {
        Plane::of_bytes(LUMA_PX, self.thumbnail.luma())
    }

    /// The same with the border around `region` painted over by what is inside: its colour would
    /// bleed into the outermost cells of the content.
    pub fn within(&self, region: &Region) -> Self {
        let [blue, red] = &self.chroma;
        let planes = [&self.luma(), blue, red];
        Planes::new(Thumbnail(planes.into_iter().flat_map(|plane| plane.within(region)).collect()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// One point after the other, as the words say.
    fn slowly(bytes: &[u8], side: usize, map: &Affine, count: usize) -> Vec<f64> {
        let level = |x: usize, y: usize| f64::from(bytes[y.min(side - 1) * side + x.min(side - 1)]);
        let place = |at: usize| (at as f64 + 0.5) / count as f64 - 0.5;
        let value = |at: usize| {
            let (x, y) = map.at(place(at % count), place(at / count));
            let cell =
                |value: f64| ((value + 0.5) * side as f64 - 0.5).clamp(0.0, (side - 1) as f64);
            let (x, y) = (cell(x), cell(y));
            let (left, top) = (x.floor() as usize, y.floor() as usize);
            let (dx, dy) = (x - x.floor(), y - y.floor());
            let row = |y: usize| level(left, y) * (1.0 - dx) + level(left + 1, y) * dx;
            row(top) * (1.0 - dy) + row(top + 1) * dy
        };
        (0..count * count).map(value).collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn samples_are_those_of_looking_up_one_after_the_other(
            bytes in prop::collection::vec(any::<u8>(), 24 * 24),
            map in prop::array::uniform6(-1.5f64..1.5),
            count in prop::sample::select(vec![8usize, 16, 24]),
            is_still in any::<bool>(),
        ) {
            let map = if is_still { Affine::IDENTITY } else { Affine(map) };
            let mut values = Vec::new();
            Plane::of_bytes(24, &bytes).sample(&map, count, &mut values);
            for (fast, slow) in values.iter().zip(slowly(&bytes, 24, &map, count)) {
                // Cells are found in 32 bits: an edge between black and white may move a little.
                prop_assert!((f64::from(*fast) - slow).abs() < 0.02, "{fast} {slow}");
            }
        }

        #[test]
        fn halving_takes_the_rounded_mean_of_four(bytes in prop::collection::vec(any::<u8>(), 16 * 16)) {
            let half = Plane::of_bytes(16, &bytes).halved();
            for (row, column) in (0..8).flat_map(|row| (0..8).map(move |column| (row, column))) {
                let at = 2 * row * 16 + 2 * column;
                let four = [at, at + 1, at + 16, at + 17].map(|at| u32::from(bytes[at]));
                let mean = f64::from(four.iter().sum::<u32>()) / 4.0;
                prop_assert!((f64::from(half.level(row, column)) - mean).abs() <= 0.5);
            }
        }
    }
}
