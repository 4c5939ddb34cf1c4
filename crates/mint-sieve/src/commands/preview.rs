//! `preview`: what a policy does to real pictures, on one sheet.

use std::path::Path;

use rayon::prelude::*;
use sieve_core::augment::{Draw, Policy, geometry};
use sieve_core::collection::{Collection, Entry, NoCache, composed};
use sieve_core::progress::Progress;
use sieve_core::reading::{self, FileBytes, Pixels, ReadError, ReadLimits};
use sieve_core::{input, nearest, sampling};

use super::{Answer, Output, collection as opening};
use crate::args::{PreviewArgs, PreviewFormat};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::preview::{self, Preview};
use crate::present::sheet::{self, Layout, Room, Row, Sheet, Tile};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// The policies that come with the program, by name.
pub const EXAMPLES: [(&str, &str); 2] = [
    ("gentle", include_str!("../../../../policies/gentle.toml")),
    ("harsh", include_str!("../../../../policies/harsh.toml")),
];

/// Tiles on a sheet at most: beyond them nobody looks, and memory runs out.
const MOST_TILES: u64 = 5000;

/// Draws by which it is told what geometry does: the mean of so many moves by less than half a percent between seeds.
const GEOMETRY_DRAWS: u64 = 2000;

/// Answers `preview`.
pub fn run(args: &PreviewArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    refuse_other_formats(&args.out)?;
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    config.refuse_inside(&args.out)?;
    let (policy_name, policy) = read_policy(&args.policy)?;
    let file = NewFile::create(&args.out)?;
    let collection = opening::open(&config, &NoCache, progress)?;

    // Only training pictures are augmented.
    let split = collection.splits.iter().any(|split| split == "train").then_some("train");
    let mut classes = sampling::shuffled(&collection, split, args.seed);
    if !args.classes.is_empty() {
        known_classes(&collection, &args.classes)?;
        classes.retain(|class, _| args.classes.iter().any(|wanted| composed(wanted) == *class));
    }
    let rows_wanted = args.per_class.map(|each| each * classes.len() as u32);
    let room = Room {
        rows: rows_wanted,
        draws: args.draws,
        full_size: args.full_size,
        steps: policy.steps.len() as u32,
    };
    let mut layout = Layout::new(policy.frame, room);
    let tiles = u64::from(layout.rows) * (u64::from(layout.draws) + 1);
    if tiles > MOST_TILES {
        let message = format!("{tiles} tiles do not fit one sheet; the limit is {MOST_TILES}");
        return Err(Failure::call(message).hint("Show fewer classes with --class, or fewer draws."));
    }

    let counts = match args.per_class {
        Some(each) => vec![each as usize; classes.len()],
        None => sampling::spread(layout.rows as usize, classes.len()),
    };
    progress.begin("drawing", Some(counts.iter().sum::<usize>() as u64));
    let limits = config.read_limits();
    let (seed, draws) = (args.seed, layout.draws);
    let job = Job { seed, collection: &collection, limits, policy: &policy, draws, progress };
    let mut wanted: Vec<Wanted<'_>> = classes
        .values()
        .zip(counts)
        .map(|(entries, count)| Wanted { entries, count, rows: Vec::new() })
        .collect();
    let passed_over = job.show(&mut wanted)?;
    let rows: Vec<Row> = wanted.into_iter().flat_map(|class| class.rows).collect();
    if rows.is_empty() {
        return Err(opening::without_images(&config, &collection));
    }
    layout.rows = rows.len() as u32;

    let of = split.map_or(String::new(), |split| format!(" ({split})"));
    let title = format!(
        "Policy {policy_name} on {}{of}, seed {}. The first column is not augmented.",
        collection.name(),
        args.seed,
    );
    let sizes: Vec<(u32, u32)> = rows.iter().map(|row| row.size_px).collect();
    let geometry = geometry(&policy, &sizes, args.seed, GEOMETRY_DRAWS);
    let sheet = Sheet { title, layout, rows };
    file.write(&sheet::png(&sheet::paint(&sheet)))?;
    let preview = Preview {
        args,
        config: &config,
        policy_name: &policy_name,
        policy: &policy,
        split,
        classes: classes.len(),
        passed_over,
        sheet: &sheet,
        collection: &collection,
        geometry: &geometry,
    };
    Ok(Answer::done(match args.format {
        PreviewFormat::Text => Output::People(preview::text(&preview)),
        PreviewFormat::Json => Output::Document(preview::json(&preview)),
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
            let text = input::read_text(path, input::MOST_SETTINGS_BYTES).map_err(|reason| {
                let failure = Failure::input(format!("cannot read the policy {name}: {reason}"));
                match nearest::word(&name, EXAMPLES.map(|(name, _)| name)) {
                    Some(near) => failure.hint(format!("Did you mean {near}, a built-in example?")),
                    None => failure.hint(
                        "Expected a TOML file, or one of the built-in examples: gentle, harsh.",
                    ),
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
        if known.iter().any(|known| *known == composed(class)) {
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
    collection: &'a Collection,
    limits: ReadLimits,
    policy: &'a Policy,
    draws: u32,
    progress: &'a TerminalProgress,
}

/// The pictures that are wanted of one class.
struct Wanted<'a> {
    /// What may still be shown, in the order in which it is chosen.
    entries: &'a [&'a Entry],
    /// How many are wanted.
    count: usize,
    rows: Vec<Row>,
}

impl Job<'_> {
    /// Shows the first pictures of each class, as many as are wanted. What turns out to be no picture
    /// is made up for by the next; returns how many were passed over.
    fn show(&self, classes: &mut [Wanted<'_>]) -> Result<u64, Failure> {
        let mut passed_over = 0;
        loop {
            let mut chosen: Vec<(usize, &Entry)> = Vec::new();
            for (class, wanted) in classes.iter_mut().enumerate() {
                let missing = wanted.entries.len().min(wanted.count - wanted.rows.len());
                let (batch, rest) = wanted.entries.split_at(missing);
                chosen.extend(batch.iter().map(|entry| (class, *entry)));
                wanted.entries = rest;
            }
            if chosen.is_empty() {
                return Ok(passed_over);
            }
            let located: Vec<_> = chosen.iter().map(|(_, entry)| entry.located()).collect();
            let shown =
                self.collection.visit(&located, &self.limits, self.progress, |at, bytes| {
                    bytes.and_then(|file| self.row(chosen[at].1, file))
                })?;
            for ((class, entry), row) in chosen.into_iter().zip(shown) {
                match row {
                    Ok(row) => classes[class].rows.push(row),
                    Err(ReadError::NotAnImage(_)) => {}
                    Err(read_error) => {
                        tracing::debug!(path = entry.path.as_str(), ?read_error, "passed over");
                        passed_over += 1;
                    }
                }
            }
        }
    }

    fn row(&self, entry: &Entry, file: FileBytes) -> Result<Row, ReadError> {
        // The memory taken is given back before the draws are shared out: a thread that waits for it may be the one
        // that a draw is waited for.
        let FileBytes { bytes, held, .. } = file;
        let reading::DecodedImage { pixels, held: held_pixels, .. } =
            reading::decode(&bytes, &self.limits)?;
        drop((bytes, held, held_pixels));
        let pixels = &pixels;
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
            split: entry.place.split.as_deref().map(str::to_owned),
            size_px: (pixels.width_px, pixels.height_px),
            path,
        })
    }

    fn tile(&self, pixels: &Pixels, draw: Draw) -> Tile {
        Tile { warped: draw.apply(pixels, self.policy), draw }
    }
}
