//! A ZIP archive for each split. Images are compressed already and are stored as they are.

use std::fs::File;
use std::io::{self, BufWriter, Write};

use ::zip::write::SimpleFileOptions;
use ::zip::{CompressionMethod, DateTime, ZipWriter};
use sieve_core::files::RelPath;
use sieve_core::pack::{ChannelSums, ContainerFile};

use super::container::{Container, Target, name_in_split, row};
use super::prepare::Prepared;
use super::{PackedPart, Planned};

/// A ZIP archive.
pub struct Zip {
    name: String,
    images: u64,
    /// None once writing failed.
    archive: Option<ZipWriter<BufWriter<File>>>,
}

impl Zip {
    /// An archive without entries.
    pub fn new(target: &Target<'_>) -> io::Result<Self> {
        let (name, file) = target.create(".zip")?;
        Ok(Zip { name, images: 0, archive: Some(ZipWriter::new(file)) })
    }
}

impl Zip {
    /// Adds an entry.
    fn add(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        let archive = self.archive.as_mut().ok_or(io::ErrorKind::BrokenPipe)?;
        // One time and mode for all: the same images are the same bytes.
        let options = SimpleFileOptions::default()
            .compression_method(CompressionMethod::Stored)
            .last_modified_time(DateTime::default())
            .unix_permissions(0o644)
            .large_file(bytes.len() as u64 >= u64::from(u32::MAX));
        let added = archive.start_file(path, options).map_err(io::Error::from);
        let added = added.and_then(|()| archive.write_all(bytes));
        if added.is_err() {
            self.give_up();
        }
        added
    }

    /// A writer that is dropped tries to end the archive, and prints when it cannot.
    fn give_up(&mut self) {
        std::mem::forget(self.archive.take());
    }
}

impl Drop for Zip {
    fn drop(&mut self) {
        self.give_up();
    }
}

impl Container for Zip {
    fn put(
        &mut self,
        ready: Vec<Prepared>,
        images: &[Planned<'_>],
        part: &mut PackedPart,
    ) -> io::Result<Vec<Option<ChannelSums>>> {
        for one in &ready {
            let image = &images[one.image];
            // Names in a ZIP archive are text: bytes that are none stand as escapes.
            let path = RelPath::new(name_in_split(image).as_path()).as_str().to_owned();
            self.add(&path, &one.bytes)?;
            self.images += 1;
            part.images.push(row(one, image, path));
        }
        Ok(ready.into_iter().map(|one| one.channels).collect())
    }

    fn finish(mut self: Box<Self>, part: &mut PackedPart) -> io::Result<()> {
        let archive = self.archive.take().ok_or(io::ErrorKind::BrokenPipe)?;
        archive.finish()?.flush()?;
        part.files
            .push(ContainerFile { file: std::mem::take(&mut self.name), images: self.images });
        Ok(())
    }
}
