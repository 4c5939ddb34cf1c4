//! Where the page finds the files of the collection: addresses relative to its own folder, so that both can be moved
//! together.

use std::collections::HashMap;
use std::path::{Component, Path, PathBuf};

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_encode};

/// All but the unreserved characters of RFC 3986, 2.3.
const RESERVED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// Makes addresses for a page in one folder.
pub struct Addresses {
    folder: PathBuf,
    /// Folders of files, as they are without links and dots.
    known: HashMap<PathBuf, PathBuf>,
}

impl Addresses {
    /// For a page that lies in `folder`.
    pub fn new(folder: &Path) -> Self {
        let folder = folder.canonicalize().unwrap_or_else(|_| folder.to_owned());
        Addresses { folder, known: HashMap::new() }
    }

    /// The address of a file.
    pub fn of(&mut self, file: &Path) -> String {
        let parent = file.parent().unwrap_or(Path::new("."));
        let parent = self.known.entry(parent.to_owned()).or_insert_with(|| {
            let here = if parent.as_os_str().is_empty() { Path::new(".") } else { parent };
            here.canonicalize().unwrap_or_else(|_| parent.to_owned())
        });
        relative(&self.folder, &parent.join(file.file_name().unwrap_or_default()))
    }
}

/// `file` as it is addressed from `folder`; both without links and dots.
fn relative(folder: &Path, file: &Path) -> String {
    let common = folder.components().zip(file.components()).take_while(|(a, b)| a == b).count();
    let mut address = if common == 0 { "file:///".to_owned() } else { String::new() };
    if common > 0 {
        address.push_str(&"../".repeat(folder.components().count() - common));
    }
    let parts: Vec<String> = file
        .components()
        .skip(common)
        .filter(|part| !matches!(part, Component::RootDir))
        .map(|part| percent_encode(part.as_os_str().as_encoded_bytes(), RESERVED).to_string())
        .collect();
    address + &parts.join("/")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_addressed_from_where_the_page_lies() {
        let address = |folder: &str, file: &str| relative(Path::new(folder), Path::new(file));
        assert_eq!(address("/shed", "/shed/herbs/sage/1.jpg"), "herbs/sage/1.jpg");
        assert_eq!(address("/shed/pages", "/shed/herbs/1.jpg"), "../herbs/1.jpg");
        assert_eq!(
            address("/shed", "/shed/a b#?%/\"<ü>.png"),
            "a%20b%23%3F%25/%22%3C%C3%BC%3E.png"
        );
        assert_eq!(address("/shed", "/shed/javascript:x.png"), "javascript%3Ax.png");
        assert_eq!(address("here", "/shed/1.png"), "file:///shed/1.png");
    }

    /// The file that a browser opens for an address on a page in `folder` (RFC 3986, 5.2).
    fn opened(folder: &Path, address: &str) -> Vec<u8> {
        let mut parts: Vec<Vec<u8>> = folder
            .components()
            .skip(1)
            .map(|part| part.as_os_str().as_encoded_bytes().to_vec())
            .collect();
        for part in address.split('/') {
            if part == ".." {
                parts.pop();
                continue;
            }
            let mut bytes = Vec::new();
            let mut rest = part.as_bytes();
            while let Some((&first, after)) = rest.split_first() {
                if first == b'%' {
                    let digits = std::str::from_utf8(&after[..2]).unwrap();
                    bytes.push(u8::from_str_radix(digits, 16).unwrap());
                    rest = &after[2..];
                } else {
                    bytes.push(first);
                    rest = after;
                }
            }
            parts.push(bytes);
        }
        [b"/".to_vec(), parts.join(&b'/')].concat()
    }

    #[test]
    fn a_browser_comes_to_the_file_whatever_its_name_is() {
        for folder in ["/shed", "/shed/pages/of/2026", "/"] {
            for name in [
                "a b",
                "%41",
                "a%2fb",
                "..b",
                "?q#f",
                "c:d",
                "\"'<>&",
                "薄荷",
                "\u{202e}x",
                "a\\b",
                "\n",
            ] {
                let file = PathBuf::from(format!("/shed/herbs/{name}/{name}.jpg"));
                let address = relative(Path::new(folder), &file);
                let is_plain = |c: char| c.is_ascii_alphanumeric() || "-._~%/".contains(c);
                assert!(address.chars().all(is_plain), "{address}");
                let opened = opened(Path::new(folder), &address);
                assert_eq!(opened, file.as_os_str().as_encoded_bytes(), "{address}");
            }
        }
    }
}
