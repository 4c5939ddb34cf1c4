//! Labels that lie beside the images: in a table among them, or in their names. Found by content, so that a
//! collection that is labelled in such a way is not taken for one class.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use super::EntryKind;
use super::listing::{Found, Listing};
use super::names::{is_left_behind, may_be_image};
use super::pattern::Pattern;
use super::table::{self, Columns};
use crate::files::RelPath;

/// A table of labels among the images, and how it is to be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LabelTable {
    /// Where it lies in the collection.
    pub file: RelPath,
    /// What its columns are called.
    pub columns: Columns,
    /// The folder of the collection that its paths begin at; empty for the root.
    pub images: String,
}

/// Tables that are looked into: more of them are no labels.
const MOST_TABLES: usize = 8;
/// Rows that are looked at of each.
const MOST_ROWS: usize = 200;
/// Folders that its paths may begin at.
const MOST_FOLDERS: usize = 64;
/// What columns of classes are called; others are recognised by their content.
const CLASS_WORDS: [&str; 8] =
    ["class", "label", "category", "target", "classname", "class_name", "species", "kind"];
/// What columns are called that are no classes, however few values they have.
const OTHER_WORDS: [&str; 6] = ["split", "set", "fold", "group", "subset", "partition"];

/// The table among the files of a listing that names its images and has a column of classes; the first by path.
/// `head` gives the beginning of a file.
pub(super) fn table_among(
    listing: &Listing,
    columns: &Columns,
    mut head: impl FnMut(&Found) -> Option<Vec<u8>>,
) -> Option<LabelTable> {
    let images: HashSet<&str> = listing
        .files
        .iter()
        .filter(|found| may_be_image(&found.path))
        .map(|found| found.path.as_str())
        .collect();
    let folders: BTreeSet<&str> = images.iter().map(|path| folder_of(path)).collect();
    let tables = listing.files.iter().filter(|found| may_be_table(found)).take(MOST_TABLES);
    for found in tables {
        let Some((names, rows)) = head(found).and_then(|head| table::cells(&head, MOST_ROWS))
        else {
            continue;
        };
        let begins = [found.path.folder(), ""].into_iter().chain(folders.iter().copied());
        let begins: Vec<&str> = begins.take(MOST_FOLDERS).collect();
        let Some((path, images)) = path_column(&rows, names.len(), &begins, &images) else {
            continue;
        };
        if let Some(class) = class_column(&names, &rows, path, columns) {
            let columns = Columns {
                path: names[path].clone(),
                class: names[class].clone(),
                ..columns.clone()
            };
            return Some(LabelTable { file: found.path.clone(), columns, images });
        }
    }
    None
}

fn folder_of(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

fn may_be_table(found: &Found) -> bool {
    let is_table =
        |extension: String| ["csv", "tsv", "txt", "jsonl", "ndjson"].contains(&&*extension);
    matches!(found.kind, EntryKind::File { .. })
        && found.path.extension().is_some_and(is_table)
        && !found.path.parts().any(is_left_behind)
}

/// The column whose cells are paths of images, in half of the rows at least, and where these paths begin.
fn path_column(
    rows: &[Vec<String>],
    columns: usize,
    begins: &[&str],
    images: &HashSet<&str>,
) -> Option<(usize, String)> {
    let hits = |column: usize, begin: &str| {
        let is_there = |row: &&Vec<String>| {
            let cell = row.get(column).map_or("", String::as_str).trim_start_matches("./");
            let path = if begin.is_empty() { cell.to_owned() } else { format!("{begin}/{cell}") };
            !cell.is_empty() && images.contains(path.as_str())
        };
        rows.iter().filter(is_there).count()
    };
    let all = (0..columns).flat_map(|column| begins.iter().map(move |begin| (column, *begin)));
    let counted = all.map(|(column, begin)| (hits(column, begin), column, begin));
    // The first of equals.
    let best = counted.reduce(|best, next| if next.0 > best.0 { next } else { best })?;
    (best.0 > 0 && 2 * best.0 >= rows.len()).then(|| (best.1, best.2.to_owned()))
}

/// The column of classes: the one of that name, one that is usually called so, or the only one with few values.
fn class_column(
    names: &[String],
    rows: &[Vec<String>],
    path: usize,
    columns: &Columns,
) -> Option<usize> {
    let is_called = |name: &String, words: &[&str]| words.contains(&name.to_lowercase().as_str());
    let others = || (0..names.len()).filter(|&at| at != path);
    let known = others().find(|&at| names[at] == columns.class);
    let usual = || others().find(|&at| is_called(&names[at], &CLASS_WORDS));
    let by_content = || {
        let few: Vec<usize> = others()
            .filter(|&at| !is_called(&names[at], &OTHER_WORDS))
            .filter(|&at| {
                let cells = || rows.iter().filter_map(|row| row.get(at));
                let values: HashSet<&String> = cells().collect();
                cells().all(|cell| !cell.trim().is_empty())
                    && (2..=rows.len() / 2).contains(&values.len())
            })
            .collect();
        if let [only] = few[..] { Some(only) } else { None }
    };
    known.or_else(usual).or_else(by_content)
}

/// Patterns of names that carry a class, the plainest first. Without anything between class and number the class
/// would take all digits but the last.
const PATTERNS: [&str; 5] = [
    "{class}_{n}.{*}",
    "{class}-{n}.{*}",
    "{class}.{n}.{*}",
    "{class} {n}.{*}",
    "{class} ({n}).{*}",
];
/// Names that are looked at.
const MOST_NAMES: usize = 2000;

/// The pattern by which names of images tell their class: nearly all match, and there are several classes of
/// several images each. `names` are names without folders.
pub(super) fn pattern_of_names<'a>(names: impl Iterator<Item = &'a str>) -> Option<&'static str> {
    let names: Vec<&str> = names.take(MOST_NAMES).collect();
    PATTERNS.into_iter().find(|pattern| {
        let parsed: Pattern = pattern.parse().expect("a fixed pattern");
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        for name in &names {
            let matched = parsed.matches(name);
            let class = matched.and_then(|parts| {
                parts.iter().find(|(name, _)| *name == "class").map(|&(_, value)| value.len())
            });
            // The class stands first; numbers and dates are none.
            let class = class.map(|length| &name[..length]);
            if let Some(class) = class.filter(|class| class.chars().any(char::is_alphabetic)) {
                *counts.entry(class).or_default() += 1;
            }
        }
        let matched: usize = counts.values().sum();
        matched * 10 >= names.len() * 9 && counts.len() > 1 && matched >= 3 * counts.len()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files::Stamp;

    fn found(files: &[&str], table: &str) -> Option<(String, String, String)> {
        let mut listing = Listing::default();
        for name in files.iter().chain(&["labels.csv"]) {
            listing.files.push(Found::file(RelPath::new(name.as_ref()), Stamp::default(), 0));
        }
        let listing = listing.with_implied_folders().sorted();
        let table = table_among(&listing, &Columns::default(), |_| Some(table.into()))?;
        Some((table.columns.path, table.columns.class, table.images))
    }

    #[test]
    fn tables_are_told_by_what_their_cells_name() {
        let files = ["pics/a.jpg", "pics/b.jpg", "pics/c.jpg", "pics/d.jpg"];
        let reported = |path: &str, class: &str, images: &str| {
            Some((path.to_owned(), class.to_owned(), images.to_owned()))
        };
        let table = "path,class\npics/a.jpg,bay\npics/b.jpg,sage\n";
        assert_eq!(found(&files, table), reported("path", "class", ""));
        let table = "nr;file;herb;split\n1;a.jpg;bay;train\n2;b.jpg;sage;test\n3;c.jpg;bay;test\n\
                     4;d.jpg;sage;train\n";
        assert_eq!(found(&files, table), reported("file", "herb", "pics"));
        let lines =
            "{\"label\":\"bay\",\"file\":\"./a.jpg\"}\n{\"label\":\"sage\",\"file\":\"b.jpg\"}\n";
        assert_eq!(found(&files, lines), reported("file", "label", "pics"));
        for other in [
            "path,weight\npics/a.jpg,1.5\npics/b.jpg,1.7\npics/c.jpg,2.5\npics/d.jpg,2.7\n",
            "path,class\nx.jpg,bay\ny.jpg,sage\n",
            "path,class\npics/a.jpg,bay\nx.jpg,sage\ny.jpg,sage\n",
            "no table at all",
        ] {
            assert_eq!(found(&files, other), None, "{other}");
        }
    }

    #[test]
    fn names_tell_classes_only_where_several_come_again() {
        let pattern = |names: &[&str]| pattern_of_names(names.iter().copied());
        let herbs =
            ["bay_1.jpg", "bay_2.jpg", "bay_07.png", "sage_1.jpg", "sage_2.jpg", "sage_3.jpg"];
        assert_eq!(pattern(&herbs), Some("{class}_{n}.{*}"));
        let plain: Vec<String> = herbs.iter().map(|name| name.replace('_', "")).collect();
        assert_eq!(pattern_of_names(plain.iter().map(String::as_str)), None);
        assert_eq!(pattern(&["IMG_1.jpg", "IMG_2.jpg", "IMG_3.jpg"]), None);
        assert_eq!(pattern(&["a_1.jpg", "b_1.jpg", "c_1.jpg", "d_1.jpg"]), None);
        assert_eq!(pattern(&["2026_1.jpg", "2026_2.jpg", "2025_1.jpg", "2025_2.jpg"]), None);
        assert_eq!(pattern(&[]), None);
    }
}
