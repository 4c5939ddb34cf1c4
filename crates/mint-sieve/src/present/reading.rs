//! How a collection is read: as settings of an answer, and as words of a command.

use std::path::PathBuf;

use serde::Serialize;
use sieve_core::collection::{ClassDepth, Columns, SplitFolders};

use crate::args::CollectionArgs;

/// What decides how a collection is read.
#[derive(Serialize)]
pub struct ReadingSettings {
    collection: Vec<String>,
    splits: Option<String>,
    class_depth: Option<String>,
    label_from: Option<String>,
    columns: Option<String>,
    pictures: Option<String>,
    splits_from: Option<String>,
    config: Option<String>,
    follow_links: bool,
    max_megapixels: u64,
    max_decoded_mib: u64,
    max_file_mib: u64,
}

impl ReadingSettings {
    /// The settings that the arguments make.
    pub fn of(args: &CollectionArgs) -> Self {
        let path =
            |path: &Option<PathBuf>| path.as_ref().map(|path| path.to_string_lossy().into_owned());
        ReadingSettings {
            collection: args.roots.iter().map(ToString::to_string).collect(),
            splits: args.reading.splits.as_ref().map(splits),
            class_depth: args.reading.class_depth.map(depth),
            label_from: args.reading.label_from.as_ref().map(ToString::to_string),
            columns: args.reading.columns.as_ref().map(columns),
            pictures: path(&args.reading.pictures),
            splits_from: path(&args.reading.splits_from),
            config: path(&args.reading.settings.file),
            follow_links: args.reading.follow_links,
            max_megapixels: args.reading.max_megapixels,
            max_decoded_mib: args.reading.max_decoded,
            max_file_mib: args.reading.max_file,
        }
    }
}

/// The words that name the same collection, read in the same way, in another command.
pub fn collection_words(args: &CollectionArgs) -> Vec<String> {
    let settings = ReadingSettings::of(args);
    let mut words = settings.collection;
    let options = [
        ("--splits", settings.splits),
        ("--class-depth", settings.class_depth),
        ("--label-from", settings.label_from),
        ("--columns", settings.columns),
        ("--pictures", settings.pictures),
        ("--splits-from", settings.splits_from),
        ("--config", settings.config.filter(|_| args.reading.config.is_some())),
    ];
    for (option, value) in options {
        words.extend(value.into_iter().flat_map(|value| [option.to_owned(), value]));
    }
    if args.reading.follow_links {
        words.push("--follow-links".to_owned());
    }
    words
}

fn splits(folders: &SplitFolders) -> String {
    match folders {
        SplitFolders::None => "none".to_owned(),
        SplitFolders::ByName(named) => {
            let word = |(split, folder): &(String, String)| {
                if split == folder { folder.clone() } else { format!("{split}={folder}") }
            };
            named.iter().map(word).collect::<Vec<_>>().join(",")
        }
    }
}

fn depth(depth: ClassDepth) -> String {
    match depth {
        ClassDepth::Folders(depth) => depth.to_string(),
        ClassDepth::Innermost => "innermost".to_owned(),
    }
}

/// The columns with names of their own.
fn columns(columns: &Columns) -> String {
    let usual = Columns::default();
    let all = [
        ("path", &columns.path, usual.path),
        ("class", &columns.class, usual.class),
        ("split", &columns.split, usual.split),
        ("group", &columns.group, usual.group),
    ];
    let own = all.into_iter().filter(|(_, name, usual)| *name != usual);
    own.map(|(column, name, _)| format!("{column}={name}")).collect::<Vec<_>>().join(",")
}
