//! EXIF orientation: how a stored picture must be turned to be seen upright.

use super::Pixels;

/// The orientation, 1 to 8, in a raw EXIF block (TIFF structure); 1 where there is none.
pub(super) fn of_exif(block: &[u8]) -> u8 {
    let mut reader = exif::Reader::new();
    // Cameras write blocks with broken maker notes; the orientation before them is still good.
    reader.continue_on_error(true);
    let exif = match reader.read_raw(block.to_vec()) {
        Ok(exif) => exif,
        Err(error) => match error.distill_partial_result(|_| {}) {
            Ok(exif) => exif,
            Err(_) => return 1,
        },
    };
    let field = exif.get_field(exif::Tag::Orientation, exif::In::PRIMARY);
    match field.and_then(|field| field.value.get_uint(0)) {
        Some(turn @ 1..=8) => turn as u8,
        _ => 1,
    }
}

/// True when an upright picture's width is the stored one's height.
pub(super) fn swaps_sides(orientation: u8) -> bool {
    orientation >= 5
}

/// Turns a stored picture upright. The meaning of 1 to 8 is that of the EXIF standard (CIPA
/// DC-008, tag 0x0112): which side of the scene the stored rows and columns begin at.
pub(super) fn upright(stored: Pixels, orientation: u8) -> Pixels {
    if orientation <= 1 || stored.data.is_empty() {
        return stored;
    }
    let (stored_width, stored_height) = (stored.width_px, stored.height_px);
    let (width, height) = if swaps_sides(orientation) {
        (stored_height, stored_width)
    } else {
        (stored_width, stored_height)
    };
    let (right, bottom) = (stored_width - 1, stored_height - 1);
    let mut data = Vec::with_capacity(stored.data.len());
    for y in 0..height {
        for x in 0..width {
            let (column, row) = match orientation {
                2 => (right - x, y),
                3 => (right - x, bottom - y),
                4 => (x, bottom - y),
                5 => (y, x),
                6 => (y, bottom - x),
                7 => (right - y, bottom - x),
                _ => (right - y, x),
            };
            data.extend(stored.at(column, row));
        }
    }
    Pixels { width_px: width, height_px: height, data }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The letters of a 3 x 2 picture, row by row.
    fn letters(pixels: &Pixels) -> String {
        let row = |row: &[u8]| row.iter().step_by(3).map(|&b| b as char).collect::<String>();
        let rows: Vec<String> = pixels.data.chunks(pixels.width_px as usize * 3).map(row).collect();
        rows.join("/")
    }

    #[test]
    fn each_orientation_shows_the_scene_upright() {
        // How a camera stores the scene "abc/def" under each orientation.
        let stored = [
            "abc/def", "cba/fed", "fed/cba", "def/abc", "ad/be/cf", "cf/be/ad", "fc/eb/da",
            "da/eb/fc",
        ];
        for (orientation, rows) in (1..).zip(stored) {
            let width_px = rows.find('/').expect("two rows or three") as u32;
            let grey: Vec<u8> = rows.bytes().filter(|&b| b != b'/').collect();
            let pixels = Pixels::from_grey(width_px, 6 / width_px, &grey);
            assert_eq!(letters(&upright(pixels, orientation)), "abc/def", "{orientation}");
        }
    }
}
