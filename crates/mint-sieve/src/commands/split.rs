//! `split`: train, validation and test.

use sieve_core::catalog::Catalog;
use sieve_core::collection::SPLIT_TABLE;
use sieve_core::duplicates::Found;
use sieve_core::splitting::{self, Assignment, Request};

use super::{Answer, Output, collection};
use crate::args::{SplitArgs, SplitFormat};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present;
use crate::progress::TerminalProgress;
use crate::writing::{NewFile, NewFolder, Tree};

/// Answers `split`.
pub fn run(args: &SplitArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let request = Request { parts: args.parts.clone(), seed: args.seed };
    for output in [&args.out, &args.to].into_iter().flatten() {
        config.refuse_inside(output)?;
    }
    // A place that cannot be written fails before the long work, not after it.
    let table = args.out.as_deref().map(NewFile::create).transpose()?;
    let tree = args.to.as_deref().map(NewFolder::create).transpose()?;

    let measured = collection::measure(&config, &args.catalog, progress)?;
    // Before the search, which is the long part.
    refuse_split(&measured.0)?;
    let answer = |catalog: &Catalog, found: &Found<'_>| {
        let assignment = splitting::assign(catalog, found, &request);
        if assignment.images.is_empty() {
            return Err(collection::without_images(&config, &catalog.collection));
        }
        refuse_empty_part(catalog, &assignment, &request)?;
        let split = present::split::Split {
            args,
            config: &config,
            request: &request,
            catalog,
            found,
            assignment: &assignment,
        };
        let rows = write(&split, table, tree, progress)?;
        Ok(Answer::done(shown(&split, rows)))
    };
    collection::search_in(&config, &measured, args.reach, progress, answer)
}

/// Writes what was asked for; the rows of the split table are returned.
fn write(
    split: &present::split::Split<'_>,
    table: Option<NewFile>,
    tree: Option<NewFolder>,
    progress: &TerminalProgress,
) -> Result<Vec<u8>, Failure> {
    let parts = split.request.parts.names();
    let rows = present::split::table(split.catalog, split.assignment, parts);
    if let Some(folder) = tree {
        let tree = Tree {
            collection: &split.catalog.collection,
            limits: split.config.read_limits(),
            assignment: split.assignment,
            parts,
            link: split.args.link,
        };
        tree.write(&folder.path(), progress)?;
        NewFile::create(&folder.path().join(SPLIT_TABLE))?.write(&rows)?;
        folder.keep()?;
    }
    if let Some(table) = table {
        table.write(&rows)?;
    }
    Ok(rows)
}

fn shown(split: &present::split::Split<'_>, rows: Vec<u8>) -> Output {
    match split.args.format {
        SplitFormat::Text => Output::People(present::split::text(split)),
        SplitFormat::Json => Output::Document(present::split::json(split)),
        SplitFormat::Csv => {
            Output::Csv(String::from_utf8(rows).expect("paths are written as text"))
        }
    }
}

/// A part without a picture is no part: a score on it would be about nothing.
fn refuse_empty_part(
    catalog: &Catalog,
    assignment: &Assignment<'_>,
    request: &Request,
) -> Result<(), Failure> {
    let got = |part: usize| assignment.images.iter().filter(|image| image.part == part).count();
    let names = request.parts.names();
    let Some(empty) = (0..names.len()).find(|&part| got(part) == 0) else { return Ok(()) };
    let images = present::counted(assignment.images.len() as u64, "image", "images");
    let message = format!(
        "the part {} would be empty: {} has {images} in its classes",
        names[empty],
        catalog.collection.name()
    );
    Err(Failure::call(message)
        .hint("Nothing was written. Ask for fewer parts, or a larger share for this one."))
}

/// Splitting what is split would mix pictures that were kept apart.
fn refuse_split(catalog: &Catalog) -> Result<(), Failure> {
    let splits = &catalog.collection.splits;
    if splits.is_empty() {
        return Ok(());
    }
    let name = catalog.collection.name();
    let message = format!("{name} is already split, into {}", splits.join(", "));
    Err(Failure::call(message).hint(
        "To split it anew, gather the pictures into one folder per class first; what was tested on \
         before may then be trained on.",
    ))
}
