//! The nearest neighbours of images: in their own class by thumbnail, and in all classes by numbers. All are found, none by
//! chance: what cannot be among the nearest is left out by a bound that holds.

use std::ops::Range;

use rayon::prelude::*;

use crate::Error;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::numeric::{AT_ONCE, Interleaved, Table};
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

/// The nearest of some rows: the squares of their distances.
#[derive(Clone, Copy)]
struct Nearest([f32; NEAREST]);

impl Nearest {
    const NONE: Nearest = Nearest([f32::INFINITY; NEAREST]);

    /// Adds rows, of which the first is `first`; `itself` is none of them.
    fn add(&mut self, itself: usize, first: usize, squared: &[f32]) {
        for (place, &squared) in squared.iter().enumerate() {
            if squared < self.0[NEAREST - 1] && first + place != itself {
                put(&mut self.0, squared);
            }
        }
    }

    /// The mean of their distances; infinite without any.
    fn mean(&self) -> f32 {
        let known = self.0.iter().filter(|squared| squared.is_finite());
        let (sum, count) =
            known.fold((0.0, 0.0), |(sum, count), squared| (sum + squared.sqrt(), count + 1.0));
        if count > 0.0 { sum / count } else { f32::INFINITY }
    }
}

/// The mean distance of each of some rows of `table` to its [`NEAREST`] neighbours among them.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn distances_between_rows(
    table: &Table,
    rows: Range<usize>,
    progress: &dyn Progress,
) -> Result<Vec<f32>, Error> {
    let others = Interleaved::of(table, rows.clone());
    of_some_at_once(table, rows.clone(), progress, |first, wanted| {
        let mut nearest = [Nearest::NONE; AT_ONCE];
        others.distances(wanted, |at, place, squared| {
            nearest[at].add(first + at - rows.start, place, squared);
        });
        nearest.map(|nearest| nearest.mean())
    })
}

/// For each of some rows what `of` computes, for as many at a time as are compared at a time: it gets the first of them.
fn of_some_at_once<T: Send>(
    table: &Table,
    rows: Range<usize>,
    progress: &dyn Progress,
    of: impl Fn(usize, &[&[f32]]) -> [T; AT_ONCE] + Sync,
) -> Result<Vec<T>, Error> {
    let some: Vec<usize> = rows.clone().step_by(AT_ONCE).collect();
    let all: Vec<Vec<T>> = some
        .into_par_iter()
        .map(|first| {
            let count = AT_ONCE.min(rows.end - first);
            progress.advance(count as u64);
            if progress.stopped() {
                return Vec::new();
            }
            let wanted: Vec<&[f32]> = (first..first + count).map(|at| table.row(at)).collect();
            of(first, &wanted).into_iter().take(count).collect()
        })
        .collect();
    if progress.stopped() {
        Err(Error::Interrupted)
    } else {
        Ok(all.into_iter().flatten().collect())
    }
}

/// The classes of `table`, which begin at `starts`: the rows of each, and the same to compare with.
fn classes_of(table: &Table, starts: &[usize]) -> Vec<(Range<usize>, Interleaved)> {
    let ends = starts.iter().skip(1).copied().chain([table.len()]);
    let rows = starts.iter().zip(ends).map(|(&start, end)| start..end);
    rows.map(|rows| (rows.clone(), Interleaved::of(table, rows))).collect()
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
    let classes = classes_of(table, starts);
    of_some_at_once(table, 0..table.len(), progress, |first, wanted| {
        let mut distances =
            [Distances { own: f32::INFINITY, other: f32::INFINITY, nearest_class: 0 }; AT_ONCE];
        for (class, (rows, others)) in classes.iter().enumerate() {
            let mut nearest = [Nearest::NONE; AT_ONCE];
            others.distances(wanted, |at, place, squared| {
                nearest[at].add(first + at, rows.start + place, squared);
            });
            for (at, (distances, nearest)) in distances.iter_mut().zip(nearest).enumerate() {
                let mean = nearest.mean();
                if rows.contains(&(first + at)) {
                    distances.own = mean;
                } else if mean < distances.other {
                    (distances.other, distances.nearest_class) = (mean, class as u32);
                }
            }
        }
        distances
    })
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
    let classes = classes_of(table, starts);
    let all = of_some_at_once(table, 0..table.len(), progress, |first, wanted| {
        let mut all: [Vec<f32>; AT_ONCE] = Default::default();
        for (rows, others) in &classes {
            let mut nearest = [f32::INFINITY; AT_ONCE];
            others.distances(wanted, |at, place, squared| {
                for (other, &squared) in (rows.start + place..).zip(squared) {
                    if squared < nearest[at] && other != first + at {
                        nearest[at] = squared;
                    }
                }
            });
            all.iter_mut().zip(nearest).for_each(|(all, nearest)| all.push(nearest));
        }
        all
    })?;
    Ok(all.into_iter().flatten().collect())
}

/// For each of `wanted` the nearest of `others` that is not itself: its distance, and which it is; itself at an infinite
/// distance where there is no other.
pub fn nearest_among(table: &Table, wanted: &[usize], others: &[usize]) -> Vec<(f32, usize)> {
    let interleaved = Interleaved::of(table, others.iter().copied());
    let of_some = |wanted: &[usize]| {
        let rows: Vec<&[f32]> = wanted.iter().map(|&at| table.row(at)).collect();
        let mut nearest: Vec<(f32, usize)> = wanted.iter().map(|&at| (f32::INFINITY, at)).collect();
        interleaved.distances(&rows, |at, place, squared| {
            for (&other, &squared) in others[place..].iter().zip(squared) {
                if squared < nearest[at].0 && other != wanted[at] {
                    nearest[at] = (squared, other);
                }
            }
        });
        nearest
    };
    let found: Vec<Vec<(f32, usize)>> = wanted.par_chunks(AT_ONCE).map(of_some).collect();
    found.into_iter().flatten().map(|(squared, other)| (squared.sqrt(), other)).collect()
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
