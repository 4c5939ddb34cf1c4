//! PACKING: the images of a split, written as a training run reads them: as files, archives or arrays.
//!
//! Images are read and resized on all threads, some megabytes at a time, and written in one order while the next ones are
//! read. The bytes that come out depend on the images and the settings alone.

mod array;
#[cfg(feature = "arrow")]
mod arrow;
mod container;
mod frame;
mod manifest_format;
#[cfg(feature = "parquet")]
mod parquet;
mod prepare;
#[cfg(any(feature = "parquet", feature = "arrow"))]
mod rows;
mod tape;
mod tree;
mod zip;

pub use frame::{Encoding, FrameRequest};
pub use manifest_format::ManifestFormat;
#[cfg(feature = "parquet")]
pub use parquet::manifest;

use std::io;

use rayon::join;
use sieve_core::collection::Collection;
use sieve_core::files::{InsidePath, Root};
use sieve_core::io_reason;
use sieve_core::measuring::Measured;
use sieve_core::pack::{ChannelSums, ContainerFile, Form, PackedImage, Sha256Sum, shuffled};
use sieve_core::progress::{NoProgress, Progress};
use sieve_core::reading::{Pixels, ReadLimits};
use sieve_core::record::Record;
use sieve_core::repair::Edit;

use crate::failure::Failure;
use crate::writing::{Link, Placed, Tree};
use container::{Container, Target};
use prepare::Prepared;

/// An image that is to be packed.
#[derive(Clone, Debug)]
pub struct Planned<'a> {
    /// Its record.
    pub record: &'a Record,
    /// What was measured of it.
    pub measured: &'a Measured,
    /// Its class.
    pub class: &'a str,
    /// The number of its class.
    pub class_index: usize,
    /// Where it stands in a tree: split, class, name.
    pub place: InsidePath,
    /// The group that it belongs to.
    pub group: String,
}

/// How images are packed.
pub struct Packing<'a> {
    /// The collection that they come from.
    pub collection: &'a Collection,
    /// What one file may cost.
    pub limits: ReadLimits,
    /// How they are packed.
    pub form: Form,
    /// How files come into a tree.
    pub link: Link,
    /// What they are resized to; none for the original bytes.
    pub frame: Option<FrameRequest>,
    /// Whether the channels are red plane, green plane, blue plane in arrays, rather than by pixel.
    pub channels_first: bool,
    /// Bytes of a shard, at most.
    pub shard_bytes: u64,
    /// The seed of the order in shards.
    pub seed: u64,
    /// The bytes of a PNG of some pixels.
    pub png: fn(&Pixels) -> Vec<u8>,
}

/// The packed images of one split.
#[derive(Debug, Default)]
pub struct PackedPart {
    /// The rows of its manifest, in the order in which they are packed.
    pub images: Vec<PackedImage>,
    /// The files that hold them, in order; none for a tree.
    pub files: Vec<ContainerFile>,
    /// Where images stand in shards; none for other forms.
    pub entries: Vec<ShardEntry>,
    /// The files of a tree with their checksums.
    pub checksums: Vec<(InsidePath, Sha256Sum)>,
    /// What the channels add up to, where that was requested.
    pub channels: Option<ChannelSums>,
}

/// Where an image stands in a shard.
#[derive(Clone, Debug)]
pub struct ShardEntry {
    /// The file.
    pub shard: String,
    /// Where its bytes begin.
    pub offset: u64,
    /// The image: its place in [`PackedPart::images`].
    pub image: usize,
}

/// Bytes of files that are read together.
const WINDOW_BYTES: u64 = 24 << 20;
/// Files that are read together.
const WINDOW_FILES: usize = 512;

impl Packing<'_> {
    /// Packs the images of one split into `to`. `with_channels` adds up what its channels hold.
    pub fn pack(
        &self,
        split: &str,
        images: &[Planned<'_>],
        with_channels: bool,
        to: &Root,
        progress: &dyn Progress,
    ) -> Result<PackedPart, Failure> {
        let order: Vec<usize> = match self.form {
            Form::Shards => {
                let digests: Vec<_> = images.iter().map(|image| image.measured.digest).collect();
                shuffled(&digests, self.seed)
            }
            _ => (0..images.len()).collect(),
        };
        let target = Target { root: to, split, images: images.len(), packing: self };
        let mut container = self.container(&target).map_err(|error| unwritten(split, &error))?;
        let mut part = PackedPart::default();
        let mut channels = with_channels.then(ChannelSums::default);
        let mut windows = self.windows(images, &order).into_iter();
        let prepare =
            |window: &[usize]| prepare::prepare(self, images, window, with_channels, progress);
        let mut current: Option<Vec<Prepared>> = windows.next().map(prepare).transpose()?;
        while let Some(ready) = current {
            let next = windows.next();
            let put = || container.put(ready, images, &mut part);
            let (written, following) = join(put, || next.map(prepare).transpose());
            let sums = written.map_err(|error| unwritten(split, &error))?;
            if let Some(channels) = &mut channels {
                sums.iter().flatten().for_each(|sums| channels.add(sums));
            }
            current = following?;
        }
        container.finish(&mut part).map_err(|error| unwritten(split, &error))?;
        if self.links() {
            self.link_tree(images, to)?;
        }
        part.channels = channels;
        Ok(part)
    }

    /// Whether the files of a tree are links: what is resized is nowhere else.
    fn links(&self) -> bool {
        self.form == Form::Tree && self.link != Link::Copy && self.frame.is_none()
    }

    /// Links the files of a tree.
    fn link_tree(&self, images: &[Planned<'_>], to: &Root) -> Result<(), Failure> {
        let placed: Vec<Placed<'_>> = images
            .iter()
            .map(|image| Placed {
                record: image.record,
                digest: Some(image.measured.digest),
                place: image.place.clone(),
                edit: Edit::AsIs,
            })
            .collect();
        let (collection, limits) = (self.collection, self.limits.clone());
        let tree = Tree { collection, limits, link: self.link, png: self.png };
        let skipped = tree.write(&placed, &[], to, &NoProgress)?;
        match skipped.first() {
            None => Ok(()),
            Some((at, why)) => {
                let place = placed[*at].place.as_path().display();
                Err(Failure::output(format!("the file system cannot store {place}: {why}"))
                    .hint("Nothing was written. Choose another folder, or shorten the names."))
            }
        }
    }

    fn container<'t>(&'t self, target: &'t Target<'t>) -> io::Result<Box<dyn Container + 't>> {
        Ok(match self.form {
            Form::Tree => Box::new(tree::Tree::new(target)),
            Form::Zip => Box::new(zip::Zip::new(target)?),
            Form::Tar => Box::new(tape::Tape::whole(target)?),
            Form::Shards => Box::new(tape::Tape::in_shards(target)),
            Form::Npy => Box::new(array::Array::new(target)?),
            #[cfg(feature = "parquet")]
            Form::Parquet => {
                let (name, file) = target.create(".parquet")?;
                Box::new(rows::Rows::new(name, Box::new(parquet::ParquetFile::new(file)?)))
            }
            #[cfg(feature = "arrow")]
            Form::Arrow => {
                let (name, file) = target.create(".arrow")?;
                Box::new(rows::Rows::new(name, Box::new(arrow::ArrowFile::new(file)?)))
            }
            // Refused before anything is packed.
            #[cfg(not(all(feature = "parquet", feature = "arrow")))]
            _ => return Err(io::ErrorKind::Unsupported.into()),
        })
    }

    /// The images in their order, cut where enough are read together.
    fn windows<'o>(&self, images: &[Planned<'_>], order: &'o [usize]) -> Vec<&'o [usize]> {
        let frame_bytes = self.frame.as_ref().map_or(0, FrameRequest::bytes);
        let (mut windows, mut start, mut bytes) = (Vec::new(), 0, 0u64);
        for (at, &image) in order.iter().enumerate() {
            let own = images[image].record.size_bytes.max(frame_bytes);
            if at > start && (bytes + own > WINDOW_BYTES || at - start == WINDOW_FILES) {
                windows.push(&order[start..at]);
                (start, bytes) = (at, 0);
            }
            bytes += own;
        }
        windows.extend((start < order.len()).then(|| &order[start..]));
        windows
    }
}

/// The rows of a manifest as Parquet: refused before anything is packed.
#[cfg(not(feature = "parquet"))]
pub fn manifest(_images: &[PackedImage]) -> io::Result<Vec<u8>> {
    Err(io::ErrorKind::Unsupported.into())
}

/// A split that could not be written.
fn unwritten(split: &str, error: &io::Error) -> Failure {
    Failure::output(format!("cannot write {split}: {}; nothing was written", io_reason(error)))
}
