//! `split`: train, validation and test.

use std::io::Write;

use sieve_core::attributes::Fact;
use sieve_core::catalog::Catalog;
use sieve_core::collection::{CLASS_INDEX, Collection, SPLIT_TABLE, split_of_name};
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::InsidePath;
use sieve_core::io_reason;
use sieve_core::repair::Edit;
use sieve_core::splitting::{
    self, Assigned, Assignment, Conflicts, Earlier, GroupingRules, LeftOut, Parts, PartsError,
    Placing, Request, SplitError, SplitTable, Stratum, Subset, places,
};

use super::skipping::refuse_skipped;
use super::{Answer, Output, collection, refuse_linked_upload};
use crate::args::{self, GroupBy, SplitArgs};
use crate::config::CollectionConfig;
use crate::failure::{Exit, Failure};
use crate::present::{self, chart, sheet, split as shown};
use crate::progress::TerminalProgress;
use crate::requests::SplitRequest;
use crate::writing::{Link, NewFile, NewFolder, Placed, Tree};

/// Answers `split`.
pub fn run(args: &SplitArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let mut request = request(args)?;
    for output in [&args.out, &args.to].into_iter().flatten() {
        config.refuse_inside(output)?;
    }
    args.to.iter().try_for_each(|to| refuse_linked_upload(to, args.link))?;
    // A place that cannot be written fails before the long work, not after it.
    let table = args.out.as_deref().map(NewFile::create).transpose()?;
    let tree = args.to.as_deref().map(|to| NewFolder::create_anywhere(to, &config.access));
    let tree = tree.transpose()?;
    if let Some(out) = &args.chart {
        chart::refuse_other_forms("--chart", out)?;
        config.refuse_inside(out)?;
    }
    let chart_file = args.chart.as_deref().map(NewFile::create).transpose()?;

    let measured = collection::measure(&config, &args.catalog, progress)?;
    // Before the search, which is the long part.
    request.strata = strata(args, &measured.0.collection)?;
    match &args.from {
        Some(from) => request.parts = parts_from(args, from, &measured.0.collection)?,
        None if !args.resplit => refuse_split(&measured.0)?,
        None => {}
    }
    let answer = |catalog: &Catalog, found: &DuplicateReport<'_>| {
        let mut assignment = splitting::assign(catalog, found, &request).map_err(explained)?;
        let skipped =
            if args.to.is_some() { leave_out(args, &request, &mut assignment) } else { Vec::new() };
        refuse_skipped(args.strict, catalog, &skipped)?;
        if assignment.images.is_empty() {
            return Err(nothing_left(&config, catalog, &assignment));
        }
        refuse_gaps(args, catalog, &assignment, &request)?;
        let violations = splitting::violations(&assignment, found);
        let asked = SplitRequest::from(args);
        let split = shown::Split {
            asked: &asked,
            config: &config,
            request: &request,
            catalog,
            found,
            assignment: &assignment,
            violations: &violations,
            skipped: &skipped,
        };
        write(&split, table, tree, progress)?;
        if let (Some(file), Some(out)) = (chart_file, &args.chart) {
            let drawn = shown::chart(&catalog.collection.name(), &request, &assignment);
            file.write(&chart::drawn(&drawn, out)?)?;
        }
        if args.link == Link::Hard && args.to.is_some() {
            let records = assignment.images.iter().map(|image| image.record);
            let store = measured.1.as_ref();
            collection::keep_linked(store, &catalog.collection, records, &config.read_limits());
        }
        let output = Output::of_table(&split, args.format);
        Ok(Answer { output, exit: if skipped.is_empty() { Exit::Done } else { Exit::Finding } })
    };
    collection::search_in(&config, &measured, args.reach, progress, answer)
}

/// What is asked of the core.
fn request(args: &SplitArgs) -> Result<Request, Failure> {
    let parts = match (args.folds, &args.parts) {
        (Some(folds), _) => Parts::folds(folds),
        // Parts of a split that is there are known once the collection is.
        (None, Some(text)) if args.from.is_none() => {
            text.parse().map_err(|error| wrong_parts(text, &error))?
        }
        _ => Parts::default(),
    };
    let patterns = args.group_by.iter().filter_map(|by| match by {
        GroupBy::Pattern(pattern) => Some(pattern.clone()),
        GroupBy::Folder | GroupBy::Variants => None,
    });
    let earlier = args.keep.as_ref().map(|file| -> Result<Earlier, Failure> {
        let table = SplitTable::read(file).map_err(|reason| {
            Failure::input(format!("the split table {} cannot be used: {reason}", file.display()))
        })?;
        Ok(Earlier::new(&table))
    });
    Ok(Request {
        parts,
        per: args.count_per.into(),
        seed: args.seed,
        together: GroupingRules {
            copies: args.copies == args::Copies::Together,
            patterns: patterns.collect(),
            folder: args.group_by.iter().any(|by| matches!(by, GroupBy::Folder)),
            variants: args.group_by.iter().any(|by| matches!(by, GroupBy::Variants)),
        },
        conflicts: match args.conflicts {
            args::Conflicts::LeaveOut => Conflicts::LeaveOut,
            args::Conflicts::Keep => Conflicts::Keep,
        },
        // Columns are known once the collection is.
        strata: Vec::new(),
        earlier: earlier.transpose()?,
        from: args.from.as_deref().map(|from| split_of_name(from).unwrap_or(from).to_owned()),
        locked: args.lock.clone(),
        subset: args.subset.map(|amount| Subset { amount, per: args.count_per.into() }),
    })
}

/// What is balanced within each class: facts, or columns of the collection's table.
fn strata(args: &SplitArgs, collection: &Collection) -> Result<Vec<Stratum>, Failure> {
    let fact_name = |fact: &Fact| fact.name().replace(' ', "-");
    let known = |word: &String| -> Result<Stratum, Failure> {
        let fact = Fact::ALL.into_iter().find(|fact| fact_name(fact) == *word).map(Stratum::Fact);
        let column = collection.extra.iter().position(|name| name == word).map(Stratum::Column);
        fact.or(column).ok_or_else(|| {
            let mut names: Vec<String> = Fact::ALL.iter().map(fact_name).collect();
            names.extend(collection.extra.iter().cloned());
            let message = format!("--strata {word}: there is no such fact or column");
            Failure::unknown(message, word, &names)
        })
    };
    args.strata.iter().map(known).collect()
}

pub fn wrong_parts(text: &str, error: &PartsError) -> Failure {
    Failure::call(format!("--parts {text}: {error}"))
}

/// The parts of a collection that is split, with new ones taken out of the split `from`.
fn parts_from(args: &SplitArgs, from: &str, collection: &Collection) -> Result<Parts, Failure> {
    let text = args.parts.as_deref().unwrap_or_default();
    let from = split_of_name(from).unwrap_or(from);
    if !collection.splits.iter().any(|split| split == from) {
        let failure = Failure::call(format!("--from {from}: there is no such split"));
        return Err(match collection.splits[..] {
            [] => failure.hint("The collection is not split yet; omit --from."),
            _ => failure.hint(format!("There are {}.", collection.splits.join(", "))),
        });
    }
    let others = collection.splits.iter().filter(|split| *split != from).cloned();
    Parts::taken_from(text, from, &others.collect::<Vec<_>>())
        .map_err(|error| wrong_parts(text, &error))
}

/// What was asked for and cannot be had, with the nearest that can.
pub fn explained(error: SplitError) -> Failure {
    let hint = match &error {
        SplitError::TooMany { images, .. } => {
            format!("Nothing was written. Request fewer than {images} in total.")
        }
        SplitError::SubsetTooLarge { images, .. } => {
            format!("Nothing was written. Request at most {images}, or omit --subset.")
        }
        SplitError::ClassTooSmall { images, class, .. }
        | SplitError::SubsetClassTooSmall { images, class, .. } => format!(
            "Nothing was written. Request at most {images} per class, or leave {class:?} out."
        ),
        SplitError::PatternUnmatched(_) => {
            "Nothing was written. A pattern without / is matched against file names, one with / against whole paths."
                .to_owned()
        }
        SplitError::EarlierPart(_) => {
            "Nothing was written. Use the same part names in --parts as in the earlier split.".to_owned()
        }
        _ => "Nothing was written.".to_owned(),
    };
    Failure::call(error.to_string()).hint(hint)
}

/// Writes the split table and the tree that were requested.
fn write(
    split: &shown::Split<'_>,
    table: Option<NewFile>,
    tree: Option<NewFolder>,
    progress: &TerminalProgress,
) -> Result<(), Failure> {
    let (writer, folds) = (split.writer(), split.asked.folds);
    let rows = writer.table(folds.is_some());
    if let Some(folder) = tree {
        let images = &split.assignment.images;
        let placed = placings(split.asked.folds, split.request, &split.assignment.images);
        let placed = images.iter().zip(places(&placed)).map(|(image, place)| {
            let place =
                place.map_err(|why| Failure::input(format!("{}: {why}", image.record.path)))?;
            let (record, digest, edit) = (image.record, Some(image.digest), Edit::AsIs);
            Ok(Placed { record, digest, place, edit })
        });
        let placed: Vec<Placed<'_>> = placed.collect::<Result<_, Failure>>()?;
        let tree = Tree {
            collection: &split.catalog.collection,
            limits: split.config.read_limits(),
            link: split.asked.link,
            png: sheet::png,
        };
        let parts = tree_parts(split.asked.folds, split.request).iter();
        let parts: Vec<InsidePath> =
            parts.filter_map(|part| InsidePath::of_name(part).ok()).collect();
        let skipped = tree.write(&placed, &parts, folder.root(), progress)?;
        if let Some((at, why)) = skipped.first() {
            // The table would not be that of the tree.
            let place = placed[*at].place.as_path().display();
            return Err(Failure::output(format!("the file system cannot store {place}: {why}"))
                .hint("Nothing was written. Choose another folder, or shorten the names."));
        }
        write_into(&folder, SPLIT_TABLE, &rows)?;
        write_into(&folder, CLASS_INDEX, &writer.class_index())?;
        for fold in 0..folds.unwrap_or(0) as usize {
            write_into(&folder, &format!("fold-{}.csv", fold + 1), &writer.fold_list(fold))?;
        }
        folder.keep_anywhere(progress)?;
    }
    if let Some(table) = table {
        table.write(&rows)?;
    }
    Ok(())
}

/// Writes a file into a folder that is being built.
fn write_into(folder: &NewFolder, name: &str, bytes: &[u8]) -> Result<(), Failure> {
    let write = || -> std::io::Result<()> {
        let place = InsidePath::of_name(name).map_err(|_| std::io::ErrorKind::InvalidFilename)?;
        folder.root().create(&place)?.write_all(bytes)
    };
    write().map_err(|error| {
        Failure::output(format!("cannot write {name}: {}; nothing was written", io_reason(&error)))
    })
}

/// The folders of the parts; folds share one tree of images, and each has its own list.
fn tree_parts(folds: Option<u64>, request: &Request) -> &[String] {
    if folds.is_some() { &[] } else { request.parts.names() }
}

/// What decides the places of images in the tree.
fn placings<'a>(
    folds: Option<u64>,
    request: &'a Request,
    images: &'a [Assigned<'_>],
) -> Vec<Placing<'a>> {
    let parts = tree_parts(folds, request);
    let placing = |image: &'a Assigned<'_>| Placing {
        path: &image.record.path,
        class: image.class,
        part: parts.get(image.part).map_or("", String::as_str),
        // What an earlier split said by folders is said by the new ones.
        split_folders: image.record.split().map_or(0, |_| usize::from(image.record.place.base)),
    };
    images.iter().map(placing).collect()
}

/// Takes the images out of a split that no tree can hold under their names, and returns the numbers of their records.
fn leave_out(
    args: &SplitArgs,
    request: &Request,
    assignment: &mut Assignment<'_>,
) -> Vec<(usize, String)> {
    let places = places(&placings(args.folds, request, &assignment.images));
    let failed = assignment.images.iter().zip(places);
    let failed: Vec<(usize, String)> =
        failed.filter_map(|(image, place)| Some((image.index, place.err()?))).collect();
    assignment.leave_out(&failed.iter().map(|(index, _)| *index).collect());
    failed
}

/// The failure of a collection of which nothing takes part.
fn nothing_left(
    config: &CollectionConfig,
    catalog: &Catalog,
    assignment: &Assignment<'_>,
) -> Failure {
    let is_conflict = |why: &LeftOut| *why == LeftOut::LabelConflict;
    if !assignment.left_out.iter().any(|(_, why)| is_conflict(why)) {
        return collection::without_images(config, &catalog.collection);
    }
    let name = catalog.collection.name();
    Failure::call(format!(
        "every image of {name} is filed under several classes: nothing is left to split"
    ))
    .hint("Use --conflicts keep to split them anyway, each with its copies.")
}

/// A part without an image is no part: a score on it would be about nothing. A class that is not trained on is never
/// answered.
fn refuse_gaps(
    args: &SplitArgs,
    catalog: &Catalog,
    assignment: &Assignment<'_>,
    request: &Request,
) -> Result<(), Failure> {
    if args.force {
        return Ok(());
    }
    let names = request.parts.names();
    let got = |part: usize| assignment.images.iter().filter(|image| image.part == part).count();
    if let Some(empty) = (0..names.len()).find(|&part| got(part) == 0) {
        let images = present::counted(assignment.images.len() as u64, "image", "images");
        let message = format!(
            "the part {} would be empty: {} has {images} in its classes",
            names[empty],
            catalog.collection.name()
        );
        return Err(Failure::call(message).hint(
            "Nothing was written. Request fewer parts or a larger share for this one, or use --force to split anyway.",
        ));
    }
    let missing = assignment.classes.iter().filter(|class| class.got[0] == 0);
    let missing: Vec<String> = missing.map(|class| format!("{:?}", class.class)).collect();
    if missing.is_empty() || args.folds.is_some() {
        return Ok(());
    }
    let shown = missing.iter().take(5).map(String::as_str).collect::<Vec<_>>().join(", ");
    let more =
        if missing.len() > 5 { format!(" and {} more", missing.len() - 5) } else { String::new() };
    let message = format!("no image of {shown}{more} would be in {}, the first part", names[0]);
    Err(Failure::call(message).hint(
        "Nothing was written: grouping leaves no image for that part. Use --force to split anyway.",
    ))
}

/// Splitting what is split would mix images that were kept apart.
fn refuse_split(catalog: &Catalog) -> Result<(), Failure> {
    let splits = &catalog.collection.splits;
    if splits.is_empty() {
        return Ok(());
    }
    let name = catalog.collection.name();
    let message = format!("{name} is already split, into {}", splits.join(", "));
    Err(Failure::call(message).hint(
        "To split it again, add --resplit: earlier test images may then be used for training.",
    ))
}
