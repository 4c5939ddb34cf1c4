//! What the geometry of a policy costs: how much of the frame it invents, and how much of the picture it hides. That needs
//! no pixels: the matrices of many draws are enough, so that the answer hangs on the policy and not on a handful of
//! pictures.

use super::draw::Draw;
use super::frame::Frame;
use super::policy::Policy;
use super::steps::Effect;
use crate::affine::Affine;

/// Points along each side at which frames and pictures are asked for: a share is right to about a percent in one draw,
/// and to far less in the mean of many.
const POINTS: u32 = 24;

/// What the geometry of a policy does, in shares from 0 to 1, over many draws.
#[derive(Clone, Debug, PartialEq)]
pub struct GeometryCost {
    /// How many draws were looked at.
    pub draws: u64,
    /// Share of the frame that lies outside of the picture: in the mean, and in the worst draw.
    pub outside: Mean,
    /// Share of the picture that is not in the frame.
    pub unseen: Mean,
    /// The same of the frame alone, without augmentation.
    pub unseen_by_frame: f64,
    /// For each step of the policy that moves anything, the mean share outside if it were left out.
    pub without_step: Vec<Option<f64>>,
    /// The mean share outside at parts of the strength: the part, and the share.
    pub at_strength: Vec<(f64, f64)>,
}

/// A mean and the greatest of the numbers.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Mean {
    /// The mean.
    pub mean: f64,
    /// The greatest.
    pub most: f64,
}

impl Mean {
    fn of(numbers: impl Iterator<Item = f64>) -> Self {
        let (mut sum, mut count, mut most) = (0.0, 0.0, 0.0f64);
        for number in numbers {
            (sum, count, most) = (sum + number, count + 1.0, most.max(number));
        }
        Mean { mean: sum / f64::max(count, 1.0), most }
    }
}

/// Parts of the strength that are tried.
const STRENGTHS: [f64; 3] = [0.25, 0.5, 0.75];

/// What the geometry of `policy` does to pictures of these sizes, columns and rows in pixels: `draws` in all, shared out
/// among the sizes.
pub fn geometry(policy: &Policy, sizes: &[(u32, u32)], seed: u64, draws: u64) -> GeometryCost {
    let frame = policy.frame;
    let drawn: Vec<((u32, u32), Draw)> = match sizes {
        [] => Vec::new(),
        _ => (0..draws)
            .map(|number| {
                let size = sizes[(number % sizes.len() as u64) as usize];
                (size, policy.draw(seed, "geometry", number))
            })
            .collect(),
    };
    let outside = |of: &dyn Fn(&Draw) -> Draw| {
        Mean::of(drawn.iter().map(|((width, height), draw)| {
            share_outside(&of(draw).to_frame(*width, *height, frame), (*width, *height), frame)
        }))
    };
    let unseen = drawn.iter().map(|((width, height), draw)| {
        share_unseen(&draw.to_frame(*width, *height, frame), (*width, *height), frame)
    });
    let plain = sizes.iter().map(|&(width, height)| {
        share_unseen(&Draw::NOTHING.to_frame(width, height, frame), (width, height), frame)
    });
    let without = |left_out: usize| {
        outside(&|draw| {
            let steps = draw.steps.iter().filter(|step| step.step != left_out);
            Draw { steps: steps.copied().collect() }
        })
        .mean
    };
    let moves = |step: usize| {
        matches!(policy.steps[step].definition.effect, Effect::Geometry(_)).then(|| without(step))
    };
    GeometryCost {
        draws: drawn.len() as u64,
        outside: outside(&Draw::clone),
        unseen: Mean::of(unseen),
        unseen_by_frame: Mean::of(plain).mean,
        without_step: (0..policy.steps.len()).map(moves).collect(),
        at_strength: STRENGTHS
            .map(|strength| (strength, outside(&|draw| draw.at_strength(strength)).mean))
            .to_vec(),
    }
}

/// The share of points of the frame that lie outside of the picture.
fn share_outside(to_frame: &Affine, (width, height): (u32, u32), frame: Frame) -> f64 {
    let Some(to_picture) = to_frame.inverse() else { return 1.0 };
    let frame = (f64::from(frame.width_px), f64::from(frame.height_px));
    share(frame, |x, y| !is_on(to_picture.at(x, y), (f64::from(width), f64::from(height))))
}

/// The share of points of the picture that lie outside of the frame.
fn share_unseen(to_frame: &Affine, (width, height): (u32, u32), frame: Frame) -> f64 {
    let frame = (f64::from(frame.width_px), f64::from(frame.height_px));
    share((f64::from(width), f64::from(height)), |x, y| !is_on(to_frame.at(x, y), frame))
}

fn is_on((x, y): (f64, f64), (width, height): (f64, f64)) -> bool {
    const HAIR: f64 = 1e-6;
    (-HAIR..=width + HAIR).contains(&x) && (-HAIR..=height + HAIR).contains(&y)
}

/// The share of points spread evenly over a rectangle for which `is_so`.
fn share((width, height): (f64, f64), is_so: impl Fn(f64, f64) -> bool) -> f64 {
    let at = |number: u32, side: f64| (f64::from(number) + 0.5) / f64::from(POINTS) * side;
    let points = (0..POINTS * POINTS).map(|n| (at(n % POINTS, width), at(n / POINTS, height)));
    points.filter(|&(x, y)| is_so(x, y)).count() as f64 / f64::from(POINTS * POINTS)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_are_those_that_can_be_worked_out() {
        let policy =
            |steps: &str| Policy::parse(&format!("[frame]\nsize = [120, 120]\n{steps}")).unwrap();
        let near = |a: f64, b: f64| assert!((a - b).abs() < 0.02, "{a} is not {b}");
        // Nothing is done: of a picture twice as wide as high half is cut by the frame.
        let plain = geometry(&policy(""), &[(240, 120)], 0, 10);
        assert_eq!((plain.outside.mean, plain.draws), (0.0, 10));
        near(plain.unseen.mean, 0.5);
        near(plain.unseen_by_frame, 0.5);
        // A quarter to the right and down leaves three quarters of three quarters.
        let shift = "[[step]]\ndo = 'shift'\nbetween = [0.25, 0.25]\n";
        let flip = "[[step]]\ndo = 'flip'\naxis = 'left-right'\n";
        let bright = "[[step]]\ndo = 'brightness'\nbetween = [2, 2]\n";
        let moved = geometry(&policy(&[shift, flip, bright].concat()), &[(100, 100)], 0, 10);
        near(moved.outside.mean, 1.0 - 0.75 * 0.75);
        near(moved.outside.most, moved.outside.mean);
        near(moved.unseen.mean, moved.outside.mean);
        assert_eq!(moved.without_step[0], Some(0.0));
        near(moved.without_step[1].unwrap(), moved.outside.mean);
        assert_eq!(moved.without_step[2], None);
        let halved = 1.0 - 0.875 * 0.875;
        assert_eq!(moved.at_strength[1].0, 0.5);
        near(moved.at_strength[1].1, halved);
        // Out of the frame by a half is a quarter of the picture enlarged twice.
        let zoom =
            geometry(&policy("[[step]]\ndo = 'zoom'\nbetween = [2, 2]"), &[(100, 100)], 0, 10);
        near(zoom.unseen.mean, 0.75);
        assert_eq!(zoom.outside.mean, 0.0);
        near(zoom.at_strength[1].1, 0.0);
        // The mean of many draws hardly hangs on the seed.
        let wide = policy(
            "[[step]]\ndo = 'rotate'\nbetween = [-90, 90]\n[[step]]\ndo = 'shift'\nbetween = [-0.3, 0.3]",
        );
        let [a, b] = [1, 2].map(|seed| geometry(&wide, &[(100, 100)], seed, 2000).outside.mean);
        assert!((a - b).abs() < 0.01, "{a} {b}");
    }
}
