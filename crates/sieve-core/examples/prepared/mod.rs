//! A collection that is ready to be searched for copies.

use rayon::prelude::*;
use sieve_core::catalog::{self, Catalog, Options};
use sieve_core::collection::{self, Request};
use sieve_core::likeness::ImagePyramid;
use sieve_core::progress::NoProgress;
use sieve_core::record::Record;

/// The images of a collection.
pub struct Prepared {
    /// What is known of all files.
    pub catalog: Catalog,
    /// How each image looks.
    pub prepared: Vec<Option<ImagePyramid>>,
    /// The record of each.
    images: Vec<usize>,
}

impl Prepared {
    /// Of the folder that the program was called with.
    pub fn of_the_folder_named() -> Self {
        let folder = std::env::args().nth(1).expect("a folder");
        let request = Request { follow_links: true, ..Request::at(&folder) };
        let opened =
            collection::open(&request, &collection::NoCache, &NoProgress).expect("a collection");
        let options = Options::default();
        let catalog =
            catalog::measure(opened, &options, None, &NoProgress).expect("nobody stops it");
        let images: Vec<usize> = (0..catalog.records.len())
            .filter(|&index| catalog.records[index].image().is_some())
            .collect();
        let thumbnails = catalog
            .thumbnails(&images, None, &options.limits, &NoProgress)
            .expect("nobody stops it");
        let subject = |at: usize| {
            let measured = catalog.records[images[at]].image()?;
            let (aspect, plain) = (measured.aspect() as f32, measured.measures.flat_share);
            Some(ImagePyramid::new(thumbnails[at].clone()?, aspect, plain))
        };
        let prepared = (0..images.len()).into_par_iter().map(subject).collect();
        Prepared { catalog, prepared, images }
    }

    /// The record of an image.
    pub fn record(&self, at: u32) -> &Record {
        &self.catalog.records[self.images[at as usize]]
    }

    /// How it looks.
    pub fn subject(&self, at: u32) -> Option<&ImagePyramid> {
        self.prepared[at as usize].as_ref()
    }
}
