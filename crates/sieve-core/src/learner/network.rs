//! The network: three stages of 24, 48 and 96 filters, one hidden layer of 160, and one output for each class.

use rand::RngExt;
use rand_chacha::ChaCha8Rng;

use super::convolution::{Buffers, Stage, product};

/// Rows and columns of the frames that it sees.
pub const SIDE_PX: usize = 32;
/// Red, green and blue.
pub const CHANNELS: usize = 3;
/// Values of one frame: red, green and blue, 32 rows each.
pub const FRAME_VALUES: usize = CHANNELS * SIDE_PX * SIDE_PX;

const STAGES: [Stage; 3] = [
    Stage { inputs: CHANNELS, outputs: 24, side: SIDE_PX },
    Stage { inputs: 24, outputs: 48, side: SIDE_PX / 2 },
    Stage { inputs: 48, outputs: 96, side: SIDE_PX / 4 },
];
/// Values that the stages leave of an image.
const SEEN: usize = 96 * SIDE_PX * SIDE_PX / 64;
/// Values of the hidden layer.
const HIDDEN: usize = 160;

/// A network that tells `classes` classes apart.
#[derive(Clone, Debug)]
pub(super) struct Network {
    classes: usize,
    /// Filters and biases of the stages, then weights and biases of both layers.
    pub weights: Vec<f32>,
}

/// Where the parts of the weights begin.
#[derive(Clone, Copy)]
struct Places {
    filters: [(usize, usize); 3],
    hidden: (usize, usize),
    output: (usize, usize),
    end: usize,
}

fn places(classes: usize) -> Places {
    let mut end = 0;
    let mut part = |weights: usize, biases: usize| {
        let begin = (end, end + weights);
        end += weights + biases;
        begin
    };
    let filters = STAGES.map(|stage| part(stage.weights(), stage.outputs));
    let hidden = part(HIDDEN * SEEN, HIDDEN);
    let output = part(classes * HIDDEN, classes);
    Places { filters, hidden, output, end }
}

/// What one batch leaves at each place of the network, for the way back.
#[derive(Debug, Default)]
pub(super) struct Activity {
    images: usize,
    padded: [Vec<f32>; 3],
    chosen: [Vec<u8>; 3],
    seen: Vec<f32>,
    hidden: Vec<f32>,
    /// For each image one number for each class: the greater, the likelier.
    pub outputs: Vec<f32>,
    hidden_slopes: Vec<f32>,
    seen_slopes: Vec<f32>,
    slopes: [Vec<f32>; 2],
    buffers: Buffers,
}

impl Network {
    /// A network that knows nothing: weights drawn evenly, as wide as their number asks for (He et al., Delving deep into
    /// rectifiers, 2015), and biases of 0.
    pub fn new(classes: usize, random: &mut ChaCha8Rng) -> Self {
        let places = places(classes);
        let mut weights = vec![0.0; places.end];
        let mut fill = |(begin, end): (usize, usize), inputs: usize, gain: f32| {
            let widest = gain * (6.0 / inputs as f32).sqrt();
            for weight in &mut weights[begin..end] {
                *weight = random.random_range(-widest..widest);
            }
        };
        for (place, stage) in places.filters.into_iter().zip(STAGES) {
            fill(place, stage.rows(), 1.0);
        }
        fill(places.hidden, SEEN, 1.0);
        // All classes are about equally likely at the start.
        fill(places.output, HIDDEN, 0.1);
        Network { classes, weights }
    }

    /// What the network makes of a batch of frames, as [`Activity::outputs`].
    pub fn forward(&self, frames: &[f32], activity: &mut Activity) {
        let images = frames.len() / FRAME_VALUES;
        activity.resize(images, self.classes);
        let places = places(self.classes);
        for image in 0..images {
            let first = STAGES[0];
            let frame = frames[image * FRAME_VALUES..][..FRAME_VALUES].chunks_exact(SIDE_PX);
            let padded = &mut activity.padded[0][image * first.padded()..][..first.padded()];
            for (line, source) in frame.enumerate() {
                let (channel, row) = (line / SIDE_PX, line % SIDE_PX);
                let across = SIDE_PX + 2;
                let begin = channel * across * across + (row + 1) * across + 1;
                padded[begin..begin + SIDE_PX].copy_from_slice(source);
            }
            for (number, stage) in STAGES.into_iter().enumerate() {
                let (weights, biases) = places.filters[number];
                let parameters =
                    (&self.weights[weights..biases], &self.weights[biases..biases + stage.outputs]);
                let chosen =
                    &mut activity.chosen[number][image * stage.pooled()..][..stage.pooled()];
                let (before, after) = activity.padded.split_at_mut(number + 1);
                let came = &before[number][image * stage.padded()..][..stage.padded()];
                let went = match STAGES.get(number + 1) {
                    Some(next) => (&mut after[0][image * next.padded()..][..next.padded()], 1),
                    None => (&mut activity.seen[image * SEEN..][..SEEN], 0),
                };
                stage.forward(parameters, came, went, chosen, &mut activity.buffers);
            }
        }
        let (weights, biases) = places.hidden;
        let hidden = (&self.weights[weights..biases], &self.weights[biases..biases + HIDDEN]);
        layer(hidden, (&activity.seen, SEEN), (&mut activity.hidden, HIDDEN), images);
        activity.hidden.iter_mut().for_each(|value| *value = value.max(0.0));
        let (weights, biases) = places.output;
        let output = (&self.weights[weights..biases], &self.weights[biases..biases + self.classes]);
        layer(output, (&activity.hidden, HIDDEN), (&mut activity.outputs, self.classes), images);
    }

    /// The slopes of all weights, from those of the outputs of the last batch.
    pub fn backward(&self, output_slopes: &[f32], activity: &mut Activity, slopes: &mut [f32]) {
        slopes.fill(0.0);
        let (images, classes) = (activity.images, self.classes);
        let places = places(classes);
        let (weights, biases) = places.output;
        let (weight_slopes, bias_slopes) = slopes[weights..].split_at_mut(biases - weights);
        layer_slopes(
            (output_slopes, classes),
            (&activity.hidden, HIDDEN),
            (weight_slopes, bias_slopes),
            images,
        );
        product(
            (output_slopes, classes, 1),
            (&self.weights[weights..biases], HIDDEN, 1),
            (&mut activity.hidden_slopes, HIDDEN),
            (images, classes, HIDDEN),
            0.0,
        );
        for (slope, value) in activity.hidden_slopes.iter_mut().zip(&activity.hidden) {
            if *value <= 0.0 {
                *slope = 0.0;
            }
        }
        let (weights, biases) = places.hidden;
        let (weight_slopes, bias_slopes) = slopes[weights..].split_at_mut(biases - weights);
        layer_slopes(
            (&activity.hidden_slopes, HIDDEN),
            (&activity.seen, SEEN),
            (weight_slopes, bias_slopes),
            images,
        );
        product(
            (&activity.hidden_slopes, HIDDEN, 1),
            (&self.weights[weights..biases], SEEN, 1),
            (&mut activity.seen_slopes, SEEN),
            (images, HIDDEN, SEEN),
            0.0,
        );
        for image in 0..images {
            let [came, went] = &mut activity.slopes;
            went.clear();
            went.extend_from_slice(&activity.seen_slopes[image * SEEN..][..SEEN]);
            for (number, stage) in STAGES.into_iter().enumerate().rev() {
                let (weights, biases) = places.filters[number];
                let (weight_slopes, rest) = slopes[weights..].split_at_mut(biases - weights);
                let came_in = stage.inputs * stage.side * stage.side;
                came.resize(came_in, 0.0);
                stage.backward(
                    &self.weights[weights..biases],
                    (
                        &activity.padded[number][image * stage.padded()..][..stage.padded()],
                        &activity.chosen[number][image * stage.pooled()..][..stage.pooled()],
                        went,
                    ),
                    (weight_slopes, &mut rest[..stage.outputs]),
                    (number > 0).then_some(&mut came[..]),
                    &mut activity.buffers,
                );
                std::mem::swap(came, went);
            }
        }
    }
}

impl Activity {
    fn resize(&mut self, images: usize, classes: usize) {
        self.images = images;
        for (number, stage) in STAGES.into_iter().enumerate() {
            self.padded[number].resize(images * stage.padded(), 0.0);
            self.chosen[number].resize(images * stage.pooled(), 0);
        }
        self.seen.resize(images * SEEN, 0.0);
        self.seen_slopes.resize(images * SEEN, 0.0);
        self.hidden.resize(images * HIDDEN, 0.0);
        self.hidden_slopes.resize(images * HIDDEN, 0.0);
        self.outputs.resize(images * classes, 0.0);
    }
}

/// Each image's values by a matrix of one row for each output, and the biases.
fn layer(
    (weights, biases): (&[f32], &[f32]),
    (came, inputs): (&[f32], usize),
    (went, outputs): (&mut [f32], usize),
    images: usize,
) {
    went.chunks_exact_mut(outputs).for_each(|row| row.copy_from_slice(biases));
    product(
        (came, inputs, 1),
        (weights, 1, inputs),
        (went, outputs),
        (images, inputs, outputs),
        1.0,
    );
}

/// The slopes of such a matrix and its biases.
fn layer_slopes(
    (went, outputs): (&[f32], usize),
    (came, inputs): (&[f32], usize),
    (weight_slopes, bias_slopes): (&mut [f32], &mut [f32]),
    images: usize,
) {
    product(
        (went, 1, outputs),
        (came, inputs, 1),
        (weight_slopes, inputs),
        (outputs, images, inputs),
        0.0,
    );
    for row in went.chunks_exact(outputs) {
        bias_slopes.iter_mut().zip(row).for_each(|(sum, slope)| *sum += slope);
    }
}

#[cfg(test)]
mod tests {
    use rand::SeedableRng;

    use super::*;

    /// The loss of a batch, and the slopes of the outputs.
    fn loss(network: &Network, frames: &[f32], labels: &[u32], activity: &mut Activity) -> f64 {
        network.forward(frames, activity);
        let rows = activity.outputs.chunks_exact(network.classes).zip(labels);
        rows.map(|(row, &label)| {
            let all: f64 = row.iter().map(|&value| f64::from(value).exp()).sum();
            all.ln() - f64::from(row[label as usize])
        })
        .sum()
    }

    #[test]
    fn slopes_are_those_of_the_loss() {
        let mut random = ChaCha8Rng::seed_from_u64(3);
        let mut network = Network::new(5, &mut random);
        let frames: Vec<f32> =
            (0..2 * FRAME_VALUES).map(|_| random.random_range(-1.0..1.0)).collect();
        let labels = [4, 1];
        let mut activity = Activity::default();
        loss(&network, &frames, &labels, &mut activity);
        let mut output_slopes = activity.outputs.clone();
        for (row, &label) in output_slopes.chunks_exact_mut(5).zip(&labels) {
            let all: f32 = row.iter().map(|value| value.exp()).sum();
            row.iter_mut().for_each(|value| *value = value.exp() / all);
            row[label as usize] -= 1.0;
        }
        let mut slopes = vec![0.0; network.weights.len()];
        network.backward(&output_slopes, &mut activity, &mut slopes);
        let parts = places(5);
        let parts =
            [parts.filters[0], parts.filters[1], parts.filters[2], parts.hidden, parts.output];
        for (begin, end) in parts {
            // The steepest weight of each part, and a bias.
            let steepest =
                (begin..end).max_by(|&a, &b| slopes[a].abs().total_cmp(&slopes[b].abs())).unwrap();
            for at in [steepest, end] {
                let (kept, step) = (network.weights[at], 1e-3);
                network.weights[at] = kept + step;
                let above = loss(&network, &frames, &labels, &mut activity);
                network.weights[at] = kept - step;
                let below = loss(&network, &frames, &labels, &mut activity);
                network.weights[at] = kept;
                let measured = (above - below) / (2.0 * f64::from(step));
                let slope = f64::from(slopes[at]);
                assert!(
                    (measured - slope).abs() < 0.02 * slope.abs() + 2e-3,
                    "{at}: {slope} {measured}"
                );
            }
        }
    }
}
