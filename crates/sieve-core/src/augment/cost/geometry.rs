//! What the geometry of a policy costs: how much of the frame it invents, and how much of the image it hides. That needs
//! no pixels: the matrices of many draws are enough, so that the answer hangs on the policy and not on a handful of
//! images.

use crate::augment::draw::{Draw, DrawnStep, Occasion};
use crate::augment::frame::Frame;
use crate::augment::policy::Policy;
use crate::augment::projective::Projective;

/// Points along each side at which frames and images are asked for: a share is right to about a percent in one draw,
/// and to far less in the mean of many.
const POINTS: u32 = 24;

/// An image that a policy is tried on.
#[derive(Clone, Debug, PartialEq)]
pub struct Subject {
    /// Its sides in pixels, columns first.
    pub size_px: (u32, u32),
    /// Its class.
    pub class: String,
}

/// What the geometry of a policy does, in shares from 0 to 1, over many draws.
#[derive(Clone, Debug, PartialEq)]
pub struct GeometryCost {
    /// How many draws were looked at.
    pub draws: u64,
    /// Share of the frame that lies outside of the image.
    pub invented: Spread,
    /// Share of the image that is not in the frame.
    pub hidden: Spread,
    /// The same of the frame alone, without augmentation.
    pub hidden_by_frame: f64,
    /// For each step of the policy that moves anything, the mean share invented if it were left out.
    pub without_step: Vec<Option<f64>>,
    /// The mean share invented at parts of the strength: the part, and the share.
    pub at_strength: Vec<(f64, f64)>,
}

/// How shares are spread.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Spread {
    /// The mean.
    pub mean: f64,
    /// The greatest.
    pub most: f64,
    /// Share of the numbers beyond a quarter.
    pub beyond_quarter: f64,
    /// Share of the numbers beyond a half.
    pub beyond_half: f64,
}

impl Spread {
    fn of(numbers: impl Iterator<Item = f64>) -> Self {
        let mut spread = Spread::default();
        let mut count = 0.0;
        for number in numbers {
            count += 1.0;
            spread.mean += number;
            spread.most = spread.most.max(number);
            spread.beyond_quarter += f64::from(number > 0.25);
            spread.beyond_half += f64::from(number > 0.5);
        }
        let count = f64::max(count, 1.0);
        let Spread { mean, most, beyond_quarter, beyond_half } = spread;
        let share = |sum: f64| sum / count;
        Spread {
            mean: share(mean),
            most,
            beyond_quarter: share(beyond_quarter),
            beyond_half: share(beyond_half),
        }
    }
}

/// Parts of the strength that are tried.
const STRENGTHS: [f64; 3] = [0.25, 0.5, 0.75];

/// What the geometry of `policy` does to images like `subjects`: `draws` in all, shared out among them.
pub fn geometry(policy: &Policy, subjects: &[Subject], seed: u64, draws: u64) -> GeometryCost {
    let drawn = drawn(policy, subjects, seed, draws);
    let without = |left_out: usize| {
        mean_invented(&drawn, policy.frame, &|draw| {
            let steps = draw.steps.iter().filter(|step| step.step != left_out);
            Draw { steps: steps.copied().collect() }
        })
    };
    let is_geometry = |step: &usize| policy.steps[*step].definition.is_geometry();
    let without_step =
        (0..policy.steps.len()).map(|step| Some(step).filter(is_geometry).map(without)).collect();
    GeometryCost { without_step, ..overview(policy, &drawn, subjects) }
}

/// The same without what each step contributes, which takes time by the square of their number.
pub fn geometry_overview(
    policy: &Policy,
    subjects: &[Subject],
    seed: u64,
    draws: u64,
) -> GeometryCost {
    overview(policy, &drawn(policy, subjects, seed, draws), subjects)
}

fn overview(policy: &Policy, drawn: &[Drawn], subjects: &[Subject]) -> GeometryCost {
    let frame = policy.frame;
    let hidden_by = |draw: &Draw, size| hidden(draw, size, frame);
    let plain = subjects.iter().map(|subject| hidden_by(&Draw::NOTHING, subject.size_px));
    let at_strength =
        |strength: f64| mean_invented(drawn, frame, &|draw| draw.at_strength(strength));
    GeometryCost {
        draws: drawn.len() as u64,
        invented: Spread::of(drawn.iter().map(|(size, draw)| invented(draw, *size, frame))),
        hidden: Spread::of(drawn.iter().map(|(size, draw)| hidden_by(draw, *size))),
        hidden_by_frame: Spread::of(plain).mean,
        without_step: Vec::new(),
        at_strength: STRENGTHS.map(|strength| (strength, at_strength(strength))).to_vec(),
    }
}

/// The mean share of the frame that draws invent after something is done to each.
fn mean_invented(drawn: &[Drawn], frame: Frame, changed: &dyn Fn(&Draw) -> Draw) -> f64 {
    Spread::of(drawn.iter().map(|(size, draw)| invented(&changed(draw), *size, frame))).mean
}

/// What one step alone does, when it happens, at a part of its strength.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct StepGeometry {
    /// Mean share of the frame that it invents, beside what the frame itself does.
    pub invented: f64,
    /// Mean share of the image that it hides, beside what the frame itself does.
    pub hidden: f64,
}

/// See [`StepGeometry`]; `draws` in all, shared out among `subjects`.
pub fn step_geometry(
    policy: &Policy,
    step: usize,
    strength: f64,
    subjects: &[Subject],
    seed: u64,
    draws: u64,
) -> StepGeometry {
    if !policy.steps[step].definition.is_geometry() {
        return StepGeometry::default();
    }
    let frame = policy.frame;
    let alone = drawn(&policy.with_only(step), subjects, seed, draws);
    let mean = |share: &dyn Fn(&Draw, (u32, u32)) -> f64| {
        let added = alone.iter().map(|(size, draw)| {
            let steps: Vec<DrawnStep> = draw.at_strength(strength).steps;
            (share(&Draw { steps }, *size) - share(&Draw::NOTHING, *size)).max(0.0)
        });
        Spread::of(added).mean
    };
    StepGeometry {
        invented: mean(&|draw, size| invented(draw, size, frame)),
        hidden: mean(&|draw, size| hidden(draw, size, frame)),
    }
}

type Drawn = ((u32, u32), Draw);

fn drawn(policy: &Policy, subjects: &[Subject], seed: u64, draws: u64) -> Vec<Drawn> {
    if subjects.is_empty() {
        return Vec::new();
    }
    let draw = |number: u64| {
        let subject = &subjects[(number % subjects.len() as u64) as usize];
        let occasion = Occasion { seed, path: "geometry", class: &subject.class, number };
        (subject.size_px, policy.draw(&occasion))
    };
    (0..draws).map(draw).collect()
}

/// The share of points of the frame that lie neither on the image nor on its background.
fn invented(draw: &Draw, (width, height): (u32, u32), frame: Frame) -> f64 {
    let Some(to_picture) = draw.to_frame(width, height, frame).inverse() else { return 1.0 };
    let (beside, above) = frame.margins(width, height);
    let (left, top) = (f64::from(beside), f64::from(above));
    let sides = (f64::from(width) + 2.0 * left, f64::from(height) + 2.0 * top);
    share((f64::from(frame.width_px), f64::from(frame.height_px)), |x, y| {
        !is_on(to_picture, (x, y), (left, top), sides)
    })
}

/// The share of points of the image that lie outside of the frame.
fn hidden(draw: &Draw, (width, height): (u32, u32), frame: Frame) -> f64 {
    let to_frame = draw.to_frame(width, height, frame);
    let sides = (f64::from(frame.width_px), f64::from(frame.height_px));
    share((f64::from(width), f64::from(height)), |x, y| !is_on(to_frame, (x, y), (0.0, 0.0), sides))
}

/// Whether a point goes into a rectangle of these sides that begins so far left and above.
fn is_on(
    map: Projective,
    (x, y): (f64, f64),
    (left, top): (f64, f64),
    (width, height): (f64, f64),
) -> bool {
    const HAIR: f64 = 1e-6;
    map.at(x, y).is_some_and(|(x, y)| {
        (-HAIR..=width + HAIR).contains(&(x + left)) && (-HAIR..=height + HAIR).contains(&(y + top))
    })
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

    fn of_size(width: u32, height: u32) -> Subject {
        Subject { size_px: (width, height), class: "sage".into() }
    }

    #[test]
    fn shares_are_those_that_can_be_worked_out() {
        let policy =
            |steps: &str| Policy::parse(&format!("[frame]\nsize = [120, 120]\n{steps}")).unwrap();
        let near = |a: f64, b: f64| assert!((a - b).abs() < 0.02, "{a} is not {b}");
        // Nothing is done: of an image twice as wide as high half is cut by the frame.
        let plain = geometry(&policy(""), &[of_size(240, 120)], 0, 10);
        assert_eq!((plain.invented.mean, plain.draws), (0.0, 10));
        near(plain.hidden.mean, 0.5);
        near(plain.hidden_by_frame, 0.5);
        // A quarter to the right and down leaves three quarters of three quarters.
        let shift = "[[step]]\ndo = 'shift'\nbetween = [0.25, 0.25]\n";
        let flip = "[[step]]\ndo = 'flip'\naxis = 'left-right'\n";
        let bright = "[[step]]\ndo = 'brightness'\nbetween = [2, 2]\n";
        let moved = geometry(&policy(&[shift, flip, bright].concat()), &[of_size(100, 100)], 0, 10);
        near(moved.invented.mean, 1.0 - 0.75 * 0.75);
        near(moved.invented.most, moved.invented.mean);
        near(moved.hidden.mean, moved.invented.mean);
        assert_eq!(moved.without_step[0], Some(0.0));
        near(moved.without_step[1].unwrap(), moved.invented.mean);
        assert_eq!(moved.without_step[2], None);
        let policy_of_three = policy(&[shift, flip, bright].concat());
        let alone = step_geometry(&policy_of_three, 0, 0.5, &[of_size(100, 100)], 0, 10);
        near(alone.invented, 1.0 - 0.875 * 0.875);
        near(alone.hidden, alone.invented);
        // Bars beside an image are its background, not invented; turned they are both.
        let barred = policy("fit = 'contain'\nbackground = 'white'\n");
        assert_eq!(geometry(&barred, &[of_size(240, 120)], 0, 4).invented.mean, 0.0);
        let barred = policy(
            "fit = 'contain'\nbackground = 'white'\n[[step]]\ndo = 'zoom'\nbetween = [0.5, 0.5]\n",
        );
        near(geometry(&barred, &[of_size(240, 120)], 0, 4).invented.mean, 0.75);
        let halved = 1.0 - 0.875 * 0.875;
        assert_eq!(moved.at_strength[1].0, 0.5);
        near(moved.at_strength[1].1, halved);
        // Out of the frame by a half is a quarter of the image enlarged twice.
        let zoom = geometry(
            &policy("[[step]]\ndo = 'zoom'\nbetween = [2, 2]"),
            &[of_size(100, 100)],
            0,
            10,
        );
        near(zoom.hidden.mean, 0.75);
        assert_eq!(zoom.invented.mean, 0.0);
        near(zoom.at_strength[1].1, 0.0);
        assert_eq!((zoom.hidden.beyond_quarter, zoom.hidden.beyond_half), (1.0, 1.0));
        // The mean of many draws hardly hangs on the seed.
        let wide = policy(
            "[[step]]\ndo = 'rotate'\nbetween = [-90, 90]\n[[step]]\ndo = 'shift'\nbetween = [-0.3, 0.3]",
        );
        let [a, b] =
            [1, 2].map(|seed| geometry(&wide, &[of_size(100, 100)], seed, 2000).invented.mean);
        assert!((a - b).abs() < 0.01, "{a} {b}");
    }
}
