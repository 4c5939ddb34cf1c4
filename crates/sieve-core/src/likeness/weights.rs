//! What numbers say together: a logistic model with one layer of sums between, so that what one number is
//! worth may hang on the others. Correlation says little about an image of two lines.

/// A logistic model with one layer of sums.
pub struct Weights<const NUMBERS: usize, const HIDDEN: usize> {
    /// What each sum takes of each number.
    pub hidden_weights: [[f32; NUMBERS]; HIDDEN],
    /// What is added to each sum.
    pub hidden_bias: [f32; HIDDEN],
    /// What each sum counts.
    pub output_weights: [f32; HIDDEN],
    /// What is added in any case.
    pub output_bias: f32,
    /// What each number is at least and at most: what the weights were fitted on had no more.
    pub limits: [[f32; NUMBERS]; 2],
}

impl<const NUMBERS: usize, const HIDDEN: usize> Weights<NUMBERS, HIDDEN> {
    /// The logarithm of the odds.
    pub fn log_odds(&self, numbers: &[f32; NUMBERS]) -> f32 {
        let [least, most] = &self.limits;
        let numbers: [f32; NUMBERS] =
            std::array::from_fn(|at| numbers[at].clamp(least[at], most[at]));
        let sums = self.hidden_weights.iter().zip(self.hidden_bias).zip(self.output_weights);
        let terms = sums.map(|((weights, shift), counts)| {
            let terms = numbers.iter().zip(weights);
            let sum = shift + terms.map(|(number, weight)| number * weight).sum::<f32>();
            counts * sum / (1.0 + sum.abs())
        });
        self.output_bias + terms.sum::<f32>()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn numbers_are_weighed_as_the_words_say(
            numbers in prop::array::uniform3(-12.0f32..12.0), weights in prop::collection::vec(-2.0f32..2.0, 13),
        ) {
            let [a, b, c] = [0, 3, 6].map(|at| [weights[at], weights[at + 1], weights[at + 2]]);
            let model = Weights::<3, 2> {
                hidden_weights: [a, b],
                hidden_bias: [c[0], c[1]],
                output_weights: [weights[9], weights[10]],
                output_bias: weights[11],
                limits: [[-3.0; 3], [4.0; 3]],
            };
            let mut slow = f64::from(model.output_bias);
            for unit in 0..2 {
                let mut sum = f64::from(model.hidden_bias[unit]);
                for (at, number) in numbers.iter().enumerate() {
                    sum += f64::from(number.clamp(-3.0, 4.0)) * f64::from(model.hidden_weights[unit][at]);
                }
                slow += f64::from(model.output_weights[unit]) * sum / (1.0 + sum.abs());
            }
            prop_assert!((f64::from(model.log_odds(&numbers)) - slow).abs() < 1e-4);
            // No image runs away with numbers that nothing was fitted on.
            let wild = model.log_odds(&numbers.map(|number| number * 1e6));
            prop_assert!(wild.abs() <= model.output_bias.abs() + model.output_weights.iter().map(|o| o.abs()).sum::<f32>());
        }
    }
}
