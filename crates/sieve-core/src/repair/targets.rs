//! Where files stand in a tree of class folders.

use std::collections::{BTreeMap, HashSet};
use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

use unicode_normalization::UnicodeNormalization;

use crate::catalog::Catalog;
use crate::collection::{Label, composed};
use crate::files::shown_name;
use crate::record::Record;

/// Where a file stands once it is of the class `class` and has the name `name`, and whether the folders of the
/// collection say its class. Everything around the class folder stays as it is; what has no class folder gets one, in
/// that of its split.
pub fn home(record: &Record, class: Option<&str>, name: Option<&OsStr>) -> (PathBuf, bool) {
    let mut parts: Vec<OsString> = record.path.native().iter().map(OsStr::to_owned).collect();
    let file = parts.pop().unwrap_or_default();
    let file = name.map_or(file, OsStr::to_owned);
    let base = usize::from(record.place.base).min(parts.len());
    let own = record.class();
    let at = own
        .and_then(|own| (base..parts.len()).find(|&at| composed(&shown_name(&parts[at])) == own));
    let wanted = class.or(own);
    let has_folder = at.is_some() || record.place.label == Label::Outside;
    match (at, wanted) {
        // A name that is not UTF-8, or is written in another form, stays as it is.
        (Some(_), Some(wanted)) if Some(wanted) == own => {}
        (Some(at), Some(wanted)) => parts[at] = wanted.into(),
        (None, Some(wanted)) if class.is_some() || own.is_some() => {
            if has_folder {
                parts.truncate(base);
            } else {
                parts = record.split().map(OsString::from).into_iter().collect();
            }
            parts.push(wanted.into());
        }
        _ => {}
    }
    parts.push(file);
    (parts.iter().collect(), has_folder)
}

/// Places that are taken, as file systems that know no case see them.
#[derive(Debug, Default)]
pub struct Taken(HashSet<String>);

impl Taken {
    fn key(place: &Path) -> String {
        place.to_string_lossy().nfc().collect::<String>().to_lowercase()
    }

    /// Takes a place; false when it was taken already.
    pub fn take(&mut self, place: &Path) -> bool {
        self.0.insert(Self::key(place))
    }

    /// Takes the place, or the first free one of `name-2.jpg`, `name-3.jpg` and so on.
    pub fn take_numbered(&mut self, place: PathBuf) -> PathBuf {
        let mut free = place.clone();
        let mut number = 1;
        while !self.take(&free) {
            number += 1;
            let mut name = place.file_stem().unwrap_or_default().to_owned();
            name.push(format!("-{number}"));
            if let Some(extension) = place.extension() {
                name.push(".");
                name.push(extension);
            }
            free = place.with_file_name(name);
        }
        free
    }
}

/// What becomes of split folders when pictures are gathered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SplitsBecome {
    /// `split/class/image`.
    #[default]
    Kept,
    /// `class/image`.
    Merged,
}

/// Pictures of a collection, each in the folder of its class.
#[derive(Clone, Debug, Default)]
pub struct Gathered {
    /// The number of each picture's record, and its place.
    pub placed: Vec<(usize, PathBuf)>,
    /// How many of them have another name than before, as theirs was taken.
    pub renamed: u64,
    /// Pictures without a class, which stay behind.
    pub without_class: u64,
    /// Files that are no pictures, which stay behind.
    pub no_images: u64,
}

/// The places of all pictures in one tree of class folders. Of several with one name the first, in the order of paths,
/// keeps it, and the others get `-2`, `-3` and so on.
pub fn gathered(catalog: &Catalog, splits: SplitsBecome) -> Gathered {
    let mut gathered = Gathered::default();
    let mut taken = Taken::default();
    let mut folders: BTreeMap<&str, OsString> = BTreeMap::new();
    for (index, record) in catalog.records.iter().enumerate() {
        if record.image().is_none() {
            gathered.no_images += 1;
            continue;
        }
        let Some(class) = record.class() else {
            gathered.without_class += 1;
            continue;
        };
        let folder = folders.entry(class).or_insert_with(|| folder_name(class));
        let split = record.split().filter(|_| splits == SplitsBecome::Kept);
        let file = record.path.native().file_name().unwrap_or_default();
        let place = Path::new(split.unwrap_or_default()).join(&*folder).join(file);
        let free = taken.take_numbered(place.clone());
        gathered.renamed += u64::from(free != place);
        gathered.placed.push((index, free));
    }
    gathered
}

/// A class as the name of one folder: a `/` in it, which a table may hold, becomes `-`.
fn folder_name(class: &str) -> OsString {
    match class {
        "." | ".." | "" => format!("class {class}").into(),
        class => class.replace(['/', '\0'], "-").into(),
    }
}
