//! Whether a split is still what its table says, at any later time.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::places::{Placing, places};
use super::split_table::{SplitRow, SplitTable};
use crate::Error;
use crate::collection::{
    CLASS_INDEX, Collection, Entry, EntryKind, Located, SETTINGS_FILE, SPLIT_TABLE, is_left_behind,
};
use crate::csv_escape;
use crate::files::{InsidePath, RelPath};
use crate::measuring::Digest;
use crate::progress::Progress;
use crate::reading::{ReadLimits, is_image_name};
use crate::separated;

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
    /// Images that are not where the table puts them, with where they are: renamed, in another class or another part.
    pub moved: Vec<(String, String)>,
    /// Images in the folder of a class that is not theirs by the table: the path, that class, and the one of the table.
    pub relabelled: Vec<(String, String, String)>,
    /// What is wrong with the class index beside the table.
    pub class_index: Vec<String>,
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
        let labels = [self.moved.len(), self.relabelled.len(), self.class_index.len()];
        lists.into_iter().chain(more).chain(labels).all(|length| length == 0)
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
    let digests = collection.visit(&located, limits, progress, |at, bytes| {
        progress.advance(1);
        let is_index = entries[at].path.as_str() == CLASS_INDEX;
        bytes.map(|bytes| (Digest::of_bytes(&bytes.bytes), is_index.then_some(bytes.bytes)))
    })?;
    let mut known: BTreeMap<&str, Digest> = BTreeMap::new();
    let mut index = None;
    for (entry, digest) in entries.iter().zip(digests) {
        match digest {
            Ok((digest, bytes)) => {
                known.insert(entry.path.as_str(), digest);
                index = index.or(bytes);
            }
            Err(why) => {
                verdict.unreadable.push((entry.path.to_string(), why.to_string()));
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
        Place::Tree => {
            in_tree(table, &known, &mut verdict);
            verdict.class_index = match &index {
                Some(bytes) => class_index_problems(table, bytes),
                None => vec![format!("{CLASS_INDEX} is missing")],
            };
        }
        Place::Source => {
            in_source(table, &known, &mut verdict);
            in_other_classes(table, &entries, &mut verdict);
        }
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

/// In folders of parts every image has one place, which follows from its row and the others. What is elsewhere was renamed,
/// relabelled or moved to another part.
fn in_tree(table: &SplitTable, known: &BTreeMap<&str, Digest>, verdict: &mut Verdict) {
    let expected = expected_places(table, known);
    let is_there = |at: usize| known.get(expected[at].as_str()) == Some(&table.rows[at].digest);
    let mut used: BTreeSet<&str> = BTreeSet::new();
    let (there, lost): (Vec<usize>, Vec<usize>) =
        (0..table.rows.len()).partition(|&at| is_there(at));
    used.extend(there.iter().map(|&at| expected[at].as_str()));
    let mut elsewhere: HashMap<Digest, Vec<&str>> = HashMap::new();
    for (&path, &digest) in known.iter().rev().filter(|(path, _)| !used.contains(**path)) {
        elsewhere.entry(digest).or_default().push(path);
    }
    for at in lost {
        let place = &expected[at];
        let found = elsewhere.get_mut(&table.rows[at].digest).and_then(Vec::pop);
        match found {
            Some(path) => {
                used.insert(path);
                verdict.moved.push((place.clone(), path.to_owned()));
            }
            None if known.contains_key(place.as_str()) => {
                used.insert(place);
                verdict.changed.push(place.clone());
            }
            None => verdict.missing.push(place.clone()),
        }
    }
    let is_ours = |path: &str| !path.contains('/') && path.ends_with(".csv");
    let extra = known.keys().filter(|path| !used.contains(**path) && !is_ours(path));
    verdict.extra = extra.map(|path| (*path).to_owned()).collect();
    sort(verdict);
}

/// Where `split` put the image of each row. How many folders around all images said an earlier split is not in the table:
/// of the few possibilities it is the one under which the most images are found.
fn expected_places(table: &SplitTable, known: &BTreeMap<&str, Digest>) -> Vec<String> {
    const MOST_SPLIT_FOLDERS: usize = 3;
    let with = |split_folders: usize| -> (usize, Vec<String>) {
        let images: Vec<Placing<'_>> = table
            .rows
            .iter()
            .map(|row| Placing {
                path: &row.path,
                class: &row.class,
                part: &row.split,
                split_folders,
            })
            .collect();
        let place = |(place, row): (Result<InsidePath, String>, &SplitRow)| match place {
            Ok(place) => RelPath::new(place.as_path()).to_string(),
            // Nothing can stand there.
            Err(_) => format!("{}/?/{}", row.split, row.path),
        };
        let expected: Vec<String> =
            places(&images).into_iter().zip(&table.rows).map(place).collect();
        let rows = expected.iter().zip(&table.rows);
        let hits = rows.filter(|(place, row)| known.get(place.as_str()) == Some(&row.digest));
        (hits.count(), expected)
    };
    let mut best = with(0);
    for split_folders in 1..=MOST_SPLIT_FOLDERS {
        if best.0 == table.rows.len() {
            break;
        }
        let next = with(split_folders);
        if next.0 > best.0 {
            best = next;
        }
    }
    best.1
}

/// What the class index says otherwise than the table: it holds every class once, in the order of names, with the number
/// of its images in each part.
fn class_index_problems(table: &SplitTable, bytes: &[u8]) -> Vec<String> {
    let mut counts: BTreeMap<&str, BTreeMap<&str, u64>> = BTreeMap::new();
    for row in &table.rows {
        *counts.entry(&row.class).or_default().entry(&row.split).or_default() += 1;
    }
    let wrong = |why: String| vec![format!("{CLASS_INDEX} {why}")];
    let text = match separated::text_of(bytes) {
        Ok(text) => text,
        Err(why) => return wrong(format!("cannot be read: {why}")),
    };
    let mut records = separated::reader(text).into_records();
    let cells = |record: csv::StringRecord| -> Vec<String> {
        record.iter().map(|cell| csv_escape::unguarded(cell).to_owned()).collect()
    };
    let head = records.next().and_then(Result::ok).map(cells).unwrap_or_default();
    if head.len() < 2 || head[0] != "index" || head[1] != "class" {
        return wrong("does not begin with index,class".to_owned());
    }
    let lacking = table.parts().into_iter().find(|part| !head[2..].iter().any(|name| name == part));
    if let Some(part) = lacking {
        return wrong(format!("has no column {part:?}"));
    }
    let mut problems = Vec::new();
    let mut classes = counts.iter();
    for (number, record) in records.map_while(Result::ok).map(cells).enumerate() {
        let line = number + 2;
        let Some((&class, counts)) = classes.next() else {
            problems.push(format!("{CLASS_INDEX} line {line}: the table has no more classes"));
            break;
        };
        let count = |part: &String| counts.get(part.as_str()).copied().unwrap_or(0).to_string();
        let expected: Vec<String> = [number.to_string(), class.to_owned()]
            .into_iter()
            .chain(head[2..].iter().map(count))
            .collect();
        if record != expected {
            let (is, should) = (record.join(","), expected.join(","));
            problems.push(format!("{CLASS_INDEX} line {line}: {is:?}, expected {should:?}"));
        }
    }
    let missing: Vec<String> = classes.map(|(class, _)| format!("{class:?}")).collect();
    if !missing.is_empty() {
        problems.push(format!("{CLASS_INDEX} lacks {}", missing.join(", ")));
    }
    problems
}

/// Images whose class folder is another one than the table says. Where the labels of most rows do not come from folders,
/// folders say nothing about the others either.
fn in_other_classes(table: &SplitTable, entries: &[&Entry], verdict: &mut Verdict) {
    let folders: HashMap<&str, &str> = entries
        .iter()
        .filter_map(|entry| Some((entry.path.as_str(), entry.place.class()?)))
        .collect();
    let labelled = table.rows.iter().filter_map(|row| {
        let folder = folders.get(row.path.as_str())?;
        Some((row, *folder))
    });
    let (agreeing, others): (Vec<_>, Vec<_>) =
        labelled.partition(|(row, folder)| row.class == *folder);
    if agreeing.len() >= others.len() {
        let others = others.into_iter();
        verdict.relabelled = others
            .map(|(row, folder)| (row.path.to_string(), folder.to_owned(), row.class.clone()))
            .collect();
        verdict.relabelled.sort();
    }
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
        in_class && !is_other && is_image_name(&RelPath::new(path.as_ref()))
    };
    let extra = known.keys().filter(|path| !rows.contains(**path) && is_extra(path));
    verdict.unlisted = extra.map(|path| (*path).to_owned()).collect();
    sort(verdict);
}

fn sort(verdict: &mut Verdict) {
    verdict.missing.sort();
    verdict.moved.sort();
    verdict.changed.sort();
    verdict.unreadable.sort();
    verdict.extra.sort();
}
