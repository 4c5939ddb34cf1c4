//! The pictures that are compared, with what is needed of each.

use rayon::prelude::*;

use crate::Error;
use crate::catalog::{Catalog, Record};
use crate::likeness::{Planes, Region, Subject};
use crate::measuring::{Measured, Thumbnail};
use crate::progress::Watch;
use crate::reading::ReadLimits;
use crate::store::Store;

/// One of the collections that are compared.
pub struct Side<'a> {
    /// What is known of it.
    pub catalog: &'a Catalog,
    /// Where its thumbnails are kept, if they are.
    pub store: Option<&'a Store>,
    /// What reading one picture may cost.
    pub limits: &'a ReadLimits,
}

/// One picture.
#[derive(Clone, Copy, Debug)]
pub struct Picture<'a> {
    /// What is known of its file.
    pub record: &'a Record,
    /// What was measured.
    pub measured: &'a Measured,
    /// The number of its collection.
    pub side: usize,
    /// The number of its record there.
    pub index: usize,
}

/// The pictures of all sides, in their order.
pub struct Subjects<'a> {
    pub sides: &'a [Side<'a>],
    pub pictures: Vec<Picture<'a>>,
    pub looks: Looks,
}

/// How the pictures look, as far as that is loaded.
pub struct Looks {
    thumbnails: Vec<Option<Thumbnail>>,
    aspects: Vec<f32>,
    /// Shares of one colour.
    plains: Vec<f32>,
    /// What lies within the border of each.
    contents: Vec<Option<Region>>,
}

impl<'a> Subjects<'a> {
    /// All pictures of `sides`; no thumbnail is loaded yet.
    pub fn of(sides: &'a [Side<'a>]) -> Self {
        let mut pictures = Vec::new();
        for (side, one) in sides.iter().enumerate() {
            let records = one.catalog.records.iter().enumerate();
            pictures.extend(records.filter_map(|(index, record)| {
                Some(Picture { record, measured: record.image()?, side, index })
            }));
        }
        let thumbnails = vec![None; pictures.len()];
        let aspect = |picture: &Picture<'_>| picture.measured.aspect() as f32;
        let aspects = pictures.iter().map(aspect).collect();
        let plains = pictures.iter().map(|picture| picture.measured.look.flat_share).collect();
        let contents = vec![None; pictures.len()];
        Subjects { sides, pictures, looks: Looks { thumbnails, aspects, plains, contents } }
    }

    /// Loads the thumbnails of `wanted`. One whose file has gone stays away.
    ///
    /// # Errors
    ///
    /// When `watch` asks to stop.
    pub fn load(&mut self, wanted: &[u32], watch: &dyn Watch) -> Result<(), Error> {
        for (number, side) in self.sides.iter().enumerate() {
            let is_missing = |&&index: &&u32| {
                self.pictures[index as usize].side == number
                    && self.looks.thumbnails[index as usize].is_none()
            };
            let mut here: Vec<u32> = wanted.iter().filter(is_missing).copied().collect();
            here.sort_unstable();
            here.dedup();
            let records: Vec<usize> =
                here.iter().map(|&index| self.pictures[index as usize].index).collect();
            let loaded = side.catalog.thumbnails(&records, side.store, side.limits, watch)?;
            let contents: Vec<Option<Region>> = loaded
                .par_iter()
                .map(|thumbnail| Region::within_border(&Planes::of(thumbnail.as_ref()?)))
                .collect();
            for ((index, thumbnail), content) in here.into_iter().zip(loaded).zip(contents) {
                self.looks.thumbnails[index as usize] = thumbnail;
                self.looks.contents[index as usize] = content;
            }
        }
        Ok(())
    }
}

impl Looks {
    /// A picture's planes, when its thumbnail is loaded.
    pub fn subject(&self, index: usize) -> Option<Subject> {
        let thumbnail = self.thumbnails[index].as_ref()?;
        let (aspect, plain) = (self.aspects[index], self.plains[index]);
        Some(Subject { all: Planes::of(thumbnail), content: self.contents[index], aspect, plain })
    }

    /// What lies within the border of a picture, when its thumbnail is loaded; none without border.
    pub fn content(&self, index: usize) -> Option<Region> {
        self.contents[index]
    }

    /// Whether the thumbnails of two pictures differ by at most `levels` anywhere.
    pub fn are_nearly(&self, a: u32, b: u32, levels: u8) -> bool {
        let (Some(a), Some(b)) = (&self.thumbnails[a as usize], &self.thumbnails[b as usize])
        else {
            return false;
        };
        a.0.iter().zip(&b.0).all(|(a, b)| a.abs_diff(*b) <= levels)
    }
}
