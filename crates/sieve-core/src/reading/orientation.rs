//! EXIF orientation: how a stored image must be turned to be seen upright.

use super::memory::reserve;
use super::{Pixels, ReadError};

/// True when an upright image's width is the stored one's height.
pub(super) fn swaps_sides(orientation: u8) -> bool {
    orientation >= 5
}

/// The stored column and row of what is seen at column `x` and row `y` of the upright image. The
/// stored image has `columns` x `rows` pixels.
pub(crate) fn stored_place(
    orientation: u8,
    x: usize,
    y: usize,
    columns: usize,
    rows: usize,
) -> (usize, usize) {
    let (right, bottom) = (columns - 1, rows - 1);
    match orientation {
        2 => (right - x, y),
        3 => (right - x, bottom - y),
        4 => (x, bottom - y),
        5 => (y, x),
        6 => (y, bottom - x),
        7 => (right - y, bottom - x),
        8 => (right - y, x),
        _ => (x, y),
    }
}

/// Turns a stored image upright. The meaning of 1 to 8 is that of the EXIF standard (CIPA
/// DC-008, tag 0x0112): which side of the scene the stored rows and columns begin at.
pub(super) fn upright(stored: Pixels, orientation: u8) -> Result<Pixels, ReadError> {
    if orientation <= 1 || stored.data.is_empty() {
        return Ok(stored);
    }
    let (stored_width, stored_height) = (stored.width_px, stored.height_px);
    let (width, height) = if swaps_sides(orientation) {
        (stored_height, stored_width)
    } else {
        (stored_width, stored_height)
    };
    let mut data = reserve(stored.data.len())?;
    for y in 0..height {
        for x in 0..width {
            let (columns, rows) = (stored_width as usize, stored_height as usize);
            let (column, row) = stored_place(orientation, x as usize, y as usize, columns, rows);
            data.extend(stored.at(column as u32, row as u32));
        }
    }
    Ok(Pixels { width_px: width, height_px: height, data })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The letters of a 3 x 2 image, row by row.
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
            let data = rows.bytes().filter(|&b| b != b'/').flat_map(|b| [b; 3]).collect();
            let pixels = Pixels { width_px, height_px: 6 / width_px, data };
            assert_eq!(letters(&upright(pixels, orientation).unwrap()), "abc/def", "{orientation}");
        }
    }
}
