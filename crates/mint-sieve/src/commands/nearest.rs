//! `nearest`: the pictures that are most like one.

use sieve_core::duplicates::{self, Side};
use sieve_core::measuring::{self, Closeup};
use sieve_core::reading::{self, Trouble};

use super::{Answer, Output, collection, pictures};
use crate::args::{NearestArgs, TableFormat};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::{self, nearest::Nearest, sheet};
use crate::progress::Progress;
use crate::writing::NewFile;

/// Answers `nearest`.
pub fn run(args: &NearestArgs, progress: &Progress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    if let Some(output) = &args.sheet {
        config.refuse_inside(output)?;
    }
    let sheet = args.sheet.as_deref().map(NewFile::create).transpose()?;
    let limits = config.read_limits();
    let shown = args.image.display();
    let refused =
        |why: Trouble| Failure::input(format!("{shown} cannot be compared: {}", in_words(&why)));
    let bytes = reading::bytes_of(&args.image, &limits).map_err(refused)?;
    let image = measuring::measure(&bytes.bytes, &limits).map_err(refused)?;
    let closeup = |content| Closeup::of(&bytes.bytes, &limits, content).ok();

    let (catalog, store) = collection::measure(&config, &args.catalog, progress)?;
    if catalog.images().next().is_none() {
        return Err(collection::without_pictures(&config, &catalog.collection));
    }
    let side = Side { catalog: &catalog, store: store.as_ref(), limits: &limits };
    let found = duplicates::nearest(&side, &image, &closeup, args.count as usize, progress)?;
    progress.end();
    let answer =
        Nearest { args, config: &config, catalog: &catalog, image: &image.0, found: &found };
    if let Some(sheet) = sheet {
        let mut rows = present::nearest::rows(&answer);
        let asked = reading::decode(&bytes.bytes, &limits).map_err(refused)?;
        rows[0].tiles[0].pixels = Some(sheet::fitted(&asked.pixels));
        let rows = pictures::fill(rows, std::slice::from_ref(&side), progress)?;
        sheet.write(&sheet::png(&sheet::paint_rows(&present::nearest::title(&answer), &rows)))?;
    }
    Ok(Answer::done(match args.format {
        TableFormat::Text => Output::People(present::nearest::text(&answer)),
        TableFormat::Json => Output::Json(present::nearest::json(&answer)),
        TableFormat::Csv => Output::Csv(present::nearest::csv(&answer)),
    }))
}

/// Why a file gives no picture.
fn in_words(trouble: &Trouble) -> String {
    match trouble {
        Trouble::Unreadable(why) => format!("it cannot be read: {why}"),
        Trouble::Empty => "it is empty".to_owned(),
        Trouble::NotAnImage(Some(what)) => format!("it is no picture but {what}"),
        Trouble::NotAnImage(None) => "it is no picture".to_owned(),
        Trouble::Unsupported(what) => format!("it is not supported: {what}"),
        Trouble::CutShort(format, what) => format!("the {} is cut short: {what}", format.name()),
        Trouble::Damaged(format, what) => format!("the {} is damaged: {what}", format.name()),
        Trouble::OverLimit(what) => format!("it is over a limit: {what}"),
    }
}
