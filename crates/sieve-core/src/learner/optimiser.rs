//! How weights follow their slopes: AdamW (Loshchilov and Hutter, Decoupled weight decay regularization, 2019) on a rate
//! that rises once and falls (Smith and Topin, Super-convergence, 2018).

/// The greatest rate.
const PEAK: f32 = 2e-3;
/// Times that the first rate is below the peak.
const START: f32 = 25.0;
/// Share of all steps in which the rate rises.
const RISE: f32 = 0.3;
/// Share of the rate by which weights shrink at each step.
const DECAY: f32 = 0.05;
/// How long slopes, and their squares, are remembered.
const MEMORY: (f32, f32) = (0.9, 0.99);
/// Keeps the step finite where all slopes are 0.
const LEAST: f32 = 1e-8;

/// The state of the optimiser for each weight.
#[derive(Debug)]
pub(super) struct Optimiser {
    means: Vec<f32>,
    squares: Vec<f32>,
    step: u64,
    steps: u64,
}

impl Optimiser {
    /// For this many weights and steps.
    pub fn new(weights: usize, steps: u64) -> Self {
        Optimiser { means: vec![0.0; weights], squares: vec![0.0; weights], step: 0, steps }
    }

    /// Moves every weight by one step.
    pub fn step(&mut self, weights: &mut [f32], slopes: &[f32]) {
        let rate = rate(self.step, self.steps);
        self.step += 1;
        let (first, second) = MEMORY;
        let exponent = self.step.min(1 << 20) as i32;
        let (known, known_squares) = (1.0 - first.powi(exponent), 1.0 - second.powi(exponent));
        let state = self.means.iter_mut().zip(&mut self.squares);
        for ((weight, &slope), (mean, square)) in weights.iter_mut().zip(slopes).zip(state) {
            *mean += (1.0 - first) * (slope - *mean);
            *square += (1.0 - second) * (slope * slope - *square);
            let scale = (*square / known_squares).sqrt() + LEAST;
            *weight -= rate * (*mean / known / scale + DECAY * *weight);
        }
    }
}

/// The rate of a step: half a cosine up, half a cosine down to nearly 0.
fn rate(step: u64, steps: u64) -> f32 {
    let at = step as f32 / steps.max(1) as f32;
    let cosine = |share: f32| (1.0 - (std::f32::consts::PI * share).cos()) / 2.0;
    match at < RISE {
        true => PEAK / START + (PEAK - PEAK / START) * cosine(at / RISE),
        false => PEAK * (1.0 - cosine((at - RISE) / (1.0 - RISE))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rate_rises_once_and_falls_and_steps_go_downhill() {
        let rates: Vec<f32> = (0..100).map(|step| rate(step, 100)).collect();
        let peak = (0..100).max_by(|&a, &b| rates[a].total_cmp(&rates[b])).unwrap();
        assert_eq!((peak, rates[0]), (30, PEAK / START));
        assert!(rates[..=peak].is_sorted() && rates[peak..].iter().rev().is_sorted());
        assert!(rates[99] < PEAK / 100.0);
        // Of (w - 3)^2 and a weight without slope: the first goes to 3, the second shrinks.
        let (mut weights, mut optimiser) = ([0.0, 1.0], Optimiser::new(2, 4000));
        for _ in 0..4000 {
            let slopes = [2.0 * (weights[0] - 3.0), 0.0];
            optimiser.step(&mut weights, &slopes);
        }
        assert!((weights[0] - 3.0).abs() < 0.1, "{weights:?}");
        assert!((0.5..0.99).contains(&weights[1]), "{weights:?}");
    }
}
