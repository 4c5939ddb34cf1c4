//! Tar archives: one for each split, or shards of about one size.

use std::fs::File;
use std::io::{self, BufWriter, Write};

use sieve_core::files::RelPath;
use sieve_core::pack::{ChannelSums, ContainerFile, starts_new_shard};
use tar::{Builder, Header};

use super::container::{Container, Target, name_in_split, row};
use super::prepare::Prepared;
use super::{PackedPart, Planned, ShardEntry};

/// Seconds since 1970 at the beginning of 1980, which is the time of all entries: the first that ZIP knows too.
const TIME_S: u64 = 315_532_800;
/// Bytes of a block: heads take one, contents are filled up to whole ones.
const BLOCK: u64 = 512;

/// One tar archive after another.
pub struct Tape<'a> {
    target: &'a Target<'a>,
    /// Bytes of a shard, at most; none for one archive that holds all.
    most_bytes: Option<u64>,
    open: Option<Open>,
    shards: usize,
}

/// An archive that is being written.
struct Open {
    name: String,
    images: u64,
    archive: Builder<Counting>,
}

/// Counts what is written.
struct Counting {
    file: BufWriter<File>,
    bytes: u64,
}

impl Write for Counting {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write(bytes)?;
        self.bytes += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

impl<'a> Tape<'a> {
    /// One archive for the whole split.
    pub fn whole(target: &'a Target<'a>) -> io::Result<Self> {
        let mut tape = Tape { target, most_bytes: None, open: None, shards: 0 };
        tape.open = Some(tape.create(".tar")?);
        Ok(tape)
    }

    /// Shards, each begun when there is something for it.
    pub fn in_shards(target: &'a Target<'a>) -> Self {
        let most_bytes = Some(target.packing.shard_bytes);
        Tape { target, most_bytes, open: None, shards: 0 }
    }

    fn create(&self, ending: &str) -> io::Result<Open> {
        let (name, file) = self.target.create(ending)?;
        Ok(Open { name, images: 0, archive: Builder::new(Counting { file, bytes: 0 }) })
    }

    /// The archive that has room for an entry.
    fn with_room(&mut self, entry_bytes: u64, part: &mut PackedPart) -> io::Result<&mut Open> {
        let written = self.open.as_ref().map_or(0, |open| open.archive.get_ref().bytes);
        let is_full =
            self.most_bytes.is_some_and(|most| starts_new_shard(written, entry_bytes, most));
        if is_full && let Some(open) = self.open.take() {
            open.close(part)?;
        }
        if self.open.is_none() {
            self.open = Some(self.create(&format!("-{:05}.tar", self.shards))?);
            self.shards += 1;
        }
        self.open.as_mut().ok_or_else(|| io::ErrorKind::NotFound.into())
    }
}

impl Open {
    fn close(self, part: &mut PackedPart) -> io::Result<()> {
        self.archive.into_inner()?.flush()?;
        part.files.push(ContainerFile { file: self.name, images: self.images });
        Ok(())
    }
}

impl Container for Tape<'_> {
    fn put(
        &mut self,
        ready: Vec<Prepared>,
        images: &[Planned<'_>],
        part: &mut PackedPart,
    ) -> io::Result<Vec<Option<ChannelSums>>> {
        for one in &ready {
            let image = &images[one.image];
            let size = one.bytes.len() as u64;
            let filled = size.next_multiple_of(BLOCK);
            let is_shard = self.most_bytes.is_some();
            let open = self.with_room(BLOCK + filled, part)?;
            let mut header = Header::new_gnu();
            header.set_size(size);
            header.set_mode(0o644);
            header.set_mtime(TIME_S);
            let name = name_in_split(image);
            open.archive.append_data(&mut header, name.as_path(), one.bytes.as_slice())?;
            open.images += 1;
            let offset = open.archive.get_ref().bytes - filled;
            if is_shard {
                let (shard, image) = (open.name.clone(), part.images.len());
                part.entries.push(ShardEntry { shard, offset, image });
            }
            let path = RelPath::new(name.as_path()).as_str().to_owned();
            part.images.push(row(one, image, path));
        }
        Ok(ready.into_iter().map(|one| one.channels).collect())
    }

    fn finish(self: Box<Self>, part: &mut PackedPart) -> io::Result<()> {
        self.open.map_or(Ok(()), |open| open.close(part))
    }
}
