//! What a reviewed plan does to each file, or why it cannot be done.

use std::collections::{BTreeMap, HashMap};
use std::ffi::{OsStr, OsString};
use std::path::Path;

use super::plan::{Action, Plan, Row};
use super::targets::{ClassFolders, target_path};
use crate::catalog::Catalog;
use crate::files::{InsidePath, RelPath, UsedPaths};
use crate::measuring::Digest;
use crate::record::{Outcome, Reason, Record};

/// What becomes of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FileOutcome {
    /// It is left out.
    Drop,
    /// It stands here, below the root of the collection, and has been changed so.
    Put(InsidePath, Edit),
}

/// What is done to the content of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edit {
    /// Nothing.
    AsIs,
    /// Its pixels are stored upright as a PNG.
    Png,
}

/// A file that a plan changes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// The number of its record.
    pub record: usize,
    /// What becomes of it.
    pub fate: FileOutcome,
    /// The class that it gets, where that is another one.
    pub class: Option<String>,
    /// The actions of its rows.
    pub actions: Vec<Action>,
}

/// A row that no longer fits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refusal {
    /// The line in the plan.
    pub line: u64,
    /// The file.
    pub path: String,
    /// Why, as a sentence without its full stop.
    pub reason: String,
    /// Whether all that is missing is a decision.
    pub is_undecided: bool,
}

/// What a plan does.
#[derive(Clone, Debug, Default)]
pub struct Changes {
    /// Files that change, in the order of their records.
    pub changed: Vec<Change>,
    /// Where all others stand: only other than before where the collection's folders do not say classes.
    pub unchanged: Vec<(usize, InsidePath)>,
    /// Rows that cannot be carried out.
    pub refusals: Vec<Refusal>,
    /// Rows that are left to a person, and passed over.
    pub undecided: u64,
    /// Files whose class the folders do not say: they cannot be changed where they are.
    pub without_folder: u64,
    /// Files that were numbered, since another one has their name.
    pub numbered: u64,
    /// Files that do not go into another tree: links that are not followed, what is not there, tables of our own.
    pub left_behind: Vec<usize>,
    /// Files that no plan changes and that cannot be stored in another tree under their names, with the reason.
    pub skipped: Vec<(usize, String)>,
}

/// What `plan` does to the files of `catalog`. `digests` are of files that are no images and that the plan names.
/// Rows to decide on are refused, unless they are to be passed over.
pub fn changes(
    catalog: &Catalog,
    plan: &Plan,
    digests: &HashMap<RelPath, Digest>,
    passes_undecided: bool,
) -> Changes {
    let mut changes = Changes::default();
    let mut rows = checked_rows(catalog, plan, digests, passes_undecided, &mut changes);
    let folders = ClassFolders::of(catalog);
    let mut taken = UsedPaths::default();
    let mut moved: Vec<(usize, Vec<(u64, &Row)>)> = Vec::new();
    for (at, record) in catalog.records.iter().enumerate() {
        let Some(rows) =
            rows.remove(&at).filter(|rows| rows.iter().any(|(_, row)| row.action != Action::Keep))
        else {
            if is_generated_table(record) || not_a_file(record).is_some() {
                changes.left_behind.push(at);
                // In place it stays, and so nothing else can have its name.
                InsidePath::new(record.path.native()).into_iter().for_each(|own| {
                    taken.take(&own);
                });
                continue;
            }
            let (place, has_folder) = match target_path(record, None, None, &folders) {
                Ok(target) => target,
                Err(why) => {
                    changes.skipped.push((at, why));
                    continue;
                }
            };
            changes.without_folder += u64::from(!has_folder && record.class().is_some());
            let free = if has_folder { place } else { taken.take_numbered(place) };
            if has_folder {
                taken.take(&free);
            }
            changes.unchanged.push((at, free));
            continue;
        };
        moved.push((at, rows));
    }
    for (at, rows) in moved {
        match change(&catalog.records[at], at, &rows, &folders, &mut taken) {
            Ok((change, has_folder, is_numbered)) => {
                changes.without_folder += u64::from(!has_folder);
                changes.numbered += u64::from(is_numbered);
                changes.changed.push(change);
            }
            Err(refusal) => changes.refusals.push(refusal),
        }
    }
    changes.refusals.sort_by_key(|refusal| refusal.line);
    changes
}

/// The rows that can be carried out, by the number of their record; the others are refused, or counted as undecided.
fn checked_rows<'p>(
    catalog: &Catalog,
    plan: &'p Plan,
    digests: &HashMap<RelPath, Digest>,
    passes_undecided: bool,
    changes: &mut Changes,
) -> BTreeMap<usize, Vec<(u64, &'p Row)>> {
    let known: HashMap<&RelPath, usize> =
        catalog.records.iter().enumerate().map(|(at, record)| (&record.path, at)).collect();
    let mut rows: BTreeMap<usize, Vec<(u64, &Row)>> = BTreeMap::new();
    for (line, row) in &plan.rows {
        let refused = |reason: String| {
            let path = row.path.to_string();
            Refusal { line: *line, path, reason, is_undecided: false }
        };
        let Some(&at) = known.get(&row.path) else {
            changes.refusals.push(refused("the file is no longer in the collection".to_owned()));
            continue;
        };
        let record = &catalog.records[at];
        if row.action != Action::Keep
            && let Some(why) = not_a_file(record)
        {
            changes.refusals.push(refused(why));
            continue;
        }
        let now =
            record.image().map(|image| image.digest).or_else(|| digests.get(&record.path).copied());
        if let Some(then) = row.digest
            && now != Some(then)
        {
            let why = match now {
                Some(_) => "the file has changed since the plan was made",
                None => "the file cannot be read and compared with the digest in the plan",
            };
            changes.refusals.push(refused(why.to_owned()));
            continue;
        }
        if row.action == Action::Decide {
            match passes_undecided {
                true => changes.undecided += 1,
                false => changes.refusals.push(Refusal {
                    is_undecided: true,
                    ..refused("it is still undecided".to_owned())
                }),
            }
            continue;
        }
        rows.entry(at).or_default().push((*line, row));
    }
    rows
}

pub(super) fn is_generated_table(record: &Record) -> bool {
    matches!(record.outcome, Outcome::SetAside(Reason::GeneratedTable))
}

/// Why there is no file that could be moved or copied; none where there is one.
pub(super) fn not_a_file(record: &Record) -> Option<String> {
    let Outcome::SetAside(reason) = &record.outcome else { return None };
    Some(match reason {
        Reason::Link => {
            "it is a symbolic link, or is behind one, and links are not followed".to_owned()
        }
        Reason::BrokenLink => "it is a symbolic link that leads nowhere".to_owned(),
        Reason::LinkLoop => "it is a symbolic link that leads back to itself".to_owned(),
        Reason::Special => "it is not a regular file".to_owned(),
        Reason::Refused(why) => why.to_string(),
        Reason::Missing => "there is no such file".to_owned(),
        _ => return None,
    })
}

fn change(
    record: &Record,
    at: usize,
    rows: &[(u64, &Row)],
    folders: &ClassFolders<'_>,
    taken: &mut UsedPaths,
) -> Result<(Change, bool, bool), Refusal> {
    let refused = |line: u64, reason: String| {
        let path = record.path.to_string();
        Refusal { line, path, reason, is_undecided: false }
    };
    let mut actions: Vec<Action> = rows.iter().map(|(_, row)| row.action).collect();
    actions.sort_unstable();
    actions.dedup();
    let last = rows.last().map_or(0, |(line, _)| *line);
    let one = |wanted: &[Action]| -> Result<Option<&Row>, Refusal> {
        let mut reported = rows.iter().filter(|(_, row)| wanted.contains(&row.action));
        let Some((_, first)) = reported.next() else { return Ok(None) };
        match reported.find(|(_, row)| row.to != first.to) {
            Some((line, row)) => Err(refused(
                *line,
                format!("two rows conflict: {} to {:?} and to {:?}", row.action, first.to, row.to),
            )),
            None => Ok(Some(*first)),
        }
    };
    if actions.contains(&Action::Drop) {
        if let Some(other) = actions.iter().find(|action| **action != Action::Drop) {
            return Err(refused(last, format!("two rows conflict: drop and {other}")));
        }
        return Ok((
            Change { record: at, fate: FileOutcome::Drop, class: None, actions },
            true,
            false,
        ));
    }
    let class = one(&[Action::Relabel])?.map(|row| row.to.as_str());
    let named = one(&[Action::Rename, Action::Rotate, Action::Convert])?;
    let edit = if actions.iter().any(|action| [Action::Rotate, Action::Convert].contains(action)) {
        if record.image().is_none() {
            return Err(refused(
                last,
                "it is not an image whose pixels could be saved again".to_owned(),
            ));
        }
        Edit::Png
    } else {
        Edit::AsIs
    };
    let name = named.map(Row::file_name).transpose().map_err(|why| refused(last, why))?.flatten();
    let name: Option<OsString> = match name {
        // A person who writes turn need not find the name.
        None if edit == Edit::Png => {
            let own = record.path.native().file_name().unwrap_or_default();
            Some(Path::new(own).with_extension("png").into_os_string())
        }
        name => name,
    };
    let (place, has_folder) = target_path(record, class, name.as_deref().map(OsStr::new), folders)
        .map_err(|why| refused(last, why))?;
    let is_renamed = name.is_some();
    let (free, is_numbered) = if is_renamed && taken.take(&place) {
        (place, false)
    } else if is_renamed && class.is_none() {
        return Err(refused(
            last,
            format!("{} is the target of another file", place.as_path().display()),
        ));
    } else {
        let free = taken.take_numbered(place.clone());
        let is_numbered = free != place;
        (free, is_numbered)
    };
    let class = class.filter(|class| Some(*class) != record.class()).map(str::to_owned);
    Ok((
        Change { record: at, fate: FileOutcome::Put(free, edit), class, actions },
        has_folder,
        is_numbered,
    ))
}
