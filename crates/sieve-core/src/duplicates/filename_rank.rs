//! Which of several file names is the plainest: who copies a file adds to its name, or gives it one unlike all around it.

use std::cmp::Reverse;
use std::collections::HashMap;

use crate::files::RelPath;

/// Files of one folder that are named alike but for their numbers, from which on such a name is how files are named there.
const LEAST: u32 = 3;

/// How the files of each folder are named.
pub struct Naming {
    families: HashMap<(String, String), u32>,
}

/// The greater, the plainer: whether the name is like those around it, and how short it is.
pub type FileNameRank = (bool, Reverse<usize>);

impl Naming {
    /// Of all these files.
    pub fn new<'a>(paths: impl Iterator<Item = &'a RelPath>) -> Self {
        let mut families = HashMap::new();
        paths.for_each(|path| *families.entry(family(path)).or_insert(0) += 1);
        Naming { families }
    }

    /// How plain the name of one of these files is.
    pub fn plainness(&self, path: &RelPath) -> FileNameRank {
        let is_usual = self.families.get(&family(path)).is_some_and(|&files| files >= LEAST);
        (is_usual, Reverse(path.file_name().chars().count()))
    }
}

/// The folder, and the name with `0` for each number.
fn family(path: &RelPath) -> (String, String) {
    let mut name = String::new();
    for letter in path.file_name().chars() {
        match letter.is_ascii_digit() {
            true if name.ends_with('0') => {}
            true => name.push('0'),
            false => name.push(letter),
        }
    }
    (path.folder().to_owned(), name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::path::Path;

    #[test]
    fn a_name_like_its_siblings_is_plainer_than_a_shorter_one() {
        let names = ["sage-001.jpg", "sage-20.jpg", "sage-3.jpg", "sage-001 copy.jpg", "x.jpg"];
        let paths = names.map(|name| RelPath::new(Path::new(&format!("sage/{name}"))));
        let elsewhere = RelPath::new(Path::new("bay/sage-4.jpg"));
        let naming = Naming::new(paths.iter().chain([&elsewhere]));
        let mut plainest: Vec<&RelPath> = paths.iter().chain([&elsewhere]).collect();
        plainest.sort_by_key(|path| Reverse(naming.plainness(path)));
        let order: Vec<&str> = plainest.iter().map(|path| path.file_name()).collect();
        let expected = [
            "sage-3.jpg",
            "sage-20.jpg",
            "sage-001.jpg",
            "x.jpg",
            "sage-4.jpg",
            "sage-001 copy.jpg",
        ];
        assert_eq!(order, expected);
    }
}
