//! Packs, read back: each split from its folder, archives or arrays.

use std::path::Path;

use super::archive::Frames;
use super::open::Opening;
use super::pack_file::{Form, PACK_FILE, PackFile};
use super::source::Source;
use super::walk::walk;
use super::{Root, names};
use crate::bounded_read::{MOST_SETTINGS_BYTES, MOST_TABLE_BYTES, read_text};
use crate::csv_escape::unguarded;
use crate::files::Stamp;
use crate::{Error, io_reason};

impl Opening<'_> {
    /// What the folder `path` says about itself; none where it is no pack.
    pub(super) fn pack_in(&self, path: &Path) -> Option<PackFile> {
        let file = path.join(PACK_FILE);
        if !is_file(&file) {
            return None;
        }
        let text = read_text(&file, MOST_SETTINGS_BYTES).ok()?;
        PackFile::parse(&text).ok()
    }

    /// Adds the images of a pack. The documents beside them are not looked at.
    pub(super) fn add_pack(&mut self, root: &Root, pack: &PackFile) -> Result<(), Error> {
        if pack.form == Form::Tree {
            let mut listing = walk(&root.path, self.request.follow_links, self.progress)?;
            listing.files.retain(|found| !found.path.folder().is_empty());
            let source = self.folder_source(root, &root.path)?;
            return self.add_listing(root, listing, Source::Folder(source));
        }
        for split in &pack.splits {
            let name = names::split_of_name(&split.split).unwrap_or(&split.split);
            for container in &split.files {
                let path = root.path.join(&container.file);
                // A link could lead anywhere.
                if !is_file(&path) {
                    let reason = "it is not a file".to_owned();
                    return Err(Error::RootUnreadable { path, reason });
                }
                let place = Root { split: Some(name.to_owned()), path };
                match pack.form {
                    Form::Npy if container.file.ends_with("-images.npy") => {
                        let manifest = root.path.join(&split.manifest);
                        self.add_frames(&place, &manifest)?;
                    }
                    // Labels: the class of a frame is in its name.
                    Form::Npy => {}
                    _ => self.add_file(&place)?,
                }
            }
        }
        Ok(())
    }

    /// Adds the frames of an array, under the names of its manifest.
    fn add_frames(&mut self, root: &Root, manifest: &Path) -> Result<(), Error> {
        let broken = |reason: String| Error::RootUnreadable { path: root.path.clone(), reason };
        if !is_file(manifest) {
            return Err(broken("its manifest is not a file".to_owned()));
        }
        let frames = Frames::open(&root.path).map_err(broken)?;
        let facts = root.path.metadata().map_err(|error| broken(io_reason(&error)))?;
        let names = names_of(manifest).map_err(broken)?;
        let listing = frames.list(&names, Stamp::from_metadata(&facts)).map_err(broken)?;
        self.add_listing(root, listing, Source::Frames(frames))
    }
}

/// Whether this is a file, and no link to one.
fn is_file(path: &Path) -> bool {
    path.symlink_metadata().is_ok_and(|facts| facts.is_file())
}

/// The column `path` of a manifest, in either of its forms.
fn names_of(manifest: &Path) -> Result<Vec<String>, String> {
    let text = read_text(manifest, MOST_TABLE_BYTES)?;
    if manifest.extension().is_some_and(|extension| extension == "jsonl") {
        let name = |line: &str| {
            let row: serde_json::Value = serde_json::from_str(line).ok()?;
            row["path"].as_str().map(str::to_owned)
        };
        let names: Option<Vec<String>> =
            text.lines().filter(|line| !line.is_empty()).map(name).collect();
        return names.ok_or_else(|| "its manifest has a line without a path".to_owned());
    }
    let mut table = csv::Reader::from_reader(text.as_bytes());
    let head = table.headers().map_err(|error| error.to_string())?.clone();
    let column = head.iter().position(|name| name == "path");
    let column = column.ok_or_else(|| "its manifest has no column path".to_owned())?;
    table
        .records()
        .map(|row| {
            let row = row.map_err(|error| error.to_string())?;
            Ok(unguarded(row.get(column).unwrap_or_default()).to_owned())
        })
        .collect()
}
