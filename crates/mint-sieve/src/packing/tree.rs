//! Files in folders of splits and classes. Links to them are made for all at once, elsewhere.

use std::collections::HashSet;
use std::io::{self, Write};

use rayon::prelude::*;
use sieve_core::files::{InsidePath, RelPath};
use sieve_core::pack::ChannelSums;

use super::container::{Container, Target, row};
use super::prepare::Prepared;
use super::{PackedPart, Planned};

/// Files in folders.
pub struct Tree<'a> {
    target: &'a Target<'a>,
    made: HashSet<InsidePath>,
}

impl<'a> Tree<'a> {
    /// A tree without files.
    pub fn new(target: &'a Target<'a>) -> Self {
        Tree { target, made: HashSet::new() }
    }

    /// Writes files, each into its folder.
    fn write(&mut self, ready: &[Prepared], images: &[Planned<'_>]) -> io::Result<()> {
        for one in ready {
            if let Some(folder) = images[one.image].place.parent()
                && !self.made.contains(&folder)
            {
                self.target.root.create_folders(&folder)?;
                self.made.insert(folder);
            }
        }
        let root = self.target.root;
        ready
            .par_iter()
            .try_for_each(|one| root.create(&images[one.image].place)?.write_all(&one.bytes))
    }
}

impl Container for Tree<'_> {
    fn put(
        &mut self,
        ready: Vec<Prepared>,
        images: &[Planned<'_>],
        part: &mut PackedPart,
    ) -> io::Result<Vec<Option<ChannelSums>>> {
        if !self.target.packing.links() {
            self.write(&ready, images)?;
        }
        for one in &ready {
            let image = &images[one.image];
            let path = RelPath::new(image.place.as_path()).as_str().to_owned();
            part.images.push(row(one, image, path));
            part.checksums.push((image.place.clone(), one.sha256));
        }
        Ok(ready.into_iter().map(|one| one.channels).collect())
    }

    fn finish(self: Box<Self>, _part: &mut PackedPart) -> io::Result<()> {
        Ok(())
    }
}
