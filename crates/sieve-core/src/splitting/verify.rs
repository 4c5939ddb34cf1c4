//! Whether a split is still what its table says, at any later time.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::earlier::{SplitRow, SplitTable};
use crate::Error;
use crate::collection::{
    Collection, EntryKind, Located, SETTINGS_FILE, SPLIT_TABLE, is_left_behind,
};
use crate::measuring::Digest;
use crate::progress::Progress;
use crate::reading::{ReadLimits, is_image_name};

/// Where the images of a table are looked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    /// In folders of the parts.
    Tree,
    /// Where they were when the table was written.
    Source,
}

/// What is wrong with a split, each list sorted.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Verdict {
    /// Images of the table.
    pub images: u64,
    /// Images of each part, in the order of the table.
    pub parts: Vec<(String, u64)>,
    /// Where the images were looked for.
    pub place: Option<Place>,
    /// Paths of the table that are not there.
    pub missing: Vec<String>,
    /// Files that hold something else than they did.
    pub changed: Vec<String>,
    /// Files that could not be read, and why.
    pub unreadable: Vec<(String, String)>,
    /// Files in the folders of the parts that are in no row of the table.
    pub extra: Vec<String>,
    /// Images in the classes of the collection that are in no row: left out when it was split, or new since.
    pub unlisted: Vec<String>,
    /// Groups of which images are in several parts, with these.
    pub cut: Vec<(String, Vec<String>)>,
    /// Contents that are in several parts, each with the paths.
    pub repeated: Vec<Vec<String>>,
    /// Classes with groups enough for every part that some parts lack, with these.
    pub absent: Vec<(String, Vec<String>)>,
    /// The classes with too few groups for that, with the parts that lack them: worth knowing.
    pub thin: Vec<(String, Vec<String>)>,
}

impl Verdict {
    /// Whether nothing is wrong.
    pub fn is_sound(&self) -> bool {
        let lists =
            [self.missing.len(), self.changed.len(), self.unreadable.len(), self.extra.len()];
        let more = [self.cut.len(), self.repeated.len(), self.absent.len()];
        lists.into_iter().chain(more).all(|length| length == 0)
    }
}

/// Checks `table` by itself and against the files of `collection`.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn verify(
    table: &SplitTable,
    collection: &Collection,
    limits: &ReadLimits,
    progress: &dyn Progress,
) -> Result<Verdict, Error> {
    let mut verdict = of_table(table);
    let entries: Vec<_> = collection
        .entries
        .iter()
        .filter(|entry| matches!(entry.kind, EntryKind::File { .. }))
        .filter(|entry| !entry.path.parts().any(is_left_behind))
        .collect();
    progress.begin("reading images", Some(entries.len() as u64));
    let located: Vec<Located<'_>> = entries.iter().map(|entry| entry.located()).collect();
    let digests = collection.visit(&located, limits, progress, |_, bytes| {
        progress.advance(1);
        bytes.map(|bytes| Digest::of_bytes(&bytes.bytes))
    })?;
    let mut known: BTreeMap<&str, Digest> = BTreeMap::new();
    for (entry, digest) in entries.iter().zip(digests) {
        match digest {
            Ok(digest) => {
                known.insert(entry.path.as_str(), digest);
            }
            Err(why) => {
                verdict.unreadable.push((entry.path.to_string(), format!("{why:?}")));
            }
        }
    }
    let parts: BTreeSet<&str> = table.rows.iter().map(|row| row.split.as_str()).collect();
    let folder = |path: &str| path.split('/').next().unwrap_or_default().to_owned();
    let tops: BTreeSet<String> =
        known.keys().filter(|path| path.contains('/')).map(|path| folder(path)).collect();
    let place = match parts.iter().all(|part| tops.contains(*part)) {
        true => Place::Tree,
        false => Place::Source,
    };
    verdict.place = Some(place);
    match place {
        Place::Tree => in_tree(table, &known, &mut verdict),
        Place::Source => in_source(table, &known, &mut verdict),
    }
    Ok(verdict)
}

/// What the rows say by themselves.
fn of_table(table: &SplitTable) -> Verdict {
    let mut verdict = Verdict { images: table.rows.len() as u64, ..Verdict::default() };
    let parts = table.parts();
    let count = |part: &str| table.rows.iter().filter(|row| row.split == part).count() as u64;
    verdict.parts = parts.iter().map(|part| ((*part).to_owned(), count(part))).collect();
    let mut groups: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    let mut contents: BTreeMap<Digest, Vec<&SplitRow>> = BTreeMap::new();
    let mut classes: BTreeMap<&str, (BTreeSet<&str>, BTreeSet<&str>)> = BTreeMap::new();
    for row in &table.rows {
        groups.entry(&row.group).or_default().insert(&row.split);
        contents.entry(row.digest).or_default().push(row);
        let (groups, parts) = classes.entry(&row.class).or_default();
        groups.insert(&row.group);
        parts.insert(&row.split);
    }
    for (group, parts) in groups.into_iter().filter(|(_, parts)| parts.len() > 1) {
        verdict.cut.push((group.to_owned(), parts.into_iter().map(str::to_owned).collect()));
    }
    for rows in contents.into_values() {
        if rows.iter().any(|row| row.split != rows[0].split) {
            verdict.repeated.push(rows.iter().map(|row| row.path.to_string()).collect());
        }
    }
    verdict.repeated.sort();
    for (class, (groups, here)) in classes {
        let lacking: Vec<String> = parts
            .iter()
            .filter(|part| !here.contains(*part))
            .map(|part| (*part).to_owned())
            .collect();
        if lacking.is_empty() {
            continue;
        }
        match groups.len() >= parts.len() {
            true => verdict.absent.push((class.to_owned(), lacking)),
            false => verdict.thin.push((class.to_owned(), lacking)),
        }
    }
    verdict
}

/// In folders of parts a file is known by its part and its content: names of copies were changed there.
fn in_tree(table: &SplitTable, known: &BTreeMap<&str, Digest>, verdict: &mut Verdict) {
    let mut files: HashMap<(&str, Digest), Vec<&str>> = HashMap::new();
    for (&path, &digest) in known {
        if let Some((part, _)) = path.split_once('/') {
            files.entry((part, digest)).or_default().push(path);
        }
    }
    let mut used: BTreeSet<&str> = BTreeSet::new();
    let mut lost: Vec<&SplitRow> = Vec::new();
    for row in &table.rows {
        let found = files.get_mut(&(row.split.as_str(), row.digest)).and_then(Vec::pop);
        match found {
            Some(path) => {
                used.insert(path);
            }
            None => lost.push(row),
        }
    }
    for row in lost {
        // A file of that name and class in its part holds something else.
        let name = row.path.file_name();
        let is_it = |path: &&&str| {
            let mut parts = path.split('/');
            let is_part = parts.next() == Some(&row.split);
            is_part
                && path.rsplit('/').next() == Some(name)
                && path.contains(&format!("/{}/", row.class))
        };
        let there = known.keys().filter(|path| !used.contains(**path)).find(is_it);
        match there {
            Some(&path) => {
                used.insert(path);
                verdict.changed.push(path.to_owned());
            }
            None => verdict.missing.push(format!("{}/{}", row.split, row.path)),
        }
    }
    let is_ours = |path: &str| !path.contains('/') && path.ends_with(".csv");
    let extra = known.keys().filter(|path| !used.contains(**path) && !is_ours(path));
    verdict.extra = extra.map(|path| (*path).to_owned()).collect();
    sort(verdict);
}

/// In the collection a file is known by its path.
fn in_source(table: &SplitTable, known: &BTreeMap<&str, Digest>, verdict: &mut Verdict) {
    let mut rows: BTreeSet<&str> = BTreeSet::new();
    for row in &table.rows {
        rows.insert(row.path.as_str());
        match known.get(row.path.as_str()) {
            None => verdict.missing.push(row.path.to_string()),
            Some(digest) if *digest != row.digest => verdict.changed.push(row.path.to_string()),
            Some(_) => {}
        }
    }
    // Why one has no row is not known here.
    let classes: BTreeSet<&str> = table.rows.iter().map(|row| row.class.as_str()).collect();
    let is_extra = |path: &str| {
        let name = path.rsplit('/').next().unwrap_or_default();
        let in_class = path.split('/').rev().skip(1).any(|folder| classes.contains(folder));
        let is_other = name == SPLIT_TABLE || name == SETTINGS_FILE;
        in_class && !is_other && is_image_name(&crate::files::RelPath::new(path.as_ref()))
    };
    let extra = known.keys().filter(|path| !rows.contains(**path) && is_extra(path));
    verdict.unlisted = extra.map(|path| (*path).to_owned()).collect();
    sort(verdict);
}

fn sort(verdict: &mut Verdict) {
    verdict.missing.sort();
    verdict.changed.sort();
    verdict.unreadable.sort();
    verdict.extra.sort();
}
