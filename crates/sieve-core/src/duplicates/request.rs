//! What is looked for, and how far.

use super::image_set::ImageRef;
use super::kind::Kind;

/// How far to look.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// Same bytes and same pixels: as long as reading a list.
    Exact,
    /// Also copies whose fingerprints stay near: saved again, resized, mirrored, turned by quarters.
    Near,
    /// Also crops, borders, tilts and strong changes: some milliseconds an image.
    Wide,
}

/// Images up to which the reach is wide when nothing else was asked for: minutes on a laptop.
const WIDE_UP_TO: usize = 50_000;

impl Reach {
    /// The default reach for a collection of `images`.
    pub fn usual(images: usize) -> Self {
        if images <= WIDE_UP_TO { Reach::Wide } else { Reach::Near }
    }

    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Reach::Exact => "exact",
            Reach::Near => "near",
            Reach::Wide => "wide",
        }
    }
}

/// Which images are compared with which.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Within {
    /// All with all.
    #[default]
    All,
    /// Those of one class.
    Class,
    /// Those of one split.
    Split,
    /// Those of one collection with those of another.
    Across,
}

impl Within {
    pub(super) fn allows(self, a: &ImageRef<'_>, b: &ImageRef<'_>) -> bool {
        match self {
            Within::All => true,
            Within::Class => a.record.class() == b.record.class(),
            Within::Split => a.record.split() == b.record.split(),
            Within::Across => a.collection != b.collection,
        }
    }

    /// Whether two images are compared at all. Those of other classes or splits are: their copies may be allowed.
    pub(super) fn compares(self, a: &ImageRef<'_>, b: &ImageRef<'_>) -> bool {
        self != Within::Across || a.collection != b.collection
    }
}

/// What is looked for.
#[derive(Clone, Debug, Default)]
pub struct Request {
    /// How far to look; none for what suits the number of images.
    pub reach: Option<Reach>,
    /// What is compared with what.
    pub within: Within,
    /// The kinds that are wanted; none for all.
    pub kinds: Vec<Kind>,
}
