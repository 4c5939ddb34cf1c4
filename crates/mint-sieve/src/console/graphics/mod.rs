//! GRAPHICS: images in a terminal: in pixels where it says that it can, else two to a letter.

mod half_blocks;
mod inline;
mod protocol;
mod sixel;

use std::io::{IsTerminal, Write};

use sieve_core::augment::averaged;
use sieve_core::reading::Pixels;

use protocol::Protocol;

/// Columns of pixels of a letter, where the terminal does not say.
const LETTER_PX: u32 = 8;

/// Draws an image, of which `png` is the file, where answers go: at once where that is a terminal that draws pixels.
/// What is returned is to stand before the answer.
pub fn show(pixels: &Pixels, png: &[u8]) -> String {
    let columns = super::width().unwrap_or(half_blocks::USUAL);
    let Some((protocol, width_px)) =
        std::io::stdout().is_terminal().then(protocol::asked).flatten()
    else {
        return half_blocks::drawn(pixels, columns);
    };
    let drawn = match protocol {
        Protocol::Kitty => inline::kitty(png, columns),
        Protocol::Iterm => inline::iterm(png),
        Protocol::Sixel => {
            let most = width_px.unwrap_or(columns as u32 * LETTER_PX).max(1);
            // The cursor stays beside the last band.
            sixel::sixel(&averaged(pixels, pixels.width_px.div_ceil(most).max(1))) + "\n"
        }
    };
    let mut out = std::io::stdout().lock();
    // A reader that is gone is noticed when the answer is written.
    let _ = out.write_all(drawn.as_bytes()).and_then(|()| out.flush());
    String::new()
}
