//! `sheet`: images to look at, on pages.

mod named;

use std::collections::{BTreeMap, BTreeSet, HashMap};

use sieve_core::appearance::{unlike_class, unlike_class_by_vectors};
use sieve_core::catalog::Catalog;
use sieve_core::collection::composed;
use sieve_core::files::RelPath;
use sieve_core::ordering::{self, Order, Shelf};
use sieve_core::progress::Progress;
use sieve_core::reading;
use sieve_core::sampling::shared_out;
use sieve_core::store::Store;

use named::{SheetImage, of_findings, of_paths, of_plan, once_each};

use super::{Answer, Output, collection, vectors};
use crate::args::{SheetArgs, TextFormat};
use crate::config::CollectionConfig;
use crate::console;
use crate::failure::Failure;
use crate::present::sheet::{self, Cell, GridLayout, Mark};
use crate::present::sheet_report::{self as present, SheetReport};
use crate::present::web::is_page;
use crate::progress::TerminalProgress;
use crate::requests::SheetRequest;
use crate::writing::NewFile;

/// Answers `sheet`.
pub fn run(args: &SheetArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let page = args.out.as_deref().filter(|out| is_page(out));
    if let Some(out) = args.out.as_deref().filter(|_| page.is_none()) {
        super::preview::refuse_other_formats(out)?;
    }
    if args.vectors.vectors.is_some() && args.order != Order::Atypical {
        let message = "--vectors orders images by how atypical they are; it needs --order atypical";
        return Err(Failure::call(message));
    }
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    args.out.iter().try_for_each(|out| config.refuse_inside(out))?;
    let file = args.out.as_deref().map(NewFile::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    let catalog = &measured.0;
    let classes = wanted_classes(args, catalog)?;
    let layout = GridLayout::new(args.size, args.across);
    let (cells, pages, total) = if args.mean {
        let cells = means(args, &config, &measured, &classes, &layout, progress)?;
        let total = cells.len() as u64;
        (paged(args, cells.into_iter().map(Some).collect(), &layout)?, total, total)
    } else {
        let images = images(args, &config, &measured, &classes, &layout, progress)?;
        let total = images.iter().flatten().count() as u64;
        if total == 0 {
            return Err(nothing(args, &config, catalog));
        }
        let (pages, all) = (images.len() as u64, images);
        let page = paged(args, all, &layout)?;
        (cells(args, &config, &measured, page, &layout, progress)?, pages, total)
    };
    let request = SheetRequest::from(args);
    let mut report = SheetReport {
        asked: &request,
        config: &config,
        catalog,
        classes: classes_with_images(catalog, &classes),
        shown: cells.iter().flatten().count() as u64,
        total,
        pages: pages.div_ceil(on_page(args, &layout) as u64),
        painted_px: (0, 0),
    };
    let painted = sheet::paint_grid(&present::title(&report), &layout, &cells);
    report.painted_px = (painted.width_px, painted.height_px);
    let png = sheet::png(&painted);
    match (file, page) {
        (Some(file), Some(page)) => {
            let page = present::page(&report, &cells, crate::writing::parent(page))?;
            file.write(page.as_bytes())?;
        }
        (Some(file), None) => file.write(&png)?,
        (None, _) => {}
    }
    progress.end();
    let shows = args.show && args.format == TextFormat::Text;
    let drawn = if shows { console::show(&painted, &png) } else { String::new() };
    Ok(Answer::done(Output::of(&report, args.format).below(&drawn)))
}

fn nothing(args: &SheetArgs, config: &CollectionConfig, catalog: &Catalog) -> Failure {
    if args.codes.is_empty() && args.plan.is_none() && !args.paths {
        return collection::without_images(config, &catalog.collection);
    }
    Failure::input("there is no image to show: none of the named files is a readable image")
        .hint("Nothing was written.")
}

/// The classes that are shown; all of them where none was named.
fn wanted_classes(args: &SheetArgs, catalog: &Catalog) -> Result<Vec<String>, Failure> {
    let known = catalog.collection.classes();
    if args.classes.is_empty() {
        return Ok(known);
    }
    let one = |name: &String| {
        let name = composed(name).into_owned();
        if known.contains(&name) {
            return Ok(name);
        }
        Err(Failure::unknown(format!("there is no class {name:?}"), &name, &known))
    };
    args.classes.iter().map(one).collect()
}

fn classes_with_images(catalog: &Catalog, wanted: &[String]) -> u64 {
    let with_images: BTreeSet<&str> =
        catalog.images().filter_map(|(record, _)| record.class()).collect();
    wanted.iter().filter(|class| with_images.contains(class.as_str())).count() as u64
}

/// Images on a page for browsers, which is as long as they are.
const ON_LONG_PAGE: usize = 1000;

/// Cells of one page.
fn on_page(args: &SheetArgs, layout: &GridLayout) -> usize {
    match args.out.as_deref().is_some_and(is_page) {
        true => ON_LONG_PAGE,
        false => layout.cells(),
    }
}

/// The cells of the page that was asked for.
fn paged<T>(
    args: &SheetArgs,
    all: Vec<Option<T>>,
    layout: &GridLayout,
) -> Result<Vec<Option<T>>, Failure> {
    let on_page = on_page(args, layout);
    let pages = all.len().div_ceil(on_page).max(1);
    if args.page as usize > pages {
        let message = format!("--page {}: there are only {pages} pages", args.page);
        return Err(Failure::call(message));
    }
    let skipped = (args.page as usize - 1) * on_page;
    Ok(all.into_iter().skip(skipped).take(on_page).collect())
}

/// What is shown, in its order; none where a place stays empty.
fn images(
    args: &SheetArgs,
    config: &CollectionConfig,
    measured: &(Catalog, Option<Store>),
    classes: &[String],
    layout: &GridLayout,
    progress: &TerminalProgress,
) -> Result<Vec<Option<SheetImage>>, Failure> {
    let catalog = &measured.0;
    let unlike = match args.order {
        Order::Atypical => unlike(args, config, measured, progress)?,
        _ => Vec::new(),
    };
    let named = if !args.codes.is_empty() {
        Some(of_findings(&args.codes, config, measured, progress)?)
    } else if let Some(plan) = &args.plan {
        Some(of_plan(plan, catalog)?)
    } else if args.paths {
        Some(of_paths(catalog)?)
    } else {
        None
    };
    if let Some(mut named) = named {
        let is_wanted = |shown: &SheetImage| {
            args.classes.is_empty()
                || catalog.records[shown.record]
                    .class()
                    .is_some_and(|class| classes.iter().any(|c| c == class))
        };
        named.retain(is_wanted);
        if args.order != Order::Random {
            let mut order: Vec<usize> = named.iter().map(|shown| shown.record).collect();
            ordering::sort(catalog, &mut order, args.order, args.seed, &unlike);
            let place: HashMap<usize, usize> =
                order.iter().enumerate().map(|(at, record)| (*record, at)).collect();
            named.sort_by_key(|shown| place[&shown.record]);
        }
        return Ok(once_each(named).into_iter().map(Some).collect());
    }
    let shelves = ordering::shelves(catalog, args.order, args.seed, args.by_split, &unlike);
    let shelves: Vec<(Shelf<'_>, Vec<usize>)> = shelves
        .into_iter()
        .filter(|((class, _), _)| classes.iter().any(|wanted| wanted == class))
        .collect();
    let counts: Vec<usize> = match args.per_class {
        _ if args.all => shelves.iter().map(|(_, images)| images.len()).collect(),
        Some(each) => vec![each as usize; shelves.len()],
        None if args.side_by_side => vec![layout.columns as usize; shelves.len()],
        None => {
            let sizes: Vec<usize> = shelves.iter().map(|(_, images)| images.len()).collect();
            shared_out(layout.cells(), &sizes)
        }
    };
    let mut all: Vec<Option<SheetImage>> = Vec::new();
    for ((_, images), count) in shelves.iter().zip(counts) {
        let of_one = images.iter().take(count);
        all.extend(
            of_one.map(|&record| Some(SheetImage { record, why: String::new(), mark: Mark::None })),
        );
        if args.side_by_side {
            let rest = all.len() % layout.columns as usize;
            all.extend((rest..layout.columns as usize).filter(|_| rest > 0).map(|_| None));
        }
    }
    Ok(all)
}

/// How unlike its class each record is.
fn unlike(
    args: &SheetArgs,
    config: &CollectionConfig,
    (catalog, store): &(Catalog, Option<Store>),
    progress: &TerminalProgress,
) -> Result<Vec<f64>, Failure> {
    let images = (0..catalog.records.len()).filter(|&at| catalog.records[at].image().is_some());
    let images: Vec<usize> = images.collect();
    let classes: Vec<Option<&str>> = images.iter().map(|&at| catalog.records[at].class()).collect();
    let paths: Vec<&RelPath> = images.iter().map(|&at| &catalog.records[at].path).collect();
    let values = match vectors::of_paths(&args.vectors, &paths)? {
        Some(vectors) => unlike_class_by_vectors(&vectors, &classes),
        None => {
            let limits = config.read_limits();
            let shown = catalog.thumbnails(&images, store.as_ref(), &limits, progress)?;
            unlike_class(&shown, &classes)
        }
    };
    let mut unlike = vec![0.0; catalog.records.len()];
    images.iter().zip(values).for_each(|(&at, value)| unlike[at] = value);
    Ok(unlike)
}

/// The images of a page.
fn cells(
    args: &SheetArgs,
    config: &CollectionConfig,
    measured: &(Catalog, Option<Store>),
    page: Vec<Option<SheetImage>>,
    layout: &GridLayout,
    progress: &TerminalProgress,
) -> Result<Vec<Option<Cell>>, Failure> {
    let (catalog, limits) = (&measured.0, config.read_limits());
    let wanted: Vec<usize> = page.iter().flatten().map(|shown| shown.record).collect();
    progress.begin("painting the sheet", Some(wanted.len() as u64));
    let pixels = if args.from_thumbnails {
        let mut sorted = wanted.clone();
        sorted.sort_unstable();
        sorted.dedup();
        let thumbnails = catalog.thumbnails(&sorted, measured.1.as_ref(), &limits, progress)?;
        let known: BTreeMap<usize, _> = sorted.into_iter().zip(thumbnails).collect();
        let of = |at: &usize| {
            let facts = &catalog.records[*at].image()?.facts;
            let thumbnail = known.get(at)?.as_ref()?;
            let (width, height) = fitting(layout, facts.width_px, facts.height_px);
            Some(ordering::picture(thumbnail, width, height))
        };
        wanted.iter().map(of).collect()
    } else {
        let located: Vec<_> = wanted.iter().map(|&at| catalog.records[at].located()).collect();
        catalog.collection.visit(&located, &limits, progress, |_, bytes| {
            progress.advance(1);
            // Twice what is shown, so that it is still sharp when it is resampled.
            let least = 2 * layout.cell_width.max(layout.cell_height);
            let image = reading::decode_reduced(&bytes.ok()?.bytes, &limits, least).ok()?;
            Some(layout.fitted(&image.pixels))
        })?
    };
    let mut pixels = pixels.into_iter();
    let cell = |shown: SheetImage, pixels| {
        let record = &catalog.records[shown.record];
        let class = crate::present::visible(record.class().unwrap_or("(no class)"));
        let split = record.split().filter(|_| args.by_split || !args.all);
        let place = split.map_or(class.clone(), |split| format!("{class} · {split}"));
        let file = crate::present::visible(record.path.file_name());
        let lines = match shown.why.is_empty() {
            true => [place, file],
            // A finding says why its images are shown; the file is found by its name.
            false => [
                format!("{} {file}", if shown.mark == Mark::Wrong { "▲" } else { "" })
                    .trim()
                    .to_owned(),
                shown.why,
            ],
        };
        Cell { record: Some(shown.record), pixels, lines, mark: shown.mark }
    };
    let cells =
        page.into_iter().map(|shown| shown.map(|shown| cell(shown, pixels.next().flatten())));
    Ok(cells.collect())
}

/// Sides that fill a cell.
fn fitting(layout: &GridLayout, width_px: u32, height_px: u32) -> (u32, u32) {
    let scale = (f64::from(layout.cell_width) / f64::from(width_px))
        .min(f64::from(layout.cell_height) / f64::from(height_px));
    let side = |length: u32| ((f64::from(length) * scale).round() as u32).max(1);
    (side(width_px).min(layout.cell_width), side(height_px).min(layout.cell_height))
}

/// The mean of each class, and of each split of it.
fn means(
    args: &SheetArgs,
    config: &CollectionConfig,
    measured: &(Catalog, Option<Store>),
    classes: &[String],
    layout: &GridLayout,
    progress: &TerminalProgress,
) -> Result<Vec<Cell>, Failure> {
    let (catalog, limits) = (&measured.0, config.read_limits());
    let shelves = ordering::shelves(catalog, Order::Name, 0, args.by_split, &[]);
    let mut cells = Vec::new();
    for ((class, split), images) in &shelves {
        if !classes.iter().any(|wanted| wanted == class) {
            continue;
        }
        let thumbnails = catalog.thumbnails(images, measured.1.as_ref(), &limits, progress)?;
        let thumbnails: Vec<_> = thumbnails.into_iter().flatten().collect();
        let sides = ordering::usual_sides(images.iter().map(|&at| &catalog.records[at]));
        let (width, height) = fitting(layout, sides.0, sides.1);
        let pixels =
            ordering::mean(&thumbnails).map(|mean| ordering::picture(&mean, width, height));
        let place = split.map_or(String::new(), |split| format!(" · {split}"));
        let count = crate::present::counted(images.len() as u64, "image", "images");
        cells.push(Cell {
            record: None,
            pixels,
            lines: [crate::present::visible(class) + &place, format!("mean of {count}")],
            mark: Mark::None,
        });
    }
    if cells.is_empty() {
        return Err(collection::without_images(config, &catalog.collection));
    }
    Ok(cells)
}
