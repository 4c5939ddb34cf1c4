//! Frames in an array of NumPy (uint8), each read as an image in Netpbm's PPM format.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

use super::super::listing::{Found, Listing};
use super::entry_path;
use super::shared::SharedFile;
use crate::files::Stamp;
use crate::io_reason;
use crate::reading::{MemoryPermit, ReadError, ReadLimits};

/// An array of frames.
#[derive(Debug)]
pub(in crate::collection) struct Frames {
    file: SharedFile,
    /// Where values begin.
    start: u64,
    frames: u64,
    rows: u32,
    columns: u32,
    /// Whether all red values of a frame come first, rather than pixel by pixel.
    is_planar: bool,
}

/// Bytes of the head, at most: that of a plain array has a hundred.
const MOST_HEAD: u64 = 4096;

impl Frames {
    /// Opens an array; `Err` says what is wrong with it.
    pub fn open(path: &Path) -> Result<Self, String> {
        let file = File::open(path).and_then(SharedFile::new).map_err(|e| io_reason(&e))?;
        let mut head = Vec::new();
        let read = file.clone().take(MOST_HEAD).read_to_end(&mut head);
        read.map_err(|error| io_reason(&error))?;
        let no_frames = || "it is no array of uint8 frames (images, rows, columns, 3)".to_owned();
        let rest = head.strip_prefix(b"\x93NUMPY\x01\x00").ok_or_else(no_frames)?;
        let (length, text) = rest.split_at_checked(2).ok_or_else(no_frames)?;
        let length = usize::from(u16::from_le_bytes([length[0], length[1]]));
        let text = text.get(..length).and_then(|text| std::str::from_utf8(text).ok());
        let text = text.ok_or_else(no_frames)?;
        let is_bytes = text.contains("'|u1'") && text.contains("'fortran_order': False");
        let shape = text.split_once('(').and_then(|(_, rest)| rest.split_once(')'));
        let sides: Vec<u64> = shape
            .filter(|_| is_bytes)
            .map(|(shape, _)| {
                shape.split(',').filter_map(|side| side.trim().parse().ok()).collect()
            })
            .unwrap_or_default();
        let (frames, rows, columns, is_planar) = match sides[..] {
            [frames, 3, rows, columns] if columns != 3 => (frames, rows, columns, true),
            [frames, rows, columns, 3] => (frames, rows, columns, false),
            _ => return Err(no_frames()),
        };
        let side = |side: u64| u32::try_from(side).ok().filter(|side| (1..=1 << 16).contains(side));
        let (rows, columns) = side(rows).zip(side(columns)).ok_or_else(no_frames)?;
        let start = 10 + length as u64;
        let frame = 3 * u64::from(rows) * u64::from(columns);
        let end = frames.checked_mul(frame).and_then(|bytes| bytes.checked_add(start));
        let size = file.clone().seek(SeekFrom::End(0)).map_err(|error| io_reason(&error))?;
        if end != Some(size) {
            return Err("its size is not that of the frames that it announces".to_owned());
        }
        Ok(Frames { file, start, frames, rows, columns, is_planar })
    }

    /// The frames under the names that a manifest gives them, in its order. `stamp` is that of the array.
    pub fn list(&self, names: &[String], stamp: Stamp) -> Result<Listing, String> {
        if names.len() as u64 != self.frames {
            return Err(format!(
                "it has {} frames, its manifest {} rows",
                self.frames,
                names.len()
            ));
        }
        let size_bytes = self.frame_bytes() + self.ppm_head().len() as u64;
        let mut listing = Listing::default();
        for (number, name) in (0..).zip(names) {
            let (path, kind) = match entry_path(name.as_bytes()) {
                // What the frame was made from was a JPEG, perhaps; what is read now is not.
                Ok(path) => {
                    let named = path.native().with_extension("ppm");
                    (crate::files::RelPath::new(&named), None)
                }
                Err((path, why)) => (path, Some(super::super::EntryKind::Refused(why.into()))),
            };
            let found = Found::file(path, Stamp { size_bytes, ..stamp }, number);
            listing.files.push(Found { kind: kind.unwrap_or(found.kind), ..found });
        }
        Ok(listing.with_implied_folders().sorted())
    }

    /// One frame as an image.
    pub fn read(
        &self,
        number: u64,
        limits: &ReadLimits,
    ) -> Result<(Vec<u8>, MemoryPermit), ReadError> {
        let frame = self.frame_bytes();
        if frame > limits.file_bytes {
            return Err(ReadError::OverLimit(format!("a frame has {frame} bytes")));
        }
        let held = limits.memory.file(frame);
        let mut values = vec![0; frame as usize];
        let mut file = self.file.clone();
        let read = file
            .seek(SeekFrom::Start(self.start + number * frame))
            .and_then(|_| file.read_exact(&mut values));
        read.map_err(|error| ReadError::Unreadable(io_reason(&error)))?;
        let mut image = self.ppm_head();
        if self.is_planar {
            let plane = values.len() / 3;
            image.extend((0..plane).flat_map(|at| [0, 1, 2].map(|c| values[c * plane + at])));
        } else {
            image.extend_from_slice(&values);
        }
        Ok((image, held))
    }

    fn frame_bytes(&self) -> u64 {
        3 * u64::from(self.rows) * u64::from(self.columns)
    }

    fn ppm_head(&self) -> Vec<u8> {
        format!("P6\n{} {}\n255\n", self.columns, self.rows).into_bytes()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::reading;

    fn array(head: &str, values: &[u8]) -> tempfile::NamedTempFile {
        let file = tempfile::NamedTempFile::new().unwrap();
        let length = u16::try_from(head.len()).unwrap().to_le_bytes();
        let bytes = [b"\x93NUMPY\x01\x00".as_slice(), &length, head.as_bytes(), values].concat();
        std::fs::write(file.path(), bytes).unwrap();
        file
    }

    fn head(shape: &str) -> String {
        format!("{{'descr': '|u1', 'fortran_order': False, 'shape': {shape}, }}\n")
    }

    #[test]
    fn frames_are_images_in_either_order_of_channels() {
        // Two frames of 2 x 4 pixels, each value different.
        let pixels: Vec<u8> = (0..48).collect();
        let planes: Vec<u8> = pixels
            .chunks(24)
            .flat_map(|frame| (0..3).flat_map(move |c| frame.iter().skip(c).step_by(3).copied()))
            .collect();
        let names = ["bay/a.jpg", "../out.jpg"].map(str::to_owned);
        for (shape, values) in [("(2, 2, 4, 3)", &pixels), ("(2, 3, 2, 4)", &planes)] {
            let file = array(&head(shape), values);
            let frames = Frames::open(file.path()).unwrap();
            let (bytes, _) = frames.read(1, &ReadLimits::default()).unwrap();
            let image = reading::decode(&bytes, &ReadLimits::default()).unwrap().pixels;
            assert_eq!((image.width_px, image.height_px, &image.data[..]), (4, 2, &pixels[24..]));
            let listing = frames.list(&names, Stamp::default()).unwrap();
            let listed: Vec<(&str, bool)> = listing
                .files
                .iter()
                .map(|found| {
                    let is_file = matches!(found.kind, super::super::super::EntryKind::File { .. });
                    (found.path.as_str(), is_file)
                })
                .collect();
            assert_eq!(listed, [("../out.jpg", false), ("bay/a.ppm", true)]);
            assert!(frames.list(&names[..1], Stamp::default()).unwrap_err().contains("1 rows"));
            assert!(frames.read(2, &ReadLimits::default()).is_err(), "there are two");
        }
    }

    #[test]
    fn heads_that_promise_something_else_are_refused() {
        let huge = "(99999999999999, 99999999, 3, 3)";
        for head in [
            head("(2, 2, 4)"),
            head("(2, 0, 4, 3)"),
            head("(2, 2, 4, 4)"),
            head(huge),
            head("(2, 2, 4, 3)").replace("|u1", "<f4"),
            head("(2, 2, 4, 3)").replace("False", "True"),
            "nothing".to_owned(),
        ] {
            assert!(Frames::open(array(&head, &[0; 48]).path()).is_err(), "{head}");
        }
        for values in [47, 49] {
            let cut = Frames::open(array(&head("(2, 2, 4, 3)"), &vec![0; values]).path());
            assert!(cut.unwrap_err().contains("announces"), "{values}");
        }
    }
}
