//! The images that are compared, with what is needed of each.

use std::sync::atomic::{AtomicBool, Ordering};

use rayon::prelude::*;

use crate::Error;
use crate::catalog::Catalog;
use crate::collection::Located;
use crate::likeness::{ImagePyramid, Region};
use crate::measuring::{Measured, Thumbnail};
use crate::progress::Progress;
use crate::reading::{FileBytes, ReadError, ReadLimits};
use crate::record::Record;
use crate::store::Store;

/// One of the collections that are compared.
pub struct CollectionRef<'a> {
    /// What is known of it.
    pub catalog: &'a Catalog,
    /// Where its thumbnails are kept, if they are.
    pub store: Option<&'a Store>,
    /// What reading one image may cost.
    pub limits: &'a ReadLimits,
}

/// One image.
#[derive(Clone, Copy, Debug)]
pub struct ImageRef<'a> {
    /// What is known of its file.
    pub record: &'a Record,
    /// What was measured.
    pub measured: &'a Measured,
    /// The number of its collection.
    pub collection: usize,
    /// The number of its record there.
    pub index: usize,
}

/// The images of all sides, in their order.
pub struct ImageSet<'a> {
    pub collections: &'a [CollectionRef<'a>],
    pub images: Vec<ImageRef<'a>>,
    pub looks: PyramidCache,
    /// Whether a file that was measured could not be read again.
    lacks: AtomicBool,
}

/// How the images look, as far as that is loaded.
pub struct PyramidCache(Vec<Option<ImagePyramid>>);

impl<'a> ImageSet<'a> {
    /// All images of `collections`; no thumbnail is loaded yet.
    pub fn new(collections: &'a [CollectionRef<'a>]) -> Self {
        let mut images = Vec::new();
        for (collection, one) in collections.iter().enumerate() {
            let records = one.catalog.records.iter().enumerate();
            images.extend(records.filter_map(|(index, record)| {
                Some(ImageRef { record, measured: record.image()?, collection, index })
            }));
        }
        let looks = PyramidCache(vec![None; images.len()]);
        ImageSet { collections, images, looks, lacks: AtomicBool::new(false) }
    }

    /// Brings the images into an order that their bytes alone decide, but for files of the same bytes: which of two is
    /// laid over the other, and in what order a forest grows, must not depend on their names. Returned is for each the
    /// place where it was; [`ImageSet::restore`] brings all back.
    pub fn order_by_content(&mut self) -> Vec<u32> {
        let mut was: Vec<u32> = (0..self.images.len() as u32).collect();
        was.sort_by_key(|&place| self.images[place as usize].measured.digest);
        self.images = was.iter().map(|&place| self.images[place as usize]).collect();
        self.looks.0 = was.iter().map(|&place| self.looks.0[place as usize].take()).collect();
        was
    }

    /// Brings the images back to where they were.
    pub fn restore(&mut self, was: &[u32]) {
        let mut places: Vec<u32> = (0..was.len() as u32).collect();
        places.sort_unstable_by_key(|&place| was[place as usize]);
        self.images = places.iter().map(|&place| self.images[place as usize]).collect();
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
    /// When `progress` asks to stop.
    pub fn load(&mut self, wanted: &[u32], progress: &dyn Progress) -> Result<(), Error> {
        for (number, collection) in self.collections.iter().enumerate() {
            let is_missing = |&&index: &&u32| {
                self.images[index as usize].collection == number
                    && self.looks.0[index as usize].is_none()
            };
            let mut here: Vec<u32> = wanted.iter().filter(is_missing).copied().collect();
            here.sort_unstable();
            here.dedup();
            let records: Vec<usize> =
                here.iter().map(|&index| self.images[index as usize].index).collect();
            let loaded = collection.catalog.thumbnails(
                &records,
                collection.store,
                collection.limits,
                progress,
            )?;
            if loaded.iter().any(Option::is_none) {
                self.lacks.store(true, Ordering::Relaxed);
            }
            let images = &self.images;
            let ready = |(index, thumbnail): (&u32, Option<Thumbnail>)| -> Option<ImagePyramid> {
                let measured = images[*index as usize].measured;
                let (aspect, plain) = (measured.aspect() as f32, measured.measures.flat_share);
                Some(ImagePyramid::new(thumbnail?, aspect, plain))
            };
            let ready: Vec<Option<ImagePyramid>> = here.par_iter().zip(loaded).map(ready).collect();
            for (index, image_at) in here.into_iter().zip(ready) {
                self.looks.0[index as usize] = image_at;
            }
        }
        Ok(())
    }

    /// Reads the files of `wanted` again and does `work` on the bytes of each, as far as they can be read; the
    /// results are in the order of `wanted`.
    ///
    /// # Errors
    ///
    /// When `progress` asks to stop.
    pub fn visit<T: Send>(
        &self,
        wanted: &[u32],
        progress: &dyn Progress,
        work: impl Fn(u32, &[u8], &ReadLimits) -> Option<T> + Sync,
    ) -> Result<Vec<Option<T>>, Error> {
        let lacks = &self.lacks;
        let mut results: Vec<Option<T>> = wanted.iter().map(|_| None).collect();
        for (number, collection) in self.collections.iter().enumerate() {
            let is_here = |at: &usize| self.images[wanted[*at] as usize].collection == number;
            let here: Vec<usize> = (0..wanted.len()).filter(is_here).collect();
            let record = |&at: &usize| self.images[wanted[at] as usize].record;
            let located: Vec<Located<'_>> = here.iter().map(|at| record(at).located()).collect();
            let read = |at: usize, bytes: Result<FileBytes, ReadError>| {
                progress.advance(1);
                if bytes.is_err() {
                    lacks.store(true, Ordering::Relaxed);
                }
                work(wanted[here[at]], &bytes.ok()?.bytes, collection.limits)
            };
            let found =
                collection.catalog.collection.visit(&located, collection.limits, progress, read)?;
            here.into_iter().zip(found).for_each(|(at, result)| results[at] = result);
        }
        Ok(results)
    }
}

impl PyramidCache {
    /// An image's planes, when its thumbnail is loaded.
    pub fn image_at(&self, index: usize) -> Option<&ImagePyramid> {
        self.0[index].as_ref()
    }

    /// What lies within the border of an image, when its thumbnail is loaded; none without border.
    pub fn content(&self, index: usize) -> Option<Region> {
        self.image_at(index)?.content
    }

    /// The thumbnail of an image, where it was loaded.
    pub fn thumbnail(&self, index: usize) -> Option<&[u8]> {
        Some(&self.image_at(index)?.all.thumbnail.0)
    }

    /// Whether the thumbnails of two images differ by at most `levels` anywhere.
    pub fn are_nearly(&self, a: u32, b: u32, levels: u8) -> bool {
        let thumbnail = |index: u32| Some(&self.image_at(index as usize)?.all.thumbnail.0);
        let (Some(a), Some(b)) = (thumbnail(a), thumbnail(b)) else { return false };
        a.iter().zip(b).all(|(a, b)| a.abs_diff(*b) <= levels)
    }
}
