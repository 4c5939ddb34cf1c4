//! Labels in file names: a small pattern with named parts.

use std::collections::HashSet;
use std::fmt;
use std::str::FromStr;

/// A pattern for names, such as `{class}_{n}.jpg`.
///
/// `{n}` stands for digits, `{*}` for anything or nothing, every other `{name}` for at least one
/// letter; all other text for itself. No part reaches across a `/`. Each part takes as much as it
/// can, from left to right. A pattern without a `.` in its last name need not match the extension. A pattern without `/` is compared with the file's name, one with `/`
/// with its whole path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern {
    text: String,
    parts: Vec<Part>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Part {
    Text(String),
    Digits,
    Anything,
    Named(String),
}

/// What the named parts of a pattern matched, by name, in the pattern's order.
pub type Matched<'a> = Vec<(&'a str, &'a str)>;

impl Pattern {
    /// The pattern as it was written.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The names of the parts other than `class`, `split` and `group`.
    pub fn extra(&self) -> Vec<String> {
        let names = self.parts.iter().filter_map(|part| match part {
            Part::Named(name) if !["class", "split", "group"].contains(&name.as_str()) => {
                Some(name.clone())
            }
            _ => None,
        });
        names.collect()
    }

    /// The pattern that tells by its named parts what stays together; it needs no class.
    ///
    /// # Errors
    ///
    /// What is wrong with it.
    pub fn of_groups(text: &str) -> Result<Self, String> {
        let pattern = Self::parsed(text)?;
        match pattern.parts.iter().any(|part| matches!(part, Part::Named(_))) {
            true => Ok(pattern),
            false => Err("it has no named part; expected, for example, plant-{id}_*".to_owned()),
        }
    }

    /// What the named parts stand for in `path`; none when it does not match.
    pub fn matches<'a>(&'a self, path: &'a str) -> Option<Matched<'a>> {
        let subject = if self.text.contains('/') {
            path
        } else {
            path.rsplit_once('/').map_or(path, |(_, name)| name)
        };
        let search = |subject: &'a str| {
            let mut search = Search { subject, parts: &self.parts, dead: HashSet::new() };
            let mut found = Vec::new();
            search.from(0, 0, &mut found).then(|| {
                found.reverse();
                found
            })
        };
        let without_extension = || {
            let name = self.text.rsplit('/').next().unwrap_or_default();
            let (stem, extension) = subject.rsplit_once('.')?;
            let is_extension = !name.contains('.') && !extension.contains('/');
            is_extension.then(|| search(stem))?
        };
        search(subject).or_else(without_extension)
    }
}

/// The search for one match. What failed once is not tried again, so that no name takes long.
struct Search<'a> {
    subject: &'a str,
    parts: &'a [Part],
    dead: HashSet<(usize, usize)>,
}

impl<'a> Search<'a> {
    /// Whether the parts from `part` on match the subject from `at` on; the last part's find is
    /// pushed first.
    fn from(&mut self, part: usize, at: usize, found: &mut Vec<(&'a str, &'a str)>) -> bool {
        let subject = self.subject;
        let Some(this) = self.parts.get(part) else {
            return at == subject.len();
        };
        let rest = &subject[at..];
        if let Part::Text(text) = this {
            return rest.starts_with(text.as_str()) && self.from(part + 1, at + text.len(), found);
        }
        if self.dead.contains(&(part, at)) {
            return false;
        }
        let fits = |c: char| match this {
            Part::Digits => c.is_ascii_digit(),
            _ => c != '/',
        };
        let longest = rest.find(|c| !fits(c)).unwrap_or(rest.len());
        let shortest = usize::from(*this != Part::Anything);
        for length in (shortest..=longest).rev().filter(|&length| rest.is_char_boundary(length)) {
            if self.from(part + 1, at + length, found) {
                if let Part::Named(name) = this {
                    found.push((name, &rest[..length]));
                }
                return true;
            }
        }
        self.dead.insert((part, at));
        false
    }
}

impl FromStr for Pattern {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let pattern = Self::parsed(text)?;
        let is_class = |part: &Part| matches!(part, Part::Named(name) if name == "class");
        match pattern.parts.iter().any(is_class) {
            true => Ok(pattern),
            false => Err("it has no {class}; expected, for example, {class}_{n}.jpg".to_owned()),
        }
    }
}

impl Pattern {
    /// The pattern in `text`, whatever its parts.
    fn parsed(text: &str) -> Result<Self, String> {
        let mut parts = Vec::new();
        let mut rest = text;
        while !rest.is_empty() {
            let (before, after) = rest.split_once('{').unwrap_or((rest, ""));
            if before.contains('}') {
                return Err("a } has no matching {".to_owned());
            }
            if !before.is_empty() {
                parts.push(Part::Text(before.to_owned()));
            }
            if before.len() == rest.len() {
                break;
            }
            let (name, behind) = after.split_once('}').ok_or("a { is not closed by }")?;
            let is_word = |c: char| c.is_alphanumeric() || c == '_' || c == '-';
            parts.push(match name {
                "n" => Part::Digits,
                "*" => Part::Anything,
                name if !name.is_empty() && name.chars().all(is_word) => {
                    Part::Named(name.to_owned())
                }
                _ => return Err(format!("{{{name}}} is not a valid name")),
            });
            rest = behind;
        }
        let names = |wanted: &str| {
            parts.iter().filter(|part| matches!(part, Part::Named(name) if name == wanted)).count()
        };
        for part in &parts {
            if let Part::Named(name) = part
                && names(name) > 1
            {
                return Err(format!("{{{name}}} occurs more than once"));
            }
        }
        Ok(Pattern { text: text.to_owned(), parts })
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_take_what_they_can() {
        let table = [
            ("{class}.{n}.jpg", "sage.12.jpg", Some("class=sage")),
            ("{class}.{n}.jpg", "any/where/sage.12.jpg", Some("class=sage")),
            ("{class}.{n}.jpg", "sage.twelve.jpg", None),
            ("{class}.{n}.jpg", "sage.12.jpeg", None),
            ("{class}_{n}.{*}", "bay_leaf_003.png", Some("class=bay_leaf")),
            ("{class}{n}{*}", "薄荷7", Some("class=薄荷")),
            ("{split}/{class}_{*}", "train/sage_3_left.jpg", Some("split=train class=sage_3")),
            ("{split}/{class}_{*}", "deep/train/sage_3.jpg", None),
            ("{group}-{class}-{rack}.jpg", "7-bay-b.jpg", Some("group=7 class=bay rack=b")),
            ("{class}{*}", "", None),
        ];
        for (pattern, path, expected) in table {
            let pattern: Pattern = pattern.parse().unwrap();
            let found = pattern.matches(path).map(|found| {
                let found: Vec<String> = found.iter().map(|(n, v)| format!("{n}={v}")).collect();
                found.join(" ")
            });
            assert_eq!(found.as_deref(), expected, "{pattern} {path}");
        }
        let slow: Pattern = "{a}a{b}a{c}a{d}a{e}a{class}b".parse().unwrap();
        assert_eq!(slow.matches(&"a".repeat(2000)), None);
    }

    #[test]
    fn patterns_that_make_no_sense_are_refused() {
        for pattern in ["", "{n}.jpg", "{class", "class}", "{class}{class}", "{}{class}", "{a b}"] {
            assert!(pattern.parse::<Pattern>().is_err(), "{pattern}");
        }
    }
}
