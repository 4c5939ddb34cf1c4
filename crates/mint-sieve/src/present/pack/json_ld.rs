//! The facts of a data sheet in the vocabulary of schema.org, for catalogs of data sets.

use serde_json::{Value, json};
use sieve_core::pack::Form;

use super::PackReport;
use super::tables::json_bytes;
use crate::present::counted;

/// What only people know.
const BLANK: &str = "TO BE FILLED IN";

/// A `Dataset` as JSON-LD.
pub fn json_ld(report: &PackReport<'_>) -> Vec<u8> {
    let name = report.catalog.collection.name();
    let classes: Vec<&str> =
        report.index.classes.iter().map(|class| class.class.as_str()).collect();
    let splits = report.index.splits.iter().zip(report.parts);
    let parts: Vec<Value> = splits
        .map(|(split, part)| {
            let files: Vec<Value> = part
                .files
                .iter()
                .map(|file| {
                    json!({
                        "@type": "DataDownload",
                        "contentUrl": file.file,
                        "encodingFormat": media_type(report.request.form),
                    })
                })
                .collect();
            json!({
                "@type": "Dataset",
                "name": split,
                "size": counted(part.images.len() as u64, "image", "images"),
                "distribution": files,
            })
        })
        .collect();
    let measured = report.index.splits.iter().map(|split| format!("images in {split}"));
    let measured: Vec<Value> = measured
        .enumerate()
        .flat_map(|(at, what)| {
            report.index.classes.iter().map(move |class| {
                json!({
                    "@type": "PropertyValue",
                    "name": format!("{what}: {}", class.class),
                    "value": class.images[at],
                })
            })
        })
        .collect();
    json_bytes(&json!({
        "@context": "https://schema.org/",
        "@type": "Dataset",
        "name": name,
        "description": format!(
            "{} of {} for image classification, in {}.",
            counted(report.images(), "image", "images"),
            counted(classes.len() as u64, "class", "classes"),
            counted(report.parts.len() as u64, "split", "splits"),
        ),
        "dateModified": report.day,
        "keywords": classes,
        "size": format!("{} bytes", report.image_bytes()),
        "creator": BLANK,
        "license": BLANK,
        "usageInfo": BLANK,
        "measurementTechnique": format!("mint-sieve {}", env!("CARGO_PKG_VERSION")),
        "variableMeasured": measured,
        "hasPart": parts,
    }))
}

/// The type of the files of a form (IANA media types).
fn media_type(form: Form) -> &'static str {
    match form {
        Form::Zip => "application/zip",
        Form::Tar | Form::Shards => "application/x-tar",
        Form::Parquet => "application/vnd.apache.parquet",
        Form::Arrow => "application/vnd.apache.arrow.file",
        Form::Tree | Form::Npy => "application/octet-stream",
    }
}
