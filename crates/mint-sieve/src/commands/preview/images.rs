//! The images of a sheet: read, drawn on, and laid out in rows.

use rayon::prelude::*;
use sieve_core::augment::{Occasion, SourcePyramid};
use sieve_core::collection::{Collection, Entry};
use sieve_core::progress::Progress;
use sieve_core::reading::{self, FileBytes, ReadError, ReadLimits};

use super::forms::{Form, PolicyView};
use crate::failure::Failure;
use crate::present::sheet::{Row, Tile};
use crate::progress::TerminalProgress;

/// What is shown of each image.
pub struct SampleReader<'a> {
    pub seed: u64,
    pub collection: &'a Collection,
    pub limits: ReadLimits,
    pub form: &'a Form,
    /// Each policy is a row of its own.
    pub policies: &'a [PolicyView<'a>],
    /// Columns beside the first.
    pub columns: u32,
    pub progress: &'a TerminalProgress,
}

/// The images that are wanted of one class.
pub struct ClassSample<'a> {
    /// What may still be shown, in the order in which it is chosen.
    pub entries: &'a [&'a Entry],
    /// How many are wanted.
    pub count: usize,
    /// The rows of each.
    pub shown: Vec<Vec<Row>>,
}

impl SampleReader<'_> {
    /// Shows the first images of each class, as many as are wanted. What turns out to be no image
    /// is made up for by the next; returns how many were passed over.
    pub fn show(&self, classes: &mut [ClassSample<'_>]) -> Result<u64, Failure> {
        let mut passed_over = 0;
        loop {
            let mut chosen: Vec<(usize, &Entry)> = Vec::new();
            for (class, wanted) in classes.iter_mut().enumerate() {
                let missing = wanted.entries.len().min(wanted.count - wanted.shown.len());
                let (batch, rest) = wanted.entries.split_at(missing);
                chosen.extend(batch.iter().map(|entry| (class, *entry)));
                wanted.entries = rest;
            }
            if chosen.is_empty() {
                return Ok(passed_over);
            }
            let located: Vec<_> = chosen.iter().map(|(_, entry)| entry.located()).collect();
            let shown =
                self.collection.visit(&located, &self.limits, self.progress, |at, bytes| {
                    bytes.and_then(|file| self.rows(chosen[at].1, file))
                })?;
            for ((class, entry), rows) in chosen.into_iter().zip(shown) {
                match rows {
                    Ok(rows) => classes[class].shown.push(rows),
                    Err(ReadError::NotAnImage(_)) => {}
                    Err(read_error) => {
                        tracing::debug!(path = entry.path.as_str(), ?read_error, "passed over");
                        passed_over += 1;
                    }
                }
            }
        }
    }

    fn rows(&self, entry: &Entry, file: FileBytes) -> Result<Vec<Row>, ReadError> {
        // The memory taken is given back before the draws are shared out: a thread that waits for it may be the one
        // that a draw is waited for.
        let FileBytes { bytes, held, .. } = file;
        let reading::DecodedImage { pixels, held: held_pixels, .. } =
            reading::decode(&bytes, &self.limits)?;
        drop((bytes, held, held_pixels));
        let image = &SourcePyramid::new(&pixels);
        let path = entry.path.to_string();
        let class = entry.place.class().unwrap_or_default();
        let occasion = Occasion { seed: self.seed, path: &path, class, number: 0 };
        let row = |(policy, shown): (usize, &PolicyView<'_>)| {
            let file = path.rsplit('/').next().unwrap_or_default().to_owned();
            let above = if self.policies.len() > 1 { shown.policy.name.as_str() } else { class };
            let words = vec![crate::present::visible(above), file];
            let tiles = if matches!(self.form, Form::Frame) {
                shown.frame_tiles(&pixels, image, words)
            } else {
                // One image may take long: its draws are shared out too.
                let columns = self.columns;
                let drawn = (0..columns)
                    .into_par_iter()
                    .map(|column| shown.tile(self.form, image, &occasion, column, columns));
                let drawn: Vec<Tile> = drawn.collect();
                std::iter::once(shown.plain(image, words)).chain(drawn).collect()
            };
            Row {
                tiles,
                class: class.to_owned(),
                split: entry.place.split.as_deref().map(str::to_owned),
                size_px: (pixels.width_px, pixels.height_px),
                path: path.clone(),
                policy,
            }
        };
        let rows = self.policies.iter().enumerate().map(row).collect();
        self.progress.advance(1);
        Ok(rows)
    }
}
