//! Arrays of NumPy (format 1.0): frames as uint8 and labels as int64.

use std::fs::File;
use std::io::{self, BufWriter, Write};

use sieve_core::files::RelPath;
use sieve_core::pack::{ChannelSums, ContainerFile};

use super::container::{Container, Target, name_in_split, row};
use super::prepare::Prepared;
use super::{PackedPart, Planned};

/// What values begin at a multiple of, so that they can be mapped into memory.
const ALIGNMENT: usize = 64;

/// The frames and labels of a split.
pub struct Array {
    names: [String; 2],
    images: u64,
    frames: BufWriter<File>,
    labels: BufWriter<File>,
}

impl Array {
    /// Arrays that say how many frames follow.
    pub fn new(target: &Target<'_>) -> io::Result<Self> {
        let frame = target.packing.frame.as_ref().ok_or(io::ErrorKind::InvalidInput)?.frame();
        let (images, height, width) = (target.images, frame.height_px, frame.width_px);
        let shape = match target.packing.channels_first {
            true => format!("({images}, 3, {height}, {width})"),
            false => format!("({images}, {height}, {width}, 3)"),
        };
        let (frames_name, mut frames) = target.create("-images.npy")?;
        let (labels_name, mut labels) = target.create("-labels.npy")?;
        frames.write_all(&head("|u1", &shape))?;
        labels.write_all(&head("<i8", &format!("({images},)")))?;
        Ok(Array { names: [frames_name, labels_name], images: 0, frames, labels })
    }
}

/// The head of an array of these values and this shape.
fn head(kind: &str, shape: &str) -> Vec<u8> {
    const MAGIC: &[u8] = b"\x93NUMPY\x01\x00";
    let mut text = format!("{{'descr': '{kind}', 'fortran_order': False, 'shape': {shape}, }}");
    // Magic and length, the text, and a line break.
    let length = MAGIC.len() + 2 + text.len() + 1;
    text.push_str(&" ".repeat(length.next_multiple_of(ALIGNMENT) - length));
    text.push('\n');
    let length = u16::try_from(text.len()).expect("a shape is short").to_le_bytes();
    [MAGIC, &length, text.as_bytes()].concat()
}

impl Container for Array {
    fn put(
        &mut self,
        ready: Vec<Prepared>,
        images: &[Planned<'_>],
        part: &mut PackedPart,
    ) -> io::Result<Vec<Option<ChannelSums>>> {
        for one in &ready {
            let image = &images[one.image];
            self.frames.write_all(&one.bytes)?;
            self.labels.write_all(&(image.class_index as i64).to_le_bytes())?;
            self.images += 1;
            let path = RelPath::new(name_in_split(image).as_path()).as_str().to_owned();
            part.images.push(row(one, image, path));
        }
        Ok(ready.into_iter().map(|one| one.channels).collect())
    }

    fn finish(mut self: Box<Self>, part: &mut PackedPart) -> io::Result<()> {
        self.frames.flush()?;
        self.labels.flush()?;
        let images = self.images;
        part.files.extend(self.names.map(|file| ContainerFile { file, images }));
        Ok(())
    }
}
