//! Which class and split a file belongs to, from the names of its folders alone.

use std::collections::{BTreeMap, BTreeSet};

use super::path::RelPath;
use crate::reading::Format;

/// How the folders of a collection are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// `class/picture`: the folders below the root are the classes.
    Classes,
    /// `split/class/picture`: the folders below the root are the splits.
    Splits,
}

/// Where a file stands in its collection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Place {
    /// The split, where the collection has splits and the file is in one.
    pub split: Option<String>,
    /// The class, or why there is none.
    pub label: Label,
}

/// The class of a file, or why it has none.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Label {
    /// The file lies in the folder of this class.
    Class(String),
    /// The file lies in a split that has no class folders: pictures kept for later.
    Unlabelled,
    /// The file lies beside the class folders.
    Outside,
}

impl Place {
    /// The class, if there is one.
    pub fn class(&self) -> Option<&str> {
        match &self.label {
            Label::Class(name) => Some(name),
            Label::Unlabelled | Label::Outside => None,
        }
    }
}

/// The split that a folder's name stands for: `train`, `validation` or `test`.
///
/// ```
/// # use sieve_core::collection::split_of_name;
/// assert_eq!(split_of_name("Valid"), Some("validation"));
/// assert_eq!(split_of_name("sage"), None);
/// ```
pub fn split_of_name(folder: &str) -> Option<&'static str> {
    match folder.to_lowercase().as_str() {
        "train" | "training" => Some("train"),
        "val" | "valid" | "validation" | "dev" => Some("validation"),
        "test" | "testing" | "holdout" => Some("test"),
        _ => None,
    }
}

/// True for names that systems and editors leave behind: hidden files and folders, resource forks,
/// editors' backups. Nobody means them as pictures or classes.
pub fn is_left_behind(name: &str) -> bool {
    name.starts_with('.') || name.ends_with('~') || name == "__MACOSX"
}

/// The reading of one collection: its layout, and what each folder below the root stands for.
#[derive(Debug)]
pub struct Reading {
    /// How the folders are read.
    pub layout: Layout,
    tops: BTreeMap<String, Top>,
}

/// What a folder below the root of a split collection stands for.
#[derive(Debug)]
struct Top {
    split: String,
    has_classes: bool,
}

impl Reading {
    /// Decides from the folders and files of a collection.
    ///
    /// The folders below the root are splits when at least one of them has a split's name and holds
    /// folders, and either a second one has another split's name or there is no other folder.
    /// A class that is called `train` among other classes therefore stays a class.
    pub fn of(folders: &[RelPath], files: &[RelPath]) -> Self {
        let mut tops: BTreeMap<&str, bool> = BTreeMap::new();
        for folder in folders {
            let parts: Vec<&str> = folder.parts().collect();
            if parts.iter().any(|part| is_left_behind(part)) {
                continue;
            }
            *tops.entry(parts[0]).or_default() |= parts.len() > 1;
        }
        let named: BTreeSet<&str> = tops.keys().filter_map(|name| split_of_name(name)).collect();
        let named_with_classes =
            tops.iter().any(|(name, &nested)| nested && split_of_name(name).is_some());
        let only_named = tops.keys().all(|name| split_of_name(name).is_some());
        if !(named_with_classes && (named.len() > 1 || only_named)) {
            return Reading { layout: Layout::Classes, tops: BTreeMap::new() };
        }
        let with_pictures: BTreeSet<&str> = files
            .iter()
            .filter(|file| file.extension().is_some_and(|e| Format::of_extension(&e).is_some()))
            .filter_map(|file| file.parts().next())
            .collect();
        let tops = tops
            .into_iter()
            .filter(|(name, _)| split_of_name(name).is_some() || with_pictures.contains(name))
            .map(|(name, has_classes)| {
                let split = split_of_name(name).unwrap_or(name).to_owned();
                (name.to_owned(), Top { split, has_classes })
            })
            .collect();
        Reading { layout: Layout::Splits, tops }
    }

    /// Where the file at `path` stands.
    pub fn place(&self, path: &RelPath) -> Place {
        let parts: Vec<&str> = path.parts().collect();
        let depth = parts.len();
        if parts[..depth - 1].iter().any(|folder| is_left_behind(folder)) {
            return Place { split: None, label: Label::Outside };
        }
        if self.layout == Layout::Classes {
            return Place { split: None, label: label(parts[0], depth > 1) };
        }
        match self.tops.get(parts[0]).filter(|_| depth > 1) {
            None => Place { split: None, label: Label::Outside },
            Some(top) => Place {
                split: Some(top.split.clone()),
                label: if top.has_classes { label(parts[1], depth > 2) } else { Label::Unlabelled },
            },
        }
    }

    /// The split and class that a folder stands for, if it is a class folder.
    pub fn class_folder(&self, folder: &RelPath) -> Option<(Option<String>, String)> {
        let parts: Vec<&str> = folder.parts().collect();
        if parts.iter().any(|part| is_left_behind(part)) {
            return None;
        }
        match (self.layout, parts.as_slice()) {
            (Layout::Classes, [class]) => Some((None, (*class).to_owned())),
            (Layout::Splits, [top, class]) => {
                self.tops.get(*top).map(|top| (Some(top.split.clone()), (*class).to_owned()))
            }
            _ => None,
        }
    }
}

fn label(folder: &str, is_inside: bool) -> Label {
    if is_inside { Label::Class(folder.to_owned()) } else { Label::Outside }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn paths(names: &[&str]) -> Vec<RelPath> {
        names.iter().map(|name| RelPath::new(name.into())).collect()
    }

    fn layout(folders: &[&str]) -> Layout {
        Reading::of(&paths(folders), &[]).layout
    }

    #[test]
    fn split_names_count_only_when_they_hold_classes() {
        assert_eq!(layout(&["sage", "dill"]), Layout::Classes);
        assert_eq!(layout(&["train", "train/sage", "Valid", "Valid/sage"]), Layout::Splits);
        assert_eq!(layout(&["train", "train/sage"]), Layout::Splits);
        assert_eq!(layout(&["train", "train/sage", "test"]), Layout::Splits);
        assert_eq!(layout(&["train", "test", "plane"]), Layout::Classes);
        assert_eq!(layout(&["train", "train/steam", "plane"]), Layout::Classes);
        assert_eq!(layout(&["train", "train/.cache"]), Layout::Classes);
        assert_eq!(layout(&[]), Layout::Classes);
    }

    #[test]
    fn places_in_a_split_collection() {
        let files = paths(&["later/a.jpg", "notes/b.txt"]);
        let folders = paths(&["train", "train/sage", "holdout", "holdout/sage", "later", "notes"]);
        let reading = Reading::of(&folders, &files);
        let place = |path: &str| reading.place(&RelPath::new(path.into()));
        let at = |split: Option<&str>, label| Place { split: split.map(str::to_owned), label };
        let sage = || Label::Class("sage".into());
        assert_eq!(place("train/sage/a.jpg"), at(Some("train"), sage()));
        assert_eq!(place("holdout/sage/deep/a.jpg"), at(Some("test"), sage()));
        assert_eq!(place("train/a.jpg"), at(Some("train"), Label::Outside));
        assert_eq!(place("later/a.jpg"), at(Some("later"), Label::Unlabelled));
        assert_eq!(place("notes/b.txt"), at(None, Label::Outside));
        assert_eq!(place("a.jpg"), at(None, Label::Outside));
        assert_eq!(place("train/.cache/a.jpg"), at(None, Label::Outside));
        assert_eq!(place("__MACOSX/sage/a.jpg"), at(None, Label::Outside));
    }
}
