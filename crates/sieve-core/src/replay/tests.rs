use proptest::prelude::*;

use super::kernel::{KERNELS, resized};
use super::turn::Turn;
use super::{Replayable, is_copy_of, is_replayed};
use crate::affine::Affine;
use crate::reading::{Pixels, ReadLimits};

/// A drawing: rectangles on a light ground.
fn drawing(width_px: u32, height_px: u32, shapes: &[[u32; 7]]) -> Pixels {
    let mut data = Vec::new();
    for row in 0..height_px {
        for column in 0..width_px {
            let mut colour = [236, 240, 228];
            for &[left, top, width, height, red, green, blue] in shapes {
                let (left, top) = (left % width_px, top % height_px);
                if (left..left + 4 + width % 30).contains(&column)
                    && (top..top + 4 + height % 30).contains(&row)
                {
                    colour = [red, green, blue].map(|level| (level % 200) as u8);
                }
            }
            data.extend(colour);
        }
    }
    Pixels { width_px, height_px, data }
}

fn png(pixels: &Pixels) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, pixels.width_px, pixels.height_px);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&pixels.data).unwrap();
    writer.finish().unwrap();
    bytes
}

/// As an ordinary encoder writes it: every coefficient rounded to the nearest step.
fn jpeg(pixels: &Pixels, quality: f32, is_small_chroma: bool) -> Vec<u8> {
    let mut encoder = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
    encoder.set_size(pixels.width_px as usize, pixels.height_px as usize);
    encoder.set_fastest_defaults();
    encoder.set_quality(quality);
    let size = if is_small_chroma { (2, 2) } else { (1, 1) };
    encoder.set_chroma_sampling_pixel_sizes(size, size);
    let mut encoder = encoder.start_compress(Vec::new()).unwrap();
    encoder.write_scanlines(&pixels.data).unwrap();
    encoder.finish().unwrap()
}

fn replayable(bytes: &[u8]) -> Replayable {
    Replayable::decode(bytes, &ReadLimits::default()).unwrap()
}

/// A rectangle of an image.
fn cut(pixels: &Pixels, [left, top, width, height]: [u32; 4]) -> Pixels {
    let rows = top..top + height;
    let data =
        rows.flat_map(|row| (left..left + width).flat_map(move |column| pixels.at(column, row)));
    Pixels { width_px: width, height_px: height, data: data.collect() }
}

/// Where a rectangle of `from`, in pixels, becomes a whole image.
fn onto([left, top, width, height]: [f64; 4], [columns, rows]: [f64; 2]) -> Affine {
    let axis =
        |start: f64, length: f64, side: f64| (side / length, ((side / 2.0 - start) / length) - 0.5);
    let ((a, c), (e, f)) = (axis(left, width, columns), axis(top, height, rows));
    Affine([a, 0.0, c, 0.0, e, f])
}

const SIZE: [u32; 2] = [93, 78];

fn shapes() -> impl Strategy<Value = Vec<[u32; 7]>> {
    prop::collection::vec(any::<[u8; 7]>().prop_map(|one| one.map(u32::from)), 5..12)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn what_was_made_of_an_image_is_made_again_and_a_changed_detail_is_not(
        shapes in shapes(), kernel in 0..KERNELS.len(), percent in 55u32..160, way in 0u8..7,
        quality in 75f32..95.0, is_small_chroma: bool, place in any::<[u8; 2]>(),
    ) {
        let original = drawing(SIZE[0], SIZE[1], &shapes);
        let whole = SIZE.map(f64::from);
        let part = [7u32, 5, 70, 60];
        let (made, map) = match way {
            0 => (original.clone(), Affine::IDENTITY),
            1 => {
                let size = SIZE.map(|side| side * percent / 100);
                (resized(&original, size, &KERNELS[kernel], 0..size[1]), Affine::IDENTITY)
            }
            2 => {
                let turn = Turn { flip_x: true, ..Turn::default() };
                (turn.applied(&original), Affine([-1.0, 0.0, 0.0, 0.0, 1.0, 0.0]))
            }
            3 => {
                let turn = Turn { transpose: true, flip_x: true, flip_y: false };
                (turn.applied(&original), Affine([0.0, -1.0, 0.0, 1.0, 0.0, 0.0]))
            }
            4 => (cut(&original, part), onto(part.map(f64::from), whole)),
            5 => {
                let mut framed = drawing(SIZE[0] + 14, SIZE[1] + 10, &[]);
                framed.data.fill(255);
                for row in 0..SIZE[1] {
                    for column in 0..SIZE[0] {
                        let at = (((row + 5) * framed.width_px + column + 7) * 3) as usize;
                        framed.data[at..at + 3].copy_from_slice(&original.at(column, row));
                    }
                }
                let [columns, rows] = whole;
                (framed, onto([-7.0, -5.0, columns + 14.0, rows + 10.0], whole))
            }
            _ => {
                // Darker: of what is clipped when it becomes lighter too little may be left to tell the gain.
                let gain = (f64::from(percent) * 0.6).round() / 100.0;
                let lit = |level: &u8| (gain * f64::from(*level)).min(255.0) as u8;
                (Pixels { data: original.data.iter().map(lit).collect(), ..original }, Affine::IDENTITY)
            }
        };
        let from = replayable(&png(&original));
        let lossless = replayable(&png(&made));
        let lossy = replayable(&jpeg(&made, quality, is_small_chroma));
        // Small numbers of edges are not enough to tell.
        prop_assume!(lossless.is_explained_by(&made) && lossy.is_explained_by(&made));
        prop_assert!(is_replayed(&from, &lossless, &map), "way {way}");
        prop_assert!(is_copy_of(&lossy, &from, &map), "way {way}, saved");
        // Another drawing: one small square of it has another colour.
        let mut other = made.clone();
        let (x, y) = (u32::from(place[0]) % (made.width_px - 6), u32::from(place[1]) % (made.height_px - 6));
        for row in y..y + 6 {
            for column in x..x + 6 {
                let at = ((row * made.width_px + column) * 3) as usize;
                other.data[at..at + 3].iter_mut().for_each(|level| *level ^= 0x60);
            }
        }
        let drawn = replayable(&png(&other));
        prop_assert!(!is_copy_of(&drawn, &from, &map), "way {way}, another");
        let saved = replayable(&jpeg(&other, quality, is_small_chroma));
        prop_assert!(!is_copy_of(&saved, &from, &map), "way {way}, another saved");
    }

    #[test]
    fn kernels_leave_plain_images_plain_and_the_size_as_it_is(
        shapes in shapes(), size in [20u32..150, 20u32..150], level in any::<u8>(),
    ) {
        let image = drawing(SIZE[0], SIZE[1], &shapes);
        let plain = Pixels { data: vec![level; image.data.len()], ..image.clone() };
        for kernel in &KERNELS {
            let resized_plain = resized(&plain, size, kernel, 0..size[1]);
            prop_assert!(resized_plain.data.iter().all(|&value| value == level), "{kernel:?}");
            let same = resized(&image, SIZE, kernel, 0..SIZE[1]);
            prop_assert_eq!(&same, &image, "{:?}", kernel);
            // A band is that part of the whole.
            let all = resized(&image, size, kernel, 0..size[1]);
            let band = resized(&image, size, kernel, 5..15);
            let line = size[0] as usize * 3;
            prop_assert_eq!(&band.data[..], &all.data[5 * line..15 * line]);
        }
        // Every kernel that counts all samples gives means of blocks, where they are whole.
        let half = [SIZE[0] / 3, SIZE[1] / 3];
        let fitting = cut(&image, [0, 0, half[0] * 3, half[1] * 3]);
        let areas = KERNELS.iter().find(|kernel| format!("{kernel:?}").contains("Area")).unwrap();
        let means = resized(&fitting, half, areas, 0..half[1]);
        for row in 0..half[1] {
            for column in 0..half[0] {
                let block = cut(&fitting, [column * 3, row * 3, 3, 3]);
                let sum: f32 = block.data.iter().step_by(3).map(|&value| f32::from(value)).sum();
                prop_assert!((f32::from(means.at(column, row)[0]) - sum / 9.0).abs() <= 1.0);
            }
        }
    }
}

#[test]
fn what_cannot_be_told_is_not_proven() {
    let plain = drawing(64, 64, &[]);
    let one = replayable(&png(&plain));
    assert!(!is_replayed(&one, &replayable(&jpeg(&plain, 80.0, true)), &Affine::IDENTITY));
    // Nor what is tilted.
    let drawn =
        replayable(&png(&drawing(64, 64, &[[9, 9, 20, 20, 0, 0, 0], [3, 30, 25, 9, 90, 8, 3]])));
    assert!(is_replayed(&drawn, &drawn, &Affine::IDENTITY));
    assert!(!is_replayed(&drawn, &drawn, &Affine::rotate(9.0, (0.0, 0.0))));
}
