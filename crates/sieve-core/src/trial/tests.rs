use std::collections::BTreeMap;
use std::sync::Mutex;

use super::*;
use crate::augment::{Fit, Frame, Policy};
use crate::duplicates::Kind;
use crate::learner::{FRAME_VALUES, Outcome, SIDE_PX};
use crate::measuring::{CHROMA_PX, Digest, LUMA_PX, Thumbnail};
use crate::progress::NoProgress;
use crate::tests::{catalog, classes, found};

/// A thumbnail with stripes, upright or level, of these chroma; `number` moves and shades them.
fn striped(is_upright: bool, chroma: u8, number: usize) -> Thumbnail {
    let mut values: Vec<u8> = (0..LUMA_PX * LUMA_PX)
        .map(|at| {
            let place = if is_upright { at % LUMA_PX } else { at / LUMA_PX };
            let light = 60 + (number * 7 % 40) as u8;
            if ((place + number) / 6).is_multiple_of(2) { light } else { light + 100 }
        })
        .collect();
    values.extend(vec![chroma; CHROMA_PX * CHROMA_PX]);
    values.extend(vec![255 - chroma; CHROMA_PX * CHROMA_PX]);
    Thumbnail(values)
}

#[test]
fn a_sample_is_independent_and_keeps_the_shares_of_the_classes() {
    let mut records = classes(&[("bay", 60), ("dill", 30), ("mint", 1)]);
    for (at, record) in records.iter_mut().enumerate() {
        record.place.split = Some(if at % 3 == 2 { "test" } else { "train" }.into());
    }
    let catalog = catalog(records, &[]);
    let groups: [(Kind, &[&str]); 2] = [
        // A copy within the training images, and one of a held-out image.
        (Kind::SameBytes, &["bay/0000.jpg", "bay/0001.jpg"]),
        (Kind::Burst, &["bay/0002.jpg", "bay/0003.jpg"]),
    ];
    let found = found(&catalog, &groups);
    let thumbnails: Vec<Option<Thumbnail>> =
        (0..91).map(|at| (at != 60).then(|| striped(true, 90, at))).collect();
    let of = |held_out: &[&str], most| {
        Sample::of_splits(&found, &thumbnails, "train", held_out, most, 3)
    };
    assert_eq!(of(&["validation"], 9), Err(Unusable::NoHeldOut));
    assert_eq!(
        Sample::of_splits(&found, &thumbnails, "training", &["test"], 9, 3),
        Err(Unusable::NoTraining)
    );
    let sample = of(&["validation", "test"], 1000).unwrap();
    assert_eq!(sample.classes, ["bay", "dill"]);
    assert_eq!((sample.available, sample.dependent, sample.unreadable), (39 + 19, 1, 1));
    assert_eq!((sample.held_out.len(), sample.leaked), (29, 1));
    assert_eq!(
        (sample.held_out_split.as_str(), &sample.left_out[..]),
        ("test", &["mint".to_owned()][..])
    );
    let sample = of(&["test"], 30).unwrap();
    let count = |class| sample.training.iter().filter(|pick| pick.class == class).count();
    assert_eq!([count(0), count(1)], [20, 10]);
    assert_eq!(sample.part(0.25).len(), 5 + 3);
    assert_eq!(of(&["test"], 30).unwrap(), sample);
    let other = Sample::of_splits(&found, &thumbnails, "train", &["test"], 30, 4).unwrap();
    assert_ne!(other.training, sample.training);
}

#[test]
fn views_show_what_their_names_say() {
    let area = SIDE_PX * SIDE_PX;
    let frame: Vec<f32> = (0..FRAME_VALUES).map(|at| (at * 31 % 250) as f32).collect();
    let seen = |view: View| {
        let mut seen = frame.clone();
        view.apply(&mut seen);
        seen
    };
    assert_eq!(seen(View::Whole), frame);
    let grey = seen(View::Grey);
    assert!((0..area).all(|at| grey[at] == grey[area + at] && grey[at] == grey[2 * area + at]));
    let colours = seen(View::Colours);
    let cell = |values: &[f32], top: usize, left: usize| -> f32 {
        let places = (0..64).map(|at| (top + at / 8) * SIDE_PX + left + at % 8);
        places.map(|at| values[at]).sum::<f32>() / 64.0
    };
    for (top, left) in [(0, 0), (8, 24), (24, 16)] {
        assert!((colours[top * SIDE_PX + left] - cell(&frame, top, left)).abs() < 0.01);
        assert_eq!(colours[top * SIDE_PX + left], colours[(top + 7) * SIDE_PX + left + 7]);
    }
    let shown = |view: View| {
        let seen = seen(view);
        (0..area).filter(|&at| seen[at] == frame[at] && frame[at] != 128.0).count()
    };
    let kept = |count: usize| count - count / 50..=count;
    assert!(kept(area - 24 * 24).contains(&shown(View::Border)), "{}", shown(View::Border));
    assert!(kept(16 * 16).contains(&shown(View::Centre)), "{}", shown(View::Centre));
}

/// Outcomes whose predictions are right on the first images only, as many as `right` says; the losses end as given.
fn outcomes(right: &[usize], truth: &[u32], loss: f32) -> Vec<Outcome> {
    let outcome = |&right: &usize| {
        let rows = truth.iter().enumerate().flat_map(|(at, &class)| {
            let predicted = if at < right { class } else { 1 - class };
            [f32::from(predicted == 0), f32::from(predicted == 1)]
        });
        Outcome { losses: vec![0.7, loss], probabilities: rows.collect() }
    };
    right.iter().map(outcome).collect()
}

#[test]
fn a_policy_is_judged_by_both_budgets() {
    let truth: Vec<u32> = (0..200).map(|at| at % 2).collect();
    let of = |right: [usize; 3], loss| outcomes(&right, &truth, loss);
    let none = [of([150, 151, 149], 0.01), of([120, 121, 119], 0.2)];
    let judged = |full: [usize; 3], short: [usize; 3], loss: f32| {
        let policy = [of(full, loss), of(short, loss)];
        let both = ([&policy[0][..], &policy[1]], [&none[0][..], &none[1]]);
        compare(both, &truth, 2, 600, std::f64::consts::LN_2)
    };
    let better = judged([180, 181, 179], [120, 121, 119], 0.01);
    assert_eq!(better.judgement, Judgement::Better);
    assert!((better.full.mean - 0.15).abs() < 1e-12 && better.short.mean.abs() < 1e-12);
    // By the variance of the images: 28 differ in every run, four in one or two of the three.
    let of_images = [(28, 1.0), (2, 1.0 / 3.0), (2, 2.0 / 3.0), (168, 0.0f64)];
    let squares = of_images.map(|(count, one)| f64::from(count) * (one - 0.15).powi(2));
    let variance = squares.iter().sum::<f64>() / 199.0 / 200.0;
    assert!((better.full.interval.high - 0.15 - 1.959_964 * variance.sqrt()).abs() < 1e-6);
    // Far below, learned, and falling behind: only then is it worse.
    assert_eq!(judged([120, 121, 119], [110, 111, 109], 0.01).judgement, Judgement::Worse);
    assert_eq!(judged([120, 121, 119], [60, 61, 59], 0.01).judgement, Judgement::CatchingUp);
    let unfinished = judged([120, 121, 119], [110, 111, 109], 0.4);
    assert_eq!((unfinished.judgement, unfinished.is_unfinished()), (Judgement::CatchingUp, true));
    assert_eq!(judged([151, 152, 150], [120, 121, 119], 0.01).judgement, Judgement::NoDifference);
    // By the variance of the runs, where that is larger: t of two degrees of freedom is 4.3027.
    let wide = judged([120, 180, 150], [120, 121, 119], 0.01).full;
    let differences = [-0.15, 0.145, 0.005];
    let mean: f64 = differences.iter().sum::<f64>() / 3.0;
    let sum: f64 = differences.iter().map(|one| (one - mean) * (one - mean)).sum();
    assert!((wide.mean - mean).abs() < 1e-12);
    let reach = 4.302_653 * (sum / 2.0 * (1.0 / 3.0 + 200.0 / 600.0)).sqrt();
    assert!((wide.interval.high - (mean + reach).min(1.0)).abs() < 1e-5, "{wide:?}");
}

#[test]
fn a_curve_says_what_the_last_half_brought() {
    let truth: Vec<u32> = (0..400).map(|at| at % 2).collect();
    let of = |right: [usize; 3]| outcomes(&right, &truth, 0.0);
    let curve_of = |last: [usize; 3]| {
        let runs = [of([200; 3]), of([300; 3]), of(last)];
        curve([&runs[0], &runs[1], &runs[2]], &truth, 2, 600)
    };
    let rising = curve_of([380, 381, 379]);
    assert_eq!(rising.all.more, More::Helps);
    assert!(rising.classes.iter().all(|class| class.as_ref().unwrap().more == More::Helps));
    assert_eq!(rising.all.reached[..2], [0.5, 0.75]);
    assert_eq!(curve_of([300, 300, 300]).all.more, More::LevelledOff);
    assert_eq!(curve_of([250, 350, 310]).all.more, More::Unclear);
}

#[test]
fn what_a_policy_says_in_pixels_keeps_its_share_of_the_frame() {
    let policy = Policy::parse(
        "[frame]\nsize = [64, 64]\n[[step]]\ndo = 'blur'\nbetween = [1, 2]\n\
         [[step]]\ndo = 'rotate'\nbetween = [-10, 10]\n",
    )
    .unwrap();
    let small = policy.reframed(Frame::new(32, 32, Fit::Stretch));
    let ends = |policy: &Policy| [0, 1].map(|at| policy.steps[at].setting.amount.ends().unwrap());
    assert_eq!(ends(&small), [(0.5, 1.0), (-10.0, 10.0)]);
    assert_eq!(small.description(), policy.reframed(small.frame).description());
    assert_ne!(small.description(), policy.description());
}

/// Keeps runs in memory.
#[derive(Default)]
struct Memory(Mutex<BTreeMap<[u8; 32], Outcome>>);

impl RunCache for Memory {
    fn known(&self, run: Digest) -> Option<Outcome> {
        self.0.lock().unwrap().get(&run.0).cloned()
    }
    fn keep(&self, run: Digest, outcome: &Outcome) {
        self.0.lock().unwrap().insert(run.0, outcome.clone());
    }
}

#[test]
fn the_learner_learns_what_it_sees_and_gives_the_same_on_any_number_of_threads() {
    // Only stripes distinguish bay from dill: grey images show them, the mean colours of cells do not.
    let mut records = classes(&[("bay", 30), ("dill", 30)]);
    for (at, record) in records.iter_mut().enumerate() {
        record.place.split = Some(if at % 3 == 2 { "validation" } else { "train" }.into());
    }
    let catalog = catalog(records, &[]);
    let found = found(&catalog, &[]);
    let thumbnails: Vec<Option<Thumbnail>> =
        (0..60).map(|at| Some(striped(at < 30, 120, at))).collect();
    let sample = Sample::of_splits(&found, &thumbnails, "train", &["validation"], 600, 0).unwrap();
    let trial = Trial::new(&sample, &found, &thumbnails);
    let course = |view, seed| Course { policy: None, view, share: 1.0, epochs: 12, seed };
    let courses = [course(View::Grey, 0), course(View::Colours, 0), course(View::Grey, 1)];
    let run = |threads: usize, cache: &dyn RunCache| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| trial.run_all(&courses, cache, &NoProgress).unwrap())
    };
    let cache = Memory::default();
    let outcomes = run(1, &cache);
    assert_eq!(run(3, &NoRuns), outcomes);
    assert_ne!(outcomes[0], outcomes[2]);
    let right = |outcome: &Outcome| {
        let predicted = outcome.predictions(2);
        predicted.iter().zip(sample.truth()).filter(|(one, class)| **one == *class).count()
    };
    assert_eq!(sample.held_out.len(), 20);
    assert!(right(&outcomes[0]) >= 19, "{}", right(&outcomes[0]));
    assert!(right(&outcomes[1]) <= 15, "nothing tells the cells apart: {}", right(&outcomes[1]));
    assert!(outcomes[0].losses[11] < outcomes[0].losses[0] / 4.0, "{:?}", outcomes[0].losses);
    // What is kept is used again, unless it cannot be of this run.
    let marked = |change: fn(&mut Outcome)| {
        let cache = Memory(Mutex::new(cache.0.lock().unwrap().clone()));
        cache.0.lock().unwrap().values_mut().for_each(change);
        run(2, &cache)
    };
    assert_eq!(marked(|outcome| outcome.losses[0] = 9.0)[0].losses[0], 9.0);
    assert_eq!(marked(|outcome| outcome.probabilities[0] = f32::NAN), outcomes);
    assert_eq!(marked(|outcome| outcome.losses.push(1.0)), outcomes);
}

#[test]
fn every_image_is_predicted_by_learners_that_have_not_seen_it() {
    // Three images of each class look like the other one; one of them has a copy, which must not teach it.
    let catalog = catalog(classes(&[("bay", 30), ("dill", 30)]), &[]);
    let found = found(&catalog, &[(Kind::SameBytes, &["bay/0000.jpg", "bay/0001.jpg"])]);
    let wrong = [0, 1, 12, 31, 44, 59];
    let thumbnails: Vec<Option<Thumbnail>> = (0..60)
        .map(|at| {
            let number = if at == 1 { 0 } else { at };
            (at != 20).then(|| striped((at < 30) != wrong.contains(&at), 120, number))
        })
        .collect();
    let settings = FoldSettings { most: 600, epochs: 12, seeds: 1, seed: 0 };
    let folds = out_of_fold(&catalog, &found, &thumbnails, settings, &NoRuns, &NoProgress).unwrap();
    assert_eq!((folds.images.len(), folds.left_out), (59, 1));
    let predicted: Vec<u32> =
        folds.probabilities.chunks_exact(2).map(|row| u32::from(row[1] > row[0])).collect();
    let errors: Vec<u32> = folds
        .images
        .iter()
        .zip(&predicted)
        .filter(|(pick, predicted)| pick.class != **predicted)
        .map(|(pick, _)| pick.image)
        .collect();
    let found_wrong = wrong.iter().filter(|&&at| errors.contains(&(at as u32))).count();
    assert!(found_wrong >= 5 && errors.len() <= 9, "{errors:?}");
    assert!(errors.contains(&0) && errors.contains(&1), "{errors:?}");
}

proptest::proptest! {
    #[test]
    fn shares_of_classes_are_kept_as_near_as_whole_images_allow(
        sizes in proptest::collection::vec(2usize..400, 1..30),
        most in 60usize..2000,
    ) {
        let counts = super::sample::shares(&sizes, most);
        let all: usize = sizes.iter().sum();
        proptest::prop_assert!(counts.iter().zip(&sizes).all(|(count, size)| *count >= 2 && count <= size));
        let sum: usize = counts.iter().sum();
        proptest::prop_assert!(sum <= most + 2 * sizes.len());
        if all <= most {
            proptest::prop_assert_eq!(counts, sizes);
        } else {
            for (count, size) in counts.iter().zip(&sizes) {
                let exact = *size as f64 * most as f64 / all as f64;
                proptest::prop_assert!((*count as f64 - exact).abs() <= 2.0, "{count} of {exact}");
            }
        }
    }

    #[test]
    fn a_difference_is_that_of_both_whichever_comes_first(
        right in proptest::collection::vec((0usize..40, 0usize..40), 2..6),
        error in 0.01f64..0.3,
    ) {
        let truth: Vec<u32> = (0..40).map(|at| at % 3).collect();
        let predicted = |right: usize, shift: usize| -> Vec<u32> {
            (0..40).map(|at| if (at + shift) % 40 < right { truth[at] } else { 9 }).collect()
        };
        let these: Vec<Vec<u32>> = right.iter().map(|(one, _)| predicted(*one, 0)).collect();
        let those: Vec<Vec<u32>> = right.iter().map(|(_, one)| predicted(*one, 13)).collect();
        let rows: Vec<usize> = (0..40).collect();
        let there = paired((&these, &those), &truth, &rows, 100, error);
        let back = paired((&those, &these), &truth, &rows, 100, error);
        let expected: f64 = right.iter().map(|(a, b)| (*a as f64 - *b as f64) / 40.0).sum::<f64>() / right.len() as f64;
        proptest::prop_assert!((there.mean - expected).abs() < 1e-9 && (there.mean + back.mean).abs() < 1e-12);
        proptest::prop_assert!((there.interval.low + back.interval.high).abs() < 1e-9);
        proptest::prop_assert!(there.interval.low <= there.mean && there.mean <= there.interval.high);
        // The surer the answer has to be, the wider it is.
        let surer = paired((&these, &those), &truth, &rows, 100, error / 2.0);
        proptest::prop_assert!(surer.interval.width() >= there.interval.width() - 1e-12);
        // Fewer images leave more open.
        let few = paired((&these, &these), &truth, &rows[..10], 100, error);
        let many = paired((&these, &these), &truth, &rows, 100, error);
        proptest::prop_assert!(few.mean == 0.0 && few.interval.width() > many.interval.width());
    }
}

#[test]
fn views_are_held_against_the_whole_image_and_the_largest_class() {
    // Six of ten are of the first class. The whole image is right on nine, colours on eight, the border on five.
    let truth: Vec<u32> = (0..10).map(|at| u32::from(at >= 6)).collect();
    let runs = |right: usize| outcomes(&[right, right], &truth, 0.1);
    let [whole, colours, border] = [9, 8, 5].map(runs);
    let views = [(View::Whole, &whole[..]), (View::Colours, &colours), (View::Border, &border)];
    let found = reliance(&views, &truth, 2).unwrap();
    assert_eq!(found.majority, 0.6);
    let gained: Vec<f64> = found.views.iter().map(|view| view.gained.unwrap()).collect();
    assert!((gained[0] - 1.0).abs() < 1e-12 && (gained[1] - 2.0 / 3.0).abs() < 1e-12, "{gained:?}");
    assert_eq!(gained[2], 0.0);
    let recall = |view: usize, class: usize| found.views[view].recall[class].unwrap();
    assert_eq!((recall(2, 0).share, recall(2, 0).of), (5.0 / 6.0, 6));
    assert_eq!(recall(1, 1).share, 0.5);
    assert_eq!(found.views[1].accuracy.of, 10);
    // Where the whole image gains nothing, no share of that can be had.
    let nothing = reliance(&views[2..], &truth, 2).unwrap();
    assert_eq!(nothing.views[0].gained, None);
    assert_eq!(reliance(&views, &[], 2), None);
}
