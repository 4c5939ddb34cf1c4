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
    archive: ZipWriter<BufWriter<File>>,
}

impl Zip {
    /// An archive without entries.
    pub fn new(target: &Target<'_>) -> io::Result<Self> {
        let (name, file) = target.create(".zip")?;
        Ok(Zip { name, images: 0, archive: ZipWriter::new(file) })
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
            // One time and mode for all: the same images are the same bytes.
            let options = SimpleFileOptions::default()
                .compression_method(CompressionMethod::Stored)
                .last_modified_time(DateTime::default())
                .unix_permissions(0o644)
                .large_file(one.bytes.len() as u64 >= u64::from(u32::MAX));
            self.archive.start_file(path.as_str(), options)?;
            self.archive.write_all(&one.bytes)?;
            self.images += 1;
            part.images.push(row(one, image, path));
        }
        Ok(ready.into_iter().map(|one| one.channels).collect())
    }

    fn finish(self: Box<Self>, part: &mut PackedPart) -> io::Result<()> {
        self.archive.finish()?.flush()?;
        part.files.push(ContainerFile { file: self.name, images: self.images });
        Ok(())
    }
}
