//! A file of rows for each split: the columns of a manifest, and the bytes of images beside them.

use std::io;

use sieve_core::files::RelPath;
use sieve_core::pack::{ChannelSums, ContainerFile, PackedImage};

use super::container::{Container, name_in_split, row};
use super::prepare::Prepared;
use super::{PackedPart, Planned};

/// Bytes of images that are written together: what a reader holds in memory, and reads in parallel.
const GROUP_BYTES: usize = 64 << 20;

/// A format of such files.
pub trait RowFile: Send {
    /// Writes some rows and their images together.
    fn write(&mut self, rows: &[PackedImage], images: Vec<Vec<u8>>) -> io::Result<()>;

    /// Writes what belongs behind all rows.
    fn finish(self: Box<Self>) -> io::Result<()>;
}

/// A file of rows.
pub struct Rows {
    name: String,
    images: u64,
    file: Box<dyn RowFile>,
    /// What waits for more to be written with it.
    waiting: Vec<(PackedImage, Vec<u8>)>,
    bytes: usize,
}

impl Rows {
    /// A file of this name without rows.
    pub fn new(name: String, file: Box<dyn RowFile>) -> Self {
        Rows { name, images: 0, file, waiting: Vec::new(), bytes: 0 }
    }

    fn write_group(&mut self) -> io::Result<()> {
        self.bytes = 0;
        if self.waiting.is_empty() {
            return Ok(());
        }
        let (rows, images): (Vec<PackedImage>, Vec<Vec<u8>>) =
            std::mem::take(&mut self.waiting).into_iter().unzip();
        self.file.write(&rows, images)
    }
}

impl Container for Rows {
    fn put(
        &mut self,
        ready: Vec<Prepared>,
        images: &[Planned<'_>],
        part: &mut PackedPart,
    ) -> io::Result<Vec<Option<ChannelSums>>> {
        let mut channels = Vec::with_capacity(ready.len());
        for one in ready {
            let image = &images[one.image];
            let path = RelPath::new(name_in_split(image).as_path()).as_str().to_owned();
            let row = row(&one, image, path);
            part.images.push(row.clone());
            channels.push(one.channels);
            self.images += 1;
            self.bytes += one.bytes.len();
            self.waiting.push((row, one.bytes));
            if self.bytes >= GROUP_BYTES {
                self.write_group()?;
            }
        }
        Ok(channels)
    }

    fn finish(mut self: Box<Self>, part: &mut PackedPart) -> io::Result<()> {
        self.write_group()?;
        self.file.finish()?;
        part.files.push(ContainerFile { file: self.name, images: self.images });
        Ok(())
    }
}
