//! The manifests of a pack: one row for each image.

use serde::Serialize;

use super::checksums::Sha256Sum;
use crate::csv_escape::guarded;

/// The file of checksums.
pub const CHECKSUMS: &str = "SHA256SUMS";

/// The columns of a manifest.
pub const MANIFEST_COLUMNS: [&str; 8] =
    ["path", "class", "class_index", "width_px", "height_px", "size_bytes", "sha256", "group"];

/// An image of a pack.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PackedImage {
    /// Its place in the pack's tree, or its name in the archive of its split.
    pub path: String,
    /// Its class.
    pub class: String,
    /// The number of its class.
    pub class_index: usize,
    /// Columns in pixels.
    pub width_px: u32,
    /// Rows in pixels.
    pub height_px: u32,
    /// Bytes.
    pub size_bytes: u64,
    /// The SHA-256 checksum of its bytes; of an array, of its values.
    pub sha256: Sha256Sum,
    /// The images that it must not be parted from have the same.
    pub group: String,
}

impl PackedImage {
    /// A manifest as CSV.
    pub fn csv<'a>(images: impl IntoIterator<Item = &'a PackedImage>) -> Vec<u8> {
        let mut table = csv::Writer::from_writer(Vec::new());
        let mut put = |cells: [&str; 8]| {
            let cells = cells.map(|cell| guarded(cell).into_owned());
            table.write_record(cells).expect("memory takes what is written");
        };
        put(MANIFEST_COLUMNS);
        for image in images {
            put([
                &image.path,
                &image.class,
                &image.class_index.to_string(),
                &image.width_px.to_string(),
                &image.height_px.to_string(),
                &image.size_bytes.to_string(),
                &image.sha256.to_string(),
                &image.group,
            ]);
        }
        table.into_inner().expect("memory takes what is written")
    }

    /// A manifest as JSON Lines.
    pub fn json_lines<'a>(images: impl IntoIterator<Item = &'a PackedImage>) -> Vec<u8> {
        let mut lines = Vec::new();
        for image in images {
            serde_json::to_writer(&mut lines, image).expect("memory takes what is written");
            lines.push(b'\n');
        }
        lines
    }
}
