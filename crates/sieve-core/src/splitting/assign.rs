//! Dealing the pictures out.

use std::collections::{BTreeMap, HashMap};
use std::fmt;

use super::Request;
use super::quota::{ClassNeed, deficit, largest_remainder, most, quotas};
use crate::catalog::Catalog;
use crate::collection::Label;
use crate::duplicates::Found;
use crate::independent::Units;
use crate::measuring::Digest;
use crate::record::{Outcome, Record};

/// The name of a group of pictures that stay together: the first 16 hexadecimal digits of the least
/// of their digests. It depends on the content alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct GroupId(pub(super) Digest);

impl fmt::Display for GroupId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", &self.0.to_string()[..16])
    }
}

/// Which picture goes where.
#[derive(Debug)]
pub struct Assignment<'a> {
    /// The pictures that take part, in the order of their paths.
    pub images: Vec<Assigned<'a>>,
    /// The files that do not, in the order of their paths.
    pub left_out: Vec<(&'a Record, LeftOut)>,
    /// Per class, in the order of their names.
    pub classes: Vec<ClassCounts>,
    /// Pictures that each part should get of the whole collection.
    pub target: Vec<u64>,
}

/// One picture and its part.
#[derive(Debug)]
pub struct Assigned<'a> {
    /// The picture.
    pub record: &'a Record,
    /// Its class.
    pub class: &'a str,
    /// Its digest.
    pub digest: Digest,
    /// The pictures it stays together with carry the same.
    pub group: GroupId,
    /// Index of its part in the request.
    pub part: usize,
}

/// Why a file takes no part in the split.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LeftOut {
    /// It was set aside when it was read.
    SetAside,
    /// It lies in no class folder.
    NoClass,
}

/// What one class has and what its parts got.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ClassCounts {
    /// The class.
    pub class: String,
    /// Its pictures.
    pub images: u64,
    /// Its groups of pictures that stay together, those of one picture included.
    pub groups: u64,
    /// Pictures in each part.
    pub got: Vec<u64>,
}

/// Pictures that stay together.
struct Unit {
    group: GroupId,
    /// Drawn from the seed and the content.
    draw: Draw,
    /// Indices into the pictures.
    members: Vec<usize>,
    /// How many members each class has, by the class's index.
    classes: BTreeMap<usize, u64>,
}

/// Two random numbers of one group.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Draw {
    order: u64,
    part: u64,
}

impl Draw {
    fn new(seed: u64, digest: Digest) -> Self {
        let mut hasher = blake3::Hasher::new();
        hasher.update(b"mint-sieve split 1").update(&seed.to_le_bytes()).update(&digest.0);
        let hash = hasher.finalize();
        let number = |at: usize| {
            u64::from_le_bytes(hash.as_bytes()[at..at + 8].try_into().expect("8 bytes"))
        };
        Draw { order: number(0), part: number(8) }
    }
}

/// Assigns every picture of `catalog` that has a class to a part. What `found` knows to be copies or frames of one moment,
/// and what a table or name puts into one group, stays together.
///
/// Groups of several pictures are dealt first, each to a random part that still has room for it in
/// all of its classes, or to the one that lacks most. Then it is decided how many single pictures
/// each class gives to each part, and these are dealt in random order. A class with as many groups
/// as there are parts, or more, is in every part.
pub fn assign<'a>(catalog: &'a Catalog, found: &Found<'_>, request: &Request) -> Assignment<'a> {
    let (mut images, left_out) = eligible(catalog, found);
    let mut names: Vec<&str> = images.iter().map(|image| image.class).collect();
    names.sort_unstable();
    names.dedup();

    let units = units(&images, &names, request.seed);
    let mut table = Table::new(&units, names.len(), request);
    let (multi_image_groups, singles): (Vec<&Unit>, Vec<&Unit>) =
        units.iter().partition(|unit| unit.members.len() > 1);
    for unit in multi_image_groups {
        let part = table.part_for(unit);
        table.place(unit, part);
        unit.members.iter().for_each(|&member| images[member].part = part);
    }

    let quotas = quotas(&table.needs(), request.parts.weights());
    let mut room: Vec<Vec<u64>> = quotas.clone();
    for (class, room) in room.iter_mut().enumerate() {
        for (part, room) in room.iter_mut().enumerate() {
            *room -= table.got[class][part];
        }
    }
    for unit in singles {
        let room = &mut room[class_of_single(unit)];
        let part = room.iter().position(|&room| room > 0).expect("room for every picture");
        room[part] -= 1;
        images[unit.members[0]].part = part;
    }

    let classes = names
        .iter()
        .zip(quotas)
        .enumerate()
        .map(|(class, (name, got))| ClassCounts {
            class: (*name).to_owned(),
            images: table.images[class],
            groups: table.groups[class],
            got,
        })
        .collect();
    let target = largest_remainder(images.len() as u64, request.parts.weights());
    Assignment { images, left_out, classes, target }
}

/// The class of a unit of one picture.
fn class_of_single(unit: &Unit) -> usize {
    *unit.classes.keys().next().expect("a unit has a class")
}

fn eligible<'a>(
    catalog: &'a Catalog,
    found: &Found<'_>,
) -> (Vec<Assigned<'a>>, Vec<(&'a Record, LeftOut)>) {
    let (mut images, mut left_out) = (Vec::new(), Vec::new());
    let together = Units::with_groups(found);
    let units: HashMap<usize, u32> = found
        .images
        .iter()
        .enumerate()
        .map(|(number, image)| (image.index, together.unit(number)))
        .collect();
    // A group is called by the least digest in it, so that its name depends on the content alone.
    let mut names: HashMap<u32, Digest> = HashMap::new();
    let mut of = Vec::new();
    for (index, record) in catalog.records.iter().enumerate() {
        match (&record.outcome, &record.place.label) {
            (Outcome::SetAside(_), _) => left_out.push((record, LeftOut::SetAside)),
            (Outcome::Image(measured), Label::Class(class)) => {
                let digest = measured.digest;
                let name = names.entry(units[&index]).or_insert(digest);
                *name = digest.min(*name);
                of.push(units[&index]);
                images.push(Assigned { record, class, digest, group: GroupId(digest), part: 0 });
            }
            (Outcome::Image(_), _) => left_out.push((record, LeftOut::NoClass)),
        }
    }
    for (image, unit) in images.iter_mut().zip(of) {
        image.group = GroupId(names[&unit]);
    }
    (images, left_out)
}

/// The groups of pictures, in random order; larger ones first, because they are harder to place.
fn units(images: &[Assigned<'_>], names: &[&str], seed: u64) -> Vec<Unit> {
    let mut members: BTreeMap<GroupId, Vec<usize>> = BTreeMap::new();
    for (index, image) in images.iter().enumerate() {
        members.entry(image.group).or_default().push(index);
    }
    let mut units: Vec<Unit> = members
        .into_iter()
        .map(|(group, members)| {
            let mut classes = BTreeMap::new();
            for &member in &members {
                let class = names.binary_search(&images[member].class).expect("a name of the list");
                *classes.entry(class).or_default() += 1;
            }
            Unit { group, draw: Draw::new(seed, group.0), members, classes }
        })
        .collect();
    units.sort_by_key(|unit| (std::cmp::Reverse(unit.members.len()), unit.draw, unit.group));
    units
}

/// What each class has, and what was placed of it so far.
struct Table<'a> {
    weights: &'a [u64],
    /// Pictures, groups, and groups not yet placed, by class.
    images: Vec<u64>,
    groups: Vec<u64>,
    left: Vec<u64>,
    /// Pictures placed, by class and part.
    got: Vec<Vec<u64>>,
}

impl<'a> Table<'a> {
    fn new(units: &[Unit], classes: usize, request: &'a Request) -> Self {
        let (mut images, mut groups) = (vec![0; classes], vec![0; classes]);
        for unit in units {
            for (&class, &count) in &unit.classes {
                images[class] += count;
                groups[class] += 1;
            }
        }
        let left = groups.clone();
        let got = vec![vec![0; request.parts.len()]; classes];
        Table { weights: request.parts.weights(), images, groups, left, got }
    }

    fn place(&mut self, unit: &Unit, part: usize) {
        for (&class, &count) in &unit.classes {
            self.got[class][part] += count;
            self.left[class] -= 1;
        }
    }

    /// Whether a class has enough groups to be in every part.
    fn covers(&self, class: usize) -> bool {
        self.groups[class] >= self.weights.len() as u64
    }

    fn is_empty(&self, class: usize, part: usize) -> bool {
        self.got[class][part] == 0
    }

    fn part_for(&self, unit: &Unit) -> usize {
        let parts = 0..self.weights.len();
        // A class whose remaining groups are all needed to fill empty parts may not waste one.
        let pressed: Vec<usize> = unit
            .classes
            .keys()
            .copied()
            .filter(|&class| {
                let empty = parts.clone().filter(|&part| self.is_empty(class, part)).count() as u64;
                self.covers(class) && self.left[class] <= empty
            })
            .collect();
        let fills =
            |part: usize| pressed.iter().filter(|&&class| self.is_empty(class, part)).count();
        let most_filled = parts.clone().map(fills).max().unwrap_or(0);
        let allowed: Vec<usize> = parts.filter(|&part| fills(part) == most_filled).collect();

        let with_room: Vec<(usize, u64)> = allowed
            .iter()
            .map(|&part| (part, self.room(unit, part)))
            .filter(|&(_, room)| room > 0)
            .collect();
        let all_room: u64 = with_room.iter().map(|&(_, room)| room).sum();
        if all_room > 0 {
            // A part with twice the room is twice as likely.
            let mut drawn = unit.draw.part % all_room;
            for &(part, room) in &with_room {
                if drawn < room {
                    return part;
                }
                drawn -= room;
            }
        }
        most(allowed.into_iter(), |&part| self.deficit(unit, part)).expect("there are parts")
    }

    /// How many pictures a part can still take of the unit's classes, the tightest of them, when
    /// it has room for the whole unit; otherwise 0.
    fn room(&self, unit: &Unit, part: usize) -> u64 {
        let room = |(&class, &count): (&usize, &u64)| {
            let sum: u64 = self.weights.iter().sum();
            let share = u128::from(self.images[class]) * u128::from(self.weights[part]);
            let share = share.div_ceil(u128::from(sum)) as u64;
            let room = share.saturating_sub(self.got[class][part]);
            if room >= count { room } else { 0 }
        };
        unit.classes.iter().map(room).min().unwrap_or(0)
    }

    /// How much a part lacks of the unit's classes, the class that lacks least.
    fn deficit(&self, unit: &Unit, part: usize) -> i128 {
        let of = |&class: &usize| deficit(self.images[class], self.weights, &self.got[class], part);
        unit.classes.keys().map(of).min().unwrap_or(0)
    }

    /// What the parts must get: what was placed, and one picture where a class would be missing.
    fn needs(&self) -> Vec<ClassNeed> {
        let need = |class: usize| {
            let images = self.images[class];
            // Groups that lie in several classes can leave one of them fewer than it needs.
            let mut singles = images - self.got[class].iter().sum::<u64>();
            let mut least = self.got[class].clone();
            let empty = least.iter_mut().filter(|least| **least == 0);
            for least in empty.take_while(|_| self.covers(class)) {
                *least = singles.min(1);
                singles -= *least;
            }
            ClassNeed { images, least }
        };
        (0..self.images.len()).map(need).collect()
    }
}
