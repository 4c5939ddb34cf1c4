//! Images in any terminal of many colours: each letter is two pixels, one above the other.

use std::fmt::Write;

use sieve_core::augment::averaged;
use sieve_core::reading::Pixels;

/// Columns where the width is not known.
pub const USUAL: usize = 80;

/// An image at most `columns` wide.
pub fn drawn(pixels: &Pixels, columns: usize) -> String {
    let shrink = (pixels.width_px as usize).div_ceil(columns.max(1)).max(1);
    let small = averaged(pixels, shrink as u32);
    let mut text = String::new();
    for row in (0..small.height_px).step_by(2) {
        for column in 0..small.width_px {
            let [r, g, b] = small.at(column, row);
            let _ = write!(text, "\x1b[38;2;{r};{g};{b}m");
            // The last row may have none below it.
            if row + 1 < small.height_px {
                let [r, g, b] = small.at(column, row + 1);
                let _ = write!(text, "\x1b[48;2;{r};{g};{b}m");
            }
            text.push('▀');
        }
        text.push_str("\x1b[0m\n");
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_letter_is_two_pixels() {
        let data = [10, 20, 30, 40, 50, 60].iter().flat_map(|&grey| [grey; 3]).collect();
        let image = Pixels { width_px: 2, height_px: 3, data };
        assert_eq!(
            drawn(&image, 2),
            "\x1b[38;2;10;10;10m\x1b[48;2;30;30;30m▀\x1b[38;2;20;20;20m\x1b[48;2;40;40;40m▀\x1b[0m\n\
             \x1b[38;2;50;50;50m▀\x1b[38;2;60;60;60m▀\x1b[0m\n"
        );
        assert_eq!(drawn(&image, 1).matches('▀').count(), 1);
    }
}
