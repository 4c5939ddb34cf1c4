//! Turning painted images into files.

use exif::experimental::Writer;
use exif::{Field, In, Tag, Value};

use crate::paint::Picture;

/// What a camera writes beside the image.
#[derive(Clone, Debug)]
pub struct Exif {
    /// Capture time, `YYYY:MM:DD HH:MM:SS`.
    pub taken: String,
    /// The camera's name.
    pub camera: &'static str,
    /// Orientation, 1 to 8.
    pub orientation: u16,
}

/// How a JPEG is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Jpeg {
    /// One scan after the other rows.
    #[default]
    Baseline,
    /// Coarse first.
    Progressive,
    /// One channel only.
    Grey,
}

/// A JPEG of `quality` 1 to 100.
pub fn jpeg(picture: &Picture, quality: f32, kind: Jpeg, exif: Option<&Exif>) -> Vec<u8> {
    let mut jpeg = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
    jpeg.set_fastest_defaults();
    jpeg.set_size(picture.width, picture.height);
    jpeg.set_quality(quality);
    match kind {
        Jpeg::Baseline => {}
        Jpeg::Progressive => jpeg.set_progressive_mode(),
        Jpeg::Grey => jpeg.set_color_space(mozjpeg::ColorSpace::JCS_GRAYSCALE),
    }
    let mut started = jpeg.start_compress(Vec::new()).expect("memory takes what is written");
    if let Some(exif) = exif {
        let block = [b"Exif\0\0".to_vec(), exif.block()].concat();
        started.write_marker(mozjpeg::Marker::APP(1), &block);
    }
    started.write_scanlines(&picture.data).expect("as many rows as were announced");
    started.finish().expect("memory takes what is written")
}

/// The pixels of a JPEG of ours.
pub fn opened(jpeg: &[u8]) -> Picture {
    let file = mozjpeg::Decompress::new_mem(jpeg).expect("a JPEG that was just written");
    let mut rows = file.rgb().expect("it has colours");
    let (width, height) = (rows.width(), rows.height());
    let data = rows.read_scanlines::<u8>().expect("it has all its rows");
    Picture { width, height, data }
}

/// A PNG of eight bits a channel.
pub fn png(picture: &Picture) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, picture.width as u32, picture.height as u32);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().expect("memory takes what is written");
    writer.write_image_data(&picture.data).expect("as many rows as were announced");
    writer.finish().expect("memory takes what is written");
    file
}

/// A lossless WebP.
pub fn webp(picture: &Picture) -> Vec<u8> {
    let mut file = Vec::new();
    let encoder = image_webp::WebPEncoder::new(&mut file);
    let (width, height) = (picture.width as u32, picture.height as u32);
    encoder
        .encode(&picture.data, width, height, image_webp::ColorType::Rgb8)
        .expect("memory takes what is written");
    file
}

/// The same JPEG with a comment after its first mark: other bytes, the same image.
pub fn with_comment(jpeg: &[u8], comment: &str) -> Vec<u8> {
    let length = (comment.len() as u16 + 2).to_be_bytes();
    [&jpeg[..2], b"\xff\xfe", &length, comment.as_bytes(), &jpeg[2..]].concat()
}

impl Exif {
    fn block(&self) -> Vec<u8> {
        let text = |tag, text: &str| Field {
            tag,
            ifd_num: In::PRIMARY,
            value: Value::Ascii(vec![text.as_bytes().to_vec()]),
        };
        let fields = [
            text(Tag::Make, "Drying shed"),
            text(Tag::Model, self.camera),
            text(Tag::DateTimeOriginal, &self.taken),
            Field {
                tag: Tag::Orientation,
                ifd_num: In::PRIMARY,
                value: Value::Short(vec![self.orientation]),
            },
        ];
        let mut writer = Writer::new();
        for field in &fields {
            writer.push_field(field);
        }
        let mut block = std::io::Cursor::new(Vec::new());
        writer.write(&mut block, false).expect("memory takes what is written");
        block.into_inner()
    }
}
