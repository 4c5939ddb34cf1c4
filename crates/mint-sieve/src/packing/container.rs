//! What images are written into.

use std::fs::File;
use std::io::{self, BufWriter};

use sieve_core::files::{InsidePath, Root};
use sieve_core::pack::{ChannelSums, PackedImage};

use super::prepare::Prepared;
use super::{PackedPart, Packing, Planned};

/// Takes images in the order in which they are packed.
pub trait Container: Send {
    /// Writes some images, adds their rows to `part`, and hands back what their channels hold.
    fn put(
        &mut self,
        ready: Vec<Prepared>,
        images: &[Planned<'_>],
        part: &mut PackedPart,
    ) -> io::Result<Vec<Option<ChannelSums>>>;

    /// Writes what belongs behind all images.
    fn finish(self: Box<Self>, part: &mut PackedPart) -> io::Result<()>;
}

/// Where a split is written.
#[derive(Clone, Copy)]
pub struct Target<'a> {
    /// The pack.
    pub root: &'a Root,
    /// The name of the split.
    pub split: &'a str,
    /// Its images.
    pub images: usize,
    /// How it is packed.
    pub packing: &'a Packing<'a>,
}

/// What is collected before it is written.
const BUFFER_BYTES: usize = 1 << 20;

impl Target<'_> {
    /// A new file of the split: its name, and what writes it.
    pub fn create(&self, ending: &str) -> io::Result<(String, BufWriter<File>)> {
        let name = format!("{}{ending}", self.split);
        let place = InsidePath::of_name(&name).map_err(|_| io::ErrorKind::InvalidFilename)?;
        let file = self.root.create(&place)?;
        Ok((name, BufWriter::with_capacity(BUFFER_BYTES, file)))
    }
}

/// The row of an image in the manifest, under `path`.
pub fn row(ready: &Prepared, image: &Planned<'_>, path: String) -> PackedImage {
    PackedImage {
        path,
        class: image.class.to_owned(),
        class_index: image.class_index,
        width_px: ready.size_px.0,
        height_px: ready.size_px.1,
        size_bytes: ready.bytes.len() as u64,
        sha256: ready.sha256,
        group: image.group.clone(),
    }
}

/// The name of an image in the archive of its split: its place without the split.
pub fn name_in_split(image: &Planned<'_>) -> InsidePath {
    let names = image.place.names().skip(1);
    InsidePath::of_names(names).unwrap_or_else(|_| image.place.clone())
}
