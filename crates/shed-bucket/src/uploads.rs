//! Uploads in parts: nothing is visible before they are completed.

use std::collections::BTreeMap;

/// An upload that is under way.
#[derive(Debug)]
pub(crate) struct Upload {
    pub key: String,
    parts: BTreeMap<u32, Vec<u8>>,
}

/// Uploads by their names.
#[derive(Debug, Default)]
pub(crate) struct Uploads {
    begun: u64,
    open: BTreeMap<String, Upload>,
}

impl Uploads {
    /// Begins an upload; its name.
    pub fn begin(&mut self, key: &str) -> String {
        self.begun += 1;
        let name = format!("upload-{}", self.begun);
        self.open.insert(name.clone(), Upload { key: key.to_owned(), parts: BTreeMap::new() });
        name
    }

    /// Keeps a part; false where there is no such upload.
    pub fn put(&mut self, name: &str, number: u32, bytes: Vec<u8>) -> bool {
        let upload = self.open.get_mut(name);
        upload.map(|upload| upload.parts.insert(number, bytes)).is_some()
    }

    /// Ends an upload; its key and bytes.
    pub fn complete(&mut self, name: &str) -> Option<(String, Vec<u8>)> {
        let upload = self.open.remove(name)?;
        Some((upload.key, upload.parts.into_values().flatten().collect()))
    }

    /// Gives an upload up; false where there is no such upload.
    pub fn abort(&mut self, name: &str) -> bool {
        self.open.remove(name).is_some()
    }

    /// Uploads that were neither completed nor given up.
    pub fn open(&self) -> usize {
        self.open.len()
    }
}
