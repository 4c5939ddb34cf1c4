//! The images that are on the page, each once however often it is shown.

use std::collections::HashMap;

use sieve_core::reading::Pixels;

use super::pictures::{base64, jpeg};
use crate::present::sheet::within;

/// Bytes that thumbnails may take on the page, as they are written there.
const MOST_BYTES: usize = 17 << 20;

/// Images of the page, in the order in which they came.
#[derive(Default)]
pub struct ImageRegistry {
    /// Numbers of their records.
    pub records: Vec<usize>,
    /// Their thumbnails as base64 of a JPEG; empty where there is none.
    pub thumbnails: Vec<String>,
    numbers: HashMap<usize, u32>,
    wanted: Vec<bool>,
}

impl ImageRegistry {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn images_are_there_once_and_the_first_ones_get_the_room() {
        let mut album = ImageRegistry::default();
        assert_eq!([7, 3, 7, 9].map(|record| album.add(record, record != 9)), [0, 1, 0, 2]);
        assert_eq!((album.wanted(), album.number(9), album.number(5)), (vec![0, 1], Some(2), None));
        // Wanted later by another case.
        album.add(9, true);
        assert_eq!(album.wanted(), [0, 1, 2]);
        let large = vec![7u8; MOST_BYTES * 3 / 5];
        album.take(vec![Some(large.clone()), Some(large), Some(vec![1, 2, 3])]);
        let filled: Vec<bool> = album.thumbnails.iter().map(|text| !text.is_empty()).collect();
        assert_eq!(filled, [true, false, true]);
        assert_eq!(album.thumbnails[2], "AQID");
    }

    #[test]
    fn the_more_images_the_smaller_they_are() {
        let side = |count: usize| {
            let mut album = ImageRegistry::default();
            (0..count).for_each(|record| _ = album.add(record, true));
            album.side_px()
        };
        let sides: Vec<u32> = [1, 1500, 1501, 8000, 20_000].into_iter().map(side).collect();
        assert_eq!(sides, [224, 224, 160, 112, 80]);
        let grey = |width_px: u32, height_px: u32| Pixels {
            width_px,
            height_px,
            data: vec![90; (width_px * height_px * 3) as usize],
        };
        let limits = sieve_core::reading::ReadLimits::default();
        let sides = |pixels: Pixels| {
            let image = sieve_core::reading::decode(&thumbnail(&pixels, 80), &limits).unwrap();
            (image.pixels.width_px, image.pixels.height_px, image.pixels.at(3, 3))
        };
        assert_eq!(sides(grey(320, 200)), (80, 50, [90; 3]));
        assert_eq!(sides(grey(50, 70)), (50, 70, [90; 3]));
    }
}
