//! `trial`: a small learner that compares policies and shows what a model would rely on.

use sieve_core::confusion::{Confusion, Share};
use sieve_core::duplicates::{CollectionRef, DuplicateReport};
use sieve_core::learner::Outcome;
use sieve_core::measuring::Thumbnail;
use sieve_core::progress::Progress;
use sieve_core::trial::{
    Course, Curve, FoldError, FoldSettings, Reliance, SHARES, Sample, Trial, Unusable, View,
    compare, curve, images_shown, out_of_fold, reliance, short_of,
};

use super::preview::{TRAIN, VALIDATION, refuse_unknown_classes};
use super::run_cache::RunFolder;
use super::split::explained;
use super::{Answer, Output, collection, refuse_same, sheet_images, thumbnails};
use crate::args::TrialArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::policy_file::{self, NamedPolicy};
use crate::present::sheet;
use crate::present::trial::{self as present, PolicyOutcome, Predicted, Trained, TrialReport};
use crate::present::{command_line, command_on, splits_folder};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// The part that nothing should be chosen by, unless there is no other.
const TEST: &str = "test";
/// Training images without `--training-images`: enough to rank policies by, and minutes on a laptop.
const USUAL_IMAGES: u32 = 600;
/// The same for `--out-of-fold`, which is to know each class as well as it can.
const USUAL_OUT_OF_FOLD: u32 = 2000;
/// Runs of each kind without `--seeds`: fewer leave an interval that says nothing.
const USUAL_SEEDS: u64 = 3;
/// The word for no augmentation.
const NONE: &str = "none";

/// Answers `trial`.
pub fn run(args: &TrialArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    for output in [&args.out_of_fold, &args.sheet].into_iter().flatten() {
        config.refuse_inside(output)?;
    }
    refuse_same("--out-of-fold", args.out_of_fold.as_deref(), "--sheet", args.sheet.as_deref())?;
    let policies = policies(args)?;
    if policies.len() > 1 && seeds(args) < 2 {
        return Err(Failure::call(
            "--seeds 1 leaves no interval to compare policies by".to_owned(),
        )
        .hint("Use at least 2 seeds, or a single policy."));
    }
    let table = args.out_of_fold.as_deref().map(NewFile::create).transpose()?;
    let sheet_file = args.sheet.as_deref().map(NewFile::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    if measured.0.images().next().is_none() {
        return Err(collection::without_images(&config, &measured.0.collection));
    }
    for policy in policies.iter().flatten() {
        refuse_unknown_classes(policy, &measured.0.collection)?;
    }
    let cache = RunFolder::new(&config, &args.catalog);
    collection::search_in(&config, &measured, args.reach, progress, |catalog, found| {
        let thumbnails = thumbnails::of_search(&config, &measured, found, progress)?;
        let work = Work { args, policies: &policies, thumbnails: &thumbnails, cache: &cache };
        // A collection without splits can still be predicted fold by fold.
        let is_only_folds = args.out_of_fold.is_some()
            && catalog.collection.splits.is_empty()
            && args.policies.is_empty()
            && args.views.is_empty()
            && !args.curve
            && args.sheet.is_none();
        let sample = match is_only_folds {
            true => None,
            false => Some(sample(args, &config, found, &thumbnails)?),
        };
        let trained = sample.as_ref().map(|sample| work.trained(sample, found, progress));
        let trained = trained.transpose()?;
        let folds = match &table {
            None => None,
            Some(_) => {
                let most = args.training_images.unwrap_or(USUAL_OUT_OF_FOLD) as usize;
                let settings = FoldSettings {
                    most,
                    epochs: args.epochs,
                    seeds: folds_seeds(args),
                    seed: args.seed,
                };
                let folds = out_of_fold(catalog, found, &thumbnails, settings, &cache, progress);
                Some(folds.map_err(|error| match error {
                    FoldError::Split(why) => explained(why),
                    FoldError::Run(error) => error.into(),
                })?)
            }
        };
        progress.end();
        let answer = TrialReport {
            seeds: if sample.is_some() { seeds(args) } else { folds_seeds(args) },
            epochs: args.epochs,
            seed: args.seed,
            all: args.all,
            config: &config,
            catalog,
            found,
            sample: sample.as_ref(),
            trained: trained.as_ref(),
            out_of_fold: folds.as_ref().zip(args.out_of_fold.as_deref()),
            sheet: args.sheet.as_deref(),
        };
        if let (Some(file), Some(folds)) = (table, &folds) {
            file.write(present::predictions(found, folds).as_bytes())?;
        }
        if let (Some(file), Some(_)) = (sheet_file, &trained) {
            let limits = config.read_limits();
            let side = [CollectionRef { catalog, store: measured.1.as_ref(), limits: &limits }];
            let rows = sheet_images::fill(present::rows(&answer), &side, progress)?;
            file.write(&sheet::png(&sheet::paint_rows(&present::title(&answer), &rows)))?;
        }
        Ok(Answer::done(Output::of(&answer, args.format)))
    })
}

/// Runs of each kind.
fn seeds(args: &TrialArgs) -> u64 {
    args.seeds.unwrap_or(USUAL_SEEDS)
}

/// Learners of each fold: one, unless more are asked for.
fn folds_seeds(args: &TrialArgs) -> u64 {
    args.seeds.unwrap_or(1)
}

/// The policies, none for no augmentation.
fn policies(args: &TrialArgs) -> Result<Vec<Option<NamedPolicy>>, Failure> {
    let has_another_question = !args.views.is_empty() || args.curve || args.out_of_fold.is_some();
    let usual = if has_another_question { &["none"][..] } else { &["none", "gentle"] };
    let named: Vec<_> = match args.policies.is_empty() {
        true => usual.iter().map(std::path::PathBuf::from).collect(),
        false => args.policies.clone(),
    };
    let mut policies: Vec<Option<NamedPolicy>> = Vec::new();
    for name in &named {
        if named.iter().filter(|other| *other == name).count() > 1 {
            return Err(Failure::call(format!("--policies names {} twice", name.display()))
                .hint("Name each policy once."));
        }
        let is_none = name.as_os_str() == NONE && !name.exists();
        policies.push(if is_none { None } else { Some(policy_file::read(name)?) });
    }
    Ok(policies)
}

fn sample(
    args: &TrialArgs,
    config: &CollectionConfig,
    found: &DuplicateReport<'_>,
    thumbnails: &[Option<Thumbnail>],
) -> Result<Sample, Failure> {
    let most = args.training_images.unwrap_or(USUAL_IMAGES) as usize;
    let sample = Sample::of_splits(found, thumbnails, TRAIN, &[VALIDATION, TEST], most, args.seed);
    let split = || {
        let to = splits_folder(&config.roots[0].path);
        let words = command_on(config, "split", &[&"--to", &to]);
        format!("Split the collection first: {}", command_line(&words))
    };
    sample.map_err(|why| match why {
        Unusable::NoTraining => Failure::call("there is no train split to learn from".to_owned())
            .hint(split()),
        Unusable::NoHeldOut => Failure::call(
            "there is no validation split with images that are independent of the training images"
                .to_owned(),
        )
        .hint(split()),
        Unusable::OneClass => Failure::input(
            "fewer than two classes have two independent training images: there is nothing to tell apart"
                .to_owned(),
        ),
    })
}

/// What all runs share.
struct Work<'a> {
    args: &'a TrialArgs,
    policies: &'a [Option<NamedPolicy>],
    thumbnails: &'a [Option<Thumbnail>],
    cache: &'a RunFolder,
}

/// Runs that are wanted, none of them twice.
#[derive(Default)]
struct Wanted {
    /// The policy's number, the view, which of the shares, and the epochs.
    kinds: Vec<(usize, View, usize, u64)>,
}

impl Wanted {
    /// The place of a kind.
    fn place(&mut self, kind: (usize, View, usize, u64)) -> usize {
        self.kinds.iter().position(|known| *known == kind).unwrap_or_else(|| {
            self.kinds.push(kind);
            self.kinds.len() - 1
        })
    }
}

/// The place of all images among the shares.
const ALL: usize = SHARES.len() - 1;

impl Work<'_> {
    fn trained(
        &self,
        sample: &Sample,
        found: &DuplicateReport<'_>,
        progress: &TerminalProgress,
    ) -> Result<Trained, Failure> {
        let Work { args, policies, thumbnails, cache } = *self;
        let (full, short) = (args.epochs, short_of(args.epochs));
        let mut wanted = Wanted::default();
        let compares = policies.len() > 1;
        let of_policies: Vec<[usize; 2]> = (0..policies.len())
            .map(|policy| {
                let first = wanted.place((policy, View::Whole, ALL, full));
                // One policy alone is compared with nothing.
                let budget = if compares { short } else { full };
                [first, wanted.place((policy, View::Whole, ALL, budget))]
            })
            .collect();
        let mut views: Vec<View> = args.views.iter().map(|&view| view.into()).collect();
        if !views.is_empty() {
            // All others are held against the whole image.
            views.push(View::Whole);
        }
        views.sort_unstable();
        views.dedup();
        let of_views: Vec<usize> =
            views.iter().map(|&view| wanted.place((0, view, ALL, full))).collect();
        let of_shares = args
            .curve
            .then(|| std::array::from_fn(|share| wanted.place((0, View::Whole, share, full))));
        let courses: Vec<Course<'_>> = wanted
            .kinds
            .iter()
            .flat_map(|&(policy, view, share, epochs)| {
                (0..seeds(args)).map(move |number| Course {
                    policy: policies[policy].as_ref().map(|named| &named.policy),
                    view,
                    share: SHARES[share],
                    epochs,
                    seed: args.seed.wrapping_add(number),
                })
            })
            .collect();
        let shown = courses.iter().map(|course| images_shown(sample, course)).sum();
        let trial = Trial::new(sample, found, thumbnails);
        progress.begin("training", Some(shown));
        let outcomes = trial.run_all(&courses, cache, progress)?;
        progress.end();
        let count = seeds(args) as usize;
        let runs = |place: usize| &outcomes[place * count..][..count];
        let truth = sample.truth();
        let classes = sample.classes.len();
        let first = of_policies[0].map(runs);
        let policies =
            policies.iter().zip(&of_policies).enumerate().map(|(number, (named, places))| {
                let these = places.map(runs);
                let comparison = (number > 0).then(|| {
                    let training = sample.training.len();
                    compare((these, first), &truth, classes, training, loss_of_guessing(sample))
                });
                PolicyOutcome {
                    name: named.as_ref().map_or(NONE.to_owned(), |named| named.name.clone()),
                    accuracy: these.map(|runs| mean_accuracy(runs, &truth, classes)),
                    comparison,
                }
            });
        let policies: Vec<PolicyOutcome> = policies.collect();
        let reliance: Option<Reliance> = match views.is_empty() {
            true => None,
            false => {
                let of_views: Vec<(View, &[Outcome])> = views
                    .iter()
                    .zip(&of_views)
                    .map(|(&view, &place)| (view, runs(place)))
                    .collect();
                reliance(&of_views, &truth, classes)
            }
        };
        let curve: Option<Curve> = of_shares.map(|places: [usize; 3]| {
            curve(places.map(runs), &truth, classes, sample.training.len())
        });
        let predicted = predicted(first[0], sample.held_out.len(), classes);
        let pairs = truth.iter().zip(&predicted).map(|(&class, one)| (class, one.class));
        Ok(Trained {
            policies,
            reliance,
            curve,
            confusion: Confusion::new(classes, pairs),
            predicted,
        })
    }
}

/// The mean accuracy of runs, with the interval that the images alone leave.
fn mean_accuracy(runs: &[Outcome], truth: &[u32], classes: usize) -> Share {
    let confusion = |run: &Outcome| {
        let pairs = truth.iter().copied().zip(run.predictions(classes));
        Confusion::new(classes, pairs).accuracy().map_or(0.0, |accuracy| accuracy.share)
    };
    let share = runs.iter().map(confusion).sum::<f64>() / runs.len().max(1) as f64;
    Share::mean(share, truth.len() as u64)
}

/// The loss of answering with the shares of the classes, in natural units.
fn loss_of_guessing(sample: &Sample) -> f64 {
    let all = sample.training.len() as f64;
    let shares = sample.training.chunk_by(|a, b| a.class == b.class);
    shares.map(|class| class.len() as f64 / all).map(|share| -share * share.ln()).sum()
}

/// The class of each held-out image by the mean of the runs, and its probability.
fn predicted(runs: &[Outcome], images: usize, classes: usize) -> Vec<Predicted> {
    (0..images)
        .map(|image| {
            let mean = |class: usize| {
                let of = |run: &Outcome| f64::from(run.probabilities[image * classes + class]);
                runs.iter().map(of).sum::<f64>() / runs.len().max(1) as f64
            };
            let first = (0, mean(0));
            let (class, score) = (1..classes)
                .map(|class| (class, mean(class)))
                .fold(first, |best, one| if one.1 > best.1 { one } else { best });
            Predicted { class: class as u32, score }
        })
        .collect()
}
