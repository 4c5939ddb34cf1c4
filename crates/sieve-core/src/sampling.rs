//! SAMPLING: which images to look at.

use std::collections::BTreeMap;

use crate::collection::{Collection, Entry, EntryKind, is_left_behind};
use crate::seeded_order;

/// The files of each class in random order, by the class's name. With a `split`, only its files.
///
/// The order is drawn from the seed and the paths alone. Nothing is opened: files that turn out to
/// be no images are among them.
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
            let key = seeded_order::key(seed, entry.path.as_str().as_bytes());
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

/// How many images of each class fill a page of `cells`, where the classes have `sizes`: as many of each as can be, and what
/// small classes leave goes to the others.
pub fn shared_out(cells: usize, sizes: &[usize]) -> Vec<usize> {
    let counts = spread(cells, sizes.len()).into_iter().zip(sizes);
    let mut counts: Vec<usize> = counts.map(|(count, &size)| count.min(size)).collect();
    loop {
        let left = cells - counts.iter().sum::<usize>();
        let open: Vec<usize> = (0..sizes.len()).filter(|&at| counts[at] < sizes[at]).collect();
        if left == 0 || open.is_empty() {
            return counts;
        }
        for (at, more) in open.iter().zip(spread(left, open.len())) {
            counts[*at] = (counts[*at] + more).min(sizes[*at]);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn a_page_is_filled_as_evenly_as_the_classes_allow(
            cells in 0usize..120, sizes in prop::collection::vec(0usize..40, 1..12),
        ) {
            let counts = shared_out(cells, &sizes);
            prop_assert_eq!(counts.iter().sum::<usize>(), cells.min(sizes.iter().sum()));
            prop_assert!(counts.iter().zip(&sizes).all(|(count, size)| count <= size));
            let open = counts.iter().zip(&sizes).filter(|(count, size)| count < size);
            let open: Vec<usize> = open.map(|(count, _)| *count).collect();
            if let (Some(least), Some(most)) = (open.iter().min(), counts.iter().max()) {
                prop_assert!(most - least <= 1 + counts.len() / 2, "{:?} of {:?}", counts, sizes);
            }
        }

        #[test]
        fn what_is_spread_is_as_even_as_can_be(total in 0usize..200, classes in 1usize..40) {
            let spread = spread(total, classes);
            prop_assert_eq!(spread.len(), classes);
            prop_assert_eq!(spread.iter().sum::<usize>(), total);
            let (least, most) = (spread.iter().min().unwrap(), spread.iter().max().unwrap());
            prop_assert!(most - least <= 1, "{:?}", spread);
            // Where not all give one, those that do are spread over the list: no run without is twice another.
            if total > 1 && total < classes {
                let places: Vec<usize> =
                    (0..classes).filter(|&class| spread[class] == 1).collect();
                let gaps: Vec<usize> = places.windows(2).map(|pair| pair[1] - pair[0]).collect();
                let (least, most) = (gaps.iter().min().unwrap(), gaps.iter().max().unwrap());
                prop_assert!(most - least <= 1, "{:?}", spread);
            }
        }
    }

    #[test]
    fn classes_take_turns_and_the_seed_decides() {
        let folder = tempfile::tempdir().unwrap();
        for (class, count) in [("sage", 9), ("bay", 2), ("dill", 4)] {
            std::fs::create_dir(folder.path().join(class)).unwrap();
            for number in 0..count {
                let file = folder.path().join(format!("{class}/{number}.jpg"));
                std::fs::write(file, [number]).unwrap();
            }
        }
        let root = crate::collection::Root { split: None, path: folder.path().to_owned() };
        let request = crate::collection::Request { roots: vec![root], ..Default::default() };
        let cache = &crate::collection::NoCache;
        let collection =
            crate::collection::open(&request, cache, &crate::progress::NoProgress).unwrap();
        let drawn = |seed: u64, most: usize| -> Vec<String> {
            let classes = shuffled(&collection, None, seed);
            let entries = interleaved(&classes, most);
            entries.iter().map(|entry| entry.path.to_string()).collect()
        };
        let all = drawn(1, 100);
        assert_eq!(all.iter().collect::<BTreeSet<_>>().len(), 15);
        let class = |path: &String| path.split('/').next().unwrap().to_owned();
        let first: Vec<String> = all[..7].iter().map(class).collect();
        assert_eq!(first, ["bay", "dill", "sage", "bay", "dill", "sage", "dill"]);
        // A shorter sample is the beginning of a longer one; another seed another one.
        assert_eq!(drawn(1, 6), all[..6]);
        assert_eq!(drawn(1, 100), all);
        assert_ne!(drawn(2, 100), all);
    }
}
