//! How a collection is read: as settings of an answer, and as words of a command.

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

use serde::Serialize;
use sieve_core::collection::Root;
use sieve_core::files::shown_name;

use crate::config::CollectionConfig;
use crate::object_storage::Access;
use crate::settings::{columns_in_words, depth_in_words, splits_in_words};

/// What decides how a collection is read.
#[derive(Serialize)]
pub struct ReadingSettings {
    collection: Vec<String>,
    splits: Option<String>,
    class_depth: Option<String>,
    label_from: Option<String>,
    columns: Option<String>,
    images: Option<String>,
    splits_from: Option<String>,
    config: Option<String>,
    follow_links: bool,
    max_megapixels: u64,
    max_decoded_mib: u64,
    max_file_mib: u64,
    max_work_megapixels: u64,
}

impl ReadingSettings {
    /// The settings that the arguments make.
    pub fn new(config: &CollectionConfig) -> Self {
        let path = |path: &Option<PathBuf>| path.as_ref().map(|path| shown_name(path.as_os_str()));
        ReadingSettings {
            collection: config.roots.iter().map(ToString::to_string).collect(),
            splits: config.splits.as_ref().map(splits_in_words),
            class_depth: config.class_depth.map(depth_in_words),
            label_from: config.label_from.as_ref().map(ToString::to_string),
            columns: config.columns.as_ref().map(columns_in_words),
            images: path(&config.images),
            splits_from: path(&config.splits_from),
            config: path(&config.settings.file),
            follow_links: config.follow_links,
            max_megapixels: config.limit_units[0],
            max_decoded_mib: config.limit_units[1],
            max_file_mib: config.limit_units[2],
            max_work_megapixels: config.limit_units[3],
        }
    }
}

/// The words that name the same collection, read in the same way, in another command.
pub fn collection_words(config: &CollectionConfig) -> Vec<OsString> {
    words_with(config, &|path| path.to_owned())
}

/// The same words, which mean the same in any folder.
pub fn absolute_collection_words(config: &CollectionConfig) -> Vec<OsString> {
    words_with(config, &|path| path.canonicalize().unwrap_or_else(|_| path.to_owned()))
}

fn words_with(config: &CollectionConfig, place: &dyn Fn(&Path) -> PathBuf) -> Vec<OsString> {
    let root = |root: &Root| Root { path: place(&root.path), ..root.clone() }.to_word();
    let mut words: Vec<OsString> = config.roots.iter().map(root).collect();
    let text = |text: String| OsString::from(text);
    let file = |path: &PathBuf| place(path).into_os_string();
    let options = [
        ("--splits", config.splits.as_ref().map(splits_in_words).map(text)),
        ("--class-depth", config.class_depth.map(depth_in_words).map(text)),
        ("--label-from", config.label_from.as_ref().map(|pattern| text(pattern.to_string()))),
        ("--columns", config.columns.as_ref().map(columns_in_words).map(text)),
        ("--images", config.images.as_ref().map(file)),
        ("--splits-from", config.splits_from.as_ref().map(file)),
        ("--config", config.named_settings.as_ref().map(file)),
    ];
    for (option, value) in options {
        words.extend(value.into_iter().flat_map(|value| [option.into(), value]));
    }
    if config.follow_links {
        words.push("--follow-links".into());
    }
    words.extend(access_words(&config.access));
    words
}

/// The words by which a command reaches the same stores.
pub fn access_words(access: &Access) -> Vec<OsString> {
    let Access { endpoint, region, anonymous, instance_credentials } = access;
    let mut words: Vec<OsString> = Vec::new();
    for (option, value) in [("--endpoint", endpoint), ("--region", region)] {
        words.extend(value.iter().flat_map(|value| [option.into(), value.into()]));
    }
    let flags = [("--anonymous", *anonymous), ("--instance-credentials", *instance_credentials)];
    words.extend(flags.into_iter().filter(|flag| flag.1).map(|flag| flag.0.into()));
    words
}

/// The words of the command `name` on the same collection, read in the same way.
pub fn command_on(
    config: &CollectionConfig,
    name: &str,
    options: &[&dyn AsRef<OsStr>],
) -> Vec<OsString> {
    let mut words: Vec<OsString> = vec!["mint-sieve".into(), name.into()];
    words.extend(collection_words(config));
    words.extend(options.iter().map(|option| (*option).as_ref().to_owned()));
    words
}
