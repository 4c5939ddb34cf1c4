//! Frames of one moment: what was taken by one camera within seconds, and looks alike.
//!
//! Running numbers in the names of files say nothing of moments by themselves: pictures are numbered as they
//! are collected, drawn or exported.

use std::collections::BTreeMap;

use crate::measuring::Measured;

/// Seconds between two frames of a burst: hand-held series shoot faster than this.
const SECONDS: i64 = 3;
/// Frames ahead that each is compared with.
const AHEAD: usize = 3;

/// Pairs of pictures of one size that one camera took within seconds, the smaller number first. What was
/// taken at the same instant is a copy rather than a frame.
pub fn neighbours(pictures: &[&Measured]) -> Vec<(u32, u32)> {
    let mut by_camera: BTreeMap<&str, Vec<(i64, u32)>> = BTreeMap::new();
    for (index, measured) in (0u32..).zip(pictures) {
        if let Some(second) = measured.facts.captured_seconds() {
            let camera = measured.facts.camera.as_deref().unwrap_or_default();
            by_camera.entry(camera).or_default().push((second, index));
        }
    }
    let mut pairs = Vec::new();
    for frames in by_camera.values_mut() {
        frames.sort_unstable();
        for (place, &(first, a)) in frames.iter().enumerate() {
            let next = frames[place + 1..].iter().take(AHEAD);
            let close = next.take_while(|(second, _)| second - first <= SECONDS);
            pairs.extend(close.map(|&(_, b)| (a.min(b), a.max(b))));
        }
    }
    pairs.retain(|&(a, b)| {
        let facts = |index: u32| &pictures[index as usize].facts;
        let (a, b) = (facts(a), facts(b));
        (a.width_px, a.height_px) == (b.width_px, b.height_px) && a.captured != b.captured
    });
    pairs.sort_unstable();
    pairs
}
