//! `preview`: what a policy does to real pictures, on one sheet.

use std::fs;
use std::path::Path;

use rayon::prelude::*;
use sieve_core::augment::{Draw, Policy};
use sieve_core::collection::{Collection, Entry};
use sieve_core::progress::Watch;
use sieve_core::reading::{self, Pixels, ReadLimits, Trouble};
use sieve_core::{io_reason, nearest, sampling};

use super::{Answer, collection as opening};
use crate::args::{PreviewArgs, PreviewFormat};
use crate::failure::Failure;
use crate::present::preview::{self, Preview};
use crate::present::sheet::{self, Layout, Row, Sheet, Tile, Wanted};
use crate::progress::Progress;
use crate::writing::{self, NewFile};

/// The policies that come with the program, by name.
pub const EXAMPLES: [(&str, &str); 2] = [
    ("gentle", include_str!("../../../../policies/gentle.toml")),
    ("harsh", include_str!("../../../../policies/harsh.toml")),
];

/// Tiles on a sheet at most: beyond them nobody looks, and memory runs out.
const MOST_TILES: u64 = 5000;

/// Answers `preview`.
pub fn run(args: &PreviewArgs, progress: &Progress) -> Result<Answer, Failure> {
    let root = &args.collection.root;
    refuse_other_formats(&args.out)?;
    writing::refuse_inside(root, &args.out)?;
    let (policy_name, policy) = read_policy(&args.policy)?;
    let file = NewFile::create(&args.out)?;
    let collection = opening::open(&args.collection, progress)?;

    // Only training pictures are augmented.
    let split = collection.splits().iter().any(|split| split == "train").then_some("train");
    let mut classes = sampling::shuffled(&collection, split, args.seed);
    if !args.classes.is_empty() {
        known_classes(&collection, &args.classes)?;
        classes.retain(|class, _| args.classes.iter().any(|wanted| wanted == class));
    }
    let rows_wanted = args.per_class.map(|each| each * classes.len() as u32);
    let wanted = Wanted {
        rows: rows_wanted,
        draws: args.draws,
        full_size: args.full_size,
        steps: policy.steps.len() as u32,
    };
    let mut layout = Layout::of(policy.frame, wanted);
    let tiles = u64::from(layout.rows) * (u64::from(layout.draws) + 1);
    if tiles > MOST_TILES {
        let message = format!("{tiles} tiles are too many for one sheet; {MOST_TILES} is the most");
        return Err(Failure::call(message).hint("Show fewer classes with --class, or fewer draws."));
    }

    let counts = match args.per_class {
        Some(each) => vec![each as usize; classes.len()],
        None => sampling::spread(layout.rows as usize, classes.len()),
    };
    progress.begin("drawing", Some(counts.iter().sum::<usize>() as u64));
    let limits = opening::read_limits(&args.collection);
    let job = Job { seed: args.seed, root, limits, policy: &policy, draws: layout.draws, progress };
    let chosen: Vec<(&Vec<&Entry>, usize)> = classes.values().zip(counts).collect();
    let shown: Result<Vec<Shown>, Failure> =
        chosen.par_iter().map(|(entries, count)| job.show(entries, *count)).collect();
    let (mut rows, mut passed_over) = (Vec::new(), 0);
    for shown in shown? {
        rows.extend(shown.rows);
        passed_over += shown.passed_over;
    }
    if rows.is_empty() {
        return Err(opening::without_pictures(root));
    }
    layout.rows = rows.len() as u32;

    let of = split.map_or(String::new(), |split| format!(" ({split})"));
    let title = format!(
        "Policy {policy_name} on {}{of}, seed {}. The first column is not augmented.",
        root.display(),
        args.seed,
    );
    let sheet = Sheet { title, layout, rows };
    file.write(&sheet::png(&sheet::paint(&sheet)))?;
    let preview = Preview {
        args,
        policy_name: &policy_name,
        policy: &policy,
        split,
        classes: classes.len(),
        passed_over,
        sheet: &sheet,
    };
    Ok(Answer::done(match args.format {
        PreviewFormat::Text => preview::text(&preview),
        PreviewFormat::Json => preview::json(&preview),
    }))
}

/// A sheet is a PNG whatever its name says, so the name must not say otherwise.
fn refuse_other_formats(out: &Path) -> Result<(), Failure> {
    if out.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("png")) {
        return Ok(());
    }
    let message =
        format!("--out {}: a sheet is a PNG; expected a name that ends in .png", out.display());
    let named = out.with_extension("png");
    Err(Failure::call(message).hint(format!("Did you mean {}?", named.display())))
}

/// Reads the policy in a file, or the example of that name where there is no such file.
fn read_policy(path: &Path) -> Result<(String, Policy), Failure> {
    let name = path.to_string_lossy();
    let example = EXAMPLES.iter().find(|(known, _)| *known == name && !path.exists());
    let (name, text) = match example {
        Some((name, text)) => ((*name).to_owned(), (*text).to_owned()),
        None => {
            let text = fs::read_to_string(path).map_err(|error| {
                let failure =
                    Failure::input(format!("cannot read the policy {name}: {}", io_reason(&error)));
                match nearest::word(&name, EXAMPLES.map(|(name, _)| name)) {
                    Some(near) => {
                        failure.hint(format!("Did you mean {near}, an example that comes along?"))
                    }
                    None => {
                        failure.hint("Expected a TOML file, or one of the examples: gentle, harsh.")
                    }
                }
            })?;
            let name = path.file_name().unwrap_or(path.as_os_str());
            (name.to_string_lossy().into_owned(), text)
        }
    };
    let policy = Policy::parse(&text)
        .map_err(|error| Failure::call(format!("the policy {}: {error}", path.display())))?;
    Ok((name, policy))
}

fn known_classes(collection: &Collection, wanted: &[String]) -> Result<(), Failure> {
    let known = collection.classes();
    for class in wanted {
        if known.contains(class) {
            continue;
        }
        let failure = Failure::call(format!("there is no class {class:?}"));
        return Err(match nearest::word(class, known.iter().map(String::as_str)) {
            Some(near) => failure.hint(format!("Did you mean {near:?}?")),
            None => failure.hint(format!("There are {}.", known.join(", "))),
        });
    }
    Ok(())
}

struct Job<'a> {
    seed: u64,
    root: &'a Path,
    limits: ReadLimits,
    policy: &'a Policy,
    draws: u32,
    progress: &'a Progress,
}

/// What came of one class.
struct Shown {
    rows: Vec<Row>,
    passed_over: u64,
}

impl Job<'_> {
    /// The first `count` of `entries` that are pictures.
    fn show(&self, entries: &[&Entry], count: usize) -> Result<Shown, Failure> {
        let mut shown = Shown { rows: Vec::new(), passed_over: 0 };
        let mut entries = entries;
        while shown.rows.len() < count && !entries.is_empty() {
            // As many as are still wanted; what turns out to be no picture is made up for.
            let (batch, rest) = entries.split_at(entries.len().min(count - shown.rows.len()));
            let rows: Vec<Result<Row, Trouble>> =
                batch.par_iter().map(|entry| self.row(entry)).collect();
            for (entry, row) in batch.iter().zip(rows) {
                match row {
                    Ok(row) => shown.rows.push(row),
                    Err(Trouble::NotAnImage(_)) => {}
                    Err(trouble) => {
                        tracing::debug!(path = entry.path.as_str(), ?trouble, "passed over");
                        shown.passed_over += 1;
                    }
                }
            }
            if self.progress.stopped() {
                return Err(sieve_core::Error::Interrupted.into());
            }
            entries = rest;
        }
        Ok(shown)
    }

    fn read(&self, entry: &Entry) -> Result<Pixels, Trouble> {
        let bytes = reading::bytes_of(&self.root.join(entry.path.native()), &self.limits)?;
        Ok(reading::decode(&bytes, &self.limits)?.pixels)
    }

    fn row(&self, entry: &Entry) -> Result<Row, Trouble> {
        let pixels = &self.read(entry)?;
        let path = entry.path.to_string();
        // One picture may take long: its draws are shared out too.
        let drawn = (0..self.draws)
            .into_par_iter()
            .map(|number| self.tile(pixels, self.policy.draw(self.seed, &path, u64::from(number))));
        let mut tiles = vec![self.tile(pixels, Draw::NOTHING)];
        tiles.par_extend(drawn);
        self.progress.advance(1);
        Ok(Row {
            tiles,
            class: entry.place.class().unwrap_or_default().to_owned(),
            split: entry.place.split.clone(),
            size_px: (pixels.width_px, pixels.height_px),
            path,
        })
    }

    fn tile(&self, pixels: &Pixels, draw: Draw) -> Tile {
        Tile { warped: draw.apply(pixels, self.policy), draw }
    }
}
