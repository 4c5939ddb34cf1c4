//! A split table laid over a collection that lies unsplit on disk.

use std::collections::{BTreeSet, HashMap, HashSet, hash_map};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::names::{Interned, composed, may_be_image, split_of_name, split_rank};
use super::remark::Remark;
use super::table::{self, Needed, PathRoot, Row};
use super::{Collection, Columns, ExtraColumns, Label};
use crate::Error;

impl Collection {
    /// Gives every file the split that the table in `file` gives it, and its group there. Classes stay
    /// those of the collection. Files that the table does not name are in no split; how many there
    /// are, and what else does not fit, is among the remarks.
    ///
    /// # Errors
    ///
    /// When the table cannot be read, or has no column for splits.
    pub fn split_by_table(&mut self, file: &Path, columns: &Columns) -> Result<(), Error> {
        let table = table::read(file, columns, Needed::Split)?;
        // What leads out of the collection names none of its files.
        let root = PathRoot::new(Path::new(""));
        let below = |path: &Path| root.below(path).unwrap_or_else(|_| path.into());
        let mut rows: HashMap<PathBuf, (&Row, bool)> = HashMap::with_capacity(table.rows.len());
        let mut contradicted = 0u64;
        for row in &table.rows {
            match rows.entry(below(&row.path)) {
                hash_map::Entry::Occupied(first) => {
                    contradicted += u64::from(split_of(first.get().0) != split_of(row));
                }
                hash_map::Entry::Vacant(free) => {
                    free.insert((row, false));
                }
            }
        }
        // Where no file is meant exactly, the cell as it stands, or without the spaces around it.
        let known: HashSet<&Path> = self.entries.iter().map(|entry| entry.path.native()).collect();
        let inexact: Vec<(PathBuf, PathBuf)> = table
            .rows
            .iter()
            .filter(|row| !known.contains(below(&row.path).as_path()))
            .filter_map(|row| {
                let other = row.paths().skip(1).map(below).find(|path| known.contains(&**path));
                Some((other?, below(&row.path)))
            })
            .collect();
        for (meant, written) in inexact {
            if let (false, Some(row)) = (rows.contains_key(&meant), rows.remove(&written)) {
                rows.insert(meant, row);
            }
        }
        let (mut splits, mut left_out, mut relabelled) = (Interned::default(), 0u64, 0u64);
        let mut classes: BTreeSet<(Option<String>, String)> = BTreeSet::new();
        for entry in &mut self.entries {
            let is_wanted =
                matches!(entry.place.label, Label::Class(_)) && may_be_image(&entry.path);
            let Some((row, is_used)) = rows.get_mut(entry.path.native()) else {
                entry.place.split = None;
                left_out += u64::from(is_wanted);
                continue;
            };
            *is_used = true;
            entry.place.split = split_of(row).map(|split| splits.get(&composed(split)));
            if let Some(group) = &row.group {
                let extra =
                    entry.place.extra.get_or_insert_with(|| Box::new(ExtraColumns::default()));
                extra.group = Some(group.clone());
            }
            if let Some(class) = entry.place.class() {
                let reported = row.class.as_deref().map(composed);
                relabelled += u64::from(reported.is_some_and(|reported| reported != class));
                classes.insert((entry.place.split.as_deref().map(str::to_owned), class.to_owned()));
            }
        }
        // Folders without an image in any split stay what they are.
        let filled: BTreeSet<&String> = classes.iter().map(|(_, class)| class).collect();
        let empty = self.class_folders.iter().filter(|(_, class)| !filled.contains(class));
        let empty: Vec<_> = empty.map(|(_, class)| (None, class.clone())).collect();
        classes.extend(empty);
        self.class_folders = classes;
        let mut names: Vec<Arc<str>> = splits.in_use();
        names.sort_by_key(|name| (split_rank(name), Arc::clone(name)));
        self.splits = names.iter().map(|name| name.to_string()).collect();

        let unused = rows.values().filter(|(_, is_used)| !is_used).count();
        self.layout.push_str(", splits by table");
        let counts = [
            (Remark::NotInSplitTable as fn(u64) -> Remark, left_out),
            (Remark::SplitRowsUnused, unused as u64),
            (Remark::SplitRowsContradicted, contradicted),
            (Remark::SplitRowsRelabelled, relabelled),
        ];
        let reported = counts.into_iter().filter(|&(_, count)| count > 0);
        self.remarks.extend(reported.map(|(remark, count)| remark(count)));
        Ok(())
    }
}

fn split_of(row: &Row) -> Option<&str> {
    let name = row.split.as_deref()?;
    Some(split_of_name(name).unwrap_or(name))
}
