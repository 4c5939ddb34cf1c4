//! What a policy does to real images, in numbers: how often its draws leave the range of held-out images, how much
//! they flatten, and how often they look most like another class.

use std::collections::BTreeMap;

use super::appearance::Appearance;
use super::geometry::Subject;
use super::measures::{MEASURES, Measures, SHARPNESS, measures, middle};
use crate::Error;
use crate::augment::canvas::Canvas;
use crate::augment::draw::{Draw, Occasion};
use crate::augment::policy::Policy;
use crate::augment::prepared::SourcePyramid;
use crate::augment::steps::Definition;
use crate::collection::{Collection, Entry};
use crate::measuring::look_at;
use crate::progress::Progress;
use crate::reading::{self, DecodedImage, Pixels, ReadLimits};

/// What is studied, and on which images.
pub struct Study<'a> {
    /// The policy.
    pub policy: &'a Policy,
    /// Training images, in an order of which any beginning will do.
    pub train: &'a [&'a Entry],
    /// Held-out images that the draws should look like; where there are none, the training images themselves.
    pub held_out: &'a [&'a Entry],
    /// The seed.
    pub seed: u64,
    /// Draws of the policy, shared out among the training images.
    pub draws: u64,
}

/// Parts of its strength at which each step is tried by itself, the strongest first.
pub const TRIED: [f64; 4] = [1.0, 0.5, 0.25, 0.125];

/// Training images on which each step is tried by itself: a share of a tenth is then right to about two in a hundred.
const ALONE: usize = 200;

/// What a policy does to real images. Shares are from 0 to 1.
#[derive(Clone, Debug, PartialEq)]
pub struct Impact {
    /// The training images that were drawn from.
    pub subjects: Vec<Subject>,
    /// Held-out images that they were compared with; 0 where it was the training images themselves.
    pub held_out: u64,
    /// The images that they were compared with, without augmentation.
    pub reference: Vec<Reference>,
    /// Draws.
    pub draws: u64,
    /// For each of [`MEASURES`], how often draws leave the range.
    pub out_of_range: Vec<OutOfRange>,
    /// Share of draws, and of images without augmentation, of which any measure leaves the range.
    pub any_out_of_range: f64,
    /// See [`Impact::any_out_of_range`].
    pub any_out_of_range_plain: f64,
    /// Share of values newly black or white: in the mean of the draws, and in the worst.
    pub clipped: f64,
    /// See [`Impact::clipped`].
    pub most_clipped: f64,
    /// By how many levels the mean of an image moves, whichever way, in the mean of the draws.
    pub shift_levels: f64,
    /// Whether draws look like another class; none where there is only one.
    pub label_risk: Option<LabelRisk>,
    /// Each step of the policy by itself.
    pub steps: Vec<StepImpact>,
}

/// An image as the frame shows it.
#[derive(Clone, Debug, PartialEq)]
pub struct Reference {
    /// Its class.
    pub class: String,
    /// Its measures, in the order of [`MEASURES`].
    pub measures: Measures,
    /// Share of it that is not of its most frequent colour.
    pub covered: f64,
}

/// How often draws leave the range of one measure.
#[derive(Clone, Debug, PartialEq)]
pub struct OutOfRange {
    /// Which measure.
    pub measure: &'static str,
    /// The middle 98% of the held-out images.
    pub range: (f64, f64),
    /// Share of draws below it, and above.
    pub below: f64,
    /// See [`OutOfRange::below`].
    pub above: f64,
    /// The same of the images without augmentation.
    pub below_plain: f64,
    /// See [`OutOfRange::below_plain`].
    pub above_plain: f64,
}

/// How often what looks most alike is of another class.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LabelRisk {
    /// Share of draws whose most alike image is of another class.
    pub share: f64,
    /// The same without augmentation.
    pub plain: f64,
    /// Classes that are taken for others more often than without: from, to, and by which share of the draws of the
    /// first; the worst first.
    pub confused: Vec<(String, String, f64)>,
}

/// What one step by itself does to images, when it happens.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct StepImpact {
    /// At each of [`TRIED`].
    pub at: Vec<StepEffect>,
    /// Classes that it makes look like others.
    pub confused: Vec<(String, String, f64)>,
}

/// What one step does at one strength. Shares beyond the same without it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct StepEffect {
    /// Share of draws that newly leave the range of any measure, less those that come back into it; of a geometric step
    /// sharpness does not count.
    pub out_of_range: f64,
    /// Mean share of values newly black or white.
    pub clipped: f64,
    /// Share of draws that newly look most like another class, less those that no longer do; 0 unless it is more than
    /// chance (two standard deviations of a sign test).
    pub label_risk: f64,
}

/// One frame.
struct Seen {
    measures: Measures,
    covered: f64,
    appearance: Appearance,
    clipped: f64,
    shift_levels: f64,
    /// Whether it was resampled and not filtered, so that resampling alone decides how sharp it is.
    is_only_resampled: bool,
}

/// One training image.
struct Probed {
    class: String,
    size_px: (u32, u32),
    plain: Seen,
    draws: Vec<Seen>,
    /// For each step, for each of [`TRIED`], or for as many of them as change anything; none of an image on which
    /// steps are not tried.
    alone: Option<Vec<Vec<Seen>>>,
}

impl Probed {
    /// What a step alone did.
    fn alone(&self, step: usize, tried: usize) -> Option<&Seen> {
        let seen = &self.alone.as_ref()?[step];
        seen.get(tried.min(seen.len() - 1))
    }
}

/// Studies a policy. Files that are no images are passed over.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn study(
    collection: &Collection,
    study: &Study<'_>,
    limits: &ReadLimits,
    progress: &dyn Progress,
) -> Result<Impact, Error> {
    let total = (study.train.len() + study.held_out.len()) as u64;
    progress.begin("measuring the policy", Some(total));
    // The first images have one draw more than the last, so that there are as many as were asked for.
    let images = study.train.len().max(1) as u64;
    let each = |at: usize| study.draws / images + u64::from((at as u64) < study.draws % images);
    let located: Vec<_> = study.train.iter().map(|entry| entry.located()).collect();
    let probed = collection.visit(&located, limits, progress, |at, bytes| {
        progress.advance(1);
        let DecodedImage { pixels, .. } = reading::decode(&bytes.ok()?.bytes, limits).ok()?;
        Some(probe(study, study.train[at], &pixels, each(at), at < ALONE))
    })?;
    let probed: Vec<Probed> = probed.into_iter().flatten().collect();
    let located: Vec<_> = study.held_out.iter().map(|entry| entry.located()).collect();
    let held_out = collection.visit(&located, limits, progress, |at, bytes| {
        progress.advance(1);
        let DecodedImage { pixels, .. } = reading::decode(&bytes.ok()?.bytes, limits).ok()?;
        let seen = seen(&Draw::NOTHING, &SourcePyramid::new(&pixels), study.policy);
        Some(reference(study.held_out[at].place.class().unwrap_or_default(), &seen))
    })?;
    let held_out: Vec<Reference> = held_out.into_iter().flatten().collect();
    Ok(summary(study.policy, &probed, &held_out))
}

fn reference(class: &str, seen: &Seen) -> Reference {
    Reference { class: class.to_owned(), measures: seen.measures, covered: seen.covered }
}

fn seen(draw: &Draw, image: &SourcePyramid, policy: &Policy) -> Seen {
    let any = |is_so: &dyn Fn(&Definition) -> bool| {
        draw.steps.iter().any(|step| is_so(policy.steps[step.step].definition))
    };
    let is_only_resampled = any(&Definition::is_geometry) && !any(&Definition::is_filter);
    Seen { is_only_resampled, ..toned(draw, draw.framed(image, policy).canvas) }
}

/// The same of a frame that geometry is done with.
fn toned(draw: &Draw, canvas: Canvas) -> Seen {
    let (pixels, tone) = draw.toned(canvas);
    let (look, thumbnail) = look_at(&pixels);
    Seen {
        measures: measures(&look),
        covered: 1.0 - f64::from(look.flat_share),
        appearance: Appearance::new(&thumbnail),
        clipped: tone.newly_clipped,
        shift_levels: tone.shift_levels,
        is_only_resampled: false,
    }
}

fn probe(
    study: &Study<'_>,
    entry: &Entry,
    pixels: &Pixels,
    draws: u64,
    tries_steps: bool,
) -> Probed {
    let policy = study.policy;
    let image = SourcePyramid::new(pixels);
    let path = entry.path.to_string();
    let class = entry.place.class().unwrap_or_default();
    let occasion = |number| Occasion { seed: study.seed, path: &path, class, number };
    let plain = Draw::NOTHING.framed(&image, policy).canvas;
    let alone = |step: usize| -> Vec<Seen> {
        let alone = policy.with_only(step);
        let draw = alone.draw(&occasion(0));
        let definition = policy.steps[step].definition;
        // What geometry does at less strength is asked of matrices, and some steps have none to lose.
        if definition.is_geometry() || !definition.has_strength() {
            return vec![seen(&draw, &image, &alone)];
        }
        TRIED.iter().map(|&strength| toned(&draw.at_strength(strength), plain.clone())).collect()
    };
    Probed {
        class: class.to_owned(),
        size_px: (pixels.width_px, pixels.height_px),
        plain: toned(&Draw::NOTHING, plain.clone()),
        draws: (0..draws)
            .map(|number| seen(&policy.draw(&occasion(number)), &image, policy))
            .collect(),
        alone: tries_steps.then(|| (0..policy.steps.len()).map(alone).collect()),
    }
}

fn mean(numbers: impl Iterator<Item = f64>) -> f64 {
    let (sum, count) = numbers.fold((0.0, 0.0), |(sum, count), number| (sum + number, count + 1.0));
    sum / f64::max(count, 1.0)
}

fn summary(policy: &Policy, probed: &[Probed], held_out: &[Reference]) -> Impact {
    let expected = match held_out {
        [] => probed.iter().map(|image| reference(&image.class, &image.plain)).collect(),
        held_out => held_out.to_vec(),
    };
    let ranges: Vec<(f64, f64)> = (0..MEASURES.len())
        .map(|at| middle(expected.iter().map(|image| image.measures[at]).collect()))
        .collect();
    let leaves = |seen: &Seen, at: usize| {
        seen.measures[at] < ranges[at].0 || seen.measures[at] > ranges[at].1
    };
    // Every resampling of an image as small as the frame softens it, by a hair's breadth as much as by a long way: no
    // range of a geometric step is to blame for that, nor several of them together.
    let is_out_otherwise =
        |seen: &Seen| (0..MEASURES.len()).any(|at| at != SHARPNESS && leaves(seen, at));
    let is_out = |seen: &Seen| {
        is_out_otherwise(seen) || (!seen.is_only_resampled && leaves(seen, SHARPNESS))
    };
    let drawn = || probed.iter().flat_map(|image| &image.draws);
    let plain = || probed.iter().map(|image| &image.plain);
    let share = |is_so: &dyn Fn(&Seen) -> bool| {
        let of = |seen: &Seen| f64::from(is_so(seen));
        (mean(drawn().map(of)), mean(plain().map(of)))
    };
    let out_of_range = MEASURES.iter().enumerate().map(|(at, measure)| {
        let (least, most) = ranges[at];
        let (below, below_plain) = share(&|seen| seen.measures[at] < least);
        let (above, above_plain) = share(&|seen| seen.measures[at] > most);
        OutOfRange { measure, range: ranges[at], below, above, below_plain, above_plain }
    });
    let any_out_of_range = mean(drawn().map(|seen| f64::from(is_out(seen))));
    // Without augmentation, by what counts in each of the draws.
    let any_out_of_range_plain = mean(probed.iter().map(|image| {
        let plain = |draw: &Seen| {
            let softness = !draw.is_only_resampled && leaves(&image.plain, SHARPNESS);
            f64::from(is_out_otherwise(&image.plain) || softness)
        };
        match &image.draws[..] {
            [] => f64::from(is_out(&image.plain)),
            draws => mean(draws.iter().map(plain)),
        }
    }));
    let neighbours = Neighbours::new(probed);
    Impact {
        subjects: probed
            .iter()
            .map(|image| Subject { size_px: image.size_px, class: image.class.clone() })
            .collect(),
        held_out: held_out.len() as u64,
        reference: expected,
        draws: drawn().count() as u64,
        out_of_range: out_of_range.collect(),
        any_out_of_range,
        any_out_of_range_plain,
        clipped: mean(drawn().map(|seen| seen.clipped)),
        most_clipped: drawn().map(|seen| seen.clipped).fold(0.0, f64::max),
        shift_levels: mean(drawn().map(|seen| seen.shift_levels.abs())),
        label_risk: neighbours.as_ref().map(|neighbours| neighbours.risk(|image| &image.draws)),
        steps: (0..policy.steps.len())
            .map(|step| match policy.steps[step].definition.is_geometry() {
                true => step_impact(probed, step, &is_out_otherwise, neighbours.as_ref()),
                false => step_impact(probed, step, &is_out, neighbours.as_ref()),
            })
            .collect(),
    }
}

fn step_impact(
    probed: &[Probed],
    step: usize,
    is_out: &dyn Fn(&Seen) -> bool,
    neighbours: Option<&Neighbours<'_>>,
) -> StepImpact {
    let seen = |tried: usize| {
        probed.iter().filter_map(move |image| Some((image, image.alone(step, tried)?)))
    };
    let at = (0..TRIED.len()).map(|tried| StepEffect {
        out_of_range: mean(
            seen(tried)
                .map(|(image, alone)| f64::from(is_out(alone)) - f64::from(is_out(&image.plain))),
        )
        .max(0.0),
        clipped: mean(seen(tried).map(|(_, alone)| alone.clipped)),
        label_risk: neighbours
            .map_or(0.0, |neighbours| neighbours.added(|image| image.alone(step, tried))),
    });
    let at: Vec<StepEffect> = at.collect();
    let is_risky = at.first().is_some_and(|effect| effect.label_risk > 0.0);
    let confused = neighbours.filter(|_| is_risky).map(|neighbours| {
        neighbours.risk(|image| image.alone(step, 0).map_or(&[], std::slice::from_ref)).confused
    });
    StepImpact { at, confused: confused.unwrap_or_default() }
}

/// The images without augmentation, to find what looks most like a frame.
struct Neighbours<'a> {
    probed: &'a [Probed],
    /// For each image the class of what looks most like it without augmentation.
    plain: Vec<&'a str>,
}

impl<'a> Neighbours<'a> {
    /// None where there is only one class: nothing can be taken for another.
    fn new(probed: &'a [Probed]) -> Option<Self> {
        let first = &probed.first()?.class;
        if probed.iter().all(|image| image.class == *first) {
            return None;
        }
        let mut all = Neighbours { probed, plain: Vec::new() };
        all.plain = (0..probed.len()).map(|at| all.class_of(at, &probed[at].plain)).collect();
        Some(all)
    }

    /// The class of the image that looks most like what was made of image `own`, itself left out.
    fn class_of(&self, own: usize, seen: &Seen) -> &'a str {
        let others = self.probed.iter().enumerate().filter(|(at, _)| *at != own);
        let nearest = others.min_by(|(_, a), (_, b)| {
            let distance = |image: &Probed| image.plain.appearance.distance(&seen.appearance);
            distance(a).total_cmp(&distance(b))
        });
        nearest.map_or("", |(_, image)| &image.class)
    }

    fn is_wrong_plain(&self, at: usize) -> bool {
        self.plain[at] != self.probed[at].class
    }

    /// How many more of the frames, one of each image, look like another class than without augmentation, as a share;
    /// 0 where chance may have done it.
    fn added(&self, frame: impl Fn(&'a Probed) -> Option<&'a Seen>) -> f64 {
        let (mut worse, mut better, mut all) = (0.0f64, 0.0f64, 0.0f64);
        for (at, image) in self.probed.iter().enumerate() {
            let Some(seen) = frame(image) else { continue };
            let is_wrong = self.class_of(at, seen) != image.class;
            all += 1.0;
            worse += f64::from(is_wrong && !self.is_wrong_plain(at));
            better += f64::from(!is_wrong && self.is_wrong_plain(at));
        }
        let is_chance = worse - better <= 2.0 * (worse + better).sqrt();
        if is_chance { 0.0 } else { (worse - better) / all }
    }

    fn risk(&self, frames: impl Fn(&'a Probed) -> &'a [Seen]) -> LabelRisk {
        let mut counts: BTreeMap<(&str, &str), f64> = BTreeMap::new();
        let mut frames_of: BTreeMap<&str, f64> = BTreeMap::new();
        let (mut wrong, mut all) = (0.0, 0.0);
        for (at, image) in self.probed.iter().enumerate() {
            let frames = frames(image);
            for seen in frames {
                let class = self.class_of(at, seen);
                all += 1.0;
                *frames_of.entry(&image.class).or_default() += 1.0;
                if class != image.class {
                    wrong += 1.0;
                    *counts.entry((&image.class, class)).or_default() += 1.0;
                }
            }
            // What is taken for another class anyway is not the policy's doing.
            if self.is_wrong_plain(at) {
                *counts.entry((&image.class, self.plain[at])).or_default() -= frames.len() as f64;
            }
        }
        let share = |((from, to), more): ((&str, &str), f64)| {
            let frames = frames_of.get(from).copied().unwrap_or(1.0);
            (from.to_owned(), to.to_owned(), more / frames)
        };
        // Fewer than two frames are no tendency.
        let more = counts.into_iter().filter(|(_, more)| *more >= 2.0);
        let mut confused: Vec<(String, String, f64)> = more.map(share).collect();
        confused.sort_by(|a, b| b.2.total_cmp(&a.2));
        confused.truncate(5);
        let wrong_plain = (0..self.probed.len()).filter(|&at| self.is_wrong_plain(at)).count();
        LabelRisk {
            share: wrong / f64::max(all, 1.0),
            plain: wrong_plain as f64 / self.probed.len().max(1) as f64,
            confused,
        }
    }
}
