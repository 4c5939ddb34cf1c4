//! What `scripts/bench-reading` compares the program with, and parts of it alone. Without
//! arguments, as `cargo bench` calls it, it says how it is used.
//!
//!     reading decode FOLDER    every image decoded in full by the library alone, one thread
//!     reading walk FOLDER      the collection listed, nothing read
//!     reading paint FOLDER COUNT WIDTH HEIGHT baseline|progressive|png

use std::path::{Path, PathBuf};

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;
use sieve_core::collection::{self, Request};
use sieve_core::progress::NoProgress;
use sieve_core::reading::{self, ReadLimits};

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    let words: Vec<&str> = arguments.iter().map(String::as_str).collect();
    match words[..] {
        ["decode", folder] => decode(Path::new(folder)),
        ["walk", folder] => {
            let collection =
                collection::open(&Request::at(folder), &collection::NoCache, &NoProgress)
                    .expect("a folder");
            println!("{}", collection.entries.len());
        }
        ["paint", folder, count, width, height, form] => {
            let number = |text: &str| text.parse().expect("a whole number");
            paint(Path::new(folder), number(count), number(width), number(height), form);
        }
        _ => println!("see scripts/bench-reading"),
    }
}

fn decode(folder: &Path) {
    let collection = collection::open(&Request::at(folder), &collection::NoCache, &NoProgress)
        .expect("a folder");
    let mut sum = 0u64;
    for entry in &collection.entries {
        let bytes = std::fs::read(folder.join(entry.path.native())).expect("a readable file");
        let image = reading::decode(&bytes, &ReadLimits::default()).expect("an image").pixels;
        // Read, so that the decoding is not left away.
        sum += u64::from(image.data[image.data.len() / 2]);
    }
    println!("{} {sum}", collection.entries.len());
}

/// Paints images with slopes, edges and grain, so that they compress like photographs.
fn paint(folder: &Path, count: usize, width: usize, height: usize, form: &str) {
    let mut state = 1u32;
    for number in 0..count {
        let mut data = Vec::with_capacity(width * height * 3);
        let (slant, wave) = (1 + number % 7, 20 + number % 90);
        for y in 0..height {
            for x in 0..width {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let grain = (state >> 28) as usize;
                let edge = if (x * slant + y) / wave % 2 == 0 { 60 } else { 0 };
                let value = (x * 120 / width + y * 60 / height + edge + grain).min(255) as u8;
                data.extend([value, 255 - value, value / 2 + (number % 100) as u8]);
            }
        }
        let image = Picture { width, height, data };
        let (bytes, extension) = match form {
            "png" => (encode::png(&image), "png"),
            "progressive" => (encode::jpeg(&image, 90.0, Jpeg::Progressive, None), "jpg"),
            _ => (encode::jpeg(&image, 90.0, Jpeg::Baseline, None), "jpg"),
        };
        let class: PathBuf = folder.join(format!("class-{:02}", number % 20));
        std::fs::create_dir_all(&class).expect("a folder to write to");
        let file = class.join(format!("{number:06}.{extension}"));
        std::fs::write(file, bytes).expect("a file to write to");
    }
}
