//! Frames of one moment: what lies close together in time or in running numbers, and looks alike.

use std::collections::BTreeMap;

use crate::catalog::Record;
use crate::measuring::Measured;

/// Seconds between two frames of a burst: hand-held series shoot faster than this.
const SECONDS: i64 = 3;
/// Steps between two numbers of a burst: every tenth frame of a film still shows one moment.
const STEPS: u64 = 10;
/// Frames ahead that each is compared with.
const AHEAD: usize = 3;

/// What numbered files have in common: the class, and what stands before and behind the number.
type Series<'a> = (Option<&'a str>, &'a str, &'a str);

/// Why two pictures may be of one moment.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Nearness {
    /// They were taken within seconds, by the same camera.
    Time,
    /// Their names have running numbers.
    Name,
}

/// Pairs of pictures of one size that may be of one moment, told by what is known of their files.
/// What was taken at the same instant and is not numbered is a copy rather than a frame.
pub fn neighbours(pictures: &[(&Record, &Measured)]) -> Vec<(u32, u32, Nearness)> {
    let mut by_camera: BTreeMap<&str, Vec<(i64, u32)>> = BTreeMap::new();
    let mut by_name: BTreeMap<Series<'_>, Vec<(u64, u32)>> = BTreeMap::new();
    for (index, (record, measured)) in (0u32..).zip(pictures) {
        if let Some(second) = measured.facts.captured_seconds() {
            let camera = measured.facts.camera.as_deref().unwrap_or_default();
            by_camera.entry(camera).or_default().push((second, index));
        }
        if let Some((before, number, after)) = running(record.path.file_name()) {
            // Splits have other folders but the same names; classes do not share a series.
            by_name.entry((record.class(), before, after)).or_default().push((number, index));
        }
    }
    let mut pairs = Vec::new();
    for frames in by_camera.values_mut() {
        frames.sort_unstable();
        ahead(frames, |a, b| b - a <= SECONDS, |a, b| pairs.push((a, b, Nearness::Time)));
    }
    for frames in by_name.values_mut() {
        frames.sort_unstable();
        ahead(frames, |a, b| b - a <= STEPS, |a, b| pairs.push((a, b, Nearness::Name)));
    }
    pairs.retain(|&(a, b, why)| {
        let facts = |index: u32| &pictures[index as usize].1.facts;
        let (a, b) = (facts(a), facts(b));
        let is_one_size = (a.width_px, a.height_px) == (b.width_px, b.height_px);
        is_one_size && (why == Nearness::Name || a.captured != b.captured)
    });
    // Of two reasons the better one.
    pairs.iter_mut().for_each(|pair| (pair.0, pair.1) = (pair.0.min(pair.1), pair.0.max(pair.1)));
    pairs.sort_unstable();
    pairs.dedup_by_key(|pair| (pair.0, pair.1));
    pairs
}

fn ahead<T: Copy>(
    frames: &[(T, u32)],
    is_close: impl Fn(T, T) -> bool,
    mut take: impl FnMut(u32, u32),
) {
    for (place, &(first, a)) in frames.iter().enumerate() {
        let next = frames[place + 1..].iter().take(AHEAD);
        next.take_while(|&&(second, _)| is_close(first, second)).for_each(|&(_, b)| take(a, b));
    }
}

/// What stands before, in and behind the last number of a file's name.
fn running(name: &str) -> Option<(&str, u64, &str)> {
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let end = stem.rfind(|c: char| c.is_ascii_digit())? + 1;
    let start = stem[..end]
        .rfind(|c: char| !c.is_ascii_digit())
        .map_or(0, |at| at + stem[at..].chars().next().map_or(1, char::len_utf8));
    let number = stem[start..end].parse().ok()?;
    Some((&stem[..start], number, &stem[end..]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_with_numbers_run() {
        assert_eq!(running("sage-0012.jpg"), Some(("sage-", 12, "")));
        assert_eq!(running("blatt7_ä.png"), Some(("blatt", 7, "_ä")));
        assert_eq!(running("ü9.jpg"), Some(("ü", 9, "")));
        assert_eq!((running("leaf.jpg"), running("")), (None, None));
    }
}
