//! A painted sheet as a PNG file.

use sieve_core::reading::Pixels;

/// The bytes of a PNG file that shows `pixels`.
pub fn png(pixels: &Pixels) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, pixels.width_px, pixels.height_px);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().expect("memory takes what is written");
    writer.write_image_data(&pixels.data).expect("as many rows as were announced");
    writer.finish().expect("memory takes what is written");
    file
}
