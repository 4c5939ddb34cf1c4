//! What the page's script works with: the images, and the plan that it changes.

use std::path::Path;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::csv_escape::guarded;
use sieve_core::measuring::Digest;
use sieve_core::record::{Outcome, Reason};
use sieve_core::repair::{PLAN_HEADER, Row};

use super::Addresses;
use super::image_registry::ImageRegistry;
use crate::console::safe;
use crate::present::repair::plan::{cells, path_cell};
use crate::present::visible;

/// What a page lets a person decide on.
pub struct Decisions<'a> {
    /// The folder that the page lies in.
    pub folder: &'a Path,
    /// What is in the collection.
    pub catalog: &'a Catalog,
    /// The images on the page.
    pub album: &'a ImageRegistry,
    /// The comments at the head of the plan.
    pub comments: Vec<String>,
    /// What is proposed: rows of images that are on the page.
    pub rows: Vec<&'a Row>,
}

#[derive(Serialize)]
struct Data {
    comments: Vec<String>,
    head: [&'static str; 8],
    /// The number of the image on the page, and the cells.
    rows: Vec<(u32, [String; 8])>,
    /// Name, name as a cell, images.
    classes: Vec<(String, String, u64)>,
    splits: Vec<String>,
    images: Vec<Image>,
    /// Images of the collection in all.
    total: u64,
}

/// One image, as an array: the fields in their order.
#[derive(Serialize)]
struct Image(
    /// Path as it is shown.
    String,
    /// Path as a cell of a plan; empty where it is the same.
    String,
    /// Number of its class, or -1.
    i64,
    /// Number of its split, or -1.
    i64,
    /// Digest of its bytes; empty where it is not known.
    String,
    /// Where the page finds it; empty where it lies in an archive.
    String,
    u32,
    u32,
    /// Bytes.
    u64,
    /// Why there is no image; empty where there is one.
    &'static str,
);

/// The data as JSON that cannot end the element that it stands in, and a name for what was decided on it.
pub fn data(decisions: Decisions<'_>) -> (String, String) {
    let Decisions { folder, catalog, album, comments, rows } = decisions;
    let names = catalog.collection.classes();
    let splits = &catalog.collection.splits;
    let mut counts = vec![0u64; names.len()];
    let place = |class: Option<&str>| {
        class.and_then(|class| names.binary_search_by(|name| name.as_str().cmp(class)).ok())
    };
    for (record, _) in catalog.images() {
        if let Some(at) = place(record.class()) {
            counts[at] += 1;
        }
    }
    let number = |at: Option<usize>| at.map_or(-1, |at| at as i64);
    let mut addresses = Addresses::new(folder);
    let images = album.records.iter().map(|&at| {
        let record = &catalog.records[at];
        let (shown, cell) = (safe(record.path.as_str()), path_cell(&record.path));
        let split = splits.iter().position(|split| Some(split.as_str()) == record.split());
        let file = catalog.collection.file(record.located());
        let facts = record.image().map(|image| &image.facts);
        Image(
            shown.clone(),
            if cell == shown { String::new() } else { cell },
            number(place(record.class())),
            number(split),
            record.image().map_or(String::new(), |image| image.digest.to_string()),
            file.map_or(String::new(), |file| addresses.of(&file.whole_path())),
            facts.map_or(0, |facts| facts.width_px),
            facts.map_or(0, |facts| facts.height_px),
            record.size_bytes,
            match &record.outcome {
                Outcome::Image(_) => "",
                Outcome::SetAside(Reason::ReadError(_)) => "cannot be read",
                Outcome::SetAside(_) => "not an image",
            },
        )
    });
    let numbers: std::collections::HashMap<&str, u32> = (0u32..)
        .zip(&album.records)
        .map(|(number, &at)| (catalog.records[at].path.as_str(), number))
        .collect();
    let data = Data {
        comments,
        head: PLAN_HEADER,
        rows: rows.iter().map(|row| (numbers[row.path.as_str()], cells(row))).collect(),
        classes: names
            .iter()
            .zip(&counts)
            .map(|(name, &images)| (safe(&visible(name)), guarded(name).into_owned(), images))
            .collect(),
        splits: splits.iter().map(|split| safe(split)).collect(),
        images: images.collect(),
        total: catalog.images().count() as u64,
    };
    let text = serde_json::to_string(&data).expect("plain structures serialise");
    let key = Digest::of_bytes(text.as_bytes()).to_string()[..16].to_owned();
    (text.replace('<', "\\u003c"), key)
}
