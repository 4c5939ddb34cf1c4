//! Images inside of a page.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use sieve_core::reading::Pixels;

/// The quality of JPEGs: below it blocks show on smooth ground.
const QUALITY: f32 = 78.0;

/// Bytes as they stand in an address of an image.
pub fn base64(bytes: &[u8]) -> String {
    STANDARD.encode(bytes)
}

/// Pixels as a JPEG.
pub fn jpeg(pixels: &Pixels) -> Vec<u8> {
    let mut jpeg = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
    jpeg.set_size(pixels.width_px as usize, pixels.height_px as usize);
    jpeg.set_quality(QUALITY);
    let mut started = jpeg.start_compress(Vec::new()).expect("memory takes what is written");
    started.write_scanlines(&pixels.data).expect("as many rows as were announced");
    started.finish().expect("memory takes what is written")
}
