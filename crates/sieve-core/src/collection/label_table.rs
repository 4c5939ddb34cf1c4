//! Labels that come from the names of files, or from a table beside or among them.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::Path;

use super::folder::FolderSource;
use super::label_pattern::{LabelTable, table_among};
use super::layout::{Reading, Spot};
use super::listing::{Found, Listing};
use super::names::{composed, is_left_behind, may_be_image, split_of_name};
use super::open::Opening;
use super::pattern::Pattern;
use super::remark::Remark;
use super::source::Source;
use super::table::{self, Needed, PathRoot, Row, Table};
use super::{EntryKind, ExtraColumns, Label, Place, Root};
use crate::files::{InsidePath, RelPath};
use crate::{Error, bounded_read};

/// Bytes of a file that are looked at to tell whether it is a table of labels.
const HEAD_BYTES: u64 = 1 << 16;

impl Opening<'_> {
    /// Labels come from the names of files.
    pub(super) fn add_named(
        &mut self,
        root: &Root,
        listing: Listing,
        source: Source,
        pattern: &Pattern,
    ) {
        self.collection.extra = pattern.extra();
        let (mut matched, mut all, mut first_not) = (0u64, 0u64, None);
        self.place_all(root, listing, source, |opening, found| {
            let root_split = root.split.as_deref().map(|split| opening.splits.get(split));
            let path = &found.path;
            if path.parts().any(is_left_behind) {
                return Place::new(root_split, Label::Outside);
            }
            all += 1;
            let Some(parts) = pattern.matches(path.as_str()) else {
                first_not.get_or_insert_with(|| path.clone());
                return Place::new(root_split, Label::Outside);
            };
            matched += 1;
            let part = |wanted: &str| {
                parts.iter().find(|(name, _)| *name == wanted).map(|(_, value)| *value)
            };
            let values = opening.collection.extra.iter();
            let values = values.map(|name| part(name).unwrap_or_default().to_owned()).collect();
            opening.labelled(root, part("class"), part("split"), part("group"), values)
        });
        let (first_not, named) = (first_not, pattern.to_string());
        self.remark(Remark::NamesMatched { pattern: named, matched, all, first_not });
        self.set_layout(format!("names like {pattern}"));
    }

    /// Labels come from a table.
    pub(super) fn add_table(&mut self, root: &Root) -> Result<(), Error> {
        let options = &self.request.options;
        let table = table::read(&root.path, &options.columns, Needed::Class)?;
        let beside = root.path.parent().filter(|parent| !parent.as_os_str().is_empty());
        let images = options.images.as_deref().or(beside).unwrap_or(Path::new("."));
        if !images.is_dir() {
            return Err(Error::RootMissing { path: images.to_path_buf() });
        }
        let begins = PathRoot::new(images);
        let source = self.folder_source(root, images)?;
        let meant = |row: &Row| meant(&begins, &source, row);
        let (files, rows) = self.rows_by_path(root, &table, meant);
        let listing = Listing { files, ..Listing::default() }.sorted();
        let is_missing = |found: &Found| found.kind == EntryKind::Missing;
        if options.images.is_none()
            && !listing.files.is_empty()
            && listing.files.iter().all(is_missing)
        {
            self.remark(Remark::NoFileOfTable);
        }
        self.place_all(root, listing, Source::Folder(source), |opening, found| {
            let row = &table.rows[rows[&found.path]];
            let (class, split) = (row.class.as_deref(), row.split.as_deref());
            opening.labelled(root, class, split, row.group.as_deref(), row.extra.clone())
        });
        self.set_layout("table".to_owned());
        Ok(())
    }

    /// The table of labels among the files of a root, where its folders do not tell classes apart.
    pub(super) fn table_among(
        &self,
        listing: &Listing,
        source: &Source,
        reading: &Reading,
    ) -> Option<LabelTable> {
        let options = &self.request.options;
        let mut classes: HashSet<&str> = HashSet::new();
        for found in listing.files.iter().filter(|found| may_be_image(&found.path)) {
            if let Spot::Class { class, .. } = reading.spot(&found.path) {
                classes.insert(class);
            }
            if classes.len() > 1 || options.class_depth.is_some() {
                return None;
            }
        }
        table_among(listing, &options.columns, |found| source.head_of(found, HEAD_BYTES))
    }

    /// The labels of an archive come from a table that lies in it.
    pub(super) fn add_packed_table(
        &mut self,
        root: &Root,
        mut listing: Listing,
        source: Source,
        labels: &LabelTable,
    ) -> Result<(), Error> {
        let failed = |wrong: table::Wrong| wrong.in_file(root.path.join(labels.file.native()));
        let file = listing.files.iter().find(|found| found.path == labels.file);
        let bytes = file.and_then(|found| source.head_of(found, bounded_read::MOST_TABLE_BYTES));
        let bytes = bytes.ok_or_else(|| failed("it cannot be read".to_owned().into()))?;
        let table = table::parse(&bytes, &labels.columns, Needed::Class).map_err(failed)?;
        let known: HashSet<&Path> = listing.files.iter().map(|found| found.path.native()).collect();
        let archive = PathRoot::new(Path::new(""));
        // Only what is not in the archive is added to what it holds.
        let meant = |row: &Row| {
            let below = |path: &Path| {
                let begins = Path::new(&labels.images).join(path);
                archive.below(&begins).ok()
            };
            let there = row.paths().filter_map(below).find(|path| known.contains(&**path));
            let path = there.or_else(|| below(&row.path)).unwrap_or_else(|| row.path.clone());
            (RelPath::new(&path), EntryKind::Missing)
        };
        let (named, rows) = self.rows_by_path(root, &table, meant);
        let missing: Vec<Found> =
            named.into_iter().filter(|found| !known.contains(found.path.native())).collect();
        listing.files.extend(missing);
        self.remark(Remark::TableInArchive { file: labels.file.clone() });
        self.place_all(root, listing.sorted(), source, |opening, found| {
            let Some(row) = rows.get(&found.path).map(|&row| &table.rows[row]) else {
                return Place::new(None, Label::Outside);
            };
            let (class, split) = (row.class.as_deref(), row.split.as_deref());
            opening.labelled(root, class, split, row.group.as_deref(), row.extra.clone())
        });
        self.set_layout("table".to_owned());
        Ok(())
    }

    /// The files that the rows of a table name, in its order, and the row of each. `meant` says which file a row
    /// means and what that is. Of several rows of one file the first counts, and all of them are reported.
    fn rows_by_path(
        &mut self,
        root: &Root,
        table: &Table,
        meant: impl Fn(&Row) -> (RelPath, EntryKind),
    ) -> (Vec<Found>, HashMap<RelPath, usize>) {
        let mut files = Vec::new();
        let mut rows: HashMap<RelPath, usize> = HashMap::new();
        let mut twice: BTreeMap<RelPath, Vec<String>> = BTreeMap::new();
        for (index, row) in table.rows.iter().enumerate() {
            let (path, kind) = meant(row);
            if let Some(&first) = rows.get(&path) {
                let class = |row: usize| table.rows[row].class.clone().unwrap_or_default();
                let path = root.split.as_ref().map_or(path.clone(), |split| path.inside(split));
                twice.entry(path).or_insert_with(|| vec![class(first)]).push(class(index));
                continue;
            }
            rows.insert(path.clone(), index);
            self.progress.advance(1);
            files.push(Found { path, kind, offset: 0 });
        }
        self.collection.listed_twice.extend(twice);
        self.collection.extra = table.extra.clone();
        (files, rows)
    }

    /// The place of a file whose labels were given in words.
    fn labelled(
        &mut self,
        root: &Root,
        class: Option<&str>,
        split: Option<&str>,
        group: Option<&str>,
        values: Vec<String>,
    ) -> Place {
        let split = root.split.as_deref().or(split.map(|name| split_of_name(name).unwrap_or(name)));
        let split = split.map(|split| self.splits.get(&composed(split)));
        let label = class.map_or(Label::Unlabelled, |class| Label::Class(self.classes.get(class)));
        if let Label::Class(class) = &label {
            let folder = (split.as_deref().map(str::to_owned), class.to_string());
            self.collection.class_folders.insert(folder);
        }
        let extra = (group.is_some() || !values.is_empty())
            .then(|| Box::new(ExtraColumns { group: group.map(str::to_owned), values }));
        Place { base: u8::from(root.split.is_some()), extra, ..Place::new(split, label) }
    }
}

/// The file that a row of a table means, and what it is: the first of those it may mean that is there.
fn meant(begins: &PathRoot<'_>, source: &FolderSource, row: &Row) -> (RelPath, EntryKind) {
    let look = |path: &Path| match begins.below(path) {
        Ok(below) => {
            let kind = match InsidePath::new(&below) {
                Ok(inside) => source.kind(&inside),
                // No file system stores such a name.
                Err(_) => EntryKind::Missing,
            };
            (RelPath::new(&below), kind)
        }
        Err(why) => (RelPath::new(path), EntryKind::Refused(why.into())),
    };
    let mut found = row.paths().map(look);
    let first = found.next().expect("a row means one path at least");
    if first.1 != EntryKind::Missing {
        return first;
    }
    found.find(|(_, kind)| matches!(kind, EntryKind::File { .. })).unwrap_or(first)
}
