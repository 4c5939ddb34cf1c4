//! Names of files and classes, made safe to show and to paste.

use std::ffi::OsStr;

/// `text` on one line and with nothing in it that could steer a terminal, forge a line or hide: control
/// characters, line separators, marks of the direction of writing and characters without width, as escapes.
pub fn safe(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for c in text.chars() {
        if is_unseen(c) { shown.extend(c.escape_unicode()) } else { shown.push(c) }
    }
    shown
}

/// The same for text of several lines.
pub fn safe_lines(text: &str) -> String {
    text.split('\n').map(safe).collect::<Vec<_>>().join("\n")
}

/// Whether a character does something else than to be seen: controls and what Unicode calls ignorable by
/// default (DerivedCoreProperties, 16.0), but for selectors of variants, which change the character before
/// them; the separators of lines and paragraphs; and the two private characters that tables are reported with.
pub fn is_unseen(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}'..='\u{1160}' | '\u{17b4}'..='\u{17b5}'
            | '\u{180b}'..='\u{180f}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{e000}'..='\u{e001}' | '\u{3164}' | '\u{feff}' | '\u{ffa0}' | '\u{fff0}'..='\u{fffb}'
            | '\u{1bca0}'..='\u{1bca3}' | '\u{1d173}'..='\u{1d17a}' | '\u{e0000}'..='\u{e0fff}')
}

/// `word` as a shell takes it for one word. What cannot be seen is written in escapes that bash, zsh and
/// POSIX.1-2024 know.
pub fn quoted(word: &OsStr) -> String {
    let bytes = word.as_encoded_bytes();
    let text = std::str::from_utf8(bytes).ok().filter(|text| !text.chars().any(is_unseen));
    let Some(text) = text else { return dollar_quoted(bytes) };
    let plain = |c: char| c.is_alphanumeric() || "-_./=,:+%@".contains(c);
    if !text.is_empty() && text.chars().all(plain) {
        text.to_owned()
    } else {
        format!("'{}'", text.replace('\'', "'\\''"))
    }
}

fn dollar_quoted(bytes: &[u8]) -> String {
    let escaped =
        |bytes: &[u8]| bytes.iter().map(|byte| format!("\\x{byte:02x}")).collect::<String>();
    let mut quoted = "$'".to_owned();
    for chunk in bytes.utf8_chunks() {
        for c in chunk.valid().chars() {
            match c {
                '\'' | '\\' => quoted.extend(['\\', c]),
                '\n' => quoted.push_str("\\n"),
                '\t' => quoted.push_str("\\t"),
                c if is_unseen(c) => {
                    quoted.push_str(&escaped(c.encode_utf8(&mut [0; 4]).as_bytes()))
                }
                c => quoted.push(c),
            }
        }
        quoted.push_str(&escaped(chunk.invalid()));
    }
    quoted + "'"
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_neither_steer_terminals_nor_break_commands() {
        assert_eq!(safe("a\u{1b}[2Jb\u{202e}c\nd"), "a\\u{1b}[2Jb\\u{202e}c\\u{a}d");
        assert_eq!(safe("a\u{2028}b\u{200b}c\u{feff}"), "a\\u{2028}b\\u{200b}c\\u{feff}");
        assert_eq!(safe("薄荷 Ö"), "薄荷 Ö");
        assert_eq!(safe_lines("a\nb\r"), "a\nb\\u{d}");
        let quoted = |word: &str| quoted(word.as_ref());
        assert_eq!(quoted("herbs/薄荷"), "herbs/薄荷");
        assert_eq!(quoted("Bay "), "'Bay '");
        assert_eq!(quoted("it's"), "'it'\\''s'");
        assert_eq!(quoted(""), "''");
        assert_eq!(quoted("a\u{1b}[2J\nit's\\"), "$'a\\x1b[2J\\nit\\'s\\\\'");
        assert_eq!(quoted("\u{202e}gnp"), "$'\\xe2\\x80\\xaegnp'");
    }

    #[test]
    fn nothing_that_is_not_seen_stays_and_all_else_does() {
        for c in '\0'..=char::MAX {
            let text = format!("a{c}b");
            let shown = safe(&text);
            assert!(!shown.chars().any(is_unseen), "{c:?}");
            assert_eq!(shown == text, !is_unseen(c), "{c:?}");
            // A shell gets the same word back: what is in quotes holds no quote, what is in escapes is plain.
            let word = super::quoted(text.as_ref());
            assert!(!word.chars().any(is_unseen), "{c:?}");
        }
        // Selectors of variants change the letter before them and are seen by that; these are not.
        assert!(!is_unseen('\u{fe0f}') && is_unseen('\u{200d}') && is_unseen('\u{2066}'));
        assert_eq!(safe_lines("\u{7f}\n\u{9b}"), "\\u{7f}\n\\u{9b}");
    }
}
