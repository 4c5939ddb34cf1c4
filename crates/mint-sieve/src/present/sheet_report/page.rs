//! A sheet as a page, whose images open at full size.

use std::path::Path;

use minijinja::Environment;
use minijinja::value::Serde;
use serde::Serialize;

use super::{SheetReport, title};
use crate::console::safe;
use crate::failure::Failure;
use crate::present::sheet::{Cell, Mark};
use crate::present::web::{Addresses, LOOK, base64, jpeg, source_of_page};

const TEMPLATE: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");

#[derive(Serialize)]
struct Page {
    title: String,
    csp: String,
    style: String,
    cells: Vec<PageCell>,
}

#[derive(Serialize)]
struct PageCell {
    /// Empty where the image lies in an archive, or is none of the collection.
    address: String,
    picture: String,
    width_px: u32,
    height_px: u32,
    alt: String,
    lines: [String; 2],
    mark: &'static str,
}

/// The page of these cells, which is to lie in `folder`.
pub fn page(
    report: &SheetReport<'_>,
    cells: &[Option<Cell>],
    folder: &Path,
) -> Result<String, Failure> {
    let broken =
        |error: minijinja::Error| Failure::output(format!("the page cannot be made: {error}"));
    let catalog = report.catalog;
    let mut addresses = Addresses::new(folder);
    let cells = cells.iter().flatten().map(|cell| {
        let record = cell.record.map(|record| &catalog.records[record]);
        let file = record.and_then(|record| catalog.collection.file(record.located()));
        let sides = cell.pixels.as_ref().map_or((0, 0), |one| (one.width_px, one.height_px));
        PageCell {
            address: file.map_or(String::new(), |file| addresses.of(&file.whole_path())),
            picture: cell.pixels.as_ref().map_or(String::new(), |pixels| base64(&jpeg(pixels))),
            width_px: sides.0,
            height_px: sides.1,
            alt: safe(record.map_or(cell.lines[0].as_str(), |record| record.path.as_str())),
            lines: cell.lines.clone().map(|line| safe(&line)),
            mark: match cell.mark {
                Mark::None => "",
                Mark::Note => "note",
                Mark::Wrong => "wrong",
            },
        }
    });
    let style = [LOOK, STYLE].concat();
    let page = Page {
        title: safe(&title(report)),
        csp: source_of_page(&style, None),
        cells: cells.collect(),
        style,
    };
    let mut environment = Environment::new();
    environment.add_template("page.html", TEMPLATE).map_err(broken)?;
    let template = environment.get_template("page.html").map_err(broken)?;
    template.render(Serde(page)).map_err(broken)
}
