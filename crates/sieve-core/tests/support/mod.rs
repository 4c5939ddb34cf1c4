//! Folders of small files, and what became of them.
#![allow(dead_code)] // every test file uses its own part of this

use std::fs;
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;
use sieve_core::catalog::Catalog;
use sieve_core::progress::Progress;
use sieve_core::record::{Outcome, Reason, Record};
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

/// A JPEG of 64 x 48 pixels, the least that is recognised by its looks; every `tone` is another image.
pub fn jpeg(tone: u8) -> Vec<u8> {
    let data = (0..64 * 48 * 3).map(|at| (at as u8).wrapping_mul(3).wrapping_add(tone)).collect();
    encode::jpeg(&Picture { width: 64, height: 48, data }, 90.0, Jpeg::Baseline, None)
}

/// `path: what became of it`, a line a file.
pub fn outcomes(catalog: &Catalog) -> Vec<String> {
    let tell = |record: &Record| match &record.outcome {
        Outcome::Image(_) => format!("{}: image", record.path),
        Outcome::SetAside(Reason::ReadError(read_error)) => {
            let read_error = format!("{read_error:?}");
            let name = read_error.split(['(', ' ']).next().unwrap_or_default().to_owned();
            format!("{}: {name}", record.path)
        }
        Outcome::SetAside(Reason::Stray(_)) => format!("{}: stray", record.path),
        Outcome::SetAside(reason) => format!("{}: {reason:?}", record.path),
    };
    catalog.records.iter().map(tell).collect()
}

/// Stops after some steps, and counts them.
pub struct StopsAfter(pub u64, pub AtomicU64);

impl Progress for StopsAfter {
    fn begin(&self, _what: &'static str, _total: Option<u64>) {}
    fn advance(&self, steps: u64) {
        self.1.fetch_add(steps, Ordering::Relaxed);
    }
    fn stopped(&self) -> bool {
        self.1.load(Ordering::Relaxed) >= self.0
    }
}

/// An image that hardly any other one looks like: forty discs of any colour on a slope of grey.
pub fn discs(seed: u32, width: usize, height: usize) -> Picture {
    let mut state = seed.wrapping_mul(2_654_435_761).wrapping_add(12_345);
    let mut draw = move |below: usize| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as usize % below
    };
    let slope = |at: usize| [(60 + at % width / 4 + at / width / 4) as u8; 3];
    let mut data: Vec<u8> = (0..width * height).flat_map(slope).collect();
    for _ in 0..40 {
        let (x, y, radius) = (draw(width), draw(height), 6 + draw(width / 7));
        let colour = [draw(256) as u8, draw(256) as u8, draw(256) as u8];
        for at in 0..width * height {
            let (dx, dy) = ((at % width).abs_diff(x), (at / width).abs_diff(y));
            if dx * dx + dy * dy < radius * radius {
                data[at * 3..at * 3 + 3].copy_from_slice(&colour);
            }
        }
    }
    Picture { width, height, data }
}

/// The image whose pixels stand at `place` in `from`; none is a light grey.
pub fn taken(
    from: &Picture,
    width: usize,
    height: usize,
    place: impl Fn(usize, usize) -> Option<(usize, usize)>,
) -> Picture {
    let pixel = |at: usize| match place(at % width, at / width) {
        Some((x, y)) if x < from.width && y < from.height => {
            let at = (y * from.width + x) * 3;
            [from.data[at], from.data[at + 1], from.data[at + 2]]
        }
        _ => [200; 3],
    };
    Picture { width, height, data: (0..width * height).flat_map(pixel).collect() }
}
