//! One file of the collection, as a recipe: painting it is put off until it is written.

use crate::encode::{self, Exif, Jpeg};
use crate::paint::{Picture, Shot};

/// How an image is stored.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Storage {
    /// JPEG of this quality.
    Jpeg(f32),
    /// JPEG of this quality, coarse scans first.
    ProgressiveJpeg(f32),
    /// PNG.
    Png,
    /// Lossless WebP.
    WebP,
}

impl Storage {
    /// The extension of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Storage::Jpeg(_) | Storage::ProgressiveJpeg(_) => "jpg",
            Storage::Png => "png",
            Storage::WebP => "webp",
        }
    }
}

/// One photograph: the shot, what became of its pixels, and how it is stored.
#[derive(Clone, Debug)]
pub struct Photo {
    /// What was photographed.
    pub shot: Shot,
    /// The quality of the JPEG in which it lay when it was edited; none where it is as the camera wrote it.
    pub opened: Option<f32>,
    /// What was done to the pixels.
    pub edit: Edit,
    /// How it is stored.
    pub storage: Storage,
    /// What the camera noted; JPEGs only.
    pub exif: Exif,
}

/// What was done to an image after it was taken.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Edit {
    /// Nothing.
    None,
    /// Scaled to this share of its sides.
    Resize(f32),
    /// Reduced to this share of its sides, from a place that is given as shares of what is left.
    Crop(f32, (f32, f32)),
    /// Left and right exchanged.
    Mirror,
}

/// What a file holds.
#[derive(Clone, Debug)]
pub enum Content {
    /// A photograph.
    Photo(Box<Photo>),
    /// The same with a comment in its JPEG.
    Commented(Box<Photo>, &'static str),
    /// This share of the bytes of a photograph.
    Cut(Box<Photo>, f32),
    /// These bytes.
    Bytes(&'static [u8]),
}

impl Content {
    /// Paints and encodes.
    pub fn bytes(&self) -> Vec<u8> {
        match self {
            Content::Photo(photo) => photo.bytes(),
            Content::Commented(photo, comment) => encode::with_comment(&photo.bytes(), comment),
            Content::Cut(photo, share) => {
                let mut bytes = photo.bytes();
                bytes.truncate((bytes.len() as f32 * share) as usize);
                bytes
            }
            Content::Bytes(bytes) => bytes.to_vec(),
        }
    }
}

impl Photo {
    /// The same photograph, edited by somebody who had its file, and saved again.
    pub fn saved_again(self, edit: Edit, storage: Storage) -> Self {
        let opened = match self.storage {
            Storage::Jpeg(quality) | Storage::ProgressiveJpeg(quality) => Some(quality),
            Storage::Png | Storage::WebP => None,
        };
        Photo { opened, edit, storage, ..self }
    }

    fn bytes(&self) -> Vec<u8> {
        let taken = self.shot.take();
        let opened = match self.opened {
            Some(quality) => encode::opened(&encode::jpeg(&taken, quality, Jpeg::Baseline, None)),
            None => taken,
        };
        let picture = edited(opened, self.edit);
        match self.storage {
            Storage::Jpeg(quality) => {
                encode::jpeg(&picture, quality, Jpeg::Baseline, Some(&self.exif))
            }
            Storage::ProgressiveJpeg(quality) => {
                encode::jpeg(&picture, quality, Jpeg::Progressive, Some(&self.exif))
            }
            Storage::Png => encode::png(&picture),
            Storage::WebP => encode::webp(&picture),
        }
    }
}

fn edited(picture: Picture, edit: Edit) -> Picture {
    let sides = |share: f32| {
        (
            (picture.width as f32 * share).round() as usize,
            (picture.height as f32 * share).round() as usize,
        )
    };
    match edit {
        Edit::None => picture,
        Edit::Mirror => {
            let (width, height) = (picture.width, picture.height);
            gather(width, height, |x, y| pixel(&picture, width - 1 - x, y))
        }
        Edit::Crop(share, place) => {
            let (width, height) = sides(share);
            let left = ((picture.width - width) as f32 * place.0) as usize;
            let top = ((picture.height - height) as f32 * place.1) as usize;
            gather(width, height, |x, y| pixel(&picture, left + x, top + y))
        }
        Edit::Resize(share) => {
            let (width, height) = sides(share);
            gather(width, height, |x, y| {
                // The mean of the pixels that a new one covers.
                let columns = x * picture.width / width..((x + 1) * picture.width).div_ceil(width);
                let rows = y * picture.height / height..((y + 1) * picture.height).div_ceil(height);
                let count = (columns.len() * rows.len()) as u32;
                let mut sums = [0u32; 3];
                for row in rows {
                    for column in columns.clone() {
                        let values = pixel(&picture, column, row);
                        (0..3).for_each(|c| sums[c] += u32::from(values[c]));
                    }
                }
                sums.map(|sum| ((sum + count / 2) / count) as u8)
            })
        }
    }
}

fn gather(width: usize, height: usize, value: impl Fn(usize, usize) -> [u8; 3]) -> Picture {
    let data = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    Picture { width, height, data: data.flat_map(|(x, y)| value(x, y)).collect() }
}

fn pixel(picture: &Picture, x: usize, y: usize) -> [u8; 3] {
    let at = (y * picture.width + x) * 3;
    [picture.data[at], picture.data[at + 1], picture.data[at + 2]]
}
