//! Texts that are too long for their place.

use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// `text` in at most `width` columns: what is too long loses its middle, since the end of a path says most.
pub fn middle(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let room = width.saturating_sub(1);
    let tail_room = room - room / 3;
    let taken = |chars: &mut dyn Iterator<Item = char>, room: usize| -> Vec<char> {
        let mut used = 0;
        chars
            .take_while(|c| {
                used += c.width().unwrap_or(0);
                used <= room
            })
            .collect()
    };
    let head: String = taken(&mut text.chars(), room / 3).into_iter().collect();
    let tail: String = taken(&mut text.chars().rev(), tail_room).into_iter().rev().collect();
    format!("{head}…{tail}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_too_long_loses_its_middle() {
        assert_eq!(middle("nettle/nettle-020.jpg", 21), "nettle/nettle-020.jpg");
        assert_eq!(middle("nettle/nettle-020.jpg", 16), "nettl…le-020.jpg");
        assert_eq!(middle("薄荷薄荷薄荷", 7), "薄…薄荷");
        assert_eq!(middle("abc", 1), "…");
    }
}
