//! What a search found.

use serde::{Deserialize, Serialize};

use super::image_set::ImageRef;
use super::kind::{Kind, POSSIBLE};
use super::null_model::SimilarityThreshold;
use super::prefer::Prefer;
use super::request::Reach;

/// Two images that are there twice, or alike.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Pair {
    /// The number of the first in [`DuplicateReport::images`]; the smaller one.
    pub a: u32,
    /// The number of the second.
    pub b: u32,
    /// In which way they go together.
    pub kind: Kind,
    /// For duplicates and look-alikes the chance that both show the same image, for bursts the
    /// cosine of their looks; 0 to 1.
    pub score: f32,
    /// Whether one can be made again from the other, or they have the same pixels: what no likeness proves.
    pub is_replayed: bool,
}

impl Pair {
    /// Whether these may well be copies, and are not known to be: not to be parted, and not to be dropped.
    pub fn may_be_copies(&self) -> bool {
        !self.kind.is_dependent() && self.score >= POSSIBLE
    }
}

/// What was found.
pub struct DuplicateReport<'a> {
    /// All images that were compared.
    pub images: Vec<ImageRef<'a>>,
    /// Pairs that were verified one by one, sorted by their numbers. In sets of more than 256 images
    /// with nearly the same fingerprint only those with the one that stands for them.
    pub pairs: Vec<Pair>,
    /// The groups that the pairs make, worst first: label conflicts, then across splits, then by
    /// size. Copies come before bursts, bursts before variants of one design, and those before look-alikes.
    pub groups: Vec<Group>,
    /// Pairs of images that are burst frames by their running names, not by their times; sorted.
    pub by_name: Vec<(u32, u32)>,
    /// How far was looked.
    pub reach: Reach,
    /// How alike different images of the collection get, of small ones or of others, whichever are more; none where only
    /// bytes and pixels were compared.
    pub level: Option<SimilarityThreshold>,
    /// How many images are small, so that only their bytes and pixels were compared.
    pub small: u64,
}

/// Images that go together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Group {
    /// The least sure kind in it.
    pub kind: Kind,
    /// The least score in it.
    pub score: f32,
    /// Whether its images have different classes.
    pub label_conflict: bool,
    /// Whether its images are in different splits.
    pub across_splits: bool,
    /// Its images, the best one first.
    pub members: Vec<Member>,
    /// What decided between that one and the next; none where only their paths did, or where all are kept, since they are
    /// no copies.
    pub keep_reason: Option<Prefer>,
}

/// Images from which variants of one design are a series.
const SERIES: usize = 6;

impl DuplicateReport<'_> {
    /// How two images were found to go together by comparing them with each other; none where they were not.
    pub fn link(&self, a: u32, b: u32) -> Option<Pair> {
        let digest = |image: u32| self.images[image as usize].measured.digest;
        let (a, b) = (a.min(b), a.max(b));
        if digest(a) == digest(b) {
            return Some(Pair { a, b, kind: Kind::SameBytes, score: 1.0, is_replayed: true });
        }
        let at = self.pairs.binary_search_by_key(&(a, b), |pair| (pair.a, pair.b)).ok()?;
        Some(self.pairs[at])
    }
}

impl Group {
    /// Whether it holds more than a handful of variants of one design, which are reported once.
    pub fn is_series(&self) -> bool {
        self.kind.is_variant() && self.members.len() >= SERIES
    }
}

/// An image of a group.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Member {
    /// Its number in [`DuplicateReport::images`].
    pub image: u32,
    /// Whether it is to be kept: of copies the best one and those that were not compared with it or another that is kept;
    /// of others all. An image that is in several groups has the same in each.
    pub keep: bool,
    /// How it goes with the image that the group was built around; that one itself has none.
    pub kind: Option<Kind>,
    /// The score of that.
    pub score: Option<f32>,
    /// Its pixels, borders left out.
    pub content_px: u64,
    /// The size of the smallest file with its pixels, in bytes: more are but a comment, or another container.
    pub least_bytes: u64,
    /// How many of the others can be made again from it, of those that were tried.
    pub makes: u8,
    /// In how many ways it departs from what the copies of its group have in common; 0 for what is no copy.
    pub departures: u8,
}
