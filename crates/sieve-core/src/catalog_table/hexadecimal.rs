//! Bytes as hexadecimal digits.

/// Two digits for each byte.
pub(super) fn digits(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// The bytes of such digits; none where they are something else.
pub(super) fn bytes(text: &str) -> Option<Vec<u8>> {
    let digit = |byte: u8| char::from(byte).to_digit(16).map(|digit| digit as u8);
    let pair = |pair: &[u8]| Some(digit(*pair.first()?)? << 4 | digit(*pair.get(1)?)?);
    text.as_bytes().chunks(2).map(pair).collect()
}
