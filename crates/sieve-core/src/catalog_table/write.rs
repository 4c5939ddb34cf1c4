//! Writing a catalog as a table.

use std::fs::File;
use std::io::{self, BufWriter};

use super::columns::{cells, columns};
use super::format::TableFormat;
use super::json_lines::JsonLinesTable;
use super::part::PartHead;
use super::rows::TableWriter;
use super::separated::SeparatedTable;
use crate::catalog::Catalog;
use crate::measuring::Thumbnail;
use crate::progress::Progress;
use crate::reading::ReadLimits;
use crate::store::Store;

/// What is written.
#[derive(Debug)]
pub struct TableRequest<'a> {
    /// How it is stored.
    pub format: TableFormat,
    /// Where it is a part that others are merged with: all columns, and files that are no images as well.
    pub part: Option<&'a PartHead>,
    /// With thumbnails.
    pub with_thumbnails: bool,
    /// The limits that images were read under.
    pub limits: &'a ReadLimits,
}

/// What was written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TableSummary {
    /// Rows.
    pub rows: u64,
    /// Rows of images.
    pub images: u64,
}

/// Thumbnails that are looked up together.
const ROWS: usize = 1024;

/// Writes a row for each image of `catalog` in the order of their paths, or for each file of a part.
///
/// # Errors
///
/// When the file cannot be written, or `progress` asks to stop ([`io::ErrorKind::Interrupted`]).
pub fn write(
    into: File,
    catalog: &Catalog,
    store: Option<&Store>,
    request: &TableRequest<'_>,
    progress: &dyn Progress,
) -> io::Result<TableSummary> {
    let is_wanted: Vec<bool> = columns()
        .iter()
        .map(|column| match column.name {
            "thumbnail" => request.with_thumbnails,
            _ => request.part.is_some() || !column.is_internal,
        })
        .collect();
    let kept: Vec<_> =
        columns().into_iter().zip(&is_wanted).filter(|kept| *kept.1).map(|kept| kept.0).collect();
    let into = BufWriter::new(into);
    let mut table: Box<dyn TableWriter> = match request.format {
        TableFormat::Csv => Box::new(SeparatedTable::new(into, &kept)?),
        TableFormat::JsonLines => Box::new(JsonLinesTable::new(into, kept, request.part)?),
        #[cfg(feature = "parquet")]
        TableFormat::Parquet => {
            Box::new(super::parquet::ParquetTable::new(into, kept, request.part)?)
        }
        #[cfg(not(feature = "parquet"))]
        TableFormat::Parquet => return Err(io::ErrorKind::Unsupported.into()),
    };
    let stopped = |_| io::Error::from(io::ErrorKind::Interrupted);
    let mut summary = TableSummary::default();
    progress.begin("writing rows", Some(catalog.records.len() as u64));
    let places: Vec<usize> = (0..catalog.records.len())
        .filter(|&at| request.part.is_some() || catalog.records[at].image().is_some())
        .collect();
    for places in places.chunks(ROWS) {
        let of_image = |&at: &usize| request.with_thumbnails && has_thumbnail(catalog, at);
        let images: Vec<usize> = places.iter().copied().filter(of_image).collect();
        let found = catalog.thumbnails(&images, store, request.limits, &Quiet(progress));
        let mut thumbnails: Vec<Option<Thumbnail>> = vec![None; places.len()];
        for (at, thumbnail) in images.iter().zip(found.map_err(stopped)?) {
            thumbnails[places.partition_point(|place| place < at)] = thumbnail;
        }
        for (&at, thumbnail) in places.iter().zip(&thumbnails) {
            progress.advance(1);
            let record = &catalog.records[at];
            let Some(cells) = cells(record, thumbnail.as_ref(), request.limits) else { continue };
            let cells = cells.into_iter().zip(&is_wanted).filter(|kept| *kept.1);
            table.row(cells.map(|kept| kept.0).collect())?;
            summary.rows += 1;
            summary.images += u64::from(record.image().is_some());
        }
        if progress.stopped() {
            return Err(io::ErrorKind::Interrupted.into());
        }
    }
    table.finish()?;
    Ok(summary)
}

/// Whether a thumbnail of the file is kept: of small images none is.
fn has_thumbnail(catalog: &Catalog, at: usize) -> bool {
    catalog.records[at].image().is_some_and(|image| !image.is_small())
}

/// Passes on that the run is to stop, and no steps: those are rows.
struct Quiet<'a>(&'a dyn Progress);

impl Progress for Quiet<'_> {
    fn begin(&self, _what: &'static str, _total: Option<u64>) {}
    fn advance(&self, _steps: u64) {}
    fn stopped(&self) -> bool {
        self.0.stopped()
    }
}
