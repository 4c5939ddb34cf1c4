//! What every JSON answer has in common.

use serde::Serialize;

use crate::console::is_unseen;

#[derive(Serialize)]
struct Envelope<'a, S: Serialize, B: Serialize> {
    schema: String,
    version: &'a str,
    settings: S,
    #[serde(flatten)]
    body: B,
}

/// The JSON answer of `command`: its schema, the program's version, the settings that decided it,
/// and the fields of `body`.
pub fn envelope(command: &str, settings: impl Serialize, body: impl Serialize) -> String {
    let envelope = Envelope {
        schema: format!("mint-sieve/{command}/1"),
        version: env!("CARGO_PKG_VERSION"),
        settings,
        body,
    };
    in_json(&envelope)
}

/// `value` as JSON that may be printed anywhere: what would steer a terminal or hide stands as an escape, which
/// means the same.
pub fn in_json(value: &impl Serialize) -> String {
    let plain = serde_json::to_string_pretty(value).expect("plain structures serialise");
    let mut text = String::with_capacity(plain.len() + 1);
    for c in plain.chars() {
        // Such characters stand inside of strings only, but for the line breaks between them.
        if is_unseen(c) && c != '\n' {
            for unit in c.encode_utf16(&mut [0; 2]) {
                text.push_str(&format!("\\u{unit:04x}"));
            }
        } else {
            text.push(c);
        }
    }
    text.push('\n');
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_unseen_is_escaped_and_means_the_same() {
        let name = "a\u{1b}[2J\u{7f}\u{202e}b\u{e0061}\n薄荷";
        let text = in_json(&[name]);
        assert!(!text.chars().any(|c| is_unseen(c) && c != '\n'), "{text:?}");
        assert_eq!(serde_json::from_str::<Vec<String>>(&text).unwrap(), [name]);
    }
}
