//! The pictures that are compared, with what is needed of each.

use std::sync::atomic::{AtomicBool, Ordering};

use rayon::prelude::*;

use crate::Error;
use crate::catalog::Catalog;
use crate::collection::Located;
use crate::likeness::{Region, Subject};
use crate::measuring::{Measured, Thumbnail};
use crate::progress::Watch;
use crate::reading::{FileBytes, ReadLimits, Trouble};
use crate::record::Record;
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
    /// Whether a file that was measured could not be read again.
    lacks: AtomicBool,
}

/// How the pictures look, as far as that is loaded.
pub struct Looks(Vec<Option<Subject>>);

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
        let looks = Looks(vec![None; pictures.len()]);
        Subjects { sides, pictures, looks, lacks: AtomicBool::new(false) }
    }

    /// Brings the pictures into an order that their bytes alone decide, but for files of the same bytes: which of two is
    /// laid over the other, and in what order a forest grows, must not depend on their names. Returned is for each the
    /// place where it was; [`Subjects::restore`] brings all back.
    pub fn order_by_content(&mut self) -> Vec<u32> {
        let mut was: Vec<u32> = (0..self.pictures.len() as u32).collect();
        was.sort_by_key(|&place| self.pictures[place as usize].measured.digest);
        self.pictures = was.iter().map(|&place| self.pictures[place as usize]).collect();
        self.looks.0 = was.iter().map(|&place| self.looks.0[place as usize].take()).collect();
        was
    }

    /// Brings the pictures back to where they were.
    pub fn restore(&mut self, was: &[u32]) {
        let mut places: Vec<u32> = (0..was.len() as u32).collect();
        places.sort_unstable_by_key(|&place| was[place as usize]);
        self.pictures = places.iter().map(|&place| self.pictures[place as usize]).collect();
        self.looks.0 = places.iter().map(|&place| self.looks.0[place as usize].take()).collect();
    }

    /// Whether a file could not be read again, so that less is known than could be.
    pub fn lacks_files(&self) -> bool {
        self.lacks.load(Ordering::Relaxed)
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
                    && self.looks.0[index as usize].is_none()
            };
            let mut here: Vec<u32> = wanted.iter().filter(is_missing).copied().collect();
            here.sort_unstable();
            here.dedup();
            let records: Vec<usize> =
                here.iter().map(|&index| self.pictures[index as usize].index).collect();
            let loaded = side.catalog.thumbnails(&records, side.store, side.limits, watch)?;
            if loaded.iter().any(Option::is_none) {
                self.lacks.store(true, Ordering::Relaxed);
            }
            let pictures = &self.pictures;
            let ready = |(index, thumbnail): (&u32, Option<Thumbnail>)| -> Option<Subject> {
                let measured = pictures[*index as usize].measured;
                let (aspect, plain) = (measured.aspect() as f32, measured.look.flat_share);
                Some(Subject::of(thumbnail?, aspect, plain))
            };
            let ready: Vec<Option<Subject>> = here.par_iter().zip(loaded).map(ready).collect();
            for (index, subject) in here.into_iter().zip(ready) {
                self.looks.0[index as usize] = subject;
            }
        }
        Ok(())
    }

    /// Reads the files of `wanted` again and does `work` on the bytes of each, as far as they can be read; the
    /// results are in the order of `wanted`.
    ///
    /// # Errors
    ///
    /// When `watch` asks to stop.
    pub fn visit<T: Send>(
        &self,
        wanted: &[u32],
        watch: &dyn Watch,
        work: impl Fn(u32, &[u8], &ReadLimits) -> Option<T> + Sync,
    ) -> Result<Vec<Option<T>>, Error> {
        let lacks = &self.lacks;
        let mut results: Vec<Option<T>> = wanted.iter().map(|_| None).collect();
        for (number, side) in self.sides.iter().enumerate() {
            let is_here = |at: &usize| self.pictures[wanted[*at] as usize].side == number;
            let here: Vec<usize> = (0..wanted.len()).filter(is_here).collect();
            let record = |&at: &usize| self.pictures[wanted[at] as usize].record;
            let located: Vec<Located<'_>> = here.iter().map(|at| record(at).located()).collect();
            let read = |at: usize, bytes: Result<FileBytes, Trouble>| {
                watch.advance(1);
                if bytes.is_err() {
                    lacks.store(true, Ordering::Relaxed);
                }
                work(wanted[here[at]], &bytes.ok()?.bytes, side.limits)
            };
            let found = side.catalog.collection.visit(&located, side.limits, watch, read)?;
            here.into_iter().zip(found).for_each(|(at, result)| results[at] = result);
        }
        Ok(results)
    }
}

impl Looks {
    /// A picture's planes, when its thumbnail is loaded.
    pub fn subject(&self, index: usize) -> Option<&Subject> {
        self.0[index].as_ref()
    }

    /// What lies within the border of a picture, when its thumbnail is loaded; none without border.
    pub fn content(&self, index: usize) -> Option<Region> {
        self.subject(index)?.content
    }

    /// Whether the thumbnails of two pictures differ by at most `levels` anywhere.
    pub fn are_nearly(&self, a: u32, b: u32, levels: u8) -> bool {
        let thumbnail = |index: u32| Some(&self.subject(index as usize)?.all.thumbnail.0);
        let (Some(a), Some(b)) = (thumbnail(a), thumbnail(b)) else { return false };
        a.iter().zip(b).all(|(a, b)| a.abs_diff(*b) <= levels)
    }
}
