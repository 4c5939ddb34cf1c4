//! SHORTCUTS: what gives a class away besides its content - its background, its colour, its metadata.
//!
//! For each class a small model (ridge regression on values and their squares) learns to tell it from all others by what no
//! content is needed for. What it recognises of images that it has not seen, a larger model will recognise by the same.

use rayon::prelude::*;
use serde::Serialize;

use crate::Error;
use crate::appearance::{ClassImages, Excluded, Reason, Source, Subject, balanced_scores};
use crate::balance::Association;
use crate::duplicates::DuplicateReport;
use crate::limits::FindingLimits;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::numeric::Table;
use crate::progress::Progress;
use crate::seeded_order;
use crate::statistics::{Interval, wilson};
use crate::vectors::ImageVectors;

/// Independent images of a class, and of all others, from which a share is estimated: of fewer, its lower bound stays below
/// .75 even where 19 of 20 are recognised.
pub const LEAST_OF_CLASS: u64 = 20;
/// Images of other classes that are mistaken for the class.
pub const FALSE_ALARMS: f64 = 0.01;
/// Images of other classes that a class is told from, at most: a hundredth of 4,000 is 40, which is known well enough.
const MOST_OTHERS: usize = 4000;
/// How strongly weights are held down, in units of images.
const STRENGTH: f64 = 10.0;
/// The ring of a thumbnail that is its border: a sixteenth of its side.
const BORDER_PX: usize = LUMA_PX / 16;

/// What gives classes away.
#[derive(Clone, Debug, Default)]
pub struct Shortcuts {
    /// One for each class with enough images, in the order of their names.
    pub classes: Vec<ClassShortcut>,
    /// The classes that are left out.
    pub excluded: Vec<Excluded>,
}

/// What gives a class away.
#[derive(Clone, Debug, PartialEq)]
pub struct ClassShortcut {
    /// Its name.
    pub class: String,
    /// Its independent images: numbers in [`DuplicateReport::images`], in the order of their paths.
    pub images: Vec<u32>,
    /// By the border of an image alone: eight colours and how much each varies.
    pub border: Recognised,
    /// By the mean colour of an image and how much it varies.
    pub colour: Recognised,
    /// By width, height, aspect ratio and bytes.
    pub file: Recognised,
    /// By vectors that the user brings: what a model that looks at the content makes of it. None without vectors.
    pub vectors: Option<Recognised>,
    /// By one value of its metadata.
    pub metadata: Vec<TiedValue>,
}

/// How many images of a class are recognised while 1% of all others are mistaken for it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Recognised {
    /// Images of the class that are recognised.
    pub images: u64,
    /// The share of the class.
    pub share: f64,
    /// Between which values the share of further images lies, with 95% confidence.
    pub interval: Interval,
}

/// A value of the metadata that most images of a class have and few others.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct TiedValue {
    /// What it is a value of.
    pub fact: &'static str,
    /// The value.
    pub value: String,
    /// The share of the class that has it.
    pub share: f64,
    /// The share of all others that has it.
    pub share_elsewhere: f64,
}

impl ClassShortcut {
    /// Whether the class is known by its background: both by the border of its images and by their colour. By the border
    /// alone may be a rim, or a flag that fills the frame.
    pub fn is_background(&self, limits: &FindingLimits) -> bool {
        self.is_border(limits) && self.colour.interval.low >= limits.background
    }

    /// Whether the class is known by the border of its images.
    pub fn is_border(&self, limits: &FindingLimits) -> bool {
        self.border.interval.low >= limits.background
    }
}

/// Looks for shortcuts in every class with enough independent images. `thumbnails` are those of the images of `found`;
/// `vectors`, if there are any, are compared beside; `associations` come from [`crate::balance`].
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn shortcuts(
    found: &DuplicateReport<'_>,
    thumbnails: &[Option<Thumbnail>],
    vectors: Option<&ImageVectors>,
    associations: &[Association],
    progress: &dyn Progress,
) -> Result<Shortcuts, Error> {
    let mut subject = Source::Thumbnails(thumbnails).retained(Subject::new(found, 1));
    let learnt = vectors.map(Source::Vectors).map(|source| {
        subject = source.retained(std::mem::take(&mut subject));
        source.space(&subject).learnt
    });
    let all = subject.images.len() as u64;
    let count = |rows: &std::ops::Range<usize>| rows.len() as u64;
    let has_enough = |rows: &std::ops::Range<usize>| {
        count(rows) >= LEAST_OF_CLASS && all - count(rows) >= LEAST_OF_CLASS
    };
    let few = subject.classes.iter().filter(|class| !has_enough(&class.rows));
    let few = few.map(|class| Excluded {
        class: class.class.clone(),
        images: images_of(found, &class.class),
        independent: count(&class.rows),
        reason: Reason::TooFew,
    });
    let mut excluded: Vec<Excluded> = subject.excluded.iter().cloned().chain(few).collect();
    excluded.sort_by(|a, b| a.class.cmp(&b.class));
    let wanted: Vec<_> = subject.classes.iter().filter(|class| has_enough(&class.rows)).collect();
    if wanted.is_empty() {
        return Ok(Shortcuts { classes: Vec::new(), excluded });
    }
    let shown = subject.images.iter().filter_map(|&image| thumbnails[image as usize].as_ref());
    let shown: Vec<&Thumbnail> = shown.collect();
    let tables = [
        Table::of_rows(shown.iter().map(|one| border(one))).standardised(),
        Table::of_rows(shown.iter().map(|one| colour(one))).standardised(),
        Table::of_rows(subject.images.iter().map(|&image| file(found, image))).standardised(),
    ];
    // In an order that says nothing of class or name.
    let mut order: Vec<usize> = (0..shown.len()).collect();
    order.sort_by_cached_key(|&row| {
        let image = found.images[subject.images[row] as usize];
        (seeded_order::key(0, &image.measured.digest.0), row)
    });
    progress.begin("looking for shortcuts", Some(wanted.len() as u64));
    let of_class = |class: &&ClassImages| {
        progress.advance(1);
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        let others = order.iter().filter(|row| !class.rows.contains(row)).take(MOST_OTHERS);
        let rows: Vec<u32> =
            class.rows.clone().chain(others.copied()).map(|row| row as u32).collect();
        let known = |table: &Table| recognised(table.only(&rows), class.rows.len());
        let [border, colour, file] = tables.each_ref().map(known);
        Ok(ClassShortcut {
            vectors: learnt.as_ref().map(known),
            class: class.class.clone(),
            images: subject.images[class.rows.clone()].to_vec(),
            border,
            colour,
            file,
            metadata: tied(associations, &class.class),
        })
    };
    let classes: Result<Vec<ClassShortcut>, Error> = wanted.par_iter().map(of_class).collect();
    let classes = classes?;
    Ok(Shortcuts { classes, excluded })
}

/// The images of a class, copies and burst frames included.
fn images_of(found: &DuplicateReport<'_>, class: &str) -> u64 {
    found.images.iter().filter(|image| image.record.class() == Some(class)).count() as u64
}

/// How many of the first `count` rows are recognised among all.
fn recognised(table: Table, count: usize) -> Recognised {
    let is_in: Vec<bool> = (0..table.len()).map(|row| row < count).collect();
    // Standardised again: what is left out of a large collection may have another mean.
    let scores = balanced_scores(&table.standardised(), &is_in, STRENGTH);
    let scores = scores.unwrap_or_else(|| vec![0.0; is_in.len()]);
    let mut others: Vec<f64> = scores[count..].to_vec();
    others.sort_by(|a, b| b.total_cmp(a));
    let mistaken = ((others.len() as f64 * FALSE_ALARMS) as usize).min(others.len() - 1);
    let images = scores[..count].iter().filter(|score| **score > others[mistaken]).count() as u64;
    let share = images as f64 / count as f64;
    let interval = wilson(share, count as u64).expect("a class has images");
    Recognised { images, share, interval }
}

/// The eight halves of the sides of an image: their mean colours, and how much the luma of each varies.
pub(crate) fn border(thumbnail: &Thumbnail) -> [f32; 32] {
    let last = LUMA_PX - BORDER_PX;
    let half = LUMA_PX / 2;
    let mut numbers = Vec::with_capacity(32);
    for (first, second) in [(0, half), (half, LUMA_PX)] {
        for side in [0, last] {
            for (rows, columns) in
                [(side..side + BORDER_PX, first..second), (first..second, side..side + BORDER_PX)]
            {
                numbers.extend(patch(thumbnail, rows, columns));
            }
        }
    }
    numbers.try_into().expect("eight times four")
}

/// Mean luma, mean chroma and the deviation of luma in a part of a thumbnail, whose edges are those of its chroma, too.
fn patch(
    thumbnail: &Thumbnail,
    rows: std::ops::Range<usize>,
    columns: std::ops::Range<usize>,
) -> [f32; 4] {
    let scale = LUMA_PX / CHROMA_PX;
    let mean_of = |plane: &[u8], side: usize, scale: usize| {
        let rows = rows.start / scale..rows.end / scale;
        let columns = columns.start / scale..columns.end / scale;
        let count = (rows.len() * columns.len()) as f32;
        let of_row = |row: usize| &plane[row * side..][columns.clone()];
        let sum: u32 = rows.clone().flat_map(of_row).map(|&value| u32::from(value)).sum();
        let mean = sum as f32 / count;
        let squares = rows.flat_map(of_row).map(|&value| (f32::from(value) - mean).powi(2));
        (mean, (squares.sum::<f32>() / count).sqrt())
    };
    let [blue, red] = thumbnail.chroma();
    let (luma, deviation) = mean_of(thumbnail.luma(), LUMA_PX, 1);
    let [blue, red] = [blue, red].map(|plane| mean_of(plane, CHROMA_PX, scale).0);
    [luma, blue, red, deviation]
}

/// The mean of luma and of both chroma channels, and how much each varies.
fn colour(thumbnail: &Thumbnail) -> [f32; 6] {
    let [blue, red] = thumbnail.chroma();
    let mut numbers = [0.0; 6];
    for (into, plane) in numbers.chunks_exact_mut(2).zip([thumbnail.luma(), blue, red]) {
        let count = plane.len() as f32;
        let mean = plane.iter().map(|&value| u32::from(value)).sum::<u32>() as f32 / count;
        let squares = plane.iter().map(|&value| (f32::from(value) - mean).powi(2)).sum::<f32>();
        into.copy_from_slice(&[mean, (squares / count).sqrt()]);
    }
    numbers
}

/// Width, height, aspect ratio and bytes of an image, as logarithms.
fn file(found: &DuplicateReport<'_>, image: u32) -> [f32; 4] {
    let image = &found.images[image as usize];
    let facts = &image.measured.facts;
    let (width, height) = (facts.width_px.max(1) as f32, facts.height_px.max(1) as f32);
    [width.ln(), height.ln(), (width / height).ln(), (image.record.size_bytes.max(1) as f32).ln()]
}

/// What is tied to a class.
fn tied(associations: &[Association], class: &str) -> Vec<TiedValue> {
    let of_one = |association: &Association| {
        let own = association
            .residuals
            .iter()
            .filter(|residual| residual.class == class && residual.stands_out);
        let fact = association.fact;
        let values = own.map(|residual| TiedValue {
            fact,
            value: residual.value.clone(),
            share: residual.share,
            share_elsewhere: residual.share_elsewhere,
        });
        values.collect::<Vec<_>>()
    };
    associations.iter().flat_map(of_one).collect()
}
