//! Where an earlier split put each image, by its content.

use std::collections::HashMap;

use super::split_table::SplitTable;
use crate::measuring::Digest;

/// Where images were before, by their content: renaming does not matter.
#[derive(Clone, Debug, Default)]
pub struct Earlier {
    by_digest: HashMap<Digest, String>,
    /// Images of the earlier split.
    pub images: usize,
}

impl Earlier {
    /// What a table says. Of one content in several parts, which no table of ours has, the first counts.
    pub fn new(table: &SplitTable) -> Self {
        let mut by_digest = HashMap::new();
        for row in &table.rows {
            by_digest.entry(row.digest).or_insert_with(|| row.split.clone());
        }
        Earlier { by_digest, images: table.rows.len() }
    }

    /// The part that an image was in.
    pub fn part(&self, digest: Digest) -> Option<&str> {
        self.by_digest.get(&digest).map(String::as_str)
    }

    /// The names of its parts.
    pub fn parts(&self) -> Vec<&str> {
        let mut parts: Vec<&str> = self.by_digest.values().map(String::as_str).collect();
        parts.sort_unstable();
        parts.dedup();
        parts
    }
}
