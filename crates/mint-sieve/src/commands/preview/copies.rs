//! `preview --to`: augmented copies of the training images, for those who cannot augment when they load them.

use std::collections::{BTreeMap, HashMap};
use std::io::Write;
use std::path::Path;

use sieve_core::augment::{Occasion, SourcePyramid};
use sieve_core::collection::{
    AUGMENTED_COLUMNS, AUGMENTED_TABLE, Collection, Entry, SPLIT_TABLE, check_folder_name,
    split_of_name,
};
use sieve_core::files::{InsidePath, shown_name};
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;
use sieve_core::reading;
use sieve_core::splitting::SplitTable;

use crate::args::TextFormat;
use crate::commands::{Answer, Output, collection as opening};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::policy_file::NamedPolicy;
use crate::present::preview::Copies;
use crate::present::sheet;
use crate::present::written;
use crate::progress::TerminalProgress;
use crate::requests::PreviewRequest;
use crate::writing::NewFolder;

/// What is to be written.
pub struct Request<'a> {
    pub request: &'a PreviewRequest,
    pub format: TextFormat,
    pub config: &'a CollectionConfig,
    pub policy: &'a NamedPolicy,
    pub collection: &'a Collection,
    pub split: Option<&'a str>,
    pub classes: &'a BTreeMap<&'a str, Vec<&'a Entry>>,
    pub to: &'a Path,
    pub progress: &'a TerminalProgress,
}

/// One row of the table.
struct Made {
    path: String,
    source: String,
    digest: Digest,
    number: u32,
    class: String,
}

/// Writes the copies.
pub fn run(request: &Request<'_>) -> Result<Answer, Failure> {
    refuse_beside_held_out(request.to)?;
    let folder = NewFolder::create(request.to)?;
    let mut entries: Vec<&Entry> = request.classes.values().flatten().copied().collect();
    entries.sort_by(|a, b| a.path.as_str().cmp(b.path.as_str()));
    let names = names(&entries);
    let draws = request.request.draws.unwrap_or(1);
    request.progress.begin("writing augmented images", Some(entries.len() as u64));
    let below = folder.root();
    let mut folders: HashMap<&str, InsidePath> = HashMap::new();
    for class in request.classes.keys() {
        let place = check_folder_name(class)
            .and_then(|()| InsidePath::of_name(class).map_err(|why| why.to_string()))
            .map_err(|why| {
                Failure::input(format!("the class {class:?} cannot be the name of a folder: {why}"))
            })?;
        below.create_folders(&place).map_err(|error| unwritten(class, &error))?;
        folders.insert(class, place);
    }
    let limits = request.config.read_limits();
    let located: Vec<_> = entries.iter().map(|entry| entry.located()).collect();
    let made = request.collection.visit(&located, &limits, request.progress, |at, bytes| {
        request.progress.advance(1);
        let Ok(file) = bytes else { return Ok(Vec::new()) };
        let Ok(image) = reading::decode(&file.bytes, &limits) else { return Ok(Vec::new()) };
        let image = SourcePyramid::new(&image.pixels);
        let digest = Digest::of_bytes(&file.bytes);
        let path = entries[at].path.to_string();
        let class = entries[at].place.class().unwrap_or_default();
        let mut made = Vec::new();
        for number in 0..draws {
            let seed = request.request.seed;
            let occasion = Occasion { seed, path: &path, class, number: u64::from(number) };
            let drawn = request.policy.policy.draw(&occasion).apply(&image, &request.policy.policy);
            let name = format!("{}-{}.png", names[at], number + 1);
            let place = folders[class].join(&name).map_err(|why| {
                Failure::input(format!("a copy of {path} cannot be called {name:?}: {why}"))
            })?;
            let write = || below.create(&place)?.write_all(&sheet::png(&drawn.pixels));
            write().map_err(|error| unwritten(&name, &error))?;
            let name = format!("{class}/{name}");
            let source = path.clone();
            made.push(Made {
                path: name,
                source,
                digest,
                number: number + 1,
                class: class.to_owned(),
            });
        }
        Ok(made)
    })?;
    let made: Vec<Vec<Made>> = made.into_iter().collect::<Result<_, Failure>>()?;
    let passed_over = made.iter().filter(|made| made.is_empty()).count() as u64;
    let made: Vec<Made> = made.into_iter().flatten().collect();
    if made.is_empty() {
        return Err(opening::without_images(request.config, request.collection));
    }
    let groups = groups(request.config);
    let rows = made.iter().map(|made| {
        let group = groups.get(&made.digest).cloned();
        [
            made.path.clone(),
            made.class.clone(),
            made.source.clone(),
            group.filter(|group| !group.is_empty()).unwrap_or_else(|| made.source.clone()),
            made.digest.to_string(),
            made.number.to_string(),
        ]
    });
    let table = written(&AUGMENTED_COLUMNS, rows);
    let place = InsidePath::of_name(AUGMENTED_TABLE).expect("a fixed name");
    let write = || below.create(&place)?.write_all(table.as_bytes());
    write().map_err(|error| unwritten(AUGMENTED_TABLE, &error))?;
    folder.keep()?;
    request.progress.end();
    let copies = Copies {
        seed: request.request.seed,
        policy: request.policy,
        split: request.split,
        to: request.to,
        written: made.len() as u64,
        images: entries.len() as u64 - passed_over,
        passed_over,
        draws,
    };
    Ok(Answer::done(Output::of(&copies, request.format)))
}

/// Refuses a folder in a tree that holds validation or test: a reader of that tree would take augmented images for
/// real ones.
fn refuse_beside_held_out(to: &Path) -> Result<(), Failure> {
    let beside = crate::writing::parent(to);
    let names = std::fs::read_dir(beside).into_iter().flatten().flatten();
    let mut held_out: Vec<String> = names
        .filter(|entry| entry.path().is_dir())
        .map(|entry| shown_name(&entry.file_name()))
        .filter(|name| split_of_name(name).is_some_and(|split| split != super::TRAIN))
        .collect();
    held_out.sort();
    match held_out.first() {
        None => Ok(()),
        Some(name) => {
            let message = format!("--to {}: {name} is in the same folder", to.display());
            Err(Failure::call(message).hint(
                "Augmented images are for training only and must not be mixed with held-out images. Choose another folder.",
            ))
        }
    }
}

/// The name of each image without its ending; where images of one class share it, with eight digits of their
/// path's digest.
fn names(entries: &[&Entry]) -> Vec<String> {
    let stem = |entry: &Entry| {
        let name = entry.path.file_name();
        name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned()
    };
    let mut counts: HashMap<(&str, String), usize> = HashMap::new();
    for entry in entries {
        let class = entry.place.class().unwrap_or_default();
        *counts.entry((class, stem(entry).to_lowercase())).or_default() += 1;
    }
    let name = |entry: &&Entry| {
        let (class, stem) = (entry.place.class().unwrap_or_default(), stem(entry));
        if counts[&(class, stem.to_lowercase())] == 1 {
            return stem;
        }
        let digest = Digest::of_bytes(entry.path.as_str().as_bytes()).to_string();
        format!("{stem}-{}", &digest[..8])
    };
    entries.iter().map(name).collect()
}

/// The groups that the split's own table knows, by digest.
fn groups(config: &CollectionConfig) -> HashMap<Digest, String> {
    let tables =
        config.roots.iter().filter_map(|root| SplitTable::read(&root.path.join(SPLIT_TABLE)).ok());
    tables.flat_map(|table| table.rows).map(|row| (row.digest, row.group)).collect()
}

fn unwritten(name: &str, error: &std::io::Error) -> Failure {
    Failure::output(format!("cannot write {name}: {}", io_reason(error)))
}
