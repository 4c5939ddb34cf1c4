//! Where files stand in a tree of class folders.

use std::collections::{BTreeMap, HashMap};
use std::ffi::{OsStr, OsString};

use crate::catalog::Catalog;
use crate::collection::{Label, check_folder_name, composed};
use crate::files::{InsidePath, UsedPaths, shown_name};
use crate::record::Record;

/// The names of class folders that are not UTF-8: they are kept byte for byte.
#[derive(Debug, Default)]
pub struct ClassFolders<'a>(HashMap<&'a str, &'a OsStr>);

impl<'a> ClassFolders<'a> {
    /// Those of a collection.
    pub fn of(catalog: &'a Catalog) -> Self {
        let odd = catalog.records.iter().filter_map(|record| {
            // Names of UTF-8 are the names of their classes, at most in another Unicode form.
            record.path.undecodable_bytes()?;
            let folder = class_folder(record)?;
            folder.to_str().is_none().then_some((record.class()?, folder))
        });
        ClassFolders(odd.collect())
    }

    /// The folder of a class.
    ///
    /// # Errors
    ///
    /// Why no folder can be called so.
    pub fn name(&self, class: &str) -> Result<OsString, String> {
        if let Some(&folder) = self.0.get(class) {
            return Ok(folder.to_owned());
        }
        check_folder_name(class)
            .map_err(|why| format!("its class {class:?} is not a valid folder name: {why}"))?;
        Ok(class.into())
    }
}

/// The folder of a file's path that says its class.
pub fn class_folder(record: &Record) -> Option<&OsStr> {
    let own = record.class()?;
    let base = usize::from(record.place.base);
    let folders = record.path.native().parent()?;
    folders.iter().skip(base).find(|name| composed(&shown_name(name)) == own)
}

/// Where a file stands once it is of the class `class` and has the name `name`, and whether the folders of the
/// collection say its class. Everything around the class folder stays as it is; what has no class folder gets one, in
/// that of its split.
///
/// # Errors
///
/// Why no file can stand there.
pub fn target_path(
    record: &Record,
    class: Option<&str>,
    name: Option<&OsStr>,
    folders: &ClassFolders<'_>,
) -> Result<(InsidePath, bool), String> {
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
        (Some(at), Some(wanted)) => parts[at] = folders.name(wanted)?,
        (None, Some(wanted)) if class.is_some() || own.is_some() => {
            if has_folder {
                parts.truncate(base);
            } else {
                parts = record.split().map(OsString::from).into_iter().collect();
            }
            parts.push(folders.name(wanted)?);
        }
        _ => {}
    }
    parts.push(file);
    let place =
        InsidePath::of_names(&parts).map_err(|why| format!("it cannot be stored: {why}"))?;
    Ok((place, has_folder))
}

/// What becomes of split folders when images are gathered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SplitsBecome {
    /// `split/class/image`.
    #[default]
    Kept,
    /// `class/image`.
    Merged,
}

/// Images of a collection, each in the folder of its class.
#[derive(Clone, Debug, Default)]
pub struct Gathered {
    /// The number of each image's record, and its place.
    pub placed: Vec<(usize, InsidePath)>,
    /// How many of them have another name than before, as theirs was taken.
    pub renamed: u64,
    /// Images without a class, which stay behind.
    pub without_class: u64,
    /// Files that are no images, which stay behind.
    pub no_images: u64,
    /// Images that no folder can hold under their names, with the reason.
    pub skipped: Vec<(usize, String)>,
}

/// The places of all images in one tree of class folders. Of several with one name the first, in the order of paths,
/// keeps it, and the others get `-2`, `-3` and so on.
pub fn gathered(catalog: &Catalog, splits: SplitsBecome) -> Gathered {
    let mut gathered = Gathered::default();
    let mut used = UsedPaths::default();
    let odd = ClassFolders::of(catalog);
    let mut folders: BTreeMap<&str, Result<OsString, String>> = BTreeMap::new();
    let mut owners: HashMap<OsString, &str> = HashMap::new();
    for (index, record) in catalog.records.iter().enumerate() {
        if record.image().is_none() {
            gathered.no_images += 1;
            continue;
        }
        let Some(class) = record.class() else {
            gathered.without_class += 1;
            continue;
        };
        let folder = folders.entry(class).or_insert_with(|| {
            // A `/`, which a table may hold, becomes `-`.
            let folder = odd.name(class).or_else(|_| odd.name(&class.replace('/', "-")))?;
            match *owners.entry(folder.clone()).or_insert(class) {
                owner if owner == class => Ok(folder),
                owner => Err(format!("its class {class:?} would share a folder with {owner:?}")),
            }
        });
        let split = record.split().filter(|_| splits == SplitsBecome::Kept).map(OsString::from);
        let file = record.path.native().file_name().unwrap_or_default().to_owned();
        let place = folder.clone().and_then(|folder| {
            InsidePath::of_names(split.into_iter().chain([folder, file]))
                .map_err(|why| format!("it cannot be stored: {why}"))
        });
        match place {
            Ok(place) => {
                let free = used.take_numbered(place.clone());
                gathered.renamed += u64::from(free != place);
                gathered.placed.push((index, free));
            }
            Err(why) => gathered.skipped.push((index, why)),
        }
    }
    gathered
}
