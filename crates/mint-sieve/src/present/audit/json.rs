//! `audit --format json`. The fields are a contract: see docs/formats.md.

use serde::Serialize;
use sieve_core::collection::{self, Alternative};
use sieve_core::finding::{Finding, Severity};
use sieve_core::suppression::Suppressed;

use super::Audited;
use crate::present::{envelope, remark};

#[derive(Serialize)]
struct Body<'a> {
    collection: Collection<'a>,
    counts: Vec<Count<'a>>,
    sizes: Vec<Size>,
    formats: Vec<Format>,
    colours: Vec<Colour>,
    profiles: Vec<Profile<'a>>,
    animated: u64,
    exif_oriented: u64,
    below_class_folder: u64,
    undecodable_names: Vec<UndecodableName<'a>>,
    findings: &'a [Finding],
    suppressed: &'a [Suppressed],
    summary: Summary,
}

#[derive(Serialize)]
struct Collection<'a> {
    root: String,
    independent: u64,
    small_images: u64,
    layout: &'a str,
    remarks: Vec<Remark>,
    files: u64,
    images: u64,
    set_aside: u64,
    classes: usize,
    splits: usize,
    bytes: u64,
}

/// What was decided about how to read it, and the option that decides otherwise.
#[derive(Serialize)]
struct Remark {
    message: String,
    alternative: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    table: Option<Table>,
}

impl Remark {
    fn new(remark: &collection::Remark) -> Self {
        let alternative = remark.alternative();
        Remark {
            message: remark::sentence(remark),
            alternative: alternative.as_ref().and_then(remark::option),
            table: match alternative {
                Some(Alternative::Table(table)) => Some(Table {
                    path: table.file.to_string(),
                    path_column: table.columns.path,
                    class_column: table.columns.class,
                    images: table.images,
                }),
                _ => None,
            },
        }
    }
}

/// A table among the images that their labels could be taken from.
#[derive(Serialize)]
struct Table {
    path: String,
    path_column: String,
    class_column: String,
    images: String,
}

#[derive(Serialize)]
struct Count<'a> {
    split: Option<&'a str>,
    class: Option<&'a str>,
    images: u64,
}

#[derive(Serialize)]
struct Size {
    width_px: u32,
    height_px: u32,
    images: u64,
}

#[derive(Serialize)]
struct Format {
    format: &'static str,
    images: u64,
}

#[derive(Serialize)]
struct Colour {
    mode: &'static str,
    bits: u8,
    images: u64,
}

/// An embedded colour profile, by the name it gives itself.
#[derive(Serialize)]
struct Profile<'a> {
    profile: &'a str,
    images: u64,
}

/// A file whose name is not UTF-8: as it is shown, and its bytes in hexadecimal digits.
#[derive(Serialize)]
struct UndecodableName<'a> {
    path: &'a str,
    bytes: String,
}

#[derive(Serialize)]
struct Summary {
    error: usize,
    warning: usize,
    note: usize,
}

/// The whole audit, every number raw.
pub fn json(answer: &Audited<'_>) -> String {
    let Audited { catalog, audit, suppressed, .. } = answer;
    let inventory = &audit.inventory;
    let sizes = inventory.sizes.iter();
    let body = Body {
        collection: Collection {
            root: catalog.collection.name(),
            independent: audit.balance.independent.images,
            small_images: answer.found.small,
            layout: &catalog.collection.layout,
            remarks: catalog.collection.remarks.iter().map(Remark::new).collect(),
            files: inventory.files,
            images: inventory.images,
            set_aside: inventory.set_aside,
            classes: inventory.classes.len(),
            splits: inventory.splits.len(),
            bytes: inventory.bytes,
        },
        counts: inventory
            .counts
            .iter()
            .map(|count| Count {
                split: count.split.as_deref(),
                class: count.class.as_deref(),
                images: count.images,
            })
            .collect(),
        sizes: sizes
            .map(|&((width_px, height_px), images)| Size { width_px, height_px, images })
            .collect(),
        formats: inventory
            .formats
            .iter()
            .map(|&(format, images)| Format { format: format.name(), images })
            .collect(),
        colours: inventory
            .colours
            .iter()
            .map(|&((mode, bits), images)| Colour { mode: mode.name(), bits, images })
            .collect(),
        profiles: inventory
            .profiles
            .iter()
            .map(|(profile, images)| Profile { profile, images: *images })
            .collect(),
        animated: inventory.animated,
        exif_oriented: inventory.turned,
        below_class_folder: inventory.nested,
        undecodable_names: catalog
            .records
            .iter()
            .filter_map(|record| {
                let bytes = record.path.undecodable_bytes()?;
                let bytes = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
                Some(UndecodableName { path: record.path.as_str(), bytes })
            })
            .collect(),
        findings: &audit.findings,
        suppressed,
        summary: Summary {
            error: audit.count(Severity::Error),
            warning: audit.count(Severity::Warning),
            note: audit.count(Severity::Note),
        },
    };
    envelope("audit", &answer.judging, body)
}
