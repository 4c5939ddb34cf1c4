//! An image in a few hundred numbers, to tell how alike any two images are.

use super::view::ImagePyramid;
use crate::affine::Affine;

/// Samples of luma and of each chroma along a side.
const LUMA: usize = 24;
const CHROMA: usize = 8;
const NUMBERS: usize = LUMA * LUMA + 2 * CHROMA * CHROMA;
/// What a sample of chroma counts: there are nine times as many of luma, which vary twice as much.
const COLOUR: f32 = 3.0;
/// Levels of each number that are put down to chance: two blank images are not alike.
const CHANCE: f32 = 1.0;
/// The greatest correlation that is told from 1.
const MOST: f32 = 0.9999;

/// Luma and chroma of an image around their means, of unit length together.
#[derive(Clone, Debug)]
pub struct Descriptor(Vec<f32>);

impl Descriptor {
    /// Of the whole image.
    pub fn new(prepared: &ImagePyramid) -> Self {
        let (mut luma, mut blue, mut red) = (Vec::new(), Vec::new(), Vec::new());
        let planes = &prepared.all;
        planes.half.sample(&Affine::IDENTITY, LUMA, &mut luma);
        planes.chroma[0].sample(&Affine::IDENTITY, CHROMA, &mut blue);
        planes.chroma[1].sample(&Affine::IDENTITY, CHROMA, &mut red);
        let inside = [vec![1.0; LUMA * LUMA], vec![1.0; CHROMA * CHROMA]];
        Descriptor(unit([luma, blue, red], &inside))
    }

    /// How alike two images are: `-ln(1 - r)`, where `r` is the cosine of their numbers.
    pub fn likeness(&self, other: &Descriptor) -> f32 {
        let mut lanes = [0.0f32; 8];
        for (a, b) in self.0.as_chunks::<8>().0.iter().zip(other.0.as_chunks::<8>().0) {
            for lane in 0..8 {
                lanes[lane] += a[lane] * b[lane];
            }
        }
        likeness(lanes.iter().sum())
    }

    /// How alike they are where `map` lays the first over the second.
    pub fn of_pair([first, second]: [&ImagePyramid; 2], map: &Affine) -> f32 {
        // What shows less is laid over what shows more.
        let [a, b, _, d, e, _] = map.0;
        let (part, whole, map) = match map.inverse() {
            Some(back) if (a * e - b * d).abs() > 1.0 => (second, first, back),
            _ => (first, second, *map),
        };
        let mut lists: [Vec<f32>; 6] = [0; 6].map(|_| Vec::new());
        let (mut inside, mut inner) = (Vec::new(), Vec::new());
        let [luma, blue, red, other, other_blue, other_red] = &mut lists;
        part.all.half.sample(&Affine::IDENTITY, LUMA, luma);
        part.all.chroma[0].sample(&Affine::IDENTITY, CHROMA, blue);
        part.all.chroma[1].sample(&Affine::IDENTITY, CHROMA, red);
        whole.all.half.sample_inside(&map, LUMA, other, &mut inside);
        whole.all.chroma[0].sample_inside(&map, CHROMA, other_blue, &mut inner);
        whole.all.chroma[1].sample(&map, CHROMA, other_red);
        let inside = [inside, inner];
        let [luma, blue, red, other, other_blue, other_red] = lists;
        let first = Descriptor(unit([luma, blue, red], &inside));
        first.likeness(&Descriptor(unit([other, other_blue, other_red], &inside)))
    }
}

fn likeness(cosine: f32) -> f32 {
    -(1.0 - cosine.clamp(0.0, MOST)).ln()
}

/// Luma around its mean and chroma around grey, of unit length together where `inside` is not 0.
fn unit([luma, blue, red]: [Vec<f32>; 3], inside: &[Vec<f32>; 2]) -> Vec<f32> {
    let weight: f32 = inside[0].iter().sum();
    let sum: f32 = luma.iter().zip(&inside[0]).map(|(level, inside)| level * inside).sum();
    let mean = sum / weight.max(1.0);
    let around = luma.iter().zip(&inside[0]).map(|(level, inside)| (level - mean) * inside);
    let chroma = |plane: Vec<f32>| {
        let levels = plane.into_iter().zip(&inside[1]);
        levels.map(|(level, inside)| (level - 128.0) * COLOUR * inside).collect::<Vec<f32>>()
    };
    let mut numbers: Vec<f32> = around.collect();
    numbers.extend(chroma(blue));
    numbers.extend(chroma(red));
    debug_assert_eq!(numbers.len(), NUMBERS);
    let square: f32 = numbers.iter().map(|number| number * number).sum();
    let length = (square + CHANCE * weight).sqrt().max(f32::MIN_POSITIVE);
    numbers.iter_mut().for_each(|number| *number /= length);
    numbers
}
