//! How a collection is read: as settings of an answer, and as words of a command.

use std::ffi::{OsStr, OsString};
use std::path::PathBuf;

use serde::Serialize;
use sieve_core::collection::{
    ClassDepth, Columns, LabelTable, Remark, Root, SplitFolders, shown_name,
};

use super::names::safe;
use super::next::command_line;
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
    max_work_megapixels: u64,
}

impl ReadingSettings {
    /// The settings that the arguments make.
    pub fn of(args: &CollectionArgs) -> Self {
        let path = |path: &Option<PathBuf>| path.as_ref().map(|path| shown_name(path.as_os_str()));
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
            max_work_megapixels: args.reading.max_work,
        }
    }
}

/// The words that name the same collection, read in the same way, in another command.
pub fn collection_words(args: &CollectionArgs) -> Vec<OsString> {
    let reading = &args.reading;
    let mut words: Vec<OsString> = args.roots.iter().map(Root::to_word).collect();
    let text = |text: String| OsString::from(text);
    let file = |path: &PathBuf| path.clone().into_os_string();
    let options = [
        ("--splits", reading.splits.as_ref().map(splits).map(text)),
        ("--class-depth", reading.class_depth.map(depth).map(text)),
        ("--label-from", reading.label_from.as_ref().map(|pattern| text(pattern.to_string()))),
        ("--columns", reading.columns.as_ref().map(columns).map(text)),
        ("--pictures", reading.pictures.as_ref().map(file)),
        ("--splits-from", reading.splits_from.as_ref().map(file)),
        ("--config", reading.config.as_ref().map(file)),
    ];
    for (option, value) in options {
        words.extend(value.into_iter().flat_map(|value| [option.into(), value]));
    }
    if reading.follow_links {
        words.push("--follow-links".into());
    }
    words
}

/// The words of the command `name` on the same collection, read in the same way.
pub fn command_on(
    args: &CollectionArgs,
    name: &str,
    options: &[&dyn AsRef<OsStr>],
) -> Vec<OsString> {
    let mut words: Vec<OsString> = vec!["mint-sieve".into(), name.into()];
    words.extend(collection_words(args));
    words.extend(options.iter().map(|option| (*option).as_ref().to_owned()));
    words
}

/// What a remark about the reading says, and the way to read otherwise.
pub fn remark_line(remark: &Remark, args: &CollectionArgs, command: &str) -> String {
    let other = match (&remark.other, &remark.table) {
        (Some(other), _) => format!(" ({} reads it otherwise)", safe(other)),
        (None, Some(table)) => {
            format!(" ({} reads it)", command_line(&by_table(table, args, command)))
        }
        (None, None) => String::new(),
    };
    format!("{}{other}", safe(&remark.says))
}

/// The words of a command that reads the labels of a collection from a table in it.
fn by_table(table: &LabelTable, args: &CollectionArgs, command: &str) -> Vec<OsString> {
    let root = args.roots.iter().find(|root| root.path.join(table.file.native()).is_file());
    let root = root.unwrap_or(&args.roots[0]);
    let mut words: Vec<OsString> = vec!["mint-sieve".into(), command.into()];
    let file = Root { path: root.path.join(table.file.native()), ..root.clone() };
    words.push(file.to_word());
    let columns = columns(&table.columns);
    if !columns.is_empty() {
        words.extend(["--columns".into(), columns.into()]);
    }
    if table.pictures != table.file.folder() {
        words.extend(["--pictures".into(), root.path.join(&table.pictures).into_os_string()]);
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
