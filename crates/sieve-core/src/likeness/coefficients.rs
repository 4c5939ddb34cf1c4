// Written by scripts/fit-likeness.py, which says how.

/// What is added in any case.
const CONSTANT: f32 = 8.0529;
/// Numbers of the evidence that also count multiplied.
const TOGETHER: [(usize, usize); 11] = [(0, 17), (2, 17), (16, 17), (3, 17), (5, 17), (4, 17), (2, 7), (3, 8), (10, 17), (18, 17), (17, 17)];
/// What each number counts, and then each product.
const WEIGHTS: [f32; EVIDENCE + TOGETHER.len()] = [0.0, 0.0, -1.0059, 0.0, 8.2983, 0.0, -4.0172, -0.7977, 1.0006, 0.0, 7.0584, 0.032616, -1.2492, 0.44648, -3.6046, 0.0, -0.97319, 1.1771, -10.464, -9.2963, 0.86769, -1.7364, -0.62832, 1.4874, 0.36972, -1.7591, 0.066452, 0.12885, 4.9318, -3.7067, -0.34388];
/// What each number is at least and at most: what the weights were fitted on had no more.
pub(super) const LEAST: [f32; EVIDENCE] = [-9.2102, -9.2102, -9.2102, -9.1274, 0.30533, -6.9078, 0.0, -0.45641, -0.5431, 0.0, 0.0, 0.0, 0.0, 0.6064, 0.0, 0.0, -9.2102, -4.6052, 0.0, 0.0];
/// See [`LEAST`].
pub(super) const MOST: [f32; EVIDENCE] = [-0.22371, 0.0, 0.069236, 0.063453, 1.0, 2.2568, 4.8142, 4.298, 4.047, 2.9057, 0.96882, 0.9777, 4.3695, 1.0, 5.0255, 16.608, 0.093036, -0.0144, 0.79444, 2.0502];
