//! What images are compared by: the thumbnails of the catalog, or vectors that the user brings.

use super::COMPONENTS;
use super::neighbours::{distances_between_rows, distances_within};
use super::numbers::numbers;
use super::subject::Subject;
use crate::Error;
use crate::measuring::Thumbnail;
use crate::numeric::Table;
use crate::progress::Progress;
use crate::vectors::ImageVectors;

/// Principal components of vectors, which say more: of 128, little is left out, and what is compared costs no more with
/// vectors of thousands.
const VECTOR_COMPONENTS: usize = 128;

/// What images are compared by: one of each for every image of a search, none where an image has none.
#[derive(Clone, Copy, Debug)]
pub enum Source<'a> {
    /// Thumbnails.
    Thumbnails(&'a [Option<Thumbnail>]),
    /// Vectors.
    Vectors(&'a ImageVectors),
}

/// The images of a subject, as they are compared.
#[derive(Clone, Debug, Default)]
pub struct Space {
    /// Rows whose distances say how alike images are.
    pub near: Table,
    /// Standardised rows that a classifier learns from.
    pub learnt: Table,
}

impl<'a> Source<'a> {
    /// Vectors where there are any, else thumbnails.
    pub fn of(vectors: Option<&'a ImageVectors>, thumbnails: &'a [Option<Thumbnail>]) -> Self {
        vectors.map_or(Source::Thumbnails(thumbnails), Source::Vectors)
    }

    /// Whether an image can be compared.
    fn has(&self, image: u32) -> bool {
        match self {
            Source::Thumbnails(thumbnails) => thumbnails[image as usize].is_some(),
            Source::Vectors(vectors) => vectors.row_of[image as usize].is_some(),
        }
    }

    /// The images of a subject that can be compared.
    pub fn retained(&self, subject: Subject) -> Subject {
        let keeps: Vec<bool> = subject.images.iter().map(|&image| self.has(image)).collect();
        subject.retained(&keeps)
    }

    /// The images of a subject, all of which can be compared.
    pub fn space(&self, subject: &Subject) -> Space {
        match self {
            Source::Thumbnails(thumbnails) => {
                let shown = subject.images.iter();
                let shown = shown.filter_map(|&image| thumbnails[image as usize].as_ref());
                let learnt = Table::of_rows(shown.map(numbers)).standardised();
                Space { near: learnt.on_components(COMPONENTS), learnt }
            }
            Source::Vectors(vectors) => {
                let rows = subject.images.iter();
                let rows: Vec<u32> =
                    rows.filter_map(|&image| vectors.row_of[image as usize]).collect();
                let near = vectors.table.only(&rows).centred().on_components(VECTOR_COMPONENTS);
                Space { learnt: near.clone().standardised(), near }
            }
        }
    }

    /// Rows of unit length for all images of a search that can be compared, and for each image its row: the product of two
    /// rows says how similar their images are, -1 to 1.
    pub fn similar(&self) -> (Table, Vec<Option<u32>>) {
        let mut next = 0..;
        match self {
            Source::Thumbnails(thumbnails) => {
                let table = Table::of_rows(thumbnails.iter().flatten().map(numbers));
                let table = table.standardised().on_components(COMPONENTS).of_unit_length();
                let row =
                    |thumbnail: &Option<Thumbnail>| thumbnail.as_ref().and_then(|_| next.next());
                (table, thumbnails.iter().map(row).collect())
            }
            Source::Vectors(vectors) => {
                (vectors.table.clone().of_unit_length(), vectors.row_of.clone())
            }
        }
    }

    /// For each image of the subject the mean distance to the nearest ones of its class.
    ///
    /// # Errors
    ///
    /// When `progress` asks to stop.
    pub fn distances_within(
        &self,
        subject: &Subject,
        space: &Space,
        progress: &dyn Progress,
    ) -> Result<Vec<f32>, Error> {
        let mut all = Vec::with_capacity(subject.images.len());
        for class in &subject.classes {
            all.extend(match self {
                Source::Thumbnails(thumbnails) => {
                    let images = subject.images[class.rows.clone()].iter();
                    let shown: Vec<&Thumbnail> =
                        images.filter_map(|&image| thumbnails[image as usize].as_ref()).collect();
                    distances_within(&shown, progress)?
                }
                Source::Vectors(_) => {
                    distances_between_rows(&space.near, class.rows.clone(), progress)?
                }
            });
        }
        Ok(all)
    }
}
