//! The nearest right word, for errors that can name it.

/// The longest word, in bytes, that is compared.
const MAX_WORD_BYTES: usize = 256;

/// The candidate most like `word`, if one is like enough to be what was meant.
///
/// Likeness is the Jaro-Winkler similarity of the lower-case words (Winkler 1990), from 0 to 1;
/// below 0.75 nothing is suggested. Ties fall to the earlier candidate.
///
/// ```
/// assert_eq!(sieve_core::suggest::word("rotat", ["flip", "rotate"]), Some("rotate"));
/// assert_eq!(sieve_core::suggest::word("paint", ["flip", "rotate"]), None);
/// ```
pub fn word<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // Nobody means a short word by a text: comparing one takes time by the product of the lengths.
    if word.len() > MAX_WORD_BYTES {
        return None;
    }
    let word = word.to_lowercase();
    let mut best = None;
    let mut best_likeness = 0.75;
    for candidate in candidates {
        let likeness = strsim::jaro_winkler(&word, &candidate.to_lowercase());
        if likeness > best_likeness {
            (best, best_likeness) = (Some(candidate), likeness);
        }
    }
    best
}

/// What was expected in place of `word`: all that is `known`, and the nearest of it. To follow what was given.
///
/// ```
/// let expected = sieve_core::suggest::expected("rotat", &["flip", "rotate"]);
/// assert_eq!(expected, "expected flip or rotate; did you mean rotate?");
/// ```
pub fn expected(word: &str, known: &[impl AsRef<str>]) -> String {
    let near = self::word(word, known.iter().map(AsRef::as_ref));
    let hint = near.map_or(String::new(), |near| format!("; did you mean {near}?"));
    format!("expected {}{hint}", either(known))
}

/// The same as a sentence: the nearest of what is `known`, or else all of it.
///
/// ```
/// use sieve_core::suggest::hint;
/// assert_eq!(hint("rotat", &["flip", "rotate"]), "Did you mean rotate?");
/// assert_eq!(hint("paint", &["flip", "rotate"]), "Expected flip or rotate.");
/// ```
pub fn hint(word: &str, known: &[impl AsRef<str>]) -> String {
    match self::word(word, known.iter().map(AsRef::as_ref)) {
        Some(near) => format!("Did you mean {near}?"),
        None => format!("Expected {}.", either(known)),
    }
}

fn either(known: &[impl AsRef<str>]) -> String {
    let known: Vec<&str> = known.iter().map(AsRef::as_ref).collect();
    match known.split_last() {
        Some((last, [])) => (*last).to_owned(),
        Some((last, others)) => format!("{} or {last}", others.join(", ")),
        None => "none".to_owned(),
    }
}
