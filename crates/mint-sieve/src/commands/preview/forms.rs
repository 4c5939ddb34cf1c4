//! The forms of a sheet: what each of its columns shows of an image.

use sieve_core::augment::cost::Verdict;
use sieve_core::augment::steps::Amount;
use sieve_core::augment::{Augmented, Draw, Fill, Fit, Frame, Occasion, Policy, SourcePyramid};
use sieve_core::limits::FindingLimits;
use sieve_core::reading::Pixels;

use crate::failure::Failure;
use crate::policy_file::NamedPolicy;
use crate::present::sheet::{Drawn, Edge, PAPER, Tile};

/// What the columns after the first show.
#[derive(Clone, Debug)]
pub enum Form {
    /// Draw after draw.
    Draws,
    /// One step from least to most; its index in the policy.
    Step(usize),
    /// The dial from least to most.
    Strength,
    /// The frame alone.
    Frame,
}

/// Within which parts of the strength the dial is shown: from nearly nothing to twice what is meant.
const DIAL: (f64, f64) = (0.0, 2.0);
/// The share of the brightness that is left of what the frame cuts off.
const DIMMED: f64 = 0.35;

impl Form {
    /// The form that `--ladder` asks for.
    pub fn ladder(word: &str, policy: &Policy) -> Result<Form, Failure> {
        if word == "strength" {
            return Ok(Form::Strength);
        }
        let names: Vec<&str> = policy.steps.iter().map(|step| step.definition.name).collect();
        let Some(index) = names.iter().position(|name| *name == word) else {
            let known = [&names[..], &["strength"]].concat();
            let message = format!("--ladder {word}: the policy has no such step");
            return Err(Failure::unknown(message, word, &known));
        };
        if policy.steps[index].setting.amount == Amount::Nothing {
            let message = format!("--ladder {word}: this step has no range");
            return Err(Failure::call(message).hint("Omit --ladder to see its draws."));
        }
        Ok(Form::Step(index))
    }

    /// Columns beside the first; none where it is as many as fit.
    pub fn columns(&self, policy: &Policy) -> Option<u32> {
        match self {
            Form::Frame => Some(1),
            Form::Step(step) => match &policy.steps[*step].setting.amount {
                Amount::Values(values) => Some(values.len() as u32),
                _ => None,
            },
            Form::Draws | Form::Strength => None,
        }
    }

    /// What a column shows, by its number from 0 and the number of columns.
    fn draw(
        &self,
        policy: &Policy,
        occasion: &Occasion<'_>,
        column: u32,
        columns: u32,
    ) -> (Draw, Option<String>) {
        let part = f64::from(column) / f64::from((columns - 1).max(1));
        let first = Occasion { number: 0, ..*occasion };
        match self {
            Form::Frame => (Draw::NOTHING, None),
            Form::Draws => {
                (policy.draw(&Occasion { number: u64::from(column), ..*occasion }), None)
            }
            Form::Strength => {
                let strength = DIAL.0 + (DIAL.1 - DIAL.0) * part;
                (policy.at_strength(strength).draw(&first), Some(format!("strength {strength:.2}")))
            }
            Form::Step(step) => {
                let mut alone = policy.with_only(*step);
                let amount = &mut alone.steps[0].setting.amount;
                let value = match &*amount {
                    Amount::Values(values) => values[column as usize % values.len()],
                    amount => amount.draw(part),
                };
                *amount = Amount::Between(value, value);
                let mut draw = alone.draw(&first);
                draw.steps.iter_mut().for_each(|drawn| drawn.step = *step);
                (draw, None)
            }
        }
    }
}

/// What is needed to make tiles of an image under one policy.
pub struct PolicyView<'a> {
    /// The policy.
    pub policy: &'a NamedPolicy,
    /// What is said of its steps.
    pub verdicts: &'a [Verdict],
    /// Where edges are marked.
    pub limits: &'a FindingLimits,
}

impl PolicyView<'_> {
    /// The tile without augmentation, under these words.
    pub fn plain(&self, image: &SourcePyramid, words: Vec<String>) -> Tile {
        let augmented = Draw::NOTHING.apply(image, &self.policy.policy);
        Tile { words, edge: Edge::Plain, ..tile(augmented, 0, &Draw::NOTHING) }
    }

    /// The tile of a column, by its number from 0 and the number of columns.
    pub fn tile(
        &self,
        form: &Form,
        image: &SourcePyramid,
        occasion: &Occasion<'_>,
        column: u32,
        columns: u32,
    ) -> Tile {
        let (draw, lead) = form.draw(&self.policy.policy, occasion, column, columns);
        let augmented = draw.apply(image, &self.policy.policy);
        let mut tile = tile(augmented, column as usize + 1, &draw);
        let is_ladder = !matches!(form, Form::Draws);
        // A ladder shows where the limit is; among draws only what is harsh stands out.
        let times = if is_ladder { 1.0 } else { 3.0 };
        let (invented, clipped) = (tile.drawn.outside_share, tile.drawn.tone.newly_clipped);
        let is_beyond =
            invented > times * self.limits.invented || clipped > times * self.limits.clipped;
        tile.edge = if is_beyond { Edge::Beyond } else { Edge::None };
        tile.words = self.words(&draw, lead, invented, clipped, is_ladder);
        if is_beyond && let Some(first) = tile.words.first_mut() {
            *first = format!("▲ {first}");
        }
        tile
    }

    /// The most telling first: in a ladder the value, among draws the worst.
    fn words(
        &self,
        draw: &Draw,
        lead: Option<String>,
        invented: f64,
        clipped: f64,
        is_ladder: bool,
    ) -> Vec<String> {
        let mut words = Vec::new();
        let limits = self.limits;
        let mut costs =
            vec![(invented, limits.invented, "invented"), (clipped, limits.clipped, "clipped")];
        costs.retain(|(share, ..)| *share >= 0.005);
        costs.sort_by(|(a, most_a, _), (b, most_b, _)| (b / most_b).total_cmp(&(a / most_a)));
        let costs =
            costs.into_iter().map(|(share, _, what)| format!("{what} {:.0}%", share * 100.0));
        let mut steps: Vec<_> = draw.steps.iter().collect();
        let grade = |step: usize| self.verdicts.get(step).map(|verdict| verdict.grade);
        steps.sort_by_key(|step| std::cmp::Reverse(grade(step.step)));
        let captions = steps.iter().map(|step| step.drawn.caption());
        match lead {
            Some(lead) => {
                words.push(lead);
                words.extend(costs);
                words.extend(captions);
            }
            None if is_ladder => {
                words.extend(captions);
                words.extend(costs);
            }
            None => {
                words.extend(costs);
                words.extend(captions);
            }
        }
        if words.is_empty() {
            words.push("nothing happens".to_owned());
        }
        words
    }

    /// The image with what the frame cuts off in shadow, as large as a tile, and the frame beside it.
    pub fn frame_tiles(
        &self,
        pixels: &Pixels,
        image: &SourcePyramid,
        words: Vec<String>,
    ) -> Vec<Tile> {
        let frame = self.policy.policy.frame;
        let plain = Draw::NOTHING.apply(image, &self.policy.policy);
        let (width, height) = (f64::from(frame.width_px), f64::from(frame.height_px));
        let mut whole = pixels.clone();
        let is_seen = |x: u32, y: u32| {
            let place = plain.to_frame.at(f64::from(x) + 0.5, f64::from(y) + 0.5);
            place.is_some_and(|(x, y)| (0.0..=width).contains(&x) && (0.0..=height).contains(&y))
        };
        let mut cut = 0u64;
        for y in 0..whole.height_px {
            for x in 0..whole.width_px {
                if !is_seen(x, y) {
                    cut += 1;
                    let at = (y as usize * whole.width_px as usize + x as usize) * 3;
                    for value in &mut whole.data[at..at + 3] {
                        *value = (f64::from(*value) * DIMMED) as u8;
                    }
                }
            }
        }
        let all = f64::from(whole.width_px) * f64::from(whole.height_px);
        let scale = (width / f64::from(pixels.width_px)).max(height / f64::from(pixels.height_px));
        let size = match scale {
            scale if scale > 1.0 => format!("{scale:.1} times enlarged"),
            scale => format!("{:.1} times reduced", 1.0 / scale),
        };
        let seen = vec![format!("cut off {:.0}%", cut as f64 / all * 100.0), size];
        let fitting = Policy {
            frame: Frame::new(frame.width_px, frame.height_px, Fit::Contain),
            fill: Fill::Colour(PAPER),
            ..self.policy.policy.clone()
        };
        let fitted = Draw::NOTHING.apply(&SourcePyramid::new(&whole), &fitting).pixels;
        let first = Tile {
            pixels: fitted,
            words,
            edge: Edge::Plain,
            drawn: Drawn { outside_share: plain.outside_share, ..Drawn::default() },
        };
        vec![first, Tile { words: seen, ..tile(plain, 1, &Draw::NOTHING) }]
    }
}

fn tile(augmented: Augmented, number: usize, draw: &Draw) -> Tile {
    Tile {
        pixels: augmented.pixels,
        words: Vec::new(),
        edge: Edge::None,
        drawn: Drawn {
            number,
            steps: draw.steps.clone(),
            to_frame: Some(augmented.to_frame),
            outside_share: augmented.outside_share,
            tone: augmented.tone,
        },
    }
}
