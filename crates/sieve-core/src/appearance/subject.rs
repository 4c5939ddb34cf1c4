//! The images that an analysis of classes is about: independent ones, of classes that have enough of them.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use serde::Serialize;

use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;

/// Independent images, class by class.
#[derive(Clone, Debug, Default)]
pub struct Subject {
    /// Their numbers in [`DuplicateReport::images`]: the classes one after another, each in the order of paths.
    pub images: Vec<u32>,
    /// The classes, in the order of their names.
    pub classes: Vec<ClassImages>,
    /// The classes that are left out, in the order of their names.
    pub excluded: Vec<Excluded>,
    /// Images in no class, which are left out.
    pub unlabelled: u64,
    /// Images that are left out since another one of their class is a copy, or a frame of the same burst.
    pub dependent: u64,
    /// Images that are left out since they cannot be compared: without a thumbnail, or a vector.
    pub incomparable: u64,
}

/// A class and its images.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ClassImages {
    /// Its name.
    pub class: String,
    /// The places of its images in [`Subject::images`].
    pub rows: Range<usize>,
}

/// A class that is left out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Excluded {
    /// Its name.
    pub class: String,
    /// Its images.
    pub images: u64,
    /// Those that are independent.
    pub independent: u64,
    /// Why.
    pub reason: Reason,
}

/// Why a class is left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// It has too few independent images to say what is usual.
    TooFew,
    /// Most of its images are copies or frames of others, so that what is rare in it is what has no copies.
    MostlyDuplicates,
}

impl Subject {
    /// The independent images of the classes that have at least `least`, and of which not most are copies. A group of copies
    /// under several classes has an image in each.
    pub fn new(found: &DuplicateReport<'_>, least: u64) -> Self {
        let groups = IndependentGroups::independent(found);
        let mut subject = Subject::default();
        let mut classes: BTreeMap<&str, Vec<u32>> = BTreeMap::new();
        for (number, image) in (0u32..).zip(&found.images) {
            match image.record.class() {
                Some(class) => classes.entry(class).or_default().push(number),
                None => subject.unlabelled += 1,
            }
        }
        for (class, mut images) in classes {
            images.sort_by_key(|&image| &found.images[image as usize].record.path);
            let all = images.len() as u64;
            let mut known = BTreeSet::new();
            images.retain(|&image| known.insert(groups.unit(image as usize)));
            let independent = images.len() as u64;
            let reason = match () {
                () if independent < least => Some(Reason::TooFew),
                () if 2 * independent < all => Some(Reason::MostlyDuplicates),
                () => None,
            };
            if let Some(reason) = reason {
                let class = class.to_owned();
                subject.excluded.push(Excluded { class, images: all, independent, reason });
                continue;
            }
            let start = subject.images.len();
            subject.dependent += all - independent;
            subject.images.extend(images);
            let rows = start..subject.images.len();
            subject.classes.push(ClassImages { class: class.to_owned(), rows });
        }
        subject
    }

    /// The number of the class of each image.
    pub fn class_of(&self) -> Vec<u32> {
        let classes = (0u32..).zip(&self.classes);
        classes.flat_map(|(number, class)| class.rows.clone().map(move |_| number)).collect()
    }

    /// The places that the classes begin at.
    pub fn starts(&self) -> Vec<usize> {
        self.classes.iter().map(|class| class.rows.start).collect()
    }

    /// The same without the images at which `keeps` is false; classes that are then too small stay.
    pub fn retained(mut self, keeps: &[bool]) -> Self {
        let mut images = Vec::with_capacity(self.images.len());
        self.incomparable += keeps.iter().filter(|keep| !**keep).count() as u64;
        for class in &mut self.classes {
            let start = images.len();
            images.extend(class.rows.clone().filter(|&at| keeps[at]).map(|at| self.images[at]));
            class.rows = start..images.len();
        }
        self.images = images;
        self.classes.retain(|class| !class.rows.is_empty());
        self
    }
}
