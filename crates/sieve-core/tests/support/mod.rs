//! Folders of small files, and what became of them.
#![allow(dead_code)] // every test file uses its own part of this

use std::fs;
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;
use sieve_core::catalog::{Catalog, Outcome, Reason, Record};
use sieve_core::progress::Watch;
use tempfile::TempDir;

/// A folder with these files; a path that ends in `/` is an empty folder.
pub fn folder(files: &[(&str, &[u8])]) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    for (path, content) in files {
        write(folder.path(), path, content);
    }
    folder
}

pub fn write(root: &Path, path: &str, content: &[u8]) {
    let file = root.join(path);
    if path.ends_with('/') {
        return fs::create_dir_all(file).unwrap();
    }
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    fs::write(file, content).unwrap();
}

/// A small JPEG; every `tone` is another picture.
pub fn jpeg(tone: u8) -> Vec<u8> {
    let data = (0..16 * 12 * 3).map(|at| (at as u8).wrapping_mul(3).wrapping_add(tone)).collect();
    encode::jpeg(&Picture { width: 16, height: 12, data }, 90.0, Jpeg::Baseline, None)
}

/// `path: what became of it`, a line a file.
pub fn outcomes(catalog: &Catalog) -> Vec<String> {
    let tell = |record: &Record| match &record.outcome {
        Outcome::Image(_) => format!("{}: image", record.path),
        Outcome::SetAside(Reason::Trouble(trouble)) => {
            let trouble = format!("{trouble:?}");
            let name = trouble.split(['(', ' ']).next().unwrap_or_default().to_owned();
            format!("{}: {name}", record.path)
        }
        Outcome::SetAside(Reason::Stray(_)) => format!("{}: stray", record.path),
        Outcome::SetAside(reason) => format!("{}: {reason:?}", record.path),
    };
    catalog.records.iter().map(tell).collect()
}

/// Stops after some steps, and counts them.
pub struct StopsAfter(pub u64, pub AtomicU64);

impl Watch for StopsAfter {
    fn begin(&self, _what: &'static str, _total: Option<u64>) {}
    fn advance(&self, steps: u64) {
        self.1.fetch_add(steps, Ordering::Relaxed);
    }
    fn stopped(&self) -> bool {
        self.1.load(Ordering::Relaxed) >= self.0
    }
}
