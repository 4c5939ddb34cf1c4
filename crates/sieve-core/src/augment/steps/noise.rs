//! Adds noise: its standard deviation in levels.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use rand::Rng;

/// A number from a bell curve of mean 0 and deviation 1, to within a hundredth up to three deviations: the sum of
/// twelve even ones, less six. Whole numbers are added up, so that it is the same on every machine.
fn bell(random: &mut impl Rng) -> f32 {
    let mut sum = 0u64;
    for _ in 0..3 {
        let bits = random.next_u64();
        sum += (0..4).map(|at| bits >> (16 * at) & 0xffff).sum::<u64>();
    }
    // Twelve numbers of 0 to 65,535 have this mean.
    (sum as f32 - 12.0 * 65_535.0 / 2.0) / 65_536.0
}

pub(super) static NOISE: Definition = Definition {
    name: "noise",
    does: "adds Gaussian noise of this standard deviation, in levels, to each value",
    range: Some(Range { unit: Unit::Levels, least: 0.0, most: 128.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "deviation", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("noise {:.0}", drawn.numbers[0]),
    effect: Effect::Filter(|drawn, canvas| {
        let deviation = drawn.numbers[0] as f32;
        let mut random = drawn.random();
        for value in &mut canvas.data {
            *value = (*value + bell(&mut random) * deviation).clamp(0.0, 255.0);
        }
    }),
};

#[cfg(test)]
mod tests {
    use super::*;
    use rand::SeedableRng;

    #[test]
    fn the_bell_curve_has_its_moments() {
        let mut random = rand_chacha::ChaCha8Rng::seed_from_u64(1);
        let numbers: Vec<f64> = (0..40_000).map(|_| f64::from(bell(&mut random))).collect();
        let mean = |power: i32| numbers.iter().map(|x| x.powi(power)).sum::<f64>() / 40_000.0;
        assert!(mean(1).abs() < 0.02 && (mean(2) - 1.0).abs() < 0.03, "{} {}", mean(1), mean(2));
        assert!((mean(4) - 2.9).abs() < 0.2, "{}", mean(4)); // 3 - 6 / 5 / 12
        let far = numbers.iter().filter(|x| x.abs() > 1.96).count() as f64 / 40_000.0;
        assert!((far - 0.05).abs() < 0.005, "{far}");
    }
}
