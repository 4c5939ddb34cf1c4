//! Text on sheets: which letters, how large, and where lines end.

use std::sync::OnceLock;

use ab_glyph::{Font, FontRef, PxScale, PxScaleFont, ScaleFont};

/// A weight and size of letters.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lettering {
    bold: bool,
    height_px: f32,
}

impl Lettering {
    /// Letters for running text. `height_px` is the height of a line from ascent to descent.
    pub const fn plain(height_px: f32) -> Self {
        Lettering { bold: false, height_px }
    }

    /// Letters for names.
    pub const fn bold(height_px: f32) -> Self {
        Lettering { bold: true, height_px }
    }

    /// The font at this size. A letter that it lacks shows as an empty box.
    pub(super) fn font(&self) -> PxScaleFont<&'static FontRef<'static>> {
        static PLAIN: OnceLock<FontRef<'static>> = OnceLock::new();
        static BOLD: OnceLock<FontRef<'static>> = OnceLock::new();
        let load = |bytes| FontRef::try_from_slice(bytes).expect("the font that is built in");
        let font = if self.bold {
            BOLD.get_or_init(|| load(dejavu::sans_condensed::bold()))
        } else {
            PLAIN.get_or_init(|| load(dejavu::sans_condensed::regular()))
        };
        font.into_scaled(PxScale::from(self.height_px))
    }

    /// The width of a line in pixels.
    pub fn width(&self, text: &str) -> f32 {
        let font = self.font();
        text.chars().map(|letter| font.h_advance(font.glyph_id(letter))).sum()
    }

    /// `text` if it fits into `width_px`, otherwise as much of its end as does: names differ at
    /// their ends.
    pub fn end_of(&self, text: &str, width_px: u32) -> String {
        if self.width(text) <= width_px as f32 {
            return text.to_owned();
        }
        let starts = text.char_indices().map(|(at, _)| at).skip(1);
        let mut shortened = starts.map(|at| format!("…{}", &text[at..]));
        shortened.find(|text| self.width(text) <= width_px as f32).unwrap_or_default()
    }

    /// `text` if it fits into `width_px`, otherwise as much of its beginning as does: sentences begin with what they
    /// are about.
    pub fn start_of(&self, text: &str, width_px: u32) -> String {
        if self.width(text) <= width_px as f32 {
            return text.to_owned();
        }
        let ends = text.char_indices().map(|(at, _)| at).rev();
        let mut shortened = ends.map(|at| format!("{}…", text[..at].trim_end()));
        shortened.find(|text| self.width(text) <= width_px as f32).unwrap_or_default()
    }

    /// `words` in at most `most` lines of `width_px`; what does not fit ends in an ellipsis.
    pub fn lines(&self, words: &[String], width_px: u32, most: usize) -> Vec<String> {
        let fits = |line: &str| self.width(line) <= width_px as f32;
        let mut lines: Vec<String> = Vec::new();
        for (index, word) in words.iter().enumerate() {
            let comma = if index + 1 == words.len() { "" } else { "," };
            match lines.last_mut() {
                Some(line) if fits(&format!("{line} {word}{comma}")) => {
                    line.push_str(&format!(" {word}{comma}"));
                }
                _ => lines.push(format!("{word}{comma}")),
            }
        }
        if lines.len() > most {
            lines.truncate(most);
            if let Some(line) = lines.last_mut() {
                while !line.is_empty() && !fits(&format!("{line} …")) {
                    line.pop();
                }
                line.push_str(" …");
            }
        }
        lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const LETTERS: Lettering = Lettering::plain(11.0);

    fn words(count: usize) -> Vec<String> {
        (0..count).map(|word| format!("word {word}")).collect()
    }

    #[test]
    fn lines_keep_to_their_width_and_number() {
        for count in 1..12 {
            for most in 1..5 {
                let lines = LETTERS.lines(&words(count), 90, most);
                assert!(lines.len() <= most);
                assert!(lines.iter().all(|line| LETTERS.width(line) <= 90.0), "{lines:?}");
                let all = lines.join(" ");
                let is_whole = all.ends_with(&format!("word {}", count - 1));
                assert!(is_whole || all.ends_with(" …"), "{lines:?}");
            }
        }
        assert_eq!(LETTERS.lines(&words(3), 1000, 4), ["word 0, word 1, word 2"]);
        assert_eq!(LETTERS.lines(&words(2), 40, 4), ["word 0,", "word 1"]);
    }

    #[test]
    fn names_are_cut_at_their_beginning() {
        assert_eq!(LETTERS.end_of("sage-01.jpg", 200), "sage-01.jpg");
        let cut = LETTERS.end_of("a-very-long-name-of-a-leaf-017.jpg", 80);
        assert!(cut.starts_with('…') && cut.ends_with("017.jpg"), "{cut}");
        assert!(LETTERS.width(&cut) <= 80.0);
        assert_eq!(LETTERS.end_of("薄荷叶子的照片", 1), "");
    }
}
