//! Views: the parts of an image that a copy may show, each as a short vector.
//!
//! Low frequencies move little when a view is off by a few percent, so that few views find every
//! crop; what they find is laid over each other exactly afterwards.

use std::f32::consts::PI;
use std::sync::{LazyLock, OnceLock};

use super::plane::{Plane, Planes};
use crate::affine::Affine;
use crate::measuring::Thumbnail;
use crate::numeric::simd::{F32x8, Kernel, run};
use crate::rect::Region;

/// Numbers in the vector of a view; the last few are 0.
pub const DIMENSIONS: usize = 32;
/// Samples along each side of a view.
const SAMPLES: usize = 16;
/// The highest sum of frequencies, across and down, that is kept.
const HIGHEST: usize = 6;
/// What the unit is in whole numbers.
const UNIT: f32 = 127.0;
/// Standard deviation, in levels, of the low frequencies below which a view shows nothing.
const LEAST_CONTRAST: f32 = 1.0;

/// A unit vector in units of 1 / 127.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Vector(pub [i8; DIMENSIONS]);

impl Vector {
    /// [`Vector::product`] with each of `others`.
    #[inline]
    pub fn products(&self, others: &[Vector], into: &mut [i32]) {
        #[cfg(target_arch = "x86_64")]
        if is_x86_feature_detected!("avx2") {
            // SAFETY: the processor has what the function was built for.
            return unsafe { self.products_wide(others, into) };
        }
        self.products_anywhere(others, into);
    }

    /// The same products, sixteen numbers at a time.
    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    fn products_wide(&self, others: &[Vector], into: &mut [i32]) {
        use std::arch::x86_64::*;
        let halves = |vector: &Vector| {
            // SAFETY: a vector has 32 bytes, and they need not be aligned.
            let bytes = unsafe { _mm256_loadu_si256(vector.0.as_ptr().cast()) };
            let (low, high) = (_mm256_castsi256_si128(bytes), _mm256_extracti128_si256::<1>(bytes));
            [_mm256_cvtepi8_epi16(low), _mm256_cvtepi8_epi16(high)]
        };
        let wanted = halves(self);
        for (product, other) in into.iter_mut().zip(others) {
            let other = halves(other);
            let [low, high] = [0, 1].map(|half| _mm256_madd_epi16(wanted[half], other[half]));
            let sums = _mm256_add_epi32(low, high);
            let sums =
                _mm_add_epi32(_mm256_castsi256_si128(sums), _mm256_extracti128_si256::<1>(sums));
            let sums = _mm_add_epi32(sums, _mm_shuffle_epi32::<0b01_00_11_10>(sums));
            let sums = _mm_add_epi32(sums, _mm_shuffle_epi32::<0b10_11_00_01>(sums));
            *product = _mm_cvtsi128_si32(sums);
        }
    }

    #[inline(always)]
    fn products_anywhere(&self, others: &[Vector], into: &mut [i32]) {
        for (product, other) in into.iter_mut().zip(others) {
            *product = self.product(other);
        }
    }

    /// The cosine of the angle between two, times 127 x 127.
    #[inline(always)]
    pub fn product(&self, other: &Vector) -> i32 {
        let products = self.0.iter().zip(&other.0);
        products.map(|(&a, &b)| i32::from(a) * i32::from(b)).sum()
    }
}

/// The cosine that a [`Vector::product`] stands for.
pub fn cosine(product: i32) -> f32 {
    product as f32 / (UNIT * UNIT)
}

/// The cosine below which two views are not worth laying over each other: of the copies that were found
/// from 0.86 on 0.2% are lost, and a quarter to a third of the other candidates.
const LEAST_COSINE: f32 = 0.89;

/// The product of that cosine.
pub fn least_product() -> i32 {
    (LEAST_COSINE * UNIT * UNIT) as i32
}

/// One of the eight ways to turn and mirror a square.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Turn {
    /// Mirrored left to right.
    pub flip_x: bool,
    /// Mirrored top to bottom.
    pub flip_y: bool,
    /// Then reflected at the diagonal.
    pub transpose: bool,
}

impl Turn {
    /// From the turned square to the one that was turned.
    pub fn map(self) -> Affine {
        let (x, y) = (if self.flip_x { -1.0 } else { 1.0 }, if self.flip_y { -1.0 } else { 1.0 });
        Affine(if self.transpose { [0.0, x, 0.0, y, 0.0, 0.0] } else { [x, 0.0, 0.0, 0.0, y, 0.0] })
    }
}

/// A part of an image in its normal position, and how it looks.
#[derive(Clone, Copy, Debug)]
pub struct View {
    /// From the square from -0.5 to 0.5 to the image.
    pub map: Affine,
    /// What is compared once the view has been found: the view, or more than it.
    pub whole: Affine,
    /// Whether the border is painted over.
    pub is_content: bool,
    /// How it looks.
    pub vector: Vector,
}

impl View {
    /// Whether it is the core only: enough to find a marked copy by, but others are alike there by chance.
    pub fn is_core(&self) -> bool {
        let [a, b, _, d, e, _] = self.map.0;
        !self.is_content && (a * e - b * d).abs() < CORE
    }
}

/// The frequencies (across, down) of each number.
static FREQUENCIES: LazyLock<Vec<(usize, usize)>> = LazyLock::new(|| {
    let all = (0..=HIGHEST).flat_map(|down| (0..=HIGHEST - down).map(move |across| (across, down)));
    all.filter(|&sum| sum != (0, 0)).collect()
});

/// The cosine transform: how much of each frequency there is at each sample.
static BASIS: LazyLock<[[f32; HIGHEST + 1]; SAMPLES]> = LazyLock::new(|| {
    std::array::from_fn(|at| {
        std::array::from_fn(|frequency| {
            let scale = if frequency == 0 { 1.0 } else { 2.0 } / SAMPLES as f32;
            let angle = PI * (2 * at + 1) as f32 * frequency as f32 / (2 * SAMPLES) as f32;
            (scale.sqrt() * angle.cos() * 1e6).round() / 1e6
        })
    })
});

/// What a region of an image looks like, before it is turned.
struct LowFrequencies {
    /// One for each of [`FREQUENCIES`], of unit length together.
    numbers: Vec<f32>,
}

impl LowFrequencies {
    /// None when there is nothing to see.
    fn new(plane: &Plane, region: &Affine) -> Option<Self> {
        Self::brighter(plane, region, 1.0)
    }

    /// Of the same `gain` times as bright, clipped where that is more than can be shown.
    fn brighter(plane: &Plane, region: &Affine, gain: f32) -> Option<Self> {
        run(LowFrequencyCache { plane, region, gain })
    }

    fn number(&self, across: usize, down: usize) -> f32 {
        let at = FREQUENCIES.iter().position(|&found| found == (across, down));
        self.numbers[at.expect("one of the lowest")]
    }

    /// The turns after which the image leans neither left nor up, and varies more across than
    /// down; all that do so within `doubt`, the surest first.
    fn canonical_turns(&self, doubt: f32) -> Vec<Turn> {
        let (across, down) = (self.number(1, 0), self.number(0, 1));
        let ways = |value: f32| {
            let second = (value.abs() < doubt).then_some(value >= 0.0);
            std::iter::once(value < 0.0).chain(second)
        };
        let mut turns = Vec::new();
        let transposed = down.abs() > across.abs();
        let other = ((down.abs() - across.abs()).abs() < doubt).then_some(!transposed);
        for transpose in std::iter::once(transposed).chain(other) {
            for flip_x in ways(across) {
                turns.extend(ways(down).map(|flip_y| Turn { flip_x, flip_y, transpose }));
            }
        }
        turns
    }

    fn turned(&self, turn: Turn) -> Vector {
        let mut vector = [0i8; DIMENSIONS];
        for (number, &(u, v)) in vector.iter_mut().zip(FREQUENCIES.iter()) {
            // Mirroring changes the signs of odd frequencies; transposing exchanges them.
            let (u, v) = if turn.transpose { (v, u) } else { (u, v) };
            let is_negative = (turn.flip_x && u % 2 == 1) != (turn.flip_y && v % 2 == 1);
            let value = self.numbers[index(u, v)] * UNIT;
            *number = (if is_negative { -value } else { value }).round() as i8;
        }
        Vector(vector)
    }
}

/// A region that is looked at.
struct LowFrequencyCache<'a> {
    plane: &'a Plane,
    region: &'a Affine,
    gain: f32,
}

impl Kernel for LowFrequencyCache<'_> {
    type Out = Option<LowFrequencies>;

    #[inline(always)]
    fn run<E: F32x8>(self) -> Option<LowFrequencies> {
        let LowFrequencyCache { plane, region, gain } = self;
        let mut low = [[0.0f32; HIGHEST + 1]; HIGHEST + 1];
        let mut values = Vec::with_capacity(SAMPLES * SAMPLES);
        plane.sample(region, SAMPLES, &mut values);
        if gain != 1.0 {
            values.iter_mut().for_each(|value| *value = (*value * gain).min(255.0));
        }
        for (row, down) in values.chunks_exact(SAMPLES).zip(BASIS.iter()) {
            let mut across = [0.0f32; HIGHEST + 1];
            for (value, basis) in row.iter().zip(BASIS.iter()) {
                for (sum, weight) in across.iter_mut().zip(basis) {
                    *sum += value * weight;
                }
            }
            for (low, weight) in low.iter_mut().zip(down) {
                for (low, value) in low.iter_mut().zip(across) {
                    *low += value * weight;
                }
            }
        }
        let frequencies = FREQUENCIES.iter();
        let plain: f32 = frequencies.clone().map(|&(u, v)| low[v][u] * low[v][u]).sum();
        if plain.sqrt() < LEAST_CONTRAST * SAMPLES as f32 {
            return None;
        }
        // Images have less of the higher frequencies; each shall count about alike.
        let weighted =
            |&(u, v): &(usize, usize)| low[v][u] * ((u * u + v * v) as f32).sqrt().sqrt();
        let mut numbers: Vec<f32> = frequencies.map(weighted).collect();
        let length = numbers.iter().map(|value| value * value).sum::<f32>().sqrt();
        numbers.iter_mut().for_each(|value| *value /= length);
        Some(LowFrequencies { numbers })
    }
}

/// Where the frequencies stand in [`FREQUENCIES`].
fn index(across: usize, down: usize) -> usize {
    // Row after row, each one shorter than the one before; (0, 0) is left out.
    (0..down).map(|row| HIGHEST + 1 - row).sum::<usize>() + across - 1
}

/// How far from zero a lean may be and yet be the other way in a copy.
const DOUBT: f32 = 0.10;
/// Sides of the windows, as shares of the image's, and positions along each side.
const WINDOWS: [(f64, usize); 2] = [(0.92, 2), (0.84, 3)];
/// Side of the middle part that is compared under small turns.
const MIDDLE: f64 = 0.82;
/// Side of the core, which a mark in a corner leaves as it is.
const CORE: f64 = 0.5;
/// How much brighter images are looked for, too: between little that needs nothing and much that leaves nothing.
const BRIGHTER: f32 = 1.4;
/// The cosine from which a brightened image is found as it is.
const MUCH_THE_SAME: f32 = 0.95;
/// The small turns, in degrees.
const TILTS: [f64; 4] = [-8.0, -4.0, 4.0, 8.0];

fn window(side: f64, x: f64, y: f64) -> Affine {
    Affine([side, 0.0, x, 0.0, side, y])
}

/// The middle, tilted; `aspect` is width over height.
fn tilted(degrees: f64, aspect: f64) -> Affine {
    let (sin, cos) = degrees.to_radians().sin_cos();
    window(MIDDLE, 0.0, 0.0).then(Affine([cos, -sin / aspect, 0.0, sin * aspect, cos, 0.0]))
}

/// An image, and what lies within its border.
#[derive(Clone, Debug)]
pub struct ImagePyramid {
    /// All of it.
    pub all: Planes,
    /// Where its content lies; none where there is no border.
    pub content: Option<Region>,
    /// Width over height.
    pub aspect: f32,
    /// The share of it that is of its most frequent colour, 0 to 1; 1 where that is not known.
    pub plain: f32,
    /// All of it with the border painted over, once somebody has asked for that.
    unbordered: OnceLock<Box<Planes>>,
}

impl ImagePyramid {
    /// The image of a thumbnail; `aspect` is its width over its height, `plain` the share of its most frequent
    /// colour.
    pub fn new(thumbnail: Thumbnail, aspect: f32, plain: f32) -> Self {
        let all = Planes::new(thumbnail);
        let (content, unbordered) = (Region::within_border(&all), OnceLock::new());
        ImagePyramid { all, content, aspect, plain, unbordered }
    }

    /// Where its content lies: all of it where there is no border.
    pub fn content(&self) -> Region {
        self.content.unwrap_or(Region::WHOLE)
    }

    /// The planes that a view shows.
    pub(super) fn planes(&self, is_content: bool) -> &Planes {
        match &self.content {
            Some(region) if is_content => {
                self.unbordered.get_or_init(|| Box::new(self.all.within(region)))
            }
            _ => &self.all,
        }
    }
}

/// What is looked for: the whole image, what is within its border, and its middle, each in every
/// position that its copy may be taken for.
pub fn query_views(prepared: &ImagePyramid) -> Vec<View> {
    let all = Affine::IDENTITY;
    let content = prepared.content.as_ref().map(Region::map);
    let brighter = clipped(&prepared.all.half).map(|look| (look, all, all, false));
    let regions = [
        Some((all, all, false)),
        content.map(|content| (content, content, true)),
        Some((window(MIDDLE, 0.0, 0.0), all, false)),
        Some((window(CORE, 0.0, 0.0), all, false)),
    ];
    let looks = regions.into_iter().flatten().filter_map(|(region, whole, is_content)| {
        let look = LowFrequencies::new(&prepared.planes(is_content).half, &region)?;
        Some((look, region, whole, is_content))
    });
    let views = looks.chain(brighter).flat_map(|(look, region, whole, is_content)| {
        let turns = look.canonical_turns(DOUBT).into_iter();
        let views = turns.map(|turn| View {
            map: turn.map().then(region),
            whole,
            is_content,
            vector: look.turned(turn),
        });
        views.collect::<Vec<_>>()
    });
    views.collect()
}

/// How an image looks once it was brightened until much of it is clipped. None where that looks much the same.
fn clipped(plane: &Plane) -> Option<LowFrequencies> {
    let plain = LowFrequencies::new(plane, &Affine::IDENTITY)?;
    let clipped = LowFrequencies::brighter(plane, &Affine::IDENTITY, BRIGHTER)?;
    let alike: f32 = plain.numbers.iter().zip(&clipped.numbers).map(|(a, b)| a * b).sum();
    (alike < MUCH_THE_SAME).then_some(clipped)
}

/// What is looked among: the whole image, what is within its border, the windows that a crop may
/// show, and its middle under small turns, each in its normal position.
pub fn index_views(prepared: &ImagePyramid) -> Vec<View> {
    let mut regions = vec![(Affine::IDENTITY, false)];
    regions.extend(prepared.content.as_ref().map(|region| (region.map(), true)));
    for (side, positions) in WINDOWS {
        let place = |at: usize| (1.0 - side) * (at as f64 / (positions - 1) as f64 - 0.5);
        for y in 0..positions {
            regions.extend((0..positions).map(|x| (window(side, place(x), place(y)), false)));
        }
    }
    regions.push((window(CORE, 0.0, 0.0), false));
    regions.extend(TILTS.iter().map(|&degrees| (tilted(degrees, prepared.aspect.into()), false)));
    let views = regions.into_iter().filter_map(|(region, is_content)| {
        let look = LowFrequencies::new(&prepared.planes(is_content).half, &region)?;
        let turn = look.canonical_turns(0.0)[0];
        let (map, vector) = (turn.map().then(region), look.turned(turn));
        Some(View { map, whole: region, is_content, vector })
    });
    views.collect()
}

/// The whole image as it stands. None when it shows nothing.
pub fn whole_view(prepared: &ImagePyramid) -> Option<Vector> {
    Some(LowFrequencies::new(&prepared.all.half, &Affine::IDENTITY)?.turned(Turn::default()))
}

/// How alike two images are as they stand, as burst frames are: the cosine of their whole
/// views, -1 to 1. None when one of them shows nothing.
pub fn moment(a: &ImagePyramid, b: &ImagePyramid) -> Option<f32> {
    Some(cosine(whole_view(a)?.product(&whole_view(b)?)).min(1.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measuring::{CHROMA_PX, LUMA_PX};
    use proptest::prelude::*;

    /// An image of coarse blocks, each pixel of it fetched from where `turn` brings it.
    fn blocks(levels: &[u8], turn: Turn) -> Planes {
        let luma = (0..LUMA_PX * LUMA_PX).map(|at| {
            let (mut x, mut y) = (at % LUMA_PX, at / LUMA_PX);
            if turn.transpose {
                (x, y) = (y, x);
            }
            let (x, y) = (
                if turn.flip_x { LUMA_PX - 1 - x } else { x },
                if turn.flip_y { LUMA_PX - 1 - y } else { y },
            );
            levels[y / 6 * 8 + x / 6]
        });
        Planes::new(Thumbnail(luma.chain([128; 2 * CHROMA_PX * CHROMA_PX]).collect()))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn turned_views_are_views_of_turned_pictures(
            levels in prop::collection::vec(any::<u8>(), 64), ways in any::<[bool; 3]>(),
        ) {
            let turn = Turn { flip_x: ways[0], flip_y: ways[1], transpose: ways[2] };
            let look = |turn| LowFrequencies::new(&blocks(&levels, turn).half, &Affine::IDENTITY);
            let (Some(look), Some(other)) = (look(Turn::default()), look(turn)) else {
                return Ok(());
            };
            let (here, there) = (look.turned(turn), other.turned(Turn::default()));
            for (a, b) in here.0.iter().zip(there.0) {
                prop_assert!(a.abs_diff(b) <= 1, "{here:?} {there:?}");
            }
            // And in the normal position both are one.
            let normal = |look: &LowFrequencies| look.turned(look.canonical_turns(0.0)[0]);
            let alike = normal(&look).product(&normal(&other));
            let is_unsure = look.canonical_turns(0.01).len() > 1;
            prop_assert!(is_unsure || cosine(alike) > 0.98);
        }

        #[test]
        fn burnt_out_and_marked_copies_are_found(levels in prop::collection::vec(30u8..250, 64), corner in 0usize..4) {
            let planes = blocks(&levels, Turn::default());
            let changed = |change: &dyn Fn(usize, usize, f32) -> f32| {
                let level = |at: usize| {
                    let (row, column) = (at / LUMA_PX, at % LUMA_PX);
                    change(row, column, planes.luma().level(row, column).into()) as u8
                };
                let luma = (0..LUMA_PX * LUMA_PX).map(level);
                let bytes = luma.chain([128; 2 * CHROMA_PX * CHROMA_PX]).collect();
                ImagePyramid::new(Thumbnail(bytes), 1.0, 0.0)
            };
            let image = changed(&|_, _, level| level);
            let quarter = |at: usize, far: bool| if far { at >= LUMA_PX * 3 / 4 } else { at < LUMA_PX / 4 };
            let brighter = changed(&|_, _, level| (level * 1.5).min(255.0));
            let marked = changed(&|row, column, level| {
                let is_marked = quarter(row, corner & 1 > 0) && quarter(column, corner & 2 > 0);
                if is_marked { 255.0 - level } else { level }
            });
            let wanted = query_views(&image);
            let cores = |views: &[View]| views.iter().filter(|view| view.is_core()).count();
            prop_assert!(cores(&wanted) > 0 && cores(&wanted) < wanted.len());
            prop_assert_eq!(cores(&index_views(&image)), 1);
            for (what, copy) in [("brighter", &brighter), ("marked", &marked)] {
                let among = index_views(copy);
                let products = wanted
                    .iter()
                    .flat_map(|view| among.iter().map(|other| view.vector.product(&other.vector)));
                prop_assert!(products.max().unwrap() >= least_product(), "{what}");
            }
        }

        #[test]
        fn products_of_many_are_those_of_each(
            wanted in prop::collection::vec(any::<i8>(), DIMENSIONS),
            others in prop::collection::vec(prop::collection::vec(any::<i8>(), DIMENSIONS), 0..9),
        ) {
            let vector = |numbers: &Vec<i8>| Vector(std::array::from_fn(|at| numbers[at]));
            let (wanted, others): (_, Vec<Vector>) =
                (vector(&wanted), others.iter().map(vector).collect());
            let mut products = vec![0; others.len()];
            wanted.products(&others, &mut products);
            let each: Vec<i32> = others.iter().map(|other| wanted.product(other)).collect();
            prop_assert_eq!(products, each);
        }
    }
}
