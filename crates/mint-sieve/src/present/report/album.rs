//! The images that are on the page, each once however often it is shown.

use std::collections::HashMap;

use sieve_core::reading::Pixels;

use crate::present::sheet::within;
use crate::present::web::{base64, jpeg};

/// Bytes that thumbnails may take on the page, as they are written there.
const MOST_BYTES: usize = 17 << 20;

/// Images of the page, in the order in which they came.
#[derive(Default)]
pub struct Album {
    /// Numbers of their records.
    pub records: Vec<usize>,
    /// Their thumbnails as base64 of a JPEG; empty where there is none.
    pub thumbnails: Vec<String>,
    numbers: HashMap<usize, u32>,
    wanted: Vec<bool>,
}

impl Album {
    /// The number of an image on the page; those that come first get their thumbnails first.
    pub fn add(&mut self, record: usize, wants_thumbnail: bool) -> u32 {
        let next = self.records.len() as u32;
        let number = *self.numbers.entry(record).or_insert(next);
        if number == next {
            self.records.push(record);
            self.wanted.push(wants_thumbnail);
        }
        self.wanted[number as usize] |= wants_thumbnail;
        number
    }

    /// The number of an image that is on the page.
    pub fn number(&self, record: usize) -> Option<u32> {
        self.numbers.get(&record).copied()
    }

    /// The images whose thumbnails are wanted, by their numbers.
    pub fn wanted(&self) -> Vec<u32> {
        (0..self.records.len() as u32).filter(|&number| self.wanted[number as usize]).collect()
    }

    /// The longer side of thumbnails, so that as many as are wanted fit the page.
    pub fn side_px(&self) -> u32 {
        match self.wanted.iter().filter(|wanted| **wanted).count() {
            0..=1500 => 224,
            1501..=3500 => 160,
            3501..=8000 => 112,
            _ => 80,
        }
    }

    /// Takes the thumbnails of the wanted images, as far as they fit. One that cannot be read has none.
    pub fn take(&mut self, thumbnails: Vec<Option<Vec<u8>>>) {
        let wanted = self.wanted();
        self.thumbnails = vec![String::new(); self.records.len()];
        let mut left = MOST_BYTES;
        for (number, bytes) in wanted.into_iter().zip(thumbnails) {
            let Some(text) = bytes.map(|bytes| base64(&bytes)) else { continue };
            if let Some(rest) = left.checked_sub(text.len()) {
                left = rest;
                self.thumbnails[number as usize] = text;
            }
        }
    }
}

/// A thumbnail of at most these many pixels a side, as a JPEG.
pub fn thumbnail(pixels: &Pixels, side_px: u32) -> Vec<u8> {
    let is_small = pixels.width_px.max(pixels.height_px) <= side_px;
    if is_small { jpeg(pixels) } else { jpeg(&within(pixels, side_px, side_px)) }
}
