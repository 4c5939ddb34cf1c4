//! What `duplicates` says.

mod csv;
mod json;
mod sheet;
mod text;

pub use csv::pairs;
pub use sheet::{rows, title};

use sieve_core::collection::Root;
use sieve_core::duplicates::{
    CollectionRef, DuplicateReport, Group, ImageRef, Kind, Member, Pair, Prefer,
};
use sieve_core::record::Record;

use super::{Reply, TableReply};
use crate::config::CollectionConfig;

/// What was asked and what was found.
pub struct Duplicates<'a> {
    /// The other collection, where one is compared with it.
    pub against: Option<&'a Root>,
    /// The word for what is compared with what.
    pub within: &'static str,
    /// The kinds that were asked for; none for all.
    pub kinds: &'a [Kind],
    /// Whether everything is listed.
    pub all: bool,
    /// Whether a sheet was written.
    pub has_sheet: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// The collections.
    pub collections: &'a [CollectionRef<'a>],
    /// What was found.
    pub found: &'a DuplicateReport<'a>,
}

impl<'a> Duplicates<'a> {
    fn image(&self, number: u32) -> &ImageRef<'a> {
        &self.found.images[number as usize]
    }

    fn record(&self, member: &Member) -> &'a Record {
        self.image(member.image).record
    }

    /// The path of an image; of several collections each image's is told apart by its root.
    fn path(&self, number: u32) -> String {
        let image = self.image(number);
        let path = image.record.path.as_str();
        if self.collections.len() < 2 {
            return path.to_owned();
        }
        format!("{}/{path}", self.collections[image.collection].catalog.collection.name())
    }

    /// The pairs that are acted on, and look-alikes where they were asked for.
    fn pairs(&self) -> impl Iterator<Item = &'a Pair> {
        let with_alike = self.kinds.contains(&Kind::LookAlike);
        self.found.pairs.iter().filter(move |pair| with_alike || pair.kind != Kind::LookAlike)
    }
}

/// Whether two images of this kind lie on each other as they are, so that it can be seen where they differ: not those that
/// are turned, framed or parts, nor those that do not differ.
pub fn lie_on_each_other(kind: Kind) -> bool {
    matches!(kind, Kind::Near | Kind::Marked | Kind::Recoloured | Kind::Variant)
}

/// What is wrong with a group, the worst first: the order in which groups are shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Concern {
    Conflict,
    Leak,
    Copies,
    Burst,
    Variants,
    Alike,
}

impl Concern {
    /// The worst first.
    pub const ALL: [Concern; 6] = [
        Concern::Conflict,
        Concern::Leak,
        Concern::Copies,
        Concern::Burst,
        Concern::Variants,
        Concern::Alike,
    ];

    /// Classes and splits of two collections say nothing about each other.
    pub fn new(group: &Group, is_one: bool) -> Self {
        match group.kind {
            Kind::Burst => Concern::Burst,
            Kind::Recoloured | Kind::Variant => Concern::Variants,
            Kind::LookAlike => Concern::Alike,
            _ if is_one && group.label_conflict => Concern::Conflict,
            _ if is_one && group.across_splits => Concern::Leak,
            _ => Concern::Copies,
        }
    }

    /// What its groups have in common.
    pub fn title(self) -> &'static str {
        match self {
            Concern::Conflict => "Same image under several classes",
            Concern::Leak => "Same image in several splits",
            Concern::Copies => "Duplicates",
            Concern::Burst => "Bursts: keep the frames in one split",
            Concern::Variants => {
                "Variants of one design (other colours or details): different images, kept"
            }
            Concern::Alike => "Similar, but possibly different: check by eye",
        }
    }
}

/// Why the first image of a group of copies is the one to keep; none for what are no copies.
fn reason(group: &Group) -> Option<&'static str> {
    let reason = match group.keep_reason {
        Some(Prefer::Original) => "least altered",
        Some(Prefer::Pixels) => "most pixels",
        Some(Prefer::Bytes) => "most bytes",
        Some(Prefer::Camera) => "has camera metadata",
        Some(Prefer::Oldest) => "oldest file",
        Some(Prefer::Name) => "plainest name",
        None => "first by path",
    };
    group.kind.is_duplicate().then_some(reason)
}

/// Why an image of a group is the one to keep; none for all others.
fn kept_because(group: &Group, member: &Member) -> Option<&'static str> {
    let is_first = group.members.first().is_some_and(|first| first.image == member.image);
    reason(group).filter(|_| member.keep && is_first)
}

impl Reply for Duplicates<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}

impl TableReply for Duplicates<'_> {
    fn csv(&self) -> String {
        csv::csv(self)
    }
}
