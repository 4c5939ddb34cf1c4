//! SAMPLING: which pictures to look at.

use std::collections::BTreeMap;

use crate::collection::{Collection, Entry, EntryKind, is_left_behind};

/// The files of each class in random order, by the class's name. With a `split`, only its files.
///
/// The order is drawn from the seed and the paths alone. Nothing is opened: files that turn out to
/// be no pictures are among them.
pub fn shuffled<'a>(
    collection: &'a Collection,
    split: Option<&str>,
    seed: u64,
) -> BTreeMap<&'a str, Vec<&'a Entry>> {
    let mut classes: BTreeMap<&str, Vec<([u8; 32], &Entry)>> = BTreeMap::new();
    for entry in &collection.entries {
        let is_file = matches!(entry.kind, EntryKind::File { .. });
        let is_here = split.is_none() || entry.place.split.as_deref() == split;
        if !is_file || !is_here || entry.path.parts().any(is_left_behind) {
            continue;
        }
        if let Some(class) = entry.place.class() {
            let mut hasher = blake3::Hasher::new();
            hasher.update(b"mint-sieve sample 1").update(&seed.to_le_bytes());
            let key = hasher.update(entry.path.as_str().as_bytes()).finalize().into();
            classes.entry(class).or_default().push((key, entry));
        }
    }
    let ordered = |mut entries: Vec<([u8; 32], &'a Entry)>| {
        entries.sort_by_key(|(key, _)| *key);
        entries.into_iter().map(|(_, entry)| entry).collect()
    };
    classes.into_iter().map(|(class, entries)| (class, ordered(entries))).collect()
}

/// How many of `total` things each of `classes` gives, as evenly as can be; where there are fewer
/// things than classes, those that give one are spread over the list.
///
/// ```
/// # use sieve_core::sampling::spread;
/// assert_eq!(spread(5, 3), [2, 2, 1]);
/// assert_eq!(spread(2, 6), [0, 1, 0, 0, 1, 0]);
/// ```
pub fn spread(total: usize, classes: usize) -> Vec<usize> {
    if classes == 0 {
        return Vec::new();
    }
    if total >= classes {
        let (each, more) = (total / classes, total % classes);
        return (0..classes).map(|class| each + usize::from(class < more)).collect();
    }
    let mut counts = vec![0; classes];
    for index in 0..total {
        counts[(2 * index + 1) * classes / (2 * total)] = 1;
    }
    counts
}

/// The first of each class, then the second of each, up to `most` in all: a sample that no large class fills.
pub fn interleaved<'a>(classes: &BTreeMap<&str, Vec<&'a Entry>>, most: usize) -> Vec<&'a Entry> {
    let longest = classes.values().map(Vec::len).max().unwrap_or(0);
    let turns =
        (0..longest).flat_map(|turn| classes.values().filter_map(move |class| class.get(turn)));
    turns.copied().take(most).collect()
}
