//! Images as sixels: bands of six rows, colour by colour (DEC STD 070, chapter 9).

use std::fmt::Write;

use sieve_core::reading::Pixels;

/// Levels of each channel: six to the power of three are the 256 colours that every such terminal has.
const LEVELS: usize = 6;
/// Rows of a band.
const BAND: u32 = 6;
/// Where within its level a value is rounded up: an ordered pattern (Bayer, 1973), so that areas keep their mean.
const PATTERN: [[f32; 4]; 4] =
    [[0.0, 8.0, 2.0, 10.0], [12.0, 4.0, 14.0, 6.0], [3.0, 11.0, 1.0, 9.0], [15.0, 7.0, 13.0, 5.0]];

/// The number of the colour of a pixel.
fn colour(rgb: [u8; 3], x: u32, y: u32) -> usize {
    let threshold = (PATTERN[y as usize % 4][x as usize % 4] + 0.5) / 16.0;
    rgb.iter().fold(0, |number, &value| {
        let level = f32::from(value) / 255.0 * (LEVELS - 1) as f32 + threshold;
        number * LEVELS + (level as usize).min(LEVELS - 1)
    })
}

/// Appends a run of one letter.
fn repeat(drawn: &mut String, letter: char, times: usize) {
    if times > 3 {
        let _ = write!(drawn, "!{times}{letter}");
    } else {
        drawn.extend(std::iter::repeat_n(letter, times));
    }
}

/// An image as sixels.
pub fn sixel(pixels: &Pixels) -> String {
    let (width, height) = (pixels.width_px, pixels.height_px);
    let mut drawn = format!("\x1bPq\"1;1;{width};{height}");
    for number in 0..LEVELS.pow(3) {
        let percent = |level: usize| level * 100 / (LEVELS - 1);
        let (red, green, blue) =
            (number / (LEVELS * LEVELS), number / LEVELS % LEVELS, number % LEVELS);
        let _ = write!(drawn, "#{number};2;{};{};{}", percent(red), percent(green), percent(blue));
    }
    for top in (0..height).step_by(BAND as usize) {
        // For each colour which of the six rows have it, column by column.
        let mut rows: Vec<Option<Vec<u8>>> = vec![None; LEVELS.pow(3)];
        for y in top..(top + BAND).min(height) {
            for x in 0..width {
                let masks = &mut rows[colour(pixels.at(x, y), x, y)];
                let masks = masks.get_or_insert_with(|| vec![0; width as usize]);
                masks[x as usize] |= 1 << (y - top);
            }
        }
        for (number, masks) in rows.iter().enumerate() {
            let Some(masks) = masks else { continue };
            let _ = write!(drawn, "#{number}");
            for run in masks.chunk_by(|a, b| a == b) {
                repeat(&mut drawn, char::from(63 + run[0]), run.len());
            }
            drawn.push('$');
        }
        drawn.push('-');
    }
    drawn + "\x1b\\"
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The image that a terminal draws, by the book and slowly.
    fn drawn(text: &str, width: usize, height: usize) -> Vec<[f32; 3]> {
        let body = text.strip_prefix("\x1bPq").unwrap().strip_suffix("\x1b\\").unwrap();
        let mut pixels = vec![[-1.0; 3]; width * height];
        let mut palette = std::collections::HashMap::new();
        let (mut x, mut y, mut colour, mut times) = (0, 0, 0, 1);
        let mut letters = body.chars().peekable();
        let numbers = |letters: &mut std::iter::Peekable<std::str::Chars<'_>>| {
            let mut text = String::new();
            while let Some(letter) = letters.next_if(|one| one.is_ascii_digit() || *one == ';') {
                text.push(letter);
            }
            text.split(';').map(|one| one.parse().unwrap()).collect::<Vec<usize>>()
        };
        while let Some(letter) = letters.next() {
            match letter {
                '"' => assert_eq!(numbers(&mut letters), [1, 1, width, height]),
                '#' => match numbers(&mut letters)[..] {
                    [number] => colour = number,
                    [number, 2, red, green, blue] => {
                        let rgb = [red, green, blue].map(|one| one as f32 * 2.55);
                        palette.insert(number, rgb);
                    }
                    _ => panic!("a colour of other numbers"),
                },
                '!' => times = numbers(&mut letters)[0],
                '$' => x = 0,
                '-' => (x, y) = (0, y + 6),
                letter => {
                    for _ in 0..std::mem::replace(&mut times, 1) {
                        for row in 0..6 {
                            if (letter as u32 - 63) >> row & 1 == 1 {
                                let pixel = &mut pixels[(y + row) * width + x];
                                assert_eq!(*pixel, [-1.0; 3], "painted twice");
                                *pixel = palette[&colour];
                            }
                        }
                        x += 1;
                    }
                }
            }
        }
        pixels
    }

    #[test]
    fn every_pixel_is_painted_once_and_areas_keep_their_colour() {
        let (width, height) = (48u32, 37u32);
        let value = |x: u32, y: u32| [(x * 5) as u8, (y * 6) as u8, (255 - x * 2 - y * 3) as u8];
        let data = (0..height).flat_map(|y| (0..width).flat_map(move |x| value(x, y))).collect();
        let text = sixel(&Pixels { width_px: width, height_px: height, data });
        let pixels = drawn(&text, width as usize, height as usize);
        assert!(pixels.iter().flatten().all(|value| *value >= 0.0));
        for top in (0..32).step_by(8) {
            for left in (0..48).step_by(8) {
                for channel in [0, 1, 2] {
                    let area =
                        || (top..top + 8).flat_map(|y| (left..left + 8).map(move |x| (x, y)));
                    let mean = |of: &dyn Fn(u32, u32) -> f32| {
                        area().map(|(x, y)| of(x, y)).sum::<f32>() / 64.0
                    };
                    let (before, after) = (
                        mean(&|x, y| f32::from(value(x, y)[channel])),
                        mean(&|x, y| pixels[(y * width + x) as usize][channel]),
                    );
                    assert!((before - after).abs() < 8.0, "{left} {top}: {before} {after}");
                }
            }
        }
    }
}
