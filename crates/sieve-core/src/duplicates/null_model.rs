//! How alike different images of this collection get: what a copy must be above.
//!
//! Two stars of one series, two skies, two pages of one book are as alike as copies of a photograph are. So pairs
//! of different images are sampled, and the upper end of how alike they are is modelled as an exponential tail,
//! which is what the likeness `-ln(1 - r)` of unrelated images has whatever their kind (Pickands, Statistical
//! inference using extreme order statistics, 1975). A copy is more alike than is expected of the most alike of all
//! pairs of different images.

use std::collections::{BTreeMap, HashSet};

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::Error;
use crate::affine::Affine;
use crate::disjoint_sets::DisjointSets;
use crate::likeness::{Descriptor, ImagePyramid, Vector, whole_view};
use crate::measuring::Digest;
use crate::progress::Progress;

/// Images that are sampled at most: half a million pairs, a second of work.
const SAMPLED: usize = 1024;
/// Images from which a collection speaks for itself: some 1,800 pairs, of which the 30 most alike show a tail.
const LEAST: usize = 60;
/// The share of all pairs that is taken for the tail, and pairs that it has at least.
const TAIL: f64 = 1e-3;
/// The same where copies may be among them: half of a collection of some thousands makes up a tenth of this.
const WIDE_TAIL: f64 = 5e-3;
const LEAST_TAIL: usize = 30;
/// The images most like one that are taken for its own tail.
const NEAREST: usize = 20;
/// Images like the two of a pair that it is compared with, by the choice of their number: of so many less than one is
/// expected to be as alike.
const SURROUNDING: f64 = 500.0;
/// What stands in where a collection has too few images to tell. A round value: most pairs of such a collection stay below
/// a correlation of 0.8. It was not fitted.
const PRIOR: Tail = Tail { from: 1.6, scale: 0.22, pairs: 1e-3 };

/// The upper end of how alike different images are: of so many pairs, one in `e` is `scale` more alike than
/// `from`.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Tail {
    /// The likeness from which it begins.
    from: f32,
    /// How fast it falls.
    scale: f32,
    /// The share of all pairs that are in it.
    pairs: f64,
}

impl Tail {
    /// Of the greatest of `likenesses`, which are `share` of all pairs.
    fn new(mut greatest: Vec<f32>, share: f64) -> Self {
        greatest.sort_unstable_by(f32::total_cmp);
        let from = greatest.first().copied().unwrap_or_default();
        // The median of an exponential excess is its mean times ln 2; copies that were not known to be some move
        // it less than they move the mean.
        let excess = greatest.get(greatest.len() / 2).map_or(0.0, |middle| middle - from);
        Tail { from, scale: (excess / std::f32::consts::LN_2).max(0.02), pairs: share }
    }

    /// The likeness beyond which less than one of `pairs` pairs is expected.
    fn cut(&self, pairs: f64) -> f32 {
        self.from + self.scale * (self.pairs * pairs).max(1.0).ln() as f32
    }
}

/// How alike different images of a collection get.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct SimilarityThreshold {
    /// The correlation that less than one pair of different images is expected to reach, 0 to 1.
    pub correlation: f32,
    /// Whether the collection told it; with too few images what other collections have stands in.
    pub is_estimated: bool,
}

/// The images of a collection that are compared, and those of them that are sampled.
pub struct Sample<'a> {
    /// The first file of each content.
    pub leaders: &'a [u32],
    /// Some of them.
    pub sample: Vec<u32>,
    /// The share of all pairs that is taken for the tail.
    tail: f64,
}

impl<'a> Sample<'a> {
    /// Of `leaders`. By their digests, which know nothing of names: a fair sample, and the same one in every order of
    /// files.
    pub fn new(leaders: &'a [u32], digest: impl Fn(u32) -> Digest) -> Self {
        let mut sampled: Vec<(Digest, u32)> =
            leaders.iter().map(|&index| (digest(index), index)).collect();
        if sampled.len() > SAMPLED {
            sampled.select_nth_unstable(SAMPLED);
            sampled.truncate(SAMPLED);
        }
        sampled.sort_unstable();
        let sample = sampled.into_iter().map(|(_, index)| index).collect();
        Sample { leaders, sample, tail: TAIL }
    }

    /// The same where copies are still among them, known by nothing.
    pub fn with_copies(self) -> Self {
        Sample { tail: WIDE_TAIL, ..self }
    }
}

/// The shapes of all images, to find those most like one.
struct Around {
    indices: Vec<u32>,
    vectors: Vec<Vector>,
}

impl Around {
    /// Of `leaders`, as far as they are loaded.
    fn new<'s>(
        leaders: &[u32],
        image_at: &(impl Fn(u32) -> Option<&'s ImagePyramid> + Sync),
    ) -> Self {
        let seen: Vec<(u32, Vector)> = leaders
            .par_iter()
            .filter_map(|&index| Some((index, whole_view(image_at(index)?)?)))
            .collect();
        let (indices, vectors) = seen.into_iter().unzip();
        Around { indices, vectors }
    }

    /// The [`NEAREST`] images most like `image`, of those that `is_other` allows.
    fn nearest(
        &self,
        image: &ImagePyramid,
        is_other: impl Fn(u32) -> bool,
        products: &mut Vec<i32>,
    ) -> Vec<u32> {
        let Some(own) = whole_view(image) else { return Vec::new() };
        products.resize(self.vectors.len(), 0);
        own.products(&self.vectors, products);
        let mut all: Vec<(i32, u32)> =
            products.iter().copied().zip(self.indices.iter().copied()).collect();
        // Copies of one image may stand before all others.
        let mut kept = Vec::with_capacity(NEAREST);
        let mut asked = 2 * NEAREST;
        let mut from = 0;
        while kept.len() < NEAREST && from < all.len() {
            let to = asked.min(all.len());
            if to < all.len() {
                all[from..].select_nth_unstable_by_key(to - from - 1, |&(product, index)| {
                    (-product, index)
                });
            }
            all[from..to].sort_unstable_by_key(|&(product, index)| (-product, index));
            let others = all[from..to].iter().map(|&(_, index)| index).filter(|&one| is_other(one));
            kept.extend(others.take(NEAREST - kept.len()));
            (from, asked) = (to, 2 * asked);
        }
        kept
    }
}

/// How alike different images get.
pub struct NullModel {
    /// The likeness that no pair of different images of the whole collection is expected to reach.
    pub all: f32,
    /// Whether that was recognised by the collection itself.
    pub is_estimated: bool,
    /// The same of each image that was asked for, from those most like it.
    own: BTreeMap<u32, f32>,
}

impl NullModel {
    /// Of the images that `of` names. `alike` are pairs that may be copies: of all that they join only one is
    /// sampled. `asked` are the images whose own surroundings are looked at.
    ///
    /// # Errors
    ///
    /// When `progress` asks to stop.
    pub fn new<'s>(
        of: &Sample<'_>,
        image_at: impl Fn(u32) -> Option<&'s ImagePyramid> + Sync,
        alike: impl Iterator<Item = (u32, u32)>,
        asked: &[u32],
        progress: &dyn Progress,
    ) -> Result<Self, Error> {
        let most = of.leaders.iter().chain(asked).max().map_or(0, |most| most + 1);
        let mut sets = DisjointSets::new(most as usize);
        alike.for_each(|(a, b)| sets.union(a, b));
        let all: HashSet<u32> = of.leaders.iter().map(|&index| sets.find(index)).collect();
        let all = all.len();
        let mut seen = HashSet::new();
        let mut different = of.sample.clone();
        different.retain(|&index| seen.insert(sets.find(index)));
        let outline = |index: u32| image_at(index).map(Descriptor::new);
        let sample: Vec<(u32, Descriptor)> =
            different.par_iter().filter_map(|&index| Some((index, outline(index)?))).collect();
        let pairs = all as f64 * (all as f64 - 1.0) / 2.0;
        let is_estimated = sample.len() >= LEAST;
        let tail = if is_estimated { tail(&sample, of.tail) } else { PRIOR };
        let whole = tail.cut(pairs);
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        let around = Around::new(of.leaders, &image_at);
        let set: Vec<u32> = (0..most).map(|index| sets.find(index)).collect();
        let own = |products: &mut Vec<i32>, &index: &u32| -> Option<(u32, f32)> {
            if !is_estimated || progress.stopped() {
                return Some((index, whole));
            }
            let image = image_at(index)?;
            let is_other = |other: u32| set[other as usize] != set[index as usize];
            let others = around.nearest(image, is_other, products);
            let mine = Descriptor::new(image);
            let likenesses =
                others.into_iter().filter_map(|other| Some(mine.likeness(&outline(other)?)));
            let tail = Tail::new(likenesses.collect(), NEAREST as f64);
            // Whatever else there is: what is unlike an image says nothing of it.
            Some((index, tail.cut(SURROUNDING)))
        };
        let own = asked.par_iter().map_init(Vec::new, own).flatten().collect();
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        Ok(NullModel { all: whole, is_estimated, own })
    }

    /// What of it is reported to people.
    pub fn summary(&self) -> SimilarityThreshold {
        SimilarityThreshold {
            correlation: 1.0 - (-self.all).exp(),
            is_estimated: self.is_estimated,
        }
    }

    /// By how much two images, one laid over the other by `map`, are more alike than different ones get around them.
    pub fn excess(&self, [a, b]: [u32; 2], shown: [&ImagePyramid; 2], map: &Affine) -> f32 {
        let own = |index: u32| self.own.get(&index).copied().unwrap_or(self.all);
        Descriptor::of_pair(shown, map) - own(a).max(own(b))
    }
}

/// The tail of all pairs of `sample`.
fn tail(sample: &[(u32, Descriptor)], share: f64) -> Tail {
    let count = sample.len() * (sample.len() - 1) / 2;
    let kept = ((count as f64 * share) as usize).max(LEAST_TAIL);
    let of_one = |place: usize| {
        let (_, one) = &sample[place];
        let others = sample[..place].iter().map(|(_, other)| one.likeness(other)).collect();
        greatest(others, kept)
    };
    let likenesses: Vec<f32> = (0..sample.len()).into_par_iter().flat_map_iter(of_one).collect();
    Tail::new(greatest(likenesses, kept), kept as f64 / count as f64)
}

/// The `count` greatest of `values`, in no order.
fn greatest(mut values: Vec<f32>, count: usize) -> Vec<f32> {
    if values.len() > count {
        values.select_nth_unstable_by(count, |a, b| b.total_cmp(a));
        values.truncate(count);
    }
    values
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Likenesses that fall off by `scale` from 0 on, `count` of them in even steps of chance.
    fn falling(scale: f32, count: usize) -> Vec<f32> {
        (1..=count).map(|at| -scale * (at as f32 / count as f32).ln()).collect()
    }

    proptest! {
        #[test]
        fn less_than_one_pair_is_expected_beyond_the_cut(scale in 0.1f32..0.6, times in 2usize..40) {
            // A sample of a thousand pairs of a collection with so many times as many.
            let all = falling(scale, 1000 * times);
            let sample: Vec<f32> = all.iter().copied().step_by(times).collect();
            let cut = Tail::new(greatest(sample.clone(), 50), 0.05).cut(all.len() as f64);
            let beyond = all.iter().filter(|likeness| **likeness > cut).count();
            prop_assert!(beyond <= 3, "{beyond}");
            // And not far beyond the greatest of them: a copy need not be more alike than that.
            let most = all.iter().copied().fold(0.0, f32::max);
            prop_assert!(cut < most + 2.0 * scale, "{cut} {most}");
            // A few copies that are not known to be some move it a little.
            let mut with_copies = sample;
            with_copies.extend([9.0; 3]);
            let moved = Tail::new(greatest(with_copies, 50), 0.05).cut(all.len() as f64);
            prop_assert!(moved - cut < 2.0 * scale, "{moved} {cut}");
        }

        #[test]
        fn a_sample_is_the_same_in_every_order(seed in any::<u32>(), count in 1usize..3000) {
            let digest = |index: u32| Digest(*blake3::hash(&(index ^ seed).to_le_bytes()).as_bytes());
            let leaders: Vec<u32> = (0..count as u32).collect();
            let backward: Vec<u32> = leaders.iter().rev().copied().collect();
            let (one, other) = (Sample::new(&leaders, digest), Sample::new(&backward, digest));
            prop_assert_eq!(&one.sample, &other.sample);
            prop_assert_eq!(one.sample.len(), count.min(SAMPLED));
        }
    }
}
