//! Names of files and classes, made safe to show and to paste.

/// `text` without anything that could steer a terminal: control characters, and the marks that
/// reverse the direction of writing, as escapes.
pub fn safe(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for c in text.chars() {
        let reverses = matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
        if (c.is_control() && c != '\n') || reverses {
            shown.extend(c.escape_unicode());
        } else {
            shown.push(c);
        }
    }
    shown
}

/// `word` as a shell takes it for one word.
pub fn quoted(word: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "-_./=,:+%@".contains(c);
    if !word.is_empty() && word.chars().all(plain) {
        word.to_owned()
    } else {
        format!("'{}'", word.replace('\'', "'\\''"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_neither_steer_terminals_nor_break_commands() {
        assert_eq!(safe("a\u{1b}[2Jb\u{202e}c"), "a\\u{1b}[2Jb\\u{202e}c");
        assert_eq!(safe("薄荷 Ö"), "薄荷 Ö");
        assert_eq!(quoted("herbs/薄荷"), "herbs/薄荷");
        assert_eq!(quoted("Bay "), "'Bay '");
        assert_eq!(quoted("it's"), "'it'\\''s'");
        assert_eq!(quoted(""), "''");
    }
}
