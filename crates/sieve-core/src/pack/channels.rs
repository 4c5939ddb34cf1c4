//! Mean and standard deviation of the channels of many images.

use serde::Serialize;

/// What the values of each channel add up to. Sums of whole numbers: they are the same in any order, to the last digit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ChannelSums {
    images: u64,
    pixels: u64,
    sums: [u128; 3],
    squares: [u128; 3],
}

/// Mean and standard deviation of each channel, of values from 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct ChannelStatistics {
    /// Images that were counted.
    pub images: u64,
    /// Pixels of all of them: an image counts by its area.
    pub pixels: u64,
    /// The means of red, green and blue.
    pub mean: [f64; 3],
    /// Their standard deviations, of all pixels and not of a sample (divided by their number).
    pub std: [f64; 3],
}

impl ChannelSums {
    /// The sums of one image: `rgb` holds three bytes a pixel.
    pub fn of(rgb: &[u8]) -> Self {
        let mut all = ChannelSums { images: 1, pixels: rgb.len() as u64 / 3, ..Default::default() };
        // Sums of 2^14 squares of bytes stay below 2^32.
        for block in rgb.chunks(3 << 14) {
            let (mut sums, mut squares) = ([0u32; 3], [0u32; 3]);
            for pixel in block.as_chunks::<3>().0 {
                for channel in 0..3 {
                    let value = u32::from(pixel[channel]);
                    sums[channel] += value;
                    squares[channel] += value * value;
                }
            }
            for channel in 0..3 {
                all.sums[channel] += u128::from(sums[channel]);
                all.squares[channel] += u128::from(squares[channel]);
            }
        }
        all
    }

    /// Adds the sums of other images.
    pub fn add(&mut self, other: &ChannelSums) {
        self.images += other.images;
        self.pixels += other.pixels;
        for channel in 0..3 {
            self.sums[channel] += other.sums[channel];
            self.squares[channel] += other.squares[channel];
        }
    }

    /// Mean and standard deviation; none of no pixels.
    pub fn statistics(&self) -> Option<ChannelStatistics> {
        let count = u128::from(self.pixels);
        if count == 0 {
            return None;
        }
        let mean = self.sums.map(|sum| sum as f64 / count as f64 / 255.0);
        let std = [0, 1, 2].map(|channel| {
            let (sum, squares) = (self.sums[channel], self.squares[channel]);
            // n * sum of squares - square of the sum, of whole numbers: nothing cancels.
            let spread = count * squares - sum * sum;
            (spread as f64).sqrt() / count as f64 / 255.0
        });
        Some(ChannelStatistics { images: self.images, pixels: self.pixels, mean, std })
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn they_are_those_of_all_values(
            images in prop::collection::vec(prop::collection::vec(any::<[u8; 3]>(), 1..60), 1..6),
        ) {
            let mut all = ChannelSums::default();
            images.iter().for_each(|image| all.add(&ChannelSums::of(image.as_flattened())));
            let found = all.statistics().unwrap();
            for channel in 0..3 {
                let values = images.iter().flatten().map(|pixel| f64::from(pixel[channel]) / 255.0);
                let values: Vec<f64> = values.collect();
                let mean = values.iter().sum::<f64>() / values.len() as f64;
                let off = values.iter().map(|value| (value - mean).powi(2)).sum::<f64>();
                prop_assert!((found.mean[channel] - mean).abs() < 1e-12);
                prop_assert!((found.std[channel] - (off / values.len() as f64).sqrt()).abs() < 1e-9);
            }
            prop_assert_eq!(found.images, images.len() as u64);
        }
    }

    #[test]
    fn a_large_image_of_the_lightest_pixels_does_not_overflow() {
        let white = ChannelSums::of(&vec![255; 3 * 100_000]).statistics().unwrap();
        assert_eq!((white.mean, white.std, white.pixels), ([1.0; 3], [0.0; 3], 100_000));
        assert_eq!(ChannelSums::default().statistics(), None);
    }
}
