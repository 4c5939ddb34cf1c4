//! `preview`: what a policy does to real images, in numbers and on one sheet.

mod copies;
pub mod cost;
mod forms;
mod images;

use std::collections::BTreeMap;
use std::path::Path;

use sieve_core::augment::cost::{Study, geometry, study, verdicts};
use sieve_core::collection::{Collection, Entry, composed};
use sieve_core::limits::FindingLimits;
use sieve_core::progress::Progress;
use sieve_core::reading::Pixels;
use sieve_core::sampling;

use super::{Answer, Output, collection as opening};
use crate::args::{CatalogArgs, PreviewArgs, TextFormat};
use crate::config::CollectionConfig;
use crate::console;
use crate::failure::Failure;
use crate::policy_file::{self, NamedPolicy};
use crate::present::preview::{FrameCost, Numbers, Preview};
use crate::present::sheet::{self, Layout, Room, Row, Sheet};
use crate::progress::TerminalProgress;
use crate::requests::PreviewRequest;
use crate::settings::SetLimits;
use crate::writing::NewFile;
use forms::{Form, PolicyView};
use images::{ClassSample, SampleReader};

/// Tiles on a sheet at most: beyond them nobody looks, and memory runs out.
const MOST_TILES: u64 = 5000;
/// Training images that a policy is tried on, and held-out ones that it is compared with.
pub const TRIED_ON: usize = 400;
/// See [`TRIED_ON`].
pub const HELD_OUT: usize = 400;
/// Draws of the policy on these: a share of one half is then right to about two in a hundred.
const DRAWS: u64 = 1000;
/// The same for a draft, of which each step is looked at by itself.
pub const DRAFT_DRAWS: u64 = 400;
/// The part that is augmented.
pub const TRAIN: &str = "train";
/// The part whose variation a policy should not go beyond.
pub const VALIDATION: &str = "validation";

/// Answers `preview`.
pub fn run(args: &PreviewArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let request = PreviewRequest::from(args);
    if let Some(out) = &request.out {
        refuse_other_formats(out)?;
    }
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let outputs = request.out.iter().chain(&request.to);
    outputs.map(|output| config.refuse_inside(output)).collect::<Result<Vec<_>, _>>()?;
    let limits = SetLimits::new(&config.settings, &args.limits)?.values;
    let policies = policies(&request)?;
    if let Some(word) = request.ladder.as_deref() {
        Form::ladder(word, &policies[0].policy)?;
    }
    let trial = PolicyTrial {
        request: &request,
        config: &config,
        kept: &args.catalog,
        policies: &policies,
        limits: &limits,
        progress,
    };
    if let Some(to) = &request.to {
        return written_copies(&trial, to, args.format);
    }
    let file = request.out.as_deref().map(NewFile::create).transpose()?;
    let wants_sheet = file.is_some() || args.show;
    shown(&trial, wants_sheet, |preview, painted| {
        let png = painted.map(sheet::png);
        if let (Some(file), Some(png)) = (file, &png) {
            file.write(png)?;
        }
        let drawn = painted.zip(png).filter(|_| args.show && args.format == TextFormat::Text);
        let drawn = drawn.map(|(painted, png)| console::show(painted, &png)).unwrap_or_default();
        Ok(Answer::done(Output::of(preview, args.format).below(&drawn)))
    })
}

/// Writes augmented copies.
fn written_copies(
    trial: &PolicyTrial<'_>,
    to: &Path,
    format: TextFormat,
) -> Result<Answer, Failure> {
    let PolicyTrial { request, config, policies, progress, .. } = *trial;
    let collection = opening::listed(config, trial.kept, progress)?;
    policies.iter().try_for_each(|policy| refuse_unknown_classes(policy, &collection))?;
    let (split, _) = shown_split(request, &collection)?;
    copies::run(&copies::Request {
        request,
        format,
        config,
        policy: &policies[0],
        collection: &collection,
        split: split.as_deref(),
        classes: &wanted_classes(request, &collection, split.as_deref())?,
        to,
        progress,
    })
}

/// The files of the classes that are shown, in random order.
fn wanted_classes<'a>(
    request: &PreviewRequest,
    collection: &'a Collection,
    split: Option<&str>,
) -> Result<BTreeMap<&'a str, Vec<&'a Entry>>, Failure> {
    let mut classes = sampling::shuffled(collection, split, request.seed);
    if !request.classes.is_empty() {
        let known = collection.classes();
        request.classes.iter().try_for_each(|class| known_class(&known, class))?;
        classes.retain(|class, _| request.classes.iter().any(|wanted| composed(wanted) == *class));
    }
    Ok(classes)
}

/// A request with all that was read for it.
#[derive(Clone, Copy)]
pub struct PolicyTrial<'a> {
    /// What is asked for.
    pub request: &'a PreviewRequest,
    /// How the collection is read.
    pub config: &'a CollectionConfig,
    /// Where measurements are cached.
    pub kept: &'a CatalogArgs,
    /// The policies.
    pub policies: &'a [NamedPolicy],
    /// The limits in force.
    pub limits: &'a FindingLimits,
    /// Who follows the work.
    pub progress: &'a TerminalProgress,
}

/// Tries the policies, paints the sheet where it is wanted, and hands both on.
pub fn shown<T>(
    trial: &PolicyTrial<'_>,
    wants_sheet: bool,
    answer: impl FnOnce(&Preview<'_>, Option<&Pixels>) -> Result<T, Failure>,
) -> Result<T, Failure> {
    let PolicyTrial { request, config, policies, limits, progress, .. } = *trial;
    let ladder = request.ladder.as_deref().map(|word| Form::ladder(word, &policies[0].policy));
    let ladder = ladder.transpose()?;
    let collection = opening::listed(config, trial.kept, progress)?;
    policies.iter().try_for_each(|policy| refuse_unknown_classes(policy, &collection))?;

    let (split, is_held_out) = shown_split(request, &collection)?;
    let form = match ladder {
        _ if is_held_out || request.is_frame_only => Form::Frame,
        Some(form) => form,
        None => Form::Draws,
    };
    let classes = wanted_classes(request, &collection, split.as_deref())?;
    let is_frame = matches!(form, Form::Frame);
    let frame = is_frame.then(|| frame_cost(trial, split.as_deref()));
    let frame = frame.transpose()?;
    let reader = Sampled { trial, collection: &collection, classes: &classes };
    let numbers: Vec<Numbers> = match is_frame {
        true => Vec::new(),
        false if request.is_sheet_only => Vec::new(),
        false => policies.iter().map(|policy| reader.numbers(policy)).collect::<Result<_, _>>()?,
    };
    let (sheet, passed_over) = match wants_sheet {
        true => reader.sheet(&form, &numbers, split.as_deref()).map(|(a, b)| (Some(a), b))?,
        false => (None, 0),
    };
    let painted = sheet.as_ref().map(sheet::paint);
    let images = classes.values().map(Vec::len).sum::<usize>() as u64;
    let preview = Preview {
        request,
        config,
        policies,
        split: split.as_deref(),
        is_held_out,
        images,
        passed_over,
        sheet: sheet.as_ref(),
        collection: &collection,
        numbers: &numbers,
        frame: frame.as_ref(),
        limits,
    };
    answer(&preview, painted.as_ref())
}

/// The policy, at the strength that was asked for, and those that it is held against.
pub fn policies(request: &PreviewRequest) -> Result<Vec<NamedPolicy>, Failure> {
    let files = request.policies.iter();
    let mut policies: Vec<NamedPolicy> =
        files.map(|file| policy_file::read(file)).collect::<Result<_, _>>()?;
    if let Some(strength) = request.strength {
        policies[0].policy.strength = strength;
        policies[0].name.push_str(&format!(" at {strength}"));
    }
    Ok(policies)
}

/// A sheet is a PNG whatever its name says, so the name must not say otherwise.
pub fn refuse_other_formats(out: &Path) -> Result<(), Failure> {
    if out.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("png")) {
        return Ok(());
    }
    let message =
        format!("--out {}: a sheet is a PNG; expected a name that ends in .png", out.display());
    let named = out.with_extension("png");
    Err(Failure::call(message).hint(format!("Did you mean {}?", named.display())))
}

/// Which split is shown, none where there are none, and whether it is one that must not be augmented.
fn shown_split(
    request: &PreviewRequest,
    collection: &Collection,
) -> Result<(Option<String>, bool), Failure> {
    let splits = &collection.splits;
    let found = || splits.join(", ");
    if splits.is_empty() {
        return match &request.split {
            None => Ok((None, false)),
            Some(split) => {
                Err(Failure::call(format!("--split {split}: the collection has no splits")))
            }
        };
    }
    let Some(split) = &request.split else {
        if !splits.iter().any(|split| split == TRAIN) {
            let message = format!("there is no train split, only {}", found());
            return Err(Failure::call(message).hint(
                "Only training images are augmented. Name the training folder alone, or show the framing with --split.",
            ));
        }
        return Ok((Some(TRAIN.to_owned()), false));
    };
    if !splits.contains(split) {
        let message = format!("--split {split}: there is no such split");
        return Err(Failure::unknown(message, split, &splits.iter().collect::<Vec<_>>()));
    }
    let is_held_out = split != TRAIN;
    let augments = request.ladder.is_some()
        || request.policies.len() > 1
        || request.to.is_some()
        || request.draws.is_some();
    if is_held_out && augments {
        let message = format!("--split {split}: only training images are augmented");
        return Err(Failure::call(message).hint(
            "Scores on augmented images do not predict scores on real ones. --frame-only shows how they are framed.",
        ));
    }
    Ok((Some(split.clone()), is_held_out))
}

fn known_class(known: &[String], class: &str) -> Result<(), Failure> {
    if known.iter().any(|known| *known == composed(class)) {
        return Ok(());
    }
    Err(Failure::unknown(format!("there is no class {class:?}"), class, known))
}

/// A policy that keeps a step from a class that there is not would keep it from none.
pub fn refuse_unknown_classes(
    policy: &NamedPolicy,
    collection: &Collection,
) -> Result<(), Failure> {
    let known = collection.classes();
    for step in &policy.policy.steps {
        for class in step.classes.names() {
            known_class(&known, class).map_err(|failure| {
                let step = step.definition.name;
                Failure {
                    message: format!(
                        "the policy {}, step {step}: {}",
                        policy.name, failure.message
                    ),
                    ..failure
                }
            })?;
        }
    }
    Ok(())
}

/// What the frame does to every image of the split, by the sizes that the catalog knows.
fn frame_cost(trial: &PolicyTrial<'_>, split: Option<&str>) -> Result<FrameCost, Failure> {
    let (catalog, _) = opening::measure(trial.config, trial.kept, trial.progress)?;
    let images = catalog.images().filter(|(record, _)| split.is_none() || record.split() == split);
    let mut sizes: BTreeMap<(u32, u32), u64> = BTreeMap::new();
    images.for_each(|(_, image)| {
        *sizes.entry((image.facts.width_px, image.facts.height_px)).or_default() += 1
    });
    Ok(FrameCost::new(&trial.policies[0].policy, &sizes))
}

/// The images that policies are tried on.
struct Sampled<'a> {
    trial: &'a PolicyTrial<'a>,
    collection: &'a Collection,
    classes: &'a BTreeMap<&'a str, Vec<&'a Entry>>,
}

impl Sampled<'_> {
    fn numbers(&self, policy: &NamedPolicy) -> Result<Numbers, Failure> {
        let PolicyTrial { request, config, limits, progress, .. } = *self.trial;
        let seed = request.seed;
        let validation = sampling::shuffled(self.collection, Some(VALIDATION), seed);
        let read_limits = config.read_limits();
        let train = sampling::interleaved(self.classes, TRIED_ON);
        let studied = Study {
            policy: &policy.policy,
            train: &train,
            held_out: &sampling::interleaved(&validation, HELD_OUT),
            seed,
            draws: DRAWS,
        };
        let impact = study(self.collection, &studied, &read_limits, progress)?;
        progress.end();
        if impact.subjects.is_empty() {
            return Err(opening::without_images(config, self.collection));
        }
        let cost = request
            .measures_time
            .then(|| cost::measure(self.collection, &studied, &read_limits, progress));
        Ok(Numbers {
            geometry: geometry(&policy.policy, &impact.subjects, seed, DRAWS),
            verdicts: verdicts(&policy.policy, &impact, limits, seed),
            impact,
            cost: cost.transpose()?,
        })
    }

    fn sheet(
        &self,
        form: &Form,
        numbers: &[Numbers],
        split: Option<&str>,
    ) -> Result<(Sheet, u64), Failure> {
        let PolicyTrial { request, config, policies, limits, progress, .. } = *self.trial;
        let each = policies.len() as u32;
        let room = Room {
            page: request.size_px,
            // No class shows more images than it has.
            rows: request.per_class.map(|images| {
                let shown = |class: &Vec<&Entry>| class.len().min(images as usize) as u32;
                self.classes.values().map(shown).sum::<u32>() * each
            }),
            draws: form.columns(&policies[0].policy).or(request.draws),
            full_size: request.is_full_size,
            is_dense: matches!(form, Form::Frame),
        };
        let mut layout = Layout::new(policies[0].policy.frame, room);
        let tiles = u64::from(layout.rows) * (u64::from(layout.draws) + 1);
        if tiles > MOST_TILES {
            let message = format!("{tiles} tiles do not fit one sheet; the limit is {MOST_TILES}");
            return Err(
                Failure::call(message).hint("Show fewer classes with --class, or fewer draws.")
            );
        }
        let images = (layout.rows / each).max(1);
        let counts = match request.per_class {
            Some(each) => vec![each as usize; self.classes.len()],
            None => sampling::spread(images as usize, self.classes.len()),
        };
        progress.begin("drawing", Some(counts.iter().sum::<usize>() as u64));
        let shown: Vec<PolicyView<'_>> = policies
            .iter()
            .enumerate()
            .map(|(index, policy)| PolicyView {
                policy,
                verdicts: numbers.get(index).map_or(&[], |numbers| &numbers.verdicts),
                limits,
            })
            .collect();
        let reader = SampleReader {
            seed: request.seed,
            collection: self.collection,
            limits: config.read_limits(),
            form,
            policies: &shown,
            columns: layout.draws,
            progress,
        };
        let mut wanted: Vec<ClassSample<'_>> = self
            .classes
            .values()
            .zip(counts)
            .map(|(entries, count)| ClassSample { entries, count, shown: Vec::new() })
            .collect();
        let passed_over = reader.show(&mut wanted)?;
        progress.end();
        let rows: Vec<Row> = wanted.into_iter().flat_map(|class| class.shown).flatten().collect();
        if rows.is_empty() {
            return Err(opening::without_images(config, self.collection));
        }
        layout.rows = rows.len() as u32;
        let of = split.map_or(String::new(), |split| format!(" ({split})"));
        let name = self.collection.name();
        let policy = &policies[0].name;
        let what = match form {
            Form::Frame => {
                format!("The frame of {policy} on {name}{of}: shaded parts are cropped away")
            }
            Form::Step(step) => {
                let step = policies[0].policy.steps[*step].definition.name;
                format!("{step} of {policy}, from weakest to strongest, on {name}{of}")
            }
            Form::Strength => format!("{policy} from strength 0 to 2 on {name}{of}"),
            Form::Draws if each > 1 => {
                let names: Vec<&str> = policies.iter().map(|policy| policy.name.as_str()).collect();
                format!("{} on {name}{of}: the same draws", names.join(" and "))
            }
            Form::Draws => format!("Policy {policy} on {name}{of}"),
        };
        let title = format!(
            "{what}; seed {}{}.",
            request.seed,
            match form {
                Form::Frame => "",
                _ => ". First column: not augmented",
            }
        );
        Ok((Sheet { title, layout, rows }, passed_over))
    }
}
