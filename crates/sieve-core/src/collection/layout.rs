//! How the folders of a collection are to be read: which are splits, which are classes.

use std::collections::{BTreeMap, BTreeSet};

use super::label_pattern::pattern_of_names;
use super::listing::Listing;
use super::names::{is_left_behind, may_be_image, split_of_name};
use super::remark::{DepthReason, Remark};
use super::request::{ClassDepth, LayoutOptions, SplitFolders};
use crate::files::RelPath;

/// Where a file stands, by the names of its folders.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Spot<'a> {
    /// In the folder of a class; `is_deeper` when in a folder inside of that.
    Class { split: Option<&'a str>, class: &'a str, is_deeper: bool },
    /// In a split without class folders.
    Unlabelled { split: &'a str },
    /// Beside the class folders.
    Outside { split: Option<&'a str> },
}

/// The reading of one tree of folders.
#[derive(Debug)]
pub(super) struct Reading {
    /// Folders that hold all the others, outermost first; they mean nothing.
    wrapper: Vec<String>,
    /// What each folder stands for where the outermost folders are splits.
    splits: Option<BTreeMap<String, Top>>,
    depth: Depth,
    /// What was decided.
    pub remarks: Vec<Remark>,
}

/// Which folders are the classes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Depth {
    /// Those this many folders below the root or the split.
    At(usize),
    /// Those that hold the images.
    Innermost,
}

/// What a folder below the root of a split collection stands for.
#[derive(Debug)]
struct Top {
    split: String,
    has_classes: bool,
}

impl Reading {
    /// Decides from the folders and files of a tree; `Err` when the wish names folders that are
    /// not there: the first of them, and those that there are.
    ///
    /// A folder that alone holds all others is passed through. The outermost folders are splits
    /// when at least one of them has a split's name and holds folders, and either a second one has
    /// another split's name or there is no other folder. A class that is called `train` among other
    /// classes therefore stays a class.
    pub fn new(listing: &Listing, options: &LayoutOptions) -> Result<Self, (String, Vec<String>)> {
        let tree = Tree::new(listing);
        let mut reading =
            Reading { wrapper: Vec::new(), splits: None, depth: Depth::At(1), remarks: Vec::new() };
        if options.class_depth.is_none() {
            reading.unwrap_folders(&tree, options);
        }
        reading.find_splits(&tree, options)?;
        match options.class_depth {
            Some(ClassDepth::Folders(depth)) => reading.depth = Depth::At(depth.max(1)),
            Some(ClassDepth::Innermost) => reading.depth = Depth::Innermost,
            None => reading.find_depth(&tree),
        }
        Ok(reading)
    }

    fn unwrap_folders(&mut self, tree: &Tree<'_>, options: &LayoutOptions) {
        loop {
            let here = self.wrapper.join("/");
            let [only] = tree.folders_in(&here)[..] else { return };
            let inner = if here.is_empty() { only.to_owned() } else { format!("{here}/{only}") };
            let is_split = options.splits.split_of(only).is_some();
            // A few images beside the class folders do not make the folder that holds both a class.
            let below: usize =
                tree.holders_below(&inner).map(|holder| tree.images_in(holder)).sum();
            let is_class = below <= 2 * tree.images_in(&inner);
            if is_split || is_class || tree.images_in(&here) > 0 {
                return;
            }
            self.wrapper.push(only.to_owned());
            self.remarks = vec![Remark::OnlyFolder { folder: inner }];
        }
    }

    fn find_splits(
        &mut self,
        tree: &Tree<'_>,
        options: &LayoutOptions,
    ) -> Result<(), (String, Vec<String>)> {
        let base = self.wrapper.join("/");
        let path =
            |name: &str| if base.is_empty() { name.to_owned() } else { format!("{base}/{name}") };
        let tops = tree.folders_in(&base);
        let has_folders = |name: &str| !tree.folders_in(&path(name)).is_empty();
        for (_, folder) in options.splits.named() {
            if !tops.contains(&folder.as_str()) {
                return Err((folder.clone(), tops.iter().map(|top| (*top).to_owned()).collect()));
            }
        }
        let split_of = |name: &str| options.splits.split_of(name);
        let named: BTreeSet<String> = tops.iter().filter_map(|name| split_of(name)).collect();
        if named.is_empty() {
            return Ok(());
        }
        let (known, others): (Vec<&str>, Vec<&str>) =
            tops.iter().partition(|name| split_of(name).is_some());
        let is_split = !options.splits.named().is_empty()
            || known.iter().any(|name| has_folders(name)) && (named.len() > 1 || others.is_empty());
        let owned = |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect();
        if !is_split {
            // Without a folder in any of them, splits would be without classes; names may tell these.
            let is_flat = !tops.iter().any(|name| has_folders(name));
            let names = tops.iter().flat_map(|name| tree.names_in(&path(name)));
            let pattern = if is_flat { pattern_of_names(names) } else { None };
            let pattern = pattern.map(|pattern| path(&format!("{{split}}/{pattern}")));
            self.remarks.push(Remark::SplitNamesAreClasses { folders: owned(&known), pattern });
            return Ok(());
        }
        let holds_images = |name: &&&str| tree.holds_images(&path(name));
        let also: Vec<&str> = others.iter().filter(holds_images).copied().collect();
        let with_classes: Vec<&str> =
            also.iter().copied().filter(|name| has_folders(name)).collect();
        if !with_classes.is_empty() {
            self.remarks.push(Remark::OtherSplits { folders: owned(&with_classes) });
        }
        let without: Vec<&str> = also.iter().copied().filter(|name| !has_folders(name)).collect();
        if !without.is_empty() {
            self.remarks.push(Remark::Unlabelled { folders: owned(&without) });
        }
        let top = |name: &&str| {
            let split = split_of(name).unwrap_or_else(|| (*name).to_owned());
            ((*name).to_owned(), Top { split, has_classes: has_folders(name) })
        };
        self.splits = Some(known.iter().chain(&also).map(top).collect());
        Ok(())
    }

    /// Images in the outermost folders make these the classes. Where all lie deeper, names
    /// decide.
    fn find_depth(&mut self, tree: &Tree<'_>) {
        let base = self.wrapper.join("/");
        let bases: Vec<String> = match &self.splits {
            None => vec![base],
            Some(tops) => {
                let with_classes = tops.iter().filter(|(_, top)| top.has_classes);
                with_classes.map(|(name, _)| join(&base, name)).collect()
            }
        };
        let mut outer: BTreeSet<&str> = BTreeSet::new();
        let mut inner: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
        for base in &bases {
            for name in tree.folders_in(base) {
                let path = join(base, name);
                if tree.images_in(&path) > 0 {
                    return;
                }
                outer.insert(name);
                for holder in tree.holders_below(&path) {
                    let leaf = holder.rsplit_once('/').map_or(holder, |(_, leaf)| leaf);
                    inner.entry(leaf).or_default().insert(name);
                }
            }
        }
        if inner.is_empty() {
            return;
        }
        let has_letters = |name: &str| name.chars().any(char::is_alphabetic);
        let repeats = inner.values().any(|outer| outer.len() > 1);
        let (innermost, why) = if !inner.keys().any(|name| has_letters(name)) {
            (false, DepthReason::InnerWithoutLetters)
        } else if !outer.iter().any(|name| has_letters(name)) {
            (true, DepthReason::OuterWithoutLetters)
        } else if repeats {
            (false, DepthReason::InnerRepeated)
        } else {
            (true, DepthReason::InnerUnique)
        };
        self.remarks.push(if innermost {
            self.depth = Depth::Innermost;
            Remark::InnermostClasses(why)
        } else {
            Remark::OuterClasses(why)
        });
    }

    /// True when the outermost folders are splits.
    pub fn has_splits(&self) -> bool {
        self.splits.is_some()
    }

    /// The parts of a path that stand before the folders of classes: those around all others, and the split.
    pub fn base(&self) -> u8 {
        let parts = self.wrapper.len() + usize::from(self.has_splits());
        parts.try_into().unwrap_or(u8::MAX)
    }

    /// The layout as a path with words for its parts.
    pub fn describe(&self) -> String {
        let split = if self.has_splits() { "split/" } else { "" };
        let between = match self.depth {
            Depth::At(depth) => "folder/".repeat(depth - 1),
            Depth::Innermost => ".../".to_owned(),
        };
        format!("{split}{between}class/image")
    }

    /// The parts of a path below the wrapping folders and its split.
    fn inside<'a>(&'a self, path: &'a str) -> Option<(Option<&'a Top>, Vec<&'a str>)> {
        let mut parts = path.split('/');
        for wrapping in &self.wrapper {
            if parts.next() != Some(wrapping) {
                return None;
            }
        }
        let rest: Vec<&str> = parts.collect();
        match &self.splits {
            None => Some((None, rest)),
            Some(tops) => Some((Some(tops.get(*rest.first()?)?), rest[1..].to_vec())),
        }
    }

    /// Where the file at `path` stands.
    pub fn spot<'a>(&'a self, path: &'a RelPath) -> Spot<'a> {
        if path.folder().split('/').any(is_left_behind) {
            return Spot::Outside { split: None };
        }
        let Some((top, parts)) = self.inside(path.as_str()) else {
            return Spot::Outside { split: None };
        };
        let Some((_name, folders)) = parts.split_last() else {
            // A file with a split folder's name.
            return Spot::Outside { split: None };
        };
        let split = top.map(|top| top.split.as_str());
        if let Some(Top { split, has_classes: false }) = top {
            return Spot::Unlabelled { split };
        }
        let class = match self.depth {
            Depth::At(depth) => folders.get(depth - 1),
            Depth::Innermost => folders.last(),
        };
        match class {
            None => Spot::Outside { split },
            Some(class) => Spot::Class {
                split,
                class,
                is_deeper: matches!(self.depth, Depth::At(depth) if folders.len() > depth),
            },
        }
    }

    /// The split and class that a folder stands for, if it is a class folder. `is_innermost` says
    /// that it holds no other folder.
    pub fn class_folder<'a>(
        &'a self,
        folder: &'a RelPath,
        is_innermost: bool,
    ) -> Option<(Option<&'a str>, &'a str)> {
        if folder.parts().any(is_left_behind) {
            return None;
        }
        let (top, parts) = self.inside(folder.as_str())?;
        let is_class = match self.depth {
            Depth::At(depth) => parts.len() == depth,
            Depth::Innermost => is_innermost && !parts.is_empty(),
        };
        is_class.then(|| (top.map(|top| top.split.as_str()), *parts.last().expect("not empty")))
    }
}

impl SplitFolders {
    /// The split that a folder called `name` stands for.
    fn split_of(&self, name: &str) -> Option<String> {
        match self {
            SplitFolders::None => None,
            SplitFolders::ByName(named) => {
                let named = named.iter().find(|(_, folder)| folder == name);
                named
                    .map(|(split, _)| split.clone())
                    .or_else(|| split_of_name(name).map(str::to_owned))
            }
        }
    }

    fn named(&self) -> &[(String, String)] {
        match self {
            SplitFolders::None => &[],
            SplitFolders::ByName(named) => named,
        }
    }
}

/// The folders of a listing with how many files that may be images lie in each.
struct Tree<'a> {
    listing: &'a Listing,
    images: BTreeMap<&'a str, usize>,
    inside: BTreeMap<&'a str, Vec<&'a str>>,
}

impl<'a> Tree<'a> {
    fn new(listing: &'a Listing) -> Self {
        let mut inside: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
        for folder in &listing.folders {
            if !folder.parts().any(is_left_behind) {
                inside.entry(folder.folder()).or_default().push(folder.file_name());
            }
        }
        let mut images: BTreeMap<&str, usize> = BTreeMap::new();
        // Sorted by path: files of one folder follow each other.
        for files in listing.files.chunk_by(|a, b| a.path.folder() == b.path.folder()) {
            let count = files.iter().filter(|found| may_be_image(&found.path)).count();
            *images.entry(files[0].path.folder()).or_default() += count;
        }
        Tree { listing, images, inside }
    }

    /// The names of the images that lie in `folder` itself.
    fn names_in(&self, folder: &str) -> Vec<&'a str> {
        let paths = self.listing.files.iter().map(|found| &found.path);
        let here = paths.filter(|path| path.folder() == folder && may_be_image(path));
        here.map(RelPath::file_name).collect()
    }

    fn folders_in(&self, folder: &str) -> Vec<&'a str> {
        self.inside.get(folder).cloned().unwrap_or_default()
    }

    fn images_in(&self, folder: &str) -> usize {
        self.images.get(folder).copied().unwrap_or(0)
    }

    /// The folders somewhere below `folder` that hold images themselves.
    fn holders_below(&self, folder: &str) -> impl Iterator<Item = &'a str> {
        let prefix = format!("{folder}/");
        let below = self.images.range::<str, _>((
            std::ops::Bound::Excluded(prefix.as_str()),
            std::ops::Bound::Unbounded,
        ));
        let below: Vec<&str> = below
            .take_while(|(path, _)| path.starts_with(&prefix))
            .filter(|(path, count)| **count > 0 && !path.split('/').any(is_left_behind))
            .map(|(path, _)| *path)
            .collect();
        below.into_iter()
    }

    fn holds_images(&self, folder: &str) -> bool {
        self.images_in(folder) > 0 || self.holders_below(folder).next().is_some()
    }
}

fn join(base: &str, name: &str) -> String {
    if base.is_empty() { name.to_owned() } else { format!("{base}/{name}") }
}

#[cfg(test)]
mod tests {
    use super::super::listing::Found;
    use super::super::remark::Alternative;
    use super::*;
    use crate::files::Stamp;

    /// The listing of these files and, ending in `/`, folders.
    fn listing(names: &[&str]) -> Listing {
        let mut listing = Listing::default();
        for name in names {
            match name.strip_suffix('/') {
                Some(folder) => listing.folders.push(RelPath::new(folder.as_ref())),
                None => {
                    let path = RelPath::new(name.as_ref());
                    listing.files.push(Found::file(path, Stamp::default(), 0));
                }
            }
        }
        listing.with_implied_folders().sorted()
    }

    fn reading(names: &[&str], options: &LayoutOptions) -> Reading {
        Reading::new(&listing(names), options).unwrap()
    }

    /// How the files of a tree are read: the layout, and the other way to read it.
    fn read_as(names: &[&str]) -> (String, String) {
        let reading = reading(names, &LayoutOptions::default());
        let others = reading.remarks.iter().filter_map(Remark::alternative);
        let word = |other| match other {
            Alternative::ClassDepth(depth) => format!("{depth:?}"),
            Alternative::Splits(SplitFolders::ByName(named)) => {
                named.into_iter().map(|(split, _)| split).collect::<Vec<_>>().join(",")
            }
            other => format!("{other:?}"),
        };
        (reading.describe(), others.map(word).collect::<Vec<_>>().join(" "))
    }

    #[test]
    fn layouts_are_told_by_names_and_depth() {
        let table: [(&[&str], &str, &str); 17] = [
            (&["sage/a.jpg", "sage/old/b.jpg", "sage/new/c.jpg"], "class/image", ""),
            (&["sage/a.jpg", "dill/b.jpg"], "class/image", ""),
            (&["train/sage/a.jpg", "Valid/sage/b.jpg"], "split/class/image", ""),
            (&["train/sage/a.jpg"], "split/class/image", ""),
            (&["train/sage/a.jpg", "test/"], "split/class/image", ""),
            (&["train/a.jpg", "test/b.jpg", "plane/c.jpg"], "class/image", "test,train"),
            (&["train/steam/a.jpg", "plane/b.jpg"], "class/image", "train"),
            (&["train/.cache/a.jpg", "b.jpg"], "class/image", "train"),
            (
                &["train/sage/a.jpg", "test/sage/b.jpg", "old/sage/c.jpg"],
                "split/class/image",
                "Splits(None)",
            ),
            (&[], "class/image", ""),
            (&["herbs/sage/a.jpg", "herbs/dill/b.jpg"], "class/image", "Folders(1)"),
            (&["x/train/sage/a.jpg", "x/test/sage/b.jpg"], "split/class/image", "Folders(1)"),
            (&["woody/bay/a.jpg", "soft/dill/b.jpg"], ".../class/image", "Folders(1)"),
            (&["2019/bay/a.jpg", "2020/bay/b.jpg"], ".../class/image", "Folders(1)"),
            (&["bay/day 1/a.jpg", "dill/day 1/b.jpg"], "class/image", "Innermost"),
            (&["bay/1/a.jpg", "dill/2/b.jpg"], "class/image", "Innermost"),
            (&["bay/a.jpg", "dill/old/b.jpg"], "class/image", ""),
        ];
        for (names, layout, other) in table {
            assert_eq!(read_as(names), (layout.to_owned(), other.to_owned()), "{names:?}");
        }
    }

    #[test]
    fn wishes_come_first() {
        let files = ["a/b/c/x.jpg", "train/y.jpg", "tune/b/z.jpg"];
        let spot = |options: &LayoutOptions, path: &str| {
            let reading = reading(&files, options);
            format!("{:?}", reading.spot(&RelPath::new(path.as_ref())))
        };
        let deep =
            LayoutOptions { class_depth: Some(ClassDepth::Folders(2)), ..LayoutOptions::default() };
        assert!(spot(&deep, "a/b/c/x.jpg").contains("class: \"b\", is_deeper: true"));
        assert_eq!(spot(&deep, "train/y.jpg"), "Outside { split: None }");
        let folder = |name: &str| (name.to_owned(), name.to_owned());
        let tune = SplitFolders::ByName(vec![folder("tune")]);
        let tune = LayoutOptions { splits: tune, ..LayoutOptions::default() };
        assert!(spot(&tune, "tune/b/z.jpg").contains("split: Some(\"tune\"), class: \"b\""));
        assert_eq!(spot(&tune, "train/y.jpg"), "Unlabelled { split: \"train\" }");
        let wrong = SplitFolders::ByName(vec![folder("tuen")]);
        let wrong = LayoutOptions { splits: wrong, ..LayoutOptions::default() };
        assert_eq!(Reading::new(&listing(&files), &wrong).unwrap_err().0, "tuen");
    }

    #[test]
    fn places_in_a_split_collection() {
        let files = ["train/sage/a.jpg", "holdout/sage/b.jpg", "later/a.jpg", "notes/b.txt"];
        let reading = reading(&files, &LayoutOptions::default());
        let spot = |path: &str| format!("{:?}", reading.spot(&RelPath::new(path.as_ref())));
        let sage = |split: &str, is_deeper: bool| {
            let (split, class) = (Some(split), "sage");
            format!("{:?}", Spot::Class { split, class, is_deeper })
        };
        assert_eq!(spot("train/sage/a.jpg"), sage("train", false));
        assert_eq!(spot("holdout/sage/deep/a.jpg"), sage("test", true));
        assert_eq!(spot("train/a.jpg"), "Outside { split: Some(\"train\") }");
        assert_eq!(spot("later/a.jpg"), "Unlabelled { split: \"later\" }");
        for outside in ["notes/b.txt", "a.jpg", "train/.cache/a.jpg", "__MACOSX/sage/a.jpg"] {
            assert_eq!(spot(outside), "Outside { split: None }", "{outside}");
        }
    }
}
