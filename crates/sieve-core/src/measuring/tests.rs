//! Measures of images whose numbers are known, and fast code against slow twins.

use herb_shed::encode::{self, Exif, Jpeg};
use herb_shed::paint::Picture;
use proptest::prelude::*;

use super::grid::{Averager, SIDE};
use super::{Digest, Measured, Thumbnail, measure};
use crate::reading::{ReadLimits, Rows, Shape, decode};

/// An image of `width` x `height` whose colours `colour` gives.
fn painted(width: usize, height: usize, colour: impl Fn(usize, usize) -> [u8; 3]) -> Picture {
    let data = (0..width * height).flat_map(|at| colour(at % width, at / width));
    Picture { width, height, data: data.collect() }
}

fn measured(file: &[u8]) -> (Measured, Thumbnail) {
    measure(file, &ReadLimits::default()).unwrap()
}

/// The mean colour of a cell, from the definition: every pixel by the area that lies in it.
fn slow_cell(rgb: &[u8], shape: Shape, column: usize, row: usize, channel: usize) -> f64 {
    let overlap = |cell: usize, length: f64, pixel: u32| {
        let (from, to) =
            (cell as f64 * length / SIDE as f64, (cell + 1) as f64 * length / SIDE as f64);
        (to.min(f64::from(pixel + 1)) - from.max(f64::from(pixel))).max(0.0)
    };
    let (mut sum, mut area) = (0.0, 0.0);
    for y in 0..shape.rows {
        let down = overlap(row, shape.height, y);
        for x in 0..shape.columns {
            let weight = down * overlap(column, shape.width, x);
            let at = (y * shape.columns + x) as usize * 3 + channel;
            sum += weight * f64::from(rgb[at]);
            area += weight;
        }
    }
    sum / area
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn the_grid_is_the_mean_of_what_lies_in_each_cell(
        columns in 1u32..150, rows in 1u32..150, cut in (0u32..8, 0u32..8), seed in any::<u32>(),
    ) {
        // Only what is scaled by eighths is cut, and it keeps 64 pixels.
        let length = |pixels: u32, cut: u32| {
            f64::from(pixels) - if pixels > SIDE as u32 { f64::from(cut) / 8.0 } else { 0.0 }
        };
        let (width, height) = (length(columns, cut.0), length(rows, cut.1));
        let shape = Shape { columns, rows, width, height };
        let mut state = seed;
        let rgb: Vec<u8> = (0..columns * rows * 3).map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 24) as u8
        }).collect();
        let mut averager = Averager::new(SIDE);
        averager.begin(shape);
        rgb.chunks_exact(columns as usize * 3).for_each(|row| averager.row(row));
        let (grid, deviation) = averager.finish().unwrap();
        for (column, row) in [(0, 0), (63, 63), (0, 63), (31, 17), (40, 62), (63, 5)] {
            for channel in 0..3 {
                let slow = slow_cell(&rgb, shape, column, row, channel);
                let fast = f64::from(grid.0[channel][row * SIDE + column]);
                prop_assert!((slow - fast).abs() < 0.5, "{column} {row}: {slow} {fast}");
            }
        }
        let reds: Vec<f64> = rgb.iter().step_by(3).map(|&red| f64::from(red)).collect();
        let mean = reds.iter().sum::<f64>() / reds.len() as f64;
        let variance = reds.iter().map(|red| (red - mean).powi(2)).sum::<f64>() / reds.len() as f64;
        prop_assert!((f64::from(deviation[0]) - variance.sqrt()).abs() < 0.01);
    }
}

#[test]
fn very_long_pictures_do_not_overflow() {
    for (columns, rows) in [(1u32, 150_000u32), (150_000, 1)] {
        let mut averager = Averager::new(SIDE);
        averager.begin(Shape::full(columns, rows));
        let row = vec![255; columns as usize * 3];
        (0..rows).for_each(|_| averager.row(&row));
        let (grid, deviation) = averager.finish().unwrap();
        assert!(grid.0.iter().flatten().all(|value| (value - 255.0).abs() < 0.1), "{columns}");
        assert_eq!(deviation, [0.0; 3]);
    }
}

#[test]
fn pictures_with_known_numbers() {
    let flat = measured(&encode::png(&painted(100, 50, |_, _| [200, 100, 0]))).0;
    assert_eq!(flat.measures.mean.map(f32::round), [200.0, 100.0, 0.0]);
    assert_eq!((flat.measures.deviation, flat.measures.sharpness), ([0.0; 3], 0.0));
    assert!((flat.measures.brightness - (0.299 * 200.0 + 0.587 * 100.0) / 255.0).abs() < 1e-4);
    assert!((flat.measures.saturation - 1.0).abs() < 1e-4 && flat.measures.contrast < 1e-4);
    assert_eq!((flat.measures.flat_share, flat.aspect()), (1.0, 2.0));
    assert_eq!(flat.fingerprint.0, [0; 32], "nothing to tell it by");

    // The left half black, the right half white.
    let halves =
        measured(&encode::png(&painted(128, 128, |x, _| [if x < 64 { 0 } else { 255 }; 3]))).0;
    assert_eq!(halves.measures.deviation, [127.5; 3]);
    assert!((halves.measures.contrast - 0.5).abs() < 1e-4);
    // In each row one difference, and two second differences as large.
    assert!((halves.measures.sharpness - 0.5).abs() < 1e-4, "{}", halves.measures.sharpness);
    // The same edge over four cells: a quarter each, which begin and end once.
    let soft = painted(128, 128, |x, _| [(x.saturating_sub(60) / 2 * 64).min(255) as u8; 3]);
    let soft = measured(&encode::png(&soft)).0.measures.sharpness;
    assert!((soft - 0.125).abs() < 2e-3, "{soft}");
    assert_eq!((halves.measures.saturation, halves.measures.flat_share), (0.0, 0.5));
}

/// Slopes and edges: like a photograph, the same at every size.
fn scene(width: usize, height: usize) -> Picture {
    painted(width, height, |x, y| {
        let (x, y) = (x as f64 / width as f64, y as f64 / height as f64);
        let wave = (x * 9.0 + (y * 7.0).sin() * 2.0).sin() * 60.0;
        let edge = if (x - 0.4).powi(2) + (y - 0.6).powi(2) < 0.06 { 70.0 } else { 0.0 };
        [100.0 + wave + edge, 120.0 - wave / 2.0 + edge * x, 90.0 + 50.0 * y].map(|v| v as u8)
    })
}

#[test]
fn a_picture_is_known_again_in_any_size_and_form() {
    let original = measured(&encode::png(&scene(500, 375)));
    let others = [
        ("saved again", encode::jpeg(&scene(500, 375), 60.0, Jpeg::Baseline, None)),
        ("larger", encode::jpeg(&scene(1999, 1501), 85.0, Jpeg::Progressive, None)),
        ("smaller", encode::png(&scene(130, 97))),
    ];
    for (name, file) in others {
        let other = measured(&file);
        let distance = original.0.fingerprint.distance_bits(other.0.fingerprint);
        assert!(distance <= 12, "{name}: {distance} bits");
        let thumbnails = original.1.0.iter().zip(&other.1.0);
        let most = thumbnails.map(|(a, b)| a.abs_diff(*b)).max();
        assert!(most <= Some(12), "{name}: {most:?}");
        assert!(
            (original.0.measures.brightness - other.0.measures.brightness).abs() < 0.01,
            "{name}"
        );
    }
    let another = measured(&encode::png(&painted(500, 375, |x, y| [(x ^ y) as u8; 3])));
    assert!(original.0.fingerprint.distance_bits(another.0.fingerprint) > 60);
}

#[test]
fn pictures_are_measured_upright_and_their_camera_is_told() {
    let upright = measured(&encode::png(&scene(200, 150)));
    // Stored turned: column and row of the file are row and column, from the right, of what is seen.
    let seen = scene(200, 150);
    let at = |x: usize, y: usize| {
        let at = (y * 200 + x) * 3;
        [seen.data[at], seen.data[at + 1], seen.data[at + 2]]
    };
    let stored = painted(150, 200, |column, row| at(199 - row, column));
    let exif = Exif { taken: "2026:07:06 08:00:00".into(), camera: "Bench", orientation: 6 };
    let turned = measured(&encode::jpeg(&stored, 97.0, Jpeg::Baseline, Some(&exif)));
    assert_eq!((turned.0.facts.width_px, turned.0.facts.height_px), (200, 150));
    let bits = turned.0.fingerprint.distance_bits(upright.0.fingerprint);
    assert!(bits <= 6, "{bits}");
    assert_eq!(turned.0.facts.captured.as_deref(), Some("2026-07-06T08:00:00"));
    assert!(turned.0.facts.camera.as_deref().unwrap().contains("Bench"));
}

#[test]
fn the_same_pixels_in_two_containers_have_one_digest() {
    let scene = scene(40, 30);
    let digest =
        |file: &[u8]| Digest::of_pixels(&decode(file, &ReadLimits::default()).unwrap().pixels);
    assert_eq!(digest(&encode::png(&scene)), digest(&encode::webp(&scene)));
    let turned = painted(30, 40, |x, y| [scene.data[(x * 30 + y) % 1000]; 3]);
    assert_ne!(digest(&encode::png(&scene)), digest(&encode::png(&turned)));
}

#[test]
fn the_pixels_of_small_pictures_are_those_that_are_seen() {
    let image = painted(30, 20, |x, y| [(x * 8) as u8, (y * 12) as u8, (x * y % 251) as u8]);
    let limits = ReadLimits::default();
    for orientation in 1..=8 {
        let taken = "2026:07:05 08:00:00".to_owned();
        let exif = Exif { taken, camera: "Box", orientation };
        let file = encode::jpeg(&image, 90.0, Jpeg::Baseline, Some(&exif));
        let seen = Digest::of_pixels(&decode(&file, &limits).unwrap().pixels);
        assert_eq!(measured(&file).0.small_pixels, Some(seen), "{orientation}");
        assert_eq!(Digest::of_image(&file, &limits).unwrap(), seen, "{orientation}");
    }
    let large = encode::png(&painted(48, 48, |_, _| [9; 3]));
    assert_eq!(measured(&large).0.small_pixels, None);
}

#[test]
fn a_grid_of_pixels_is_the_mean_of_their_parts() {
    let (width, height, side) = (23usize, 17usize, 5usize);
    let picture = painted(width, height, |x, y| {
        [(x * 11) as u8, (y * 13) as u8, ((x * 7 + y * 29) % 256) as u8]
    });
    let pixels = crate::reading::Pixels {
        width_px: width as u32,
        height_px: height as u32,
        data: picture.data.clone(),
    };
    let grid = super::grid_of(&pixels, side);
    for (channel, plane) in grid.iter().enumerate() {
        for (cell, found) in plane.iter().enumerate() {
            let (column, row) = ((cell % side) as f64, (cell / side) as f64);
            let overlap = |cell: f64, length: usize, pixel: usize| {
                let (from, to) = (
                    cell * length as f64 / side as f64,
                    (cell + 1.0) * length as f64 / side as f64,
                );
                (to.min(pixel as f64 + 1.0) - from.max(pixel as f64)).max(0.0)
            };
            let (mut sum, mut area) = (0.0, 0.0);
            for at in 0..width * height {
                let weight = overlap(column, width, at % width) * overlap(row, height, at / width);
                sum += weight * f64::from(picture.data[at * 3 + channel]);
                area += weight;
            }
            assert!((sum / area - f64::from(*found)).abs() < 0.6, "{channel} {cell}");
        }
    }
}
