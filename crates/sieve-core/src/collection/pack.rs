//! Packs, read back: each split from its folder, archives or arrays.

use std::path::Path;

use super::archive::Frames;
use super::open::Opening;
use super::pack_file::{Form, PACK_FILE, PackFile};
use super::pack_manifest::read_manifest;
use super::source::Source;
use super::walk::walk;
use super::{Root, names};
use crate::bounded_read::{MOST_SETTINGS_BYTES, is_file, read_text};
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
        let frames = Frames::open(&root.path).map_err(broken)?;
        let facts = root.path.metadata().map_err(|error| broken(io_reason(&error)))?;
        let rows = read_manifest(manifest).map_err(broken)?;
        let names: Vec<String> = rows.into_iter().map(|row| row.path).collect();
        let listing = frames.list(&names, Stamp::from_metadata(&facts)).map_err(broken)?;
        self.add_listing(root, listing, Source::Frames(frames))
    }
}
