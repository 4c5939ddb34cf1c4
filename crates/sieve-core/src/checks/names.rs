//! Is every class named once?

use std::collections::{BTreeMap, BTreeSet, HashMap};

use unicode_security::skeleton;

use super::spelling::{american, irregular_singulars, singular, without_accents};
use crate::collection::{Collection, composed};
use crate::disjoint_sets::DisjointSets;
use crate::finding::{Code, Finding};
use crate::inventory::Inventory;

/// Classes that may be one under several names: they differ by case, spaces, confusable letters, a
/// plural or a letter; and classes written in several Unicode forms, which were taken as one.
pub fn names(collection: &Collection, inventory: &Inventory) -> Vec<Finding> {
    let mut findings: Vec<Finding> = collection.spellings.iter().map(spelled).collect();
    let mut splits: HashMap<&str, BTreeSet<&str>> = HashMap::new();
    for (split, class) in &collection.class_folders {
        splits.entry(class).or_default().extend(split.as_deref());
    }
    let mut splits_of = |name: &str| splits.remove(name).unwrap_or_default();
    let classes: Vec<Class<'_>> = inventory
        .classes
        .iter()
        .map(|name| Class { name, images: inventory.of_class(name), splits: splits_of(name) })
        .collect();
    findings.extend(alike(&classes).into_iter().map(|group| reported(&classes, &group)));
    findings
}

fn spelled((class, spellings): (&String, &Vec<String>)) -> Finding {
    let forms = spellings.len();
    let message =
        format!("{class:?} is written in {forms} Unicode forms and is treated as one class");
    Finding::new(Code::ClassNamesAlike, message)
        .about(Some(class), None)
        .evidence("classes", spellings.clone())
        .evidence("differ_by", vec!["Unicode form".to_owned()])
}

/// A class as its name is judged.
pub(super) struct Class<'a> {
    pub name: &'a str,
    pub images: u64,
    pub splits: BTreeSet<&'a str>,
}

/// Classes that may be one, by their places, and by what their names differ.
#[derive(Debug, PartialEq)]
pub(super) struct Alike {
    pub members: Vec<usize>,
    pub differ_by: BTreeSet<&'static str>,
}

fn reported(classes: &[Class<'_>], group: &Alike) -> Finding {
    let members = || group.members.iter().map(|&member| &classes[member]);
    let first = &classes[group.members[0]].splits;
    let is_apart = members().any(|class| class.splits != *first);
    let named = |class: &Class<'_>| {
        let splits: Vec<&str> = class.splits.iter().copied().collect();
        let place = if is_apart { format!(" in {}", splits.join(", ")) } else { String::new() };
        format!("{:?}{place}", class.name)
    };
    let named: Vec<String> = members().map(named).collect();
    let differ_by: Vec<&str> = group.differ_by.iter().copied().collect();
    let message = format!("{} may be one class: {}", named.join(" and "), differ_by.join(", "));
    Finding::new(Code::ClassNamesAlike, message)
        .evidence("classes", members().map(|class| class.name.to_owned()).collect::<Vec<_>>())
        .evidence("images", members().map(|class| class.images.to_string()).collect::<Vec<_>>())
        .evidence("differ_by", differ_by.into_iter().map(str::to_owned).collect::<Vec<_>>())
}

/// The classes whose names are alike, in groups of two and more.
pub(super) fn alike(classes: &[Class<'_>]) -> Vec<Alike> {
    let mut pairs: Vec<(usize, usize, &'static str)> = Vec::new();
    let words: Vec<String> = classes.iter().map(|class| plain(class.name)).collect();
    let forms = |key: &dyn Fn(&str) -> Option<String>| {
        let mut by_key: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (index, word) in words.iter().enumerate() {
            key(word).into_iter().for_each(|key| by_key.entry(key).or_default().push(index));
        }
        let chained = by_key
            .into_values()
            .flat_map(|same| same.windows(2).map(|pair| (pair[0], pair[1])).collect::<Vec<_>>());
        chained.collect::<Vec<_>>()
    };
    for (a, b) in forms(&|word| Some(word.to_owned())) {
        let (one, other) = (composed(classes[a].name), composed(classes[b].name));
        if joined(&one) != joined(&other) {
            pairs.push((a, b, "case"));
        }
        if one.to_lowercase() != other.to_lowercase() {
            pairs.push((a, b, "spaces"));
        }
    }
    let is_word = |word: &&str| word.chars().nth(1).is_some();
    let confusable = |word: &str| Some(word).filter(is_word).map(|word| skeleton(word).collect());
    for (a, b) in forms(&confusable) {
        if words[a] != words[b] {
            pairs.push((a, b, "letters that look alike"));
        }
    }
    for (a, b) in forms(&|word| singular(word)) {
        if words[a] != words[b] {
            pairs.push((a, b, "a plural"));
        }
    }
    for (a, b) in forms(&|word| Some(without_accents(word))) {
        if words[a] != words[b] {
            pairs.push((a, b, "accents"));
        }
    }
    let mut by_word: HashMap<&str, usize> = HashMap::new();
    words.iter().enumerate().for_each(|(index, word)| _ = by_word.entry(word).or_insert(index));
    for (index, word) in words.iter().enumerate() {
        let mut meets = |others: Vec<String>, by: &'static str| {
            let known = others.iter().filter_map(|other| by_word.get(other.as_str()));
            let others = known.filter(|&&other| other != index);
            pairs.extend(others.map(|&other| (index.min(other), index.max(other), by)));
        };
        meets(irregular_singulars(word), "a plural");
        meets(american(word), "British and American spelling");
    }
    let known: BTreeSet<(usize, usize)> = pairs.iter().map(|&(a, b, _)| (a, b)).collect();
    for (a, b) in one_letter_apart(&words) {
        if !known.contains(&(a, b)) && is_typo(&classes[a], &words[a], &classes[b], &words[b]) {
            pairs.push((a, b, "one letter"));
        }
    }
    let mut sets = DisjointSets::new(classes.len());
    pairs.iter().for_each(|&(a, b, _)| sets.union(a as u32, b as u32));
    let group = |members: Vec<u32>| {
        let members: Vec<usize> = members.into_iter().map(|member| member as usize).collect();
        let inside = pairs.iter().filter(|(a, ..)| members.binary_search(a).is_ok());
        Alike { differ_by: inside.map(|&(.., by)| by).collect(), members }
    };
    sets.groups().into_iter().map(group).collect()
}

/// Words without what parts them.
fn joined(name: &str) -> String {
    name.chars().filter(|c| !parts_words(*c)).collect()
}

fn parts_words(c: char) -> bool {
    c.is_whitespace() || matches!(c, '_' | '-' | '.')
}

/// A name in small letters and without what parts words, but between digits: `1_2` is not `12`.
fn plain(name: &str) -> String {
    let mut plain = String::new();
    let lower = composed(name).to_lowercase();
    for word in lower.split(parts_words).filter(|word| !word.is_empty()) {
        let is_number = |c: Option<char>| c.is_some_and(|c| c.is_ascii_digit());
        if is_number(plain.chars().last()) && is_number(word.chars().next()) {
            plain.push(' ');
        }
        plain.push_str(word);
    }
    plain
}

/// Pairs of words that are one insertion, deletion, substitution or exchange of neighbours apart. By
/// the words with one letter left out: linear in their number.
fn one_letter_apart(words: &[String]) -> Vec<(usize, usize)> {
    let mut by_rest: HashMap<String, Vec<usize>> = HashMap::new();
    for (index, word) in words.iter().enumerate() {
        let letters: Vec<char> = word.chars().collect();
        let without = (0..letters.len()).map(|left_out| {
            let rest = letters.iter().enumerate().filter(|&(place, _)| place != left_out);
            rest.map(|(_, letter)| *letter).collect::<String>()
        });
        let keys: BTreeSet<String> = without.chain([word.clone()]).collect();
        keys.into_iter().for_each(|key| by_rest.entry(key).or_default().push(index));
    }
    let mut pairs = BTreeSet::new();
    // Codes like s001, s002 ... all share one rest; they are no typos of each other anyway.
    for same in by_rest.into_values().filter(|same| same.len() <= 32) {
        for (place, &a) in same.iter().enumerate() {
            let apart = |&b: &usize| strsim::osa_distance(&words[a], &words[b]) == 1;
            pairs.extend(same[place + 1..].iter().copied().filter(apart).map(|b| (a, b)));
        }
    }
    pairs.into_iter().collect()
}

/// Letters from which on two words that differ by one are hardly ever both meant.
const LONG: usize = 8;
/// Letters that a word needs for a typo to be told at all.
const SHORT: usize = 4;
/// A class that has this many times fewer images than the one with a similar name is a typo rather than a class.
const LOPSIDED: u64 = 4;

/// Whether one of two words that differ by a letter is a slip of the other. Short words often differ
/// by one letter and are two things: there the order of letters, a doubled letter, the sizes of the
/// classes, or that no split has both, must speak for it.
fn is_typo(a: &Class<'_>, word_a: &str, b: &Class<'_>, word_b: &str) -> bool {
    let digits = |word: &str| word.chars().filter(char::is_ascii_digit).collect::<String>();
    let length = word_a.chars().count().min(word_b.chars().count());
    if digits(word_a) != digits(word_b) || length < SHORT {
        return false;
    }
    let sorted = |word: &str| {
        let mut letters: Vec<char> = word.chars().collect();
        letters.sort_unstable();
        letters
    };
    let undoubled = |word: &str| {
        let mut letters: Vec<char> = word.chars().collect();
        letters.dedup();
        letters
    };
    let (less, more) = (a.images.min(b.images), a.images.max(b.images));
    let is_lopsided = less * LOPSIDED <= more;
    let has_splits = !a.splits.is_empty() && !b.splits.is_empty();
    length >= LONG
        || sorted(word_a) == sorted(word_b)
        || undoubled(word_a) == undoubled(word_b)
        || is_lopsided
        || (has_splits && a.splits.is_disjoint(&b.splits))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// Against every pair, compared by itself.
        #[test]
        fn words_one_letter_apart_are_all_found(words in prop::collection::btree_set("[ab\u{e9}]{0,5}", 0..12)) {
            let words: Vec<String> = words.into_iter().collect();
            let mut slow = Vec::new();
            for a in 0..words.len() {
                for b in a + 1..words.len() {
                    if strsim::osa_distance(&words[a], &words[b]) == 1 {
                        slow.push((a, b));
                    }
                }
            }
            prop_assert_eq!(one_letter_apart(&words), slow);
        }
    }

    #[test]
    fn names_are_reduced_to_what_they_say() {
        let table = [("Lemon_Balm ", "lemonbalm"), ("1_2", "1 2"), ("rack-7b", "rack7b"), ("", "")];
        for (name, expected) in table {
            assert_eq!(plain(name), expected);
        }
    }
}
