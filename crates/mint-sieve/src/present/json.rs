//! What every JSON answer has in common.

use serde::Serialize;

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
    let mut text = serde_json::to_string_pretty(&envelope).expect("plain structures serialise");
    text.push('\n');
    text
}
