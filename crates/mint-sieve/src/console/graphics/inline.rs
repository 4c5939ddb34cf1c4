//! Files of images inside of what a terminal reads: it decodes and scales them itself.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;

/// Letters of one piece (the terminal graphics protocol of kitty allows 4096).
const PIECE: usize = 4096;

/// A PNG by the terminal graphics protocol of kitty, as wide as a number of columns.
pub fn kitty(png: &[u8], columns: usize) -> String {
    let text = STANDARD.encode(png);
    let mut drawn = String::with_capacity(text.len() + text.len() / 64);
    let pieces: Vec<&str> = text
        .as_bytes()
        .chunks(PIECE)
        .map(|piece| std::str::from_utf8(piece).expect("base64 is ASCII"))
        .collect();
    for (at, piece) in pieces.iter().enumerate() {
        let more = u8::from(at + 1 < pieces.len());
        let what = if at == 0 { format!("f=100,a=T,q=2,c={columns},") } else { String::new() };
        drawn.push_str(&format!("\x1b_G{what}m={more};{piece}\x1b\\"));
    }
    drawn + "\n"
}

/// A PNG by the protocol of iTerm2, as wide as the terminal at most.
pub fn iterm(png: &[u8]) -> String {
    let text = STANDARD.encode(png);
    format!("\x1b]1337;File=inline=1;size={};width=100%:{text}\x07\n", png.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_make_up_the_file_again() {
        let file: Vec<u8> = (0..10_000u32).map(|at| (at * at % 251) as u8).collect();
        let drawn = kitty(&file, 80);
        let mut text = String::new();
        let pieces: Vec<&str> = drawn
            .trim_end()
            .split("\x1b_G")
            .skip(1)
            .map(|one| one.trim_end_matches("\x1b\\"))
            .collect();
        for (at, piece) in pieces.iter().enumerate() {
            let (keys, data) = piece.split_once(';').unwrap();
            let is_last = at + 1 == pieces.len();
            assert!(keys.ends_with(if is_last { "m=0" } else { "m=1" }), "{keys}");
            assert!(data.len() <= 4096 && (is_last || data.len() % 4 == 0));
            text.push_str(data);
        }
        assert!(pieces[0].starts_with("f=100,a=T,q=2,c=80,"));
        assert_eq!(STANDARD.decode(text).unwrap(), file);
        let drawn = iterm(&file);
        let data = drawn.trim_end().trim_end_matches('\x07').split_once(':').unwrap().1;
        assert_eq!(STANDARD.decode(data).unwrap(), file);
    }
}
