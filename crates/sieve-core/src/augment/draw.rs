//! What a policy does to one picture once.

use rand::RngExt;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde::Serialize;

use super::frame::Frame;
use super::policy::Policy;
use super::steps::{Drawn, Effect};
use super::tone::{self, Tone};
use super::tone_cost::tone_cost;
use super::warp::{Warped, warp};
use crate::affine::Affine;
use crate::reading::Pixels;

/// What was drawn for one picture.
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

impl Policy {
    /// Draws what happens to the picture called `path` the `number`-th time.
    ///
    /// Every step draws its numbers whether it happens or not. Two policies with the same steps
    /// and different strengths therefore do alike things to the same picture, which makes them
    /// comparable side by side.
    pub fn draw(&self, seed: u64, path: &str, number: u64) -> Draw {
        let mut hasher = blake3::Hasher::new();
        hasher.update(b"mint-sieve draw 1").update(&seed.to_le_bytes());
        hasher.update(&number.to_le_bytes()).update(path.as_bytes());
        let mut rng = ChaCha8Rng::from_seed(hasher.finalize().into());
        let mut unit = || rng.random::<f64>();
        let mut steps = Vec::new();
        for (index, step) in self.steps.iter().enumerate() {
            let (chance, first, second) = (unit(), unit(), unit());
            if chance < step.chance {
                let drawn = step.definition.drawn(step.setting, [first, second]);
                steps.push(DrawnStep { step: index, drawn });
            }
        }
        Draw { steps }
    }
}

impl Draw {
    /// Nothing happens: the picture as the model sees it without augmentation.
    pub const NOTHING: Draw = Draw { steps: Vec::new() };

    /// The map from points of a picture of `width_px` x `height_px` to points of the frame: the
    /// fit, then the geometric steps in their order.
    pub fn to_frame(&self, width_px: u32, height_px: u32, frame: Frame) -> Affine {
        let geometry = self.steps.iter().filter_map(|step| match step.drawn.definition.effect {
            Effect::Geometry(map) => Some(map(&step.drawn, frame)),
            Effect::Tone(_) | Effect::Filter(_) => None,
        });
        geometry.fold(frame.fitting(width_px, height_px), Affine::then)
    }

    /// The same steps at a part of their strength.
    pub fn at_strength(&self, strength: f64) -> Draw {
        let steps = self.steps.iter();
        let weaker =
            steps.map(|step| DrawnStep { drawn: step.drawn.at_strength(strength), ..*step });
        Draw { steps: weaker.collect() }
    }

    /// Carries the draw out: one resampling for all geometry, then tones and filters, in their order, on
    /// the whole frame.
    ///
    /// # Panics
    ///
    /// When the picture is empty.
    pub fn apply(&self, image: &Pixels, policy: &Policy) -> Warped {
        let to_frame = self.to_frame(image.width_px, image.height_px, policy.frame);
        let mut warped = warp(image, to_frame, policy.frame, policy.fill);
        let before = warped.pixels.clone();
        // Tones that follow each other are rounded once.
        let mut tones: Vec<Tone> = Vec::new();
        for DrawnStep { drawn, .. } in &self.steps {
            match drawn.definition.effect {
                Effect::Geometry(_) => {}
                Effect::Tone(tone) => tones.push(tone(drawn)),
                Effect::Filter(filter) => {
                    tone::apply(&mut warped.pixels, &std::mem::take(&mut tones));
                    filter(drawn, &mut warped.pixels);
                }
            }
        }
        tone::apply(&mut warped.pixels, &tones);
        warped.tone = tone_cost(&before, &warped.pixels);
        warped
    }
}

#[cfg(test)]
mod tests {
    use super::super::frame::Fit;
    use super::super::steps::{Axis, Definition, Setting, Takes};
    use super::*;
    use proptest::prelude::*;

    fn policy(steps: &str) -> Policy {
        Policy::parse(&format!("[frame]\nsize = [8, 6]\n{steps}")).unwrap()
    }

    /// A picture of 8 x 6 in which every pixel differs.
    fn image() -> Pixels {
        let data = (0..8 * 6).flat_map(|i| [i as u8 * 5, 255 - i as u8 * 5, i as u8]).collect();
        Pixels { width_px: 8, height_px: 6, data }
    }

    /// What one draw of a policy makes of [`image`].
    fn shown(steps: &str) -> Pixels {
        let policy = policy(steps);
        policy.draw(0, "a.jpg", 0).apply(&image(), &policy).pixels
    }

    #[test]
    fn whole_moves_are_exact() {
        let image = image();
        assert_eq!(Draw::NOTHING.apply(&image, &policy("")).pixels, image);
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
            .flat_map(|number| policy.draw(4, "a.jpg", number).steps)
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
        let draw = policy.draw(1, "a.jpg", 1);
        assert_eq!(draw, policy.draw(1, "a.jpg", 1));
        for other in [(2, "a.jpg", 1), (1, "b.jpg", 1), (1, "a.jpg", 2)] {
            assert_ne!(draw, policy.draw(other.0, other.1, other.2));
        }
    }

    /// Each pixel from the one before it: stands for a filter, since it shows what came before it and what after.
    static SMEAR: Definition = Definition {
        name: "smear",
        takes: Takes::Axis,
        numbers: &[],
        neutral: 0.0,
        draw: |_, _| [0.0; 2],
        caption: |_| String::new(),
        effect: Effect::Filter(|_, pixels| {
            let length = pixels.data.len();
            pixels.data.copy_within(..length - 3, 3);
        }),
    };

    #[test]
    fn filters_act_between_the_tones_around_them() {
        let brightness = |factor: f64| {
            let between = Setting::Range(factor, factor);
            Definition::named("brightness").unwrap().drawn(between, [0.0; 2])
        };
        let smear = SMEAR.drawn(Setting::Axis(Axis::LeftRight), [0.0; 2]);
        let drawn = [brightness(0.5), smear, brightness(2.0)];
        let steps = drawn.map(|drawn| DrawnStep { step: 0, drawn }).to_vec();
        let done = Draw { steps }.apply(&image(), &policy("")).pixels;
        // Halved and rounded, moved, doubled.
        let before = image().at(4, 2);
        assert_eq!(done.at(5, 2), before.map(|value| value.div_ceil(2).saturating_mul(2)));
    }

    proptest! {
        #[test]
        fn fits_do_what_css_says(width in 1u32..300, height in 1u32..300) {
            let frame = |fit| Frame { width_px: 120, height_px: 80, fit };
            let corners = |fit| {
                let map = Draw::NOTHING.to_frame(width, height, frame(fit));
                (map.at(0.0, 0.0), map.at(f64::from(width), f64::from(height)))
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
