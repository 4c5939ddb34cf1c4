//! Opening a collection: what lies under its roots, read as layout, names or table say.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::fs;
use std::io;
use std::path::Path;
use std::sync::Arc;

use super::archive::{self, Kind, Tar, Zip};
use super::folder::FolderSource;
use super::label_pattern::pattern_of_names;
use super::layout::{Reading, Spot};
use super::listing::{ArchiveIndexCache, Found, Listing};
use super::names::{Interned, composed, may_be_image, split_rank};
use super::remark::Remark;
use super::source::Source;
use super::table::is_table_name;
use super::walk::walk;
use super::{Collection, Entry, EntryKind, Label, Locator, Place, Request, Root};
use crate::files::{self, RelPath, Stamp};
use crate::objects::is_bucket;
use crate::progress::Progress;
use crate::{Error, io_reason};

/// Lists a collection and decides how it is to be read.
///
/// # Errors
///
/// When a root is missing, is nothing that can be read as a collection, or cannot be listed; when
/// the request names folders or columns that are not there; or when `progress` asks to stop. Trouble
/// further down is kept in [`Collection::unlistable`].
pub fn open(
    request: &Request,
    archive_indexes: &dyn ArchiveIndexCache,
    progress: &dyn Progress,
) -> Result<Collection, Error> {
    progress.begin("listing files", None);
    let mut opening = Opening {
        request,
        archive_indexes,
        progress,
        collection: Collection { roots: request.roots.clone(), ..Collection::default() },
        classes: Classes::default(),
        splits: Interned::default(),
    };
    for root in &request.roots {
        opening.add(root)?;
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
    }
    let mut collection = opening.finished();
    collection.take_origins(progress)?;
    Ok(collection)
}

/// A collection while its roots are added to it.
pub(super) struct Opening<'a> {
    pub(super) request: &'a Request,
    archive_indexes: &'a dyn ArchiveIndexCache,
    pub(super) progress: &'a dyn Progress,
    pub(super) collection: Collection,
    pub(super) classes: Classes,
    pub(super) splits: Interned,
}

/// The classes, by every way in which they are written.
#[derive(Default)]
pub(super) struct Classes {
    by_spelling: HashMap<Box<str>, Arc<str>>,
    composed: Interned,
}

impl Classes {
    pub(super) fn get(&mut self, spelling: &str) -> Arc<str> {
        if let Some(known) = self.by_spelling.get(spelling) {
            return Arc::clone(known);
        }
        let class = self.composed.get(&composed(spelling));
        self.by_spelling.insert(spelling.into(), Arc::clone(&class));
        class
    }

    /// The classes with more than one spelling.
    fn spellings(&self) -> BTreeMap<String, Vec<String>> {
        let mut all: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (spelling, class) in &self.by_spelling {
            all.entry(class.to_string()).or_default().insert(spelling.to_string());
        }
        all.retain(|_, spellings| spellings.len() > 1);
        all.into_iter().map(|(class, all)| (class, all.into_iter().collect())).collect()
    }
}

impl Opening<'_> {
    fn add(&mut self, root: &Root) -> Result<(), Error> {
        let path = &root.path;
        if is_bucket(path) {
            return self.add_bucket(root);
        }
        let unreadable = |error: io::Error| Error::RootUnreadable {
            path: path.clone(),
            reason: io_reason(&error),
        };
        let facts = match fs::metadata(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Err(Error::RootMissing { path: path.clone() });
            }
            facts => facts.map_err(unreadable)?,
        };
        if facts.is_dir() {
            if root.split.is_none()
                && let Some(pack) = self.pack_in(path)
            {
                return self.add_pack(root, &pack);
            }
            let listing = walk(path, self.request.follow_links, self.progress)?;
            let source = self.folder_source(root, path)?;
            return self.add_listing(root, listing, Source::Folder(source));
        }
        if !facts.is_file() {
            return Err(Error::RootUnknown { path: path.clone() });
        }
        self.add_file(root)
    }

    /// Adds an archive or a table.
    pub(super) fn add_file(&mut self, root: &Root) -> Result<(), Error> {
        let path = &root.path;
        let unreadable = |error: io::Error| Error::RootUnreadable {
            path: path.clone(),
            reason: io_reason(&error),
        };
        let broken = |reason: String| Error::RootUnreadable { path: path.clone(), reason };
        let facts = fs::metadata(path).map_err(unreadable)?;
        let stamp = Stamp::from_metadata(&facts);
        match archive::kind(path).map_err(unreadable)? {
            Some(Kind::Zip) => {
                let zip = Zip::open(path).map_err(broken)?;
                self.add_listing(root, zip.list(stamp), Source::Zip(zip))
            }
            Some(Kind::Tar(packing)) => {
                let tar = Tar::open(path, packing).map_err(unreadable)?;
                let listing = self.entries_of(&tar, path, stamp).map_err(broken)?;
                self.add_listing(root, listing, Source::Tar(tar))
            }
            #[cfg(any(feature = "parquet", feature = "arrow"))]
            None if archive::RowImages::open(path).is_ok_and(|images| images.is_some()) => {
                let images = archive::RowImages::open(path).map_err(broken)?;
                let images = images.ok_or_else(|| broken("it holds no images".to_owned()))?;
                let listing = images.list(stamp).map_err(broken)?;
                self.add_listing(root, listing, Source::Rows(images))
            }
            None if is_table_name(path) => self.add_table(root),
            None => Err(Error::RootUnknown { path: path.clone() }),
        }
    }

    /// The files below `path`, for the collection's root `root`.
    pub(super) fn folder_source(&self, root: &Root, path: &Path) -> Result<FolderSource, Error> {
        let unreadable = |error: io::Error| Error::RootUnreadable {
            path: path.to_path_buf(),
            reason: io_reason(&error),
        };
        Ok(FolderSource {
            root: files::Root::open(path).map_err(unreadable)?,
            is_split: root.split.is_some(),
            follow_links: self.request.follow_links,
        })
    }

    /// What a tar archive holds. Of a packed one that is remembered.
    fn entries_of(&self, tar: &Tar, file: &Path, stamp: Stamp) -> Result<Listing, String> {
        if !tar.is_stream() {
            return tar.list(stamp, self.progress);
        }
        let known = self.archive_indexes.lookup(file, stamp);
        if let Some(listing) = known.as_deref().and_then(Listing::of_bytes) {
            return Ok(listing);
        }
        let listing = tar.list(stamp, self.progress)?;
        if !self.progress.stopped() {
            self.archive_indexes.keep(file, stamp, &listing.to_bytes());
        }
        Ok(listing)
    }

    pub(super) fn add_listing(
        &mut self,
        root: &Root,
        listing: Listing,
        source: Source,
    ) -> Result<(), Error> {
        if let Some(pattern) = &self.request.options.label_from {
            self.add_named(root, listing, source, pattern);
            return Ok(());
        }
        let mut options = self.request.options.clone();
        if root.split.is_some() {
            options.splits = super::SplitFolders::None;
        }
        let reading = Reading::new(&listing, &options)
            .map_err(|(name, there)| Error::NoSplitFolder { name, there })?;
        let has_images = listing.files.iter().any(|found| may_be_image(&found.path));
        let table = self.table_among(&listing, &source, &reading);
        if let (Some(table), true) = (&table, source.is_archive()) {
            return self.add_packed_table(root, listing, source, table);
        }
        let split = root.split.as_deref();
        let parents: HashSet<&str> = listing.folders.iter().map(RelPath::folder).collect();
        for folder in &listing.folders {
            let is_innermost = !parents.contains(folder.as_str());
            if let Some((inner, class)) = reading.class_folder(folder, is_innermost) {
                let class = self.classes.get(class).to_string();
                let split = split.or(inner).map(str::to_owned);
                self.collection.class_folders.insert((split, class));
            }
        }
        // Images that lie in no folder at all, in a root that is a split, are kept for later.
        let is_unlabelled = split.is_some() && listing.folders.is_empty();
        let mut is_classed = false;
        let base = reading.base() + u8::from(split.is_some());
        let mut place_of = |opening: &mut Self, path: &RelPath| match reading.spot(path) {
            Spot::Class { split: inner, class, is_deeper } => {
                is_classed = true;
                let label = Label::Class(opening.classes.get(class));
                let split = split.or(inner).map(|split| opening.splits.get(split));
                Place { is_deeper, base, ..Place::new(split, label) }
            }
            Spot::Unlabelled { split } => {
                let split = Some(opening.splits.get(split));
                Place { base, ..Place::new(split, Label::Unlabelled) }
            }
            Spot::Outside { split: inner } => {
                let split = split.or(inner).map(|split| opening.splits.get(split));
                let label = if is_unlabelled { Label::Unlabelled } else { Label::Outside };
                Place::new(split, label)
            }
        };
        let pattern_of_flat = {
            let flat = listing.files.iter().map(|found| &found.path);
            let flat = flat.filter(|path| path.folder().is_empty() && may_be_image(path));
            pattern_of_names(flat.map(RelPath::file_name))
        };
        // Files of one folder follow each other, and stand in one place.
        let mut last: Option<(String, Place)> = None;
        self.place_all(root, listing, source, |opening, found| {
            let folder = found.path.folder();
            match &last {
                Some((known, place)) if known == folder => place.clone(),
                _ => {
                    let place = place_of(opening, &found.path);
                    last = Some((folder.to_owned(), place.clone()));
                    place
                }
            }
        });
        if !is_classed && has_images && !is_unlabelled && !reading.has_splits() && table.is_none() {
            let pattern = pattern_of_flat.unwrap_or("{class}_{n}.jpg").to_owned();
            self.remark(Remark::NoClassFolders { pattern });
        }
        let has_splits = reading.has_splits();
        self.set_layout(if self.collection.class_folders.is_empty() {
            "image".to_owned()
        } else if split.is_some() && !has_splits {
            format!("split/{}", reading.describe())
        } else {
            reading.describe()
        });
        reading.remarks.into_iter().for_each(|remark| self.remark(remark));
        table.into_iter().for_each(|table| self.remark(Remark::TableAmongImages(table)));
        Ok(())
    }

    /// Takes over the files of one root, each at the place that `place` gives it.
    pub(super) fn place_all(
        &mut self,
        root: &Root,
        listing: Listing,
        source: Source,
        mut place: impl FnMut(&mut Self, &Found) -> Place,
    ) {
        let number = self.collection.sources.len() as u32;
        self.collection.sources.push(source);
        let inside = |path: RelPath| match &root.split {
            Some(split) => path.inside(split),
            None => path,
        };
        self.collection.entries.reserve(listing.files.len());
        for found in listing.files {
            let place = place(self, &found);
            let stamp = match found.kind {
                EntryKind::File { stamp } => stamp,
                _ => Stamp::default(),
            };
            let at = Locator { source: number, offset: found.offset, stamp };
            let path = inside(found.path);
            self.collection.entries.push(Entry { path, place, kind: found.kind, at });
        }
        self.say_linked(&listing.linked);
        let repeated = listing.repeated.into_iter();
        self.collection.packed_twice.extend(repeated.map(|(path, times)| (inside(path), times)));
        let unlistable = listing.unlistable.into_iter();
        let unlistable = unlistable.map(|(path, reason)| (inside(path), reason));
        self.collection.unlistable.extend(unlistable);
    }

    /// Says which followed links lead to other parts of the same root: what they lead to is there twice.
    fn say_linked(&mut self, linked: &[(RelPath, RelPath)]) {
        const MOST: usize = 3;
        for (link, target) in linked.iter().take(MOST) {
            let (link, target) = (link.clone(), target.clone());
            self.remark(Remark::LinkInside { link, target });
        }
        if linked.len() > MOST {
            self.remark(Remark::MoreLinksInside((linked.len() - MOST) as u64));
        }
    }

    pub(super) fn set_layout(&mut self, layout: String) {
        if self.collection.layout.is_empty() {
            self.collection.layout = layout;
        } else if !self.collection.layout.split(", ").any(|known| known == layout) {
            self.collection.layout.push_str(&format!(", {layout}"));
        }
    }

    pub(super) fn remark(&mut self, remark: Remark) {
        if !self.collection.remarks.contains(&remark) {
            self.collection.remarks.push(remark);
        }
    }

    fn finished(mut self) -> Collection {
        if self.request.roots.len() > 1 {
            self.collection.entries.sort_by(|a, b| a.path.cmp(&b.path));
            self.collection.unlistable.sort();
        }
        self.collection.spellings = self.classes.spellings();
        let in_use = self.splits.in_use();
        let folders = self.collection.class_folders.iter();
        let mut splits: BTreeSet<&str> =
            folders.filter_map(|(split, _)| split.as_deref()).collect();
        splits.extend(in_use.iter().map(|split| &**split));
        let mut splits: Vec<String> = splits.into_iter().map(str::to_owned).collect();
        splits.sort_by_key(|split| split_rank(split));
        self.collection.splits = splits;
        self.collection
    }
}
