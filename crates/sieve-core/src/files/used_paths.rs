//! Which paths of a tree that is being laid out are taken.

use std::collections::HashMap;

use unicode_normalization::UnicodeNormalization;

use super::InsidePath;

/// The paths that are taken, as file systems see them that tell neither case nor the Unicode form of a name apart: so
/// that a tree can be stored on any of them.
#[derive(Debug, Default)]
pub struct UsedPaths {
    /// The last number that was tried for each path.
    last: HashMap<String, u64>,
}

impl UsedPaths {
    fn key(path: &InsidePath) -> String {
        path.as_path().to_string_lossy().nfc().collect::<String>().to_lowercase()
    }

    /// Takes a path; false when it was taken already.
    pub fn take(&mut self, path: &InsidePath) -> bool {
        match self.last.entry(Self::key(path)) {
            std::collections::hash_map::Entry::Occupied(_) => false,
            std::collections::hash_map::Entry::Vacant(free) => {
                free.insert(1);
                true
            }
        }
    }

    /// Takes the path, or the first free one of `name-2.jpg`, `name-3.jpg` and so on.
    pub fn take_numbered(&mut self, path: InsidePath) -> InsidePath {
        if self.take(&path) {
            return path;
        }
        // Nothing is ever given back: what was tried for this name before need not be tried again.
        let key = Self::key(&path);
        loop {
            let last = self.last.get_mut(&key).expect("the path is taken");
            *last += 1;
            let numbered = path.numbered(*last);
            if self.take(&numbered) {
                return numbered;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use super::*;

    #[test]
    fn names_are_numbered_in_order_and_never_given_twice() {
        let mut used = UsedPaths::default();
        let mut take = |name: &str| {
            let path = used.take_numbered(InsidePath::of_names(["bay", name]).unwrap());
            path.file_name().to_str().unwrap().to_owned()
        };
        assert_eq!(take("a.jpg"), "a.jpg");
        assert_eq!(take("a-2.jpg"), "a-2.jpg");
        assert_eq!(take("A.jpg"), "A-3.jpg");
        assert_eq!(take("a.jpg"), "a-4.jpg");
        assert_eq!(take("e\u{301}"), "e\u{301}");
        assert_eq!(take("\u{e9}"), "\u{e9}-2");
        // In time that grows with the number of files, not with its square.
        let many: HashSet<String> = (0..20_000).map(|_| take("image.jpg")).collect();
        assert_eq!(many.len(), 20_000);
        assert!(many.contains("image-20000.jpg"));
    }
}
