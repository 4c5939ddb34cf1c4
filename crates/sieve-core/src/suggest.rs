//! The nearest right word, for errors that can name it.

/// The longest word, in bytes, that is compared.
const MAX_WORD_BYTES: usize = 256;

/// The candidate most like `word`, if one is like enough to be what was meant.
///
/// Likeness is the Jaro-Winkler similarity of the lower-case words (Winkler 1990), from 0 to 1;
/// below 0.75 nothing is suggested. Ties fall to the earlier candidate.
///
/// ```
/// assert_eq!(sieve_core::nearest::word("rotat", ["flip", "rotate"]), Some("rotate"));
/// assert_eq!(sieve_core::nearest::word("paint", ["flip", "rotate"]), None);
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
