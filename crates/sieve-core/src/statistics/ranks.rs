//! Numbers in several groups: are those of one larger?

use super::chance_of;

/// Whether the numbers of some groups are larger than those of others.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RankTest {
    /// Numbers in all groups together.
    pub total: u64,
    /// H, corrected for ties (Kruskal and Wallis, Use of ranks in one-criterion variance analysis,
    /// 1952).
    pub h: f64,
    /// Degrees of freedom: groups - 1.
    pub degrees: u64,
    /// The chance of a value this large where all groups are drawn from one, by chi-squared.
    pub p: f64,
    /// Epsilon-squared, H / (total - 1), 0 to 1: the share of the variation of ranks that lies
    /// between the groups (Kelley, 1935; Tomczak and Tomczak, 2014).
    pub epsilon_squared: f64,
}

/// The test of Kruskal and Wallis. None with less than two groups that hold anything, or when all
/// numbers are the same. Numbers must not be NaN.
pub fn kruskal_wallis(groups: &[Vec<f64>]) -> Option<RankTest> {
    let filled = groups.iter().filter(|group| !group.is_empty()).count() as u64;
    let mut ranked: Vec<(f64, usize)> = Vec::new();
    for (group, numbers) in groups.iter().enumerate() {
        ranked.extend(numbers.iter().map(|&number| (number, group)));
    }
    ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
    let total = ranked.len() as f64;
    let (mut sums, mut ties, mut before) = (vec![0.0; groups.len()], 0.0, 0);
    for equal in ranked.chunk_by(|a, b| a.0 == b.0) {
        let rank = before as f64 + (equal.len() as f64 + 1.0) / 2.0;
        equal.iter().for_each(|&(_, group)| sums[group] += rank);
        let size = equal.len() as f64;
        ties += size * size * size - size;
        before += equal.len();
    }
    let correction = 1.0 - ties / (total * total * total - total);
    if filled < 2 || correction <= 0.0 {
        return None;
    }
    let squares = sums.iter().zip(groups).filter(|(_, group)| !group.is_empty());
    let squares: f64 = squares.map(|(sum, group)| sum * sum / group.len() as f64).sum();
    let h = (12.0 / (total * (total + 1.0)) * squares - 3.0 * (total + 1.0)).max(0.0) / correction;
    let degrees = filled - 1;
    Some(RankTest {
        total: ranked.len() as u64,
        h,
        degrees,
        p: chance_of(h, degrees),
        epsilon_squared: (h / (total - 1.0)).min(1.0),
    })
}

/// The middle number, or the mean of the two in the middle. None of none.
pub fn median(numbers: impl IntoIterator<Item = f64>) -> Option<f64> {
    let mut numbers: Vec<f64> = numbers.into_iter().collect();
    numbers.sort_by(f64::total_cmp);
    let middle = numbers.len() / 2;
    match numbers.len() {
        0 => None,
        odd if odd % 2 == 1 => Some(numbers[middle]),
        _ => Some((numbers[middle - 1] + numbers[middle]) / 2.0),
    }
}

/// The number in the middle, the upper of two: unlike [`median`] one of the numbers themselves, found without sorting them.
/// None of none.
pub fn upper_median(numbers: &mut [f32]) -> Option<f32> {
    let middle = numbers.len() / 2;
    (!numbers.is_empty()).then(|| *numbers.select_nth_unstable_by(middle, f32::total_cmp).1)
}

/// Where numbers lie and how far they spread, whatever the few among them that are far off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scale {
    /// The median.
    pub median: f64,
    /// 1.4826 times the median distance from the median, which is the standard deviation of a bell
    /// curve (Hampel, The influence curve and its role in robust estimation, 1974).
    pub deviation: f64,
}

impl Scale {
    /// Of these numbers; none of none.
    pub fn new(numbers: Vec<f64>) -> Option<Self> {
        let middle = median(numbers.iter().copied())?;
        let distance = median(numbers.iter().map(|number| (number - middle).abs()))?;
        Some(Scale { median: middle, deviation: 1.4826 * distance })
    }

    /// How many deviations a number is above the median, below 0 when it is below. Where more than half
    /// of the numbers are the same, any other is infinitely far.
    pub fn deviations(&self, number: f64) -> f64 {
        let apart = number - self.median;
        if apart == 0.0 { 0.0 } else { apart / self.deviation }
    }
}
