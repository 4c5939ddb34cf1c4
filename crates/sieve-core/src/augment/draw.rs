//! What a policy does to one image once.

use rand::RngExt;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde::Serialize;

use super::canvas::{Canvas, LUMA};
use super::colour::{self, Colour};
use super::frame::{Colours, Frame};
use super::policy::Policy;
use super::prepared::SourcePyramid;
use super::projective::Projective;
use super::steps::{Drawn, Effect};
use super::tone_cost::{ToneCost, tone_cost};

use super::warp::warp;
use crate::reading::Pixels;

/// What was drawn for one image.
#[derive(Clone, Debug, PartialEq)]
pub struct Draw {
    /// The steps that happen, in order.
    pub steps: Vec<DrawnStep>,
}

/// A step of the policy that happens.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct DrawnStep {
    /// Its index among the steps of the policy, from 0.
    pub step: usize,
    /// What was drawn for it.
    #[serde(flatten)]
    pub drawn: Drawn,
}

/// What a draw makes of an image.
#[derive(Clone, Debug, PartialEq)]
pub struct Augmented {
    /// The frame.
    pub pixels: Pixels,
    /// The map from points of the image to points of the frame.
    pub to_frame: Projective,
    /// Share of the frame's samples that lie outside of the image, 0 to 1.
    pub outside_share: f64,
    /// What colours and filters did to the values.
    pub tone: ToneCost,
}

/// What the geometry of a draw makes of an image.
pub(super) struct Framed {
    pub canvas: Canvas,
    to_frame: Projective,
    outside_share: f64,
}

/// Which draw it is: everything that chance depends on.
#[derive(Clone, Copy, Debug)]
pub struct Occasion<'a> {
    /// The seed.
    pub seed: u64,
    /// The path of the image.
    pub path: &'a str,
    /// Its class, which some steps may be kept from.
    pub class: &'a str,
    /// The number of the draw.
    pub number: u64,
}

impl Occasion<'_> {
    /// Random numbers that belong to `name` alone.
    fn random(&self, name: &str, occurrence: usize) -> ChaCha8Rng {
        let mut hasher = blake3::Hasher::new();
        hasher.update(b"mint-sieve draw 2").update(&self.seed.to_le_bytes());
        hasher.update(&self.number.to_le_bytes());
        hasher.update(&(occurrence as u64).to_le_bytes());
        hasher.update(&(name.len() as u64).to_le_bytes()).update(name.as_bytes());
        hasher.update(self.path.as_bytes());
        ChaCha8Rng::from_seed(hasher.finalize().into())
    }
}

impl Policy {
    /// Draws what happens to an image on one occasion.
    ///
    /// Each step draws its numbers by itself: from the occasion, its name, and how many of that name are before it. What
    /// else the policy holds changes nothing, so that policies do alike things to the same image where they have the
    /// same steps, weaker or stronger, and can be compared side by side.
    pub fn draw(&self, occasion: &Occasion<'_>) -> Draw {
        let mut steps = Vec::new();
        let mut before: Vec<(&str, usize)> = Vec::new();
        for (index, step) in self.steps.iter().enumerate() {
            let name = step.definition.name;
            let known = before.iter_mut().find(|(known, _)| *known == name);
            let occurrence = match known {
                Some((_, count)) => {
                    *count += 1;
                    *count
                }
                None => {
                    before.push((name, 0));
                    0
                }
            };
            let mut rng = occasion.random(name, occurrence);
            let mut unit = || rng.random::<f64>();
            let chance = unit();
            if chance < step.chance
                && step.classes.includes(occasion.class)
                && self.is_picked(index, occasion)
            {
                let drawn =
                    step.definition.drawn(&step.setting, &mut unit).at_strength(self.strength);
                steps.push(DrawnStep { step: index, drawn });
            }
        }
        Draw { steps }
    }

    /// Whether a step is among those that its pick takes on this occasion: those with the least numbers.
    fn is_picked(&self, step: usize, occasion: &Occasion<'_>) -> bool {
        let Some(index) = self.steps[step].pick else { return true };
        let pick = self.picks[index];
        let mut rng = occasion.random("pick", index);
        if rng.random::<f64>() >= pick.chance {
            return false;
        }
        let first = self.steps.iter().position(|step| step.pick == Some(index)).unwrap_or(0);
        let keys: Vec<u64> = (0..pick.of).map(|_| rng.random()).collect();
        let own = (keys[step - first], step - first);
        keys.iter().copied().zip(0..).filter(|&other| other < own).count() < pick.count
    }
}

impl Draw {
    /// Nothing happens: the image as the model sees it without augmentation.
    pub const NOTHING: Draw = Draw { steps: Vec::new() };

    /// The map from points of an image of `width_px` x `height_px` to points of the frame: the
    /// fit, then the geometric steps in their order.
    pub fn to_frame(&self, width_px: u32, height_px: u32, frame: Frame) -> Projective {
        let geometry = self.steps.iter().filter_map(|step| match step.drawn.definition.effect {
            Effect::Geometry(map) => Some(map(&step.drawn, frame)),
            Effect::Colour(_) | Effect::Filter(_) => None,
        });
        geometry.fold(frame.fitting(width_px, height_px).into(), Projective::then)
    }

    /// The same steps at a part of their strength.
    pub fn at_strength(&self, strength: f64) -> Draw {
        let steps = self.steps.iter();
        let weaker =
            steps.map(|step| DrawnStep { drawn: step.drawn.at_strength(strength), ..*step });
        Draw { steps: weaker.collect() }
    }

    /// Carries the draw out: one resampling for all geometry, then colours and filters, in their order, on
    /// the whole frame, in floating point; rounded once at the end.
    pub fn apply(&self, image: &SourcePyramid, policy: &Policy) -> Augmented {
        let framed = self.framed(image, policy);
        let (pixels, tone) = self.toned(framed.canvas);
        Augmented { pixels, to_frame: framed.to_frame, outside_share: framed.outside_share, tone }
    }

    /// The frame as geometry alone makes it.
    pub(super) fn framed(&self, image: &SourcePyramid, policy: &Policy) -> Framed {
        let to_frame = self.to_frame(image.width_px, image.height_px, policy.frame);
        let warped = warp(image, to_frame, policy.frame, policy.fill);
        let mut canvas = warped.canvas;
        if policy.frame.colours == Colours::Grey {
            colour::apply(&mut canvas, &[Colour::Mix([LUMA; 3])]);
        }
        Framed { canvas, to_frame, outside_share: warped.outside_share }
    }

    /// What colours and filters make of a frame, and what that costs.
    pub(super) fn toned(&self, mut canvas: Canvas) -> (Pixels, ToneCost) {
        if self.steps.iter().all(|step| step.drawn.definition.is_geometry()) {
            return (canvas.to_pixels(), ToneCost::default());
        }
        let before = canvas.to_pixels();
        self.tone(&mut canvas);
        let pixels = canvas.to_pixels();
        let tone = tone_cost(&before, &pixels);
        (pixels, tone)
    }

    /// Colours and filters. Colours that follow each other are one pass over the frame.
    fn tone(&self, canvas: &mut Canvas) {
        let mut colours: Vec<Colour> = Vec::new();
        for DrawnStep { drawn, .. } in &self.steps {
            match drawn.definition.effect {
                Effect::Geometry(_) => {}
                Effect::Colour(colour) => colours.push(colour(drawn)),
                Effect::Filter(filter) => {
                    colour::apply(canvas, &std::mem::take(&mut colours));
                    filter(drawn, canvas);
                }
            }
        }
        colour::apply(canvas, &colours);
    }
}

#[cfg(test)]
mod tests {
    use super::super::frame::Fit;
    use super::*;
    use proptest::prelude::*;

    fn policy(steps: &str) -> Policy {
        Policy::parse(&format!("[frame]\nsize = [8, 6]\n{steps}")).unwrap()
    }

    /// An image of 8 x 6 in which every pixel differs.
    fn image() -> Pixels {
        let data = (0..8 * 6).flat_map(|i| [i as u8 * 5, 255 - i as u8 * 5, i as u8]).collect();
        Pixels { width_px: 8, height_px: 6, data }
    }

    fn occasion(seed: u64, path: &str, number: u64) -> Occasion<'_> {
        Occasion { seed, path, class: "sage", number }
    }

    /// What one draw of a policy makes of [`image`].
    fn shown(steps: &str) -> Pixels {
        let policy = policy(steps);
        policy.draw(&occasion(0, "a.jpg", 0)).apply(&SourcePyramid::new(image()), &policy).pixels
    }

    #[test]
    fn whole_moves_are_exact() {
        let image = image();
        assert_eq!(Draw::NOTHING.apply(&SourcePyramid::new(&image), &policy("")).pixels, image);
        let gathered = |from: &dyn Fn(u32, u32) -> (u32, u32)| {
            let places = (0..6).flat_map(|y| (0..8).map(move |x| (x, y)));
            let data = places.map(|(x, y)| from(x, y)).flat_map(|(x, y)| image.at(x, y));
            Pixels { data: data.collect(), ..image }
        };
        let flip = |axis: &str| shown(&format!("[[step]]\ndo = 'flip'\naxis = '{axis}'"));
        assert_eq!(flip("left-right"), gathered(&|x, y| (7 - x, y)));
        assert_eq!(flip("top-bottom"), gathered(&|x, y| (x, 5 - y)));
        let turned = shown("[[step]]\ndo = 'rotate'\nbetween = [180, 180]");
        assert_eq!(turned, gathered(&|x, y| (7 - x, 5 - y)));
        // A quarter of 8 columns is 2 to the right; a quarter of 6 rows is one and a half down, so
        // both rows above are averaged.
        let wrapped = "[outside]\nfill = 'wrap'\n[[step]]\ndo = 'shift'\nbetween = [0.25, 0.25]";
        let shifted = shown(wrapped);
        for (x, y) in [(0, 0), (3, 3), (7, 5)] {
            let above = |rows: u32| image.at((x + 6) % 8, (y + 6 - rows) % 6);
            let mean = [0, 1, 2]
                .map(|c| (u16::from(above(1)[c]) + u16::from(above(2)[c])).div_ceil(2) as u8);
            assert_eq!(shifted.at(x, y), mean);
        }
    }

    #[test]
    fn chances_and_ranges_are_kept() {
        let steps = "[[step]]\ndo = 'rotate'\nbetween = [-10, 20]\nchance = 0.3\n\
                     [[step]]\ndo = 'flip'\naxis = 'left-right'\nchance = 0";
        let policy = policy(steps);
        let degrees: Vec<f64> = (0..2000)
            .flat_map(|number| policy.draw(&occasion(4, "a.jpg", number)).steps)
            .map(|step| match step.drawn.numbers() {
                &[degrees] => degrees,
                _ => panic!("a chance of 0 came true: {step:?}"),
            })
            .collect();
        assert!((500..700).contains(&degrees.len()), "about 600 of 2000, not {}", degrees.len());
        assert!(degrees.iter().all(|degrees| (-10.0..20.0).contains(degrees)));
        let mean = degrees.iter().sum::<f64>() / degrees.len() as f64;
        assert!((mean - 5.0).abs() < 1.5, "the middle of the range, not {mean}");
    }

    #[test]
    fn draws_depend_on_seed_path_and_number_alone() {
        let policy = policy("[[step]]\ndo = 'zoom'\nbetween = [0.5, 2]");
        let draw = policy.draw(&occasion(1, "a.jpg", 1));
        assert_eq!(draw, policy.draw(&occasion(1, "a.jpg", 1)));
        for other in [(2, "a.jpg", 1), (1, "b.jpg", 1), (1, "a.jpg", 2)] {
            assert_ne!(draw, policy.draw(&occasion(other.0, other.1, other.2)));
        }
    }

    #[test]
    fn filters_act_between_the_colours_around_them_and_nothing_is_rounded() {
        // Halved, covered with white, doubled: what is not covered is what it was, odd levels included.
        let half = "[[step]]\ndo = 'brightness'\nbetween = [0.5, 0.5]\n";
        let patch = "[[step]]\ndo = 'patch'\nbetween = [0.25, 0.25]\nfill = '#404040'\n";
        let twice = "[[step]]\ndo = 'brightness'\nbetween = [2, 2]\n";
        let done = shown(&[half, patch, twice].concat());
        let covered = (0..48).filter(|at| done.at(at % 8, at / 8) == [128; 3]).count();
        let kept =
            (0..48).filter(|at| done.at(at % 8, at / 8) == image().at(at % 8, at / 8)).count();
        assert!(covered >= 9 && covered + kept == 48, "{covered} {kept}");
    }

    #[test]
    fn what_else_a_policy_holds_changes_no_draw_and_picks_are_fair() {
        let rotate = "[[step]]\ndo = 'rotate'\nbetween = [-10, 10]\n";
        let others = "[[step]]\ndo = 'noise'\nbetween = [0, 9]\n";
        let one = policy(rotate).draw(&occasion(3, "a.jpg", 5)).steps[0].drawn;
        let two = policy(&[others, rotate].concat()).draw(&occasion(3, "a.jpg", 5)).steps[1].drawn;
        assert_eq!(one, two);
        let some = policy(
            "[[step]]\ndo = 'pick'\ncount = 2\n[[step.step]]\ndo = 'grey'\n[[step.step]]\ndo = 'invert'\n\
             [[step.step]]\ndo = 'equalise'\n[[step]]\ndo = 'flip'\naxis = 'left-right'\nnever = ['sage']\n",
        );
        let mut counts = [0; 4];
        for number in 0..900 {
            let draw = some.draw(&occasion(1, "a.jpg", number));
            assert_eq!(draw.steps.len(), 2);
            draw.steps.iter().for_each(|step| counts[step.step] += 1);
        }
        assert!(counts[..3].iter().all(|count| (540..660).contains(count)), "{counts:?}");
        assert_eq!(counts[3], 0);
        let bay = Occasion { class: "bay", ..occasion(1, "a.jpg", 1) };
        assert_eq!(some.draw(&bay).steps.len(), 3);
    }

    proptest! {
        #[test]
        fn fits_do_what_css_says(width in 1u32..300, height in 1u32..300) {
            let frame = |fit| Frame::new(120, 80, fit);
            let corners = |fit| {
                let map = Draw::NOTHING.to_frame(width, height, frame(fit));
                (map.at(0.0, 0.0).unwrap(), map.at(f64::from(width), f64::from(height)).unwrap())
            };
            let near = |a: f64, b: f64| (a - b).abs() < 1e-9;
            let ((left, top), (right, bottom)) = corners(Fit::Stretch);
            prop_assert!(near(left, 0.0) && near(top, 0.0) && near(right, 120.0) && near(bottom, 80.0));
            let ((left, top), (right, bottom)) = corners(Fit::Contain);
            prop_assert!(left > -1e-9 && top > -1e-9 && (near(left, 0.0) || near(top, 0.0)));
            prop_assert!(near(left, 120.0 - right) && near(top, 80.0 - bottom));
            let ((left, top), (right, bottom)) = corners(Fit::Cover);
            prop_assert!(left < 1e-9 && top < 1e-9 && (near(left, 0.0) || near(top, 0.0)));
            prop_assert!(near(left, 120.0 - right) && near(top, 80.0 - bottom));
        }
    }
}
