//! A second look, at close-ups: what thumbnails leave in doubt is told by how small blocks fit.
//!
//! A copy has the same detail nearly everywhere, whatever mark lies on it and whatever was done to its
//! colours. Another picture that looks like it has the same detail in some blocks only.

use super::align::{Limits, Template, Workspace, align};
use super::blocks::{Blocks, Grid};
use super::details::without_neighbours;
#[cfg(target_arch = "x86_64")]
use super::eight::Register;
use super::eight::{Eight, LANES};
use super::mark::differ_by_a_mark;
use super::plane::Plane;
use super::verdict::{BARE, CERTAIN, Verdict};
use super::weights::Weights;
use crate::affine::Affine;
use crate::measuring::{CLOSEUP_PX, Closeup};

/// Numbers that a second look weighs.
pub const SECOND: usize = 15;
/// Sums that they are brought to: those of four fits.
const HIDDEN: usize = 32;

/// Samples along each side: at least, and what their number is a multiple of.
const LEAST: usize = 48;
const STEP: usize = 16;

/// Nothing is given up for a bad fit: how it fits is what is asked.
const COARSELY: Limits =
    Limits { steps: 4, early: [9.0; 4], misfit: 9.0, overlap: 0.5, settled: 2e-3 };
const FINELY: Limits =
    Limits { steps: 3, early: [9.0; 4], misfit: 9.0, overlap: 0.5, settled: 1e-3 };

/// From where texture tells that two pictures are the same: the share of blocks in which there is something to see,
/// the correlation of fine details below which half of these lie, the share that fits, and at most that does
/// not. A tenth of a picture may lie under a mark.
const TEXTURED: [f32; 4] = [0.72, 0.98, 0.85, 0.12];

/// Where the block below which half of the fine details lie stands among the numbers, and its correlation where these
/// are the same.
const MEDIAN_OF_DETAILS: usize = 10;
const UNCHANGED: f32 = 0.95;

include!("second_coefficients.rs");

/// What a first look left in doubt.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Doubt {
    /// What it said.
    pub verdict: Verdict,
    /// In how many ways one picture was changed, 0 to 4.
    pub departures: u8,
    /// The larger share of one colour of the two pictures, 0 to 1.
    pub plain: f32,
    /// From the first picture to the second.
    pub map: Affine,
}

/// What was seen in close-ups.
struct Looked {
    numbers: [f32; SECOND],
    /// Whether they fit but for one mark.
    is_marked: bool,
}

impl Doubt {
    /// What the close-ups of the two pictures say. None when they slide off each other.
    pub fn settled(&self, first: &Closeup, second: &Closeup) -> Option<Verdict> {
        let Looked { numbers, is_marked } = self.look(first, second)?;
        let marked = is_marked && self.is_hardly_changed(&numbers);
        // On plain ground too much fits by chance.
        let (log_odds, textured) = match self.plain < BARE {
            // One limit for both looks.
            true => {
                (SECOND_LOOK.log_odds(&numbers) - SURE_AGAIN + CERTAIN, has_one_texture(&numbers))
            }
            false => (self.verdict.log_odds, false),
        };
        Some(Verdict {
            log_odds: if marked || textured { log_odds.max(CERTAIN) } else { log_odds },
        })
    }

    /// Whether all that is the same has even the same fine details, with one change beside a mark at most.
    fn is_hardly_changed(&self, numbers: &[f32; SECOND]) -> bool {
        self.departures <= 1 && 1.0 - numbers[MEDIAN_OF_DETAILS].exp() >= UNCHANGED
    }

    /// The numbers that are weighed: log odds of the first look, ways in which one was changed, the share of one
    /// colour; of the picture `ln(1 - r)` of the blocks in the mean, the share that fits and that does not,
    /// `ln` of the share in which there is something to see, and `ln(1 - r)` of the block below which a half and a
    /// quarter lie; of its fine details the same in the mean, of a half, and `ln` of that share; `ln` of how far
    /// apart plain blocks are; overlap; and `ln` of the samples along a side.
    /// `scripts/fit-second-look.py` weighs them.
    pub fn numbers(&self, first: &Closeup, second: &Closeup) -> Option<[f32; SECOND]> {
        self.look(first, second).map(|looked| looked.numbers)
    }

    fn look(&self, first: &Closeup, second: &Closeup) -> Option<Looked> {
        #[cfg(target_arch = "x86_64")]
        if is_x86_feature_detected!("avx2") {
            // SAFETY: the processor has what the function was built for.
            return unsafe { self.look_in_registers(first, second) };
        }
        self.look_with::<[f32; LANES]>(first, second)
    }

    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    fn look_in_registers(&self, first: &Closeup, second: &Closeup) -> Option<Looked> {
        self.look_with::<Register>(first, second)
    }

    #[inline(always)]
    fn look_with<E: Eight>(&self, first: &Closeup, second: &Closeup) -> Option<Looked> {
        let size = |map: &Affine| (map.0[0] * map.0[4] - map.0[1] * map.0[3]).abs().sqrt();
        // What shows less is laid over what shows more, so that all of it has something to lie on.
        let (part, whole, map) = if size(&self.map) <= 1.0 {
            (first, second, self.map)
        } else {
            (second, first, self.map.inverse()?)
        };
        let finest = part.finest_px.min((whole.finest_px as f64 * size(&map)) as usize);
        let side = (finest / STEP * STEP).clamp(LEAST, CLOSEUP_PX);
        let planes = [part, whole].map(|closeup| Plane::of_bytes(CLOSEUP_PX, &closeup.luma));
        let halves = planes.each_ref().map(Plane::halved);
        let mut room = Workspace::default();
        let coarse = Template::of::<E>(&halves[0], &Affine::IDENTITY, side / 2);
        let near = align::<E>(&coarse, &halves[1], &map, &COARSELY, &mut room)?;
        let fine = Template::of::<E>(&planes[0], &Affine::IDENTITY, side);
        let exact = align::<E>(&fine, &planes[1], &near.map, &FINELY, &mut room)?;
        let Workspace { sampled, inside, .. } = &room;
        let found = sampled.iter().map(|value| value * exact.gain + exact.offset);
        // What is burnt out in one of both says nothing of the other.
        let (darkest, brightest) = exact.shown_by_both();
        let within = |value: f32| value.max(darkest).min(brightest);
        let wanted: Vec<f32> = fine.values.iter().copied().map(within).collect();
        let found: Vec<f32> = found.map(within).collect();
        let grid = Grid::of([&smoothed(&wanted, side), &smoothed(&found, side)], inside, side);
        let (shown, is_marked) = (Blocks::of(&grid), differ_by_a_mark(&grid));
        let details = [without_neighbours(&wanted, side), without_neighbours(&found, side)];
        let detailed = Blocks::of(&Grid::of_details([&details[0], &details[1]], inside, side));
        let unlikely = |value: f32| (1.0 - value.clamp(-1.0, 0.999)).ln();
        let numbers = [
            self.verdict.log_odds,
            f32::from(self.departures),
            self.plain,
            unlikely(shown.mean),
            shown.agreeing,
            shown.disagreeing,
            (shown.clear + 0.01).ln(),
            unlikely(shown.median),
            unlikely(shown.quarter),
            unlikely(detailed.mean),
            unlikely(detailed.median),
            (detailed.clear + 0.01).ln(),
            (1.0 + shown.apart).ln(),
            exact.overlap,
            (side as f32).ln(),
        ];
        Some(Looked { numbers, is_marked })
    }
}

/// Whether both have the same fine detail nearly everywhere, and nearly everywhere some: no other picture has, even
/// where a mark lies on one. On drawings and on plain ground too few blocks have detail for that to say anything.
fn has_one_texture(numbers: &[f32; SECOND]) -> bool {
    let [agreeing, disagreeing] = [numbers[4], numbers[5]];
    let (clear, detail) = (numbers[6].exp(), 1.0 - numbers[MEDIAN_OF_DETAILS].exp());
    clear >= TEXTURED[0]
        && detail >= TEXTURED[1]
        && agreeing >= TEXTURED[2]
        && disagreeing <= TEXTURED[3]
}

/// Each value in the mean of the nine around it, the middle counting most: noise and compression change single
/// samples.
#[inline(always)]
fn smoothed(values: &[f32], side: usize) -> Vec<f32> {
    let mut across = vec![0.0; values.len()];
    for (row, into) in values.chunks_exact(side).zip(across.chunks_exact_mut(side)) {
        into[0] = (row[0] * 3.0 + row[1]) / 4.0;
        into[side - 1] = (row[side - 1] * 3.0 + row[side - 2]) / 4.0;
        for (into, three) in into[1..].iter_mut().zip(row.windows(3)) {
            *into = (three[0] + 2.0 * three[1] + three[2]) / 4.0;
        }
    }
    let mut smooth = vec![0.0; values.len()];
    for (y, into) in smooth.chunks_exact_mut(side).enumerate() {
        let row = |y: usize| &across[y * side..][..side];
        let (above, here, below) = (row(y.saturating_sub(1)), row(y), row((y + 1).min(side - 1)));
        for (into, ((a, b), c)) in into.iter_mut().zip(above.iter().zip(here).zip(below)) {
            *into = (a + 2.0 * b + c) / 4.0;
        }
    }
    smooth
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Waves in every block, or in those that `is_other` says other waves.
    fn closeup(gain: f64, is_other: impl Fn(usize, usize) -> bool) -> Closeup {
        let level = |at: usize| {
            let (x, y) = (at % CLOSEUP_PX, at / CLOSEUP_PX);
            let (u, v) = (x as f64 / 2.3, y as f64 / 3.1);
            let wave =
                if is_other(x, y) { (v * 1.7).sin() - (u * 0.6).cos() } else { u.sin() + v.cos() };
            // Something large to hold on to.
            let slope = (x as f64 - y as f64 * 0.7) / 2.0 + (x * y) as f64 / 120.0;
            (90.0 + (25.0 * wave + slope) * gain).clamp(0.0, 255.0) as u8
        };
        Closeup { luma: (0..CLOSEUP_PX * CLOSEUP_PX).map(level).collect(), finest_px: CLOSEUP_PX }
    }

    #[test]
    fn close_ups_settle_what_thumbnails_leave_in_doubt() {
        let doubt = Doubt {
            verdict: Verdict { log_odds: 2.5 },
            departures: 0,
            plain: 0.2,
            map: Affine::shift(0.01, 0.0),
        };
        let never = |_: usize, _: usize| false;
        let first = closeup(1.0, never);
        let darker = closeup(0.8, never);
        let marked = closeup(0.8, |x, y| x < 20 && y < 20);
        let other = closeup(1.0, |x, y| (x / 24 + y / 24) % 2 == 0);
        let odds = |second: &Closeup| doubt.settled(&first, second).unwrap().log_odds;
        assert!(odds(&darker) > odds(&marked) && odds(&marked) > odds(&other));
        assert!(odds(&other) < CERTAIN);
        let numbers = doubt.numbers(&first, &marked).unwrap();
        // The mark lies on nine blocks of 144, and on a part of others; by chance some of them fit a little.
        assert!(numbers[5] > 0.01 && numbers[5] < 0.08, "{numbers:?}");
        // With as much fine detail as a photograph has, a mark leaves no doubt.
        let mut textured = numbers;
        (textured[4], textured[5], textured[6], textured[10]) = (0.9, 0.1, -0.2, -5.0);
        assert!(has_one_texture(&textured));
        for (at, spoilt) in [(4, 0.8), (5, 0.2), (6, -0.5), (10, -3.0)] {
            let mut other = textured;
            other[at] = spoilt;
            assert!(!has_one_texture(&other));
        }
        // On plain ground nothing settles it but a mark that covers all below it.
        let bare = Doubt { plain: 0.6, ..doubt };
        let grainy = |is_marked: bool| {
            let mut closeup = closeup(1.0, never);
            for (at, luma) in closeup.luma.iter_mut().enumerate() {
                let (x, y) = (at % CLOSEUP_PX, at / CLOSEUP_PX);
                let grain = (at as u64 * 2654435761 % 1009 % 24) as u8;
                let level = if is_marked && x < 24 && y < 24 { 255 - *luma } else { *luma };
                *luma = level.saturating_add(grain);
            }
            closeup
        };
        let settled = |doubt: Doubt, is_marked: bool| {
            doubt.settled(&grainy(false), &grainy(is_marked)).unwrap().log_odds
        };
        assert_eq!(settled(bare, false), 2.5);
        assert_eq!(settled(bare, true), CERTAIN);
        assert_eq!(settled(Doubt { departures: 2, ..bare }, true), 2.5);
        let off = Doubt { map: Affine::shift(0.7, 0.0), ..doubt };
        assert_eq!(off.settled(&first, &darker), None);
    }
}
