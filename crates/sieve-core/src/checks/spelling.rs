//! Other ways in which people write one English word: its plural, without accents, as on the other side of the
//! Atlantic. What is returned need not be a word: it only counts where it is the name of another class.

use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// Plurals that no ending tells, with their singulars. Longer words end with them, too (`dormice`).
const PLURALS: [(&str, &str); 9] = [
    ("mice", "mouse"),
    ("lice", "louse"),
    ("geese", "goose"),
    ("feet", "foot"),
    ("teeth", "tooth"),
    ("children", "child"),
    ("oxen", "ox"),
    ("women", "woman"),
    ("people", "person"),
];
/// Words that no rule leads across the Atlantic, the British way first.
const BRITISH: [(&str, &str); 16] = [
    ("grey", "gray"),
    ("tyre", "tire"),
    ("kerb", "curb"),
    ("mould", "mold"),
    ("moult", "molt"),
    ("plough", "plow"),
    ("doughnut", "donut"),
    ("pyjamas", "pajamas"),
    ("jewellery", "jewelry"),
    ("moustache", "mustache"),
    ("sulphur", "sulfur"),
    ("aluminium", "aluminum"),
    ("aeroplane", "airplane"),
    ("cheque", "check"),
    ("storey", "story"),
    ("chilli", "chili"),
];
/// Endings of plurals of words from Latin and Greek, with those of their singulars, and the letters that must stand
/// before them.
const CLASSICAL: [(&str, &str, usize); 7] = [
    ("i", "us", 3),
    ("ae", "a", 3),
    ("ia", "ium", 3),
    ("ices", "ix", 2),
    ("ices", "ex", 2),
    ("ses", "sis", 3),
    ("mata", "ma", 2),
];
/// Endings that the British write, with those of the Americans: `colour` and `fibre`, but not `four` and `ogre`.
const ENDINGS: [(&str, &str, usize); 10] = [
    ("our", "or", 3),
    ("tre", "ter", 2),
    ("bre", "ber", 2),
    ("ise", "ize", 3),
    ("yse", "yze", 3),
    ("ogue", "og", 3),
    ("ller", "ler", 3),
    ("lled", "led", 3),
    ("lling", "ling", 3),
    ("llor", "lor", 3),
];

/// A word without an English plural; none for words too short to have one.
pub fn singular(word: &str) -> Option<String> {
    let stem = if let Some(stem) = word.strip_suffix("ies") {
        format!("{stem}y")
    } else if let Some(stem) = word.strip_suffix("ves") {
        format!("{stem}f")
    } else if let Some(stem) = ["ses", "xes", "zes", "ches", "shes", "oes"]
        .iter()
        .find_map(|ending| word.strip_suffix(ending).map(|stem| (stem, ending)))
        .map(|(stem, ending)| format!("{stem}{}", &ending[..ending.len() - 2]))
    {
        stem
    } else if let Some(stem) =
        word.strip_suffix('s').filter(|stem| !stem.ends_with(['s', 'u', 'i']))
    {
        stem.to_owned()
    } else {
        word.strip_suffix("fe").map_or(word.to_owned(), |stem| format!("{stem}f"))
    };
    (stem.chars().count() >= 3).then_some(stem)
}

/// Singulars that a word may be the irregular plural of.
pub fn irregular_singulars(word: &str) -> Vec<String> {
    let ends = |(plural, one): &(&str, &str)| Some(format!("{}{one}", word.strip_suffix(plural)?));
    let mut singulars: Vec<String> = PLURALS.iter().filter_map(ends).collect();
    singulars.extend(CLASSICAL.iter().filter_map(|ending| with_stem(word, ending)));
    singulars
}

/// What a word that is written in the British way may be in the American one.
pub fn american(word: &str) -> Vec<String> {
    let ends =
        |(british, other): &(&str, &str)| Some(format!("{}{other}", word.strip_suffix(british)?));
    let mut others: Vec<String> = BRITISH.iter().filter_map(ends).collect();
    others.extend(ENDINGS.iter().filter_map(|ending| with_stem(word, ending)));
    // `coloured`, `foetus`: inside of the word.
    for (british, other) in [("our", "or"), ("ae", "e"), ("oe", "e")] {
        if let Some(at) =
            word.find(british).filter(|&at| at >= 1 && at + british.len() < word.len())
        {
            others.push(format!("{}{other}{}", &word[..at], &word[at + british.len()..]));
        }
    }
    others
}

/// A word without its accents.
pub fn without_accents(word: &str) -> String {
    word.nfd().filter(|c| !is_combining_mark(*c)).collect()
}

fn with_stem(word: &str, (ending, other, least): &(&str, &str, usize)) -> Option<String> {
    let stem = word.strip_suffix(ending)?;
    (stem.chars().count() >= *least).then(|| format!("{stem}{other}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plurals_lead_to_their_singulars() {
        let table = [
            ("leaves", Some("leaf")),
            ("knife", Some("knif")),
            ("knives", Some("knif")),
            ("boxes", Some("box")),
            ("berries", Some("berry")),
            ("grass", Some("grass")),
            ("cactus", Some("cactus")),
            ("as", None),
        ];
        for (word, expected) in table {
            assert_eq!(singular(word).as_deref(), expected, "{word}");
        }
        let table = [
            ("dormice", "dormouse"),
            ("cacti", "cactus"),
            ("larvae", "larva"),
            ("bacteria", "bacterium"),
            ("indices", "index"),
        ];
        for (word, expected) in table {
            assert!(irregular_singulars(word).contains(&expected.to_owned()), "{word}");
        }
        assert_eq!(irregular_singulars("alibi"), ["alibus"], "no word, and no class is called so");
        assert_eq!(without_accents("crème brûlée"), "creme brulee");
    }

    #[test]
    fn both_sides_of_the_atlantic_are_one() {
        for (british, other) in [
            ("colour", "color"),
            ("coloured", "colored"),
            ("fibre", "fiber"),
            ("theatre", "theater"),
            ("grey", "gray"),
            ("catalogue", "catalog"),
            ("traveller", "traveler"),
            ("foetus", "fetus"),
        ] {
            assert!(american(british).contains(&other.to_owned()), "{british}");
        }
        for word in ["four", "hour", "rise", "ogre"] {
            assert!(american(word).is_empty(), "{word}");
        }
    }
}
