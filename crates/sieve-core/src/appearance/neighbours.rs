//! The nearest neighbours of images: in their own class by thumbnail, and in all classes by numbers. All are found, none by
//! chance: what cannot be among the nearest is left out by a bound that holds.

use rayon::prelude::*;

use crate::Error;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::numeric::Table;
use crate::progress::Progress;

/// How many neighbours a distance is the mean of.
pub const NEAREST: usize = 3;
/// Values of a thumbnail that are summed to one, in each direction.
const BLOCK: usize = 4;
/// Sums of a thumbnail.
const SUMS: usize =
    (LUMA_PX / BLOCK) * (LUMA_PX / BLOCK) + 2 * (CHROMA_PX / BLOCK) * (CHROMA_PX / BLOCK);
/// Candidates that are measured first, to know what the others must stay below.
const FIRST: usize = 8;

/// How far an image is from the nearest of its own class and from those of the nearest other class.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Distances {
    /// The mean distance to the nearest of its own class.
    pub own: f32,
    /// The mean distance to the nearest of the other class that is nearest; infinite without another class.
    pub other: f32,
    /// The number of that class.
    pub nearest_class: u32,
}

/// The mean distance of each image to its [`NEAREST`] neighbours among `thumbnails`, itself left out: the sum of the
/// differences of all values (L1).
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn distances_within(
    thumbnails: &[&Thumbnail],
    progress: &dyn Progress,
) -> Result<Vec<f32>, Error> {
    let sums: Vec<[u16; SUMS]> = thumbnails.par_iter().map(|one| block_sums(one)).collect();
    let distances: Vec<f32> = (0..thumbnails.len())
        .into_par_iter()
        .map_init(Vec::new, |bounds: &mut Vec<(u32, u32)>, at| {
            progress.advance(1);
            if progress.stopped() {
                return 0.0;
            }
            nearest_thumbnails(thumbnails, &sums, at, bounds)
        })
        .collect();
    if progress.stopped() { Err(Error::Interrupted) } else { Ok(distances) }
}

fn nearest_thumbnails(
    thumbnails: &[&Thumbnail],
    sums: &[[u16; SUMS]],
    at: usize,
    bounds: &mut Vec<(u32, u32)>,
) -> f32 {
    bounds.clear();
    let others = (0..thumbnails.len()).filter(|&other| other != at);
    // Sums of values differ by no more than the values do together.
    bounds.extend(others.map(|other| (apart_by_sums(&sums[at], &sums[other]), other as u32)));
    if bounds.len() > FIRST {
        bounds.select_nth_unstable(FIRST);
    }
    let mut nearest = [u32::MAX; NEAREST];
    for &(bound, other) in bounds.iter() {
        if bound < nearest[NEAREST - 1] {
            let distance = apart(&thumbnails[at].0, &thumbnails[other as usize].0);
            put(&mut nearest, distance);
        }
    }
    let known = nearest.iter().filter(|distance| **distance < u32::MAX);
    let (sum, count) = known.fold((0.0, 0.0), |(sum, count), &d| (sum + f64::from(d), count + 1.0));
    if count > 0.0 { (sum / count) as f32 } else { f32::INFINITY }
}

/// Puts a distance among the nearest, which are sorted.
fn put<T: PartialOrd + Copy>(nearest: &mut [T; NEAREST], distance: T) {
    let mut place = NEAREST;
    while place > 0 && distance < nearest[place - 1] {
        if place < NEAREST {
            nearest[place] = nearest[place - 1];
        }
        place -= 1;
    }
    if place < NEAREST {
        nearest[place] = distance;
    }
}

/// The sums of blocks of 4 x 4 values.
fn block_sums(thumbnail: &Thumbnail) -> [u16; SUMS] {
    let mut sums = [0u16; SUMS];
    let [blue, red] = thumbnail.chroma();
    let mut first = 0;
    for (plane, side) in [(thumbnail.luma(), LUMA_PX), (blue, CHROMA_PX), (red, CHROMA_PX)] {
        let blocks = side / BLOCK;
        for (at, &value) in plane.iter().enumerate() {
            let (x, y) = (at % side / BLOCK, at / side / BLOCK);
            sums[first + y * blocks + x] += u16::from(value);
        }
        first += blocks * blocks;
    }
    sums
}

fn apart_by_sums(a: &[u16; SUMS], b: &[u16; SUMS]) -> u32 {
    a.iter().zip(b).map(|(&a, &b)| u32::from(a.abs_diff(b))).sum()
}

fn apart(a: &[u8], b: &[u8]) -> u32 {
    a.iter().zip(b).map(|(&a, &b)| u32::from(a.abs_diff(b))).sum()
}

/// The mean distance of each of some rows of `table` to its [`NEAREST`] neighbours among them.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn distances_between_rows(
    table: &Table,
    rows: std::ops::Range<usize>,
    progress: &dyn Progress,
) -> Result<Vec<f32>, Error> {
    let distances: Vec<f32> = rows
        .clone()
        .into_par_iter()
        .map(|at| {
            progress.advance(1);
            if progress.stopped() {
                return 0.0;
            }
            mean_to_nearest(table, at, rows.clone())
        })
        .collect();
    if progress.stopped() { Err(Error::Interrupted) } else { Ok(distances) }
}

/// The mean distance of a row to the nearest of others, itself left out; infinite without others.
fn mean_to_nearest(table: &Table, at: usize, rows: std::ops::Range<usize>) -> f32 {
    let mut nearest = [f32::INFINITY; NEAREST];
    for other in rows.filter(|&other| other != at) {
        let squared = Table::squared(table.row(at), table.row(other));
        if squared < nearest[NEAREST - 1] {
            put(&mut nearest, squared);
        }
    }
    let known = nearest.iter().filter(|squared| squared.is_finite());
    let (sum, count) =
        known.fold((0.0, 0.0), |(sum, count), squared| (sum + squared.sqrt(), count + 1.0));
    if count > 0.0 { sum / count } else { f32::INFINITY }
}

/// For each row of `table`, how far it is from its own class and from the nearest other one, by the means of the distances to
/// their [`NEAREST`] rows. `starts` are the rows that the classes begin with, in order.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn distances_between(
    table: &Table,
    starts: &[usize],
    progress: &dyn Progress,
) -> Result<Vec<Distances>, Error> {
    let ends: Vec<usize> = starts.iter().skip(1).copied().chain([table.len()]).collect();
    let of_row = |at: usize| -> Distances {
        let mut distances =
            Distances { own: f32::INFINITY, other: f32::INFINITY, nearest_class: 0 };
        progress.advance(1);
        if progress.stopped() {
            return distances;
        }
        for (class, (&start, &end)) in starts.iter().zip(&ends).enumerate() {
            let mean = mean_to_nearest(table, at, start..end);
            if (start..end).contains(&at) {
                distances.own = mean;
            } else if mean < distances.other {
                (distances.other, distances.nearest_class) = (mean, class as u32);
            }
        }
        distances
    };
    let all: Vec<Distances> = (0..table.len()).into_par_iter().map(of_row).collect();
    if progress.stopped() { Err(Error::Interrupted) } else { Ok(all) }
}

/// For each row of `table` the square of the distance to the nearest row of each class, itself left out: rows times classes.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn nearest_of_classes(
    table: &Table,
    starts: &[usize],
    progress: &dyn Progress,
) -> Result<Vec<f32>, Error> {
    let ends: Vec<usize> = starts.iter().skip(1).copied().chain([table.len()]).collect();
    let mut nearest = vec![f32::INFINITY; table.len() * starts.len()];
    nearest.par_chunks_mut(starts.len().max(1)).enumerate().for_each(|(at, nearest)| {
        progress.advance(1);
        if progress.stopped() {
            return;
        }
        for (nearest, (&start, &end)) in nearest.iter_mut().zip(starts.iter().zip(&ends)) {
            for other in (start..end).filter(|&other| other != at) {
                *nearest = nearest.min(Table::squared(table.row(at), table.row(other)));
            }
        }
    });
    if progress.stopped() { Err(Error::Interrupted) } else { Ok(nearest) }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::progress::NoProgress;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn the_bound_leaves_out_nothing(seeds in prop::collection::vec(any::<u32>(), 1..40)) {
            let thumbnail = |seed: u32| {
                let noise = |at: u32| seed.wrapping_mul((at / 64) | 1).wrapping_add(at).rotate_left(9);
                let shade = (seed % 97) as u8;
                let bytes = (0..Thumbnail::BYTES as u32).map(|at| shade + (noise(at) % 120) as u8);
                Thumbnail(bytes.collect())
            };
            let thumbnails: Vec<Thumbnail> = seeds.iter().map(|&seed| thumbnail(seed)).collect();
            let all: Vec<&Thumbnail> = thumbnails.iter().collect();
            let found = distances_within(&all, &NoProgress).unwrap();
            for (at, distance) in found.iter().enumerate() {
                let others = (0..all.len()).filter(|&other| other != at);
                let mut slow: Vec<u32> =
                    others.map(|other| apart(&all[at].0, &all[other].0)).collect();
                slow.sort_unstable();
                slow.truncate(NEAREST);
                let mean = slow.iter().sum::<u32>() as f32 / slow.len() as f32;
                prop_assert!(slow.is_empty() || (distance - mean).abs() <= 0.001 * mean, "{} {}", distance, mean);
            }
        }
    }

    #[test]
    fn distances_are_those_to_the_nearest_classes() {
        // Three classes on a line: around 0, around 10, and one image at 4.
        let table = Table { width: 1, values: vec![0.0, 1.0, 2.0, 3.0, 10.0, 11.0, 4.0] };
        let all = distances_between(&table, &[0, 4, 6], &NoProgress).unwrap();
        assert_eq!(all[0], Distances { own: 2.0, other: 4.0, nearest_class: 2 });
        assert_eq!(all[4], Distances { own: 1.0, other: 6.0, nearest_class: 2 });
        assert_eq!(all[6].own, f32::INFINITY);
        assert_eq!((all[6].other, all[6].nearest_class), (2.0, 0));
    }
}
