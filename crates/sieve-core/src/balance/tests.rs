//! Counts twice, weights, caps, steps, and what ties classes to facts.

use proptest::prelude::*;

use super::*;
use crate::attributes::Fact;
use crate::duplicates::Kind;
use crate::tests::{catalog, change, classes, found, image};

fn near(a: f64, b: f64) {
    assert!((a - b).abs() < 1e-9, "{a} is not {b}");
}

fn names(all: &[&str]) -> Vec<String> {
    all.iter().map(|name| (*name).to_owned()).collect()
}

#[test]
fn copies_and_bursts_count_once_and_look_alikes_do_not() {
    let catalog = catalog(classes(&[("bay", 4), ("sage", 6)]), &["thyme"]);
    let groups: [(Kind, &[&str]); 3] = [
        (Kind::Cropped, &["sage/0000.jpg", "sage/0001.jpg", "bay/0000.jpg"]),
        (Kind::Burst, &["sage/0001.jpg", "sage/0002.jpg"]),
        (Kind::LookAlike, &["bay/0001.jpg", "bay/0002.jpg"]),
    ];
    let found = found(&catalog, &groups);
    let settings = Settings { batch: Some(4), beta: 0.5 };
    let limits = FindingLimits { thin_class: 5.0, imbalance: 1.2, ..FindingLimits::default() };
    let all = names(&["bay", "sage", "thyme"]);
    let balance = balance(&all, &[], &found, &limits, &settings);

    // Four images are one: a copy of a copy, and a frame of the same moment.
    assert_eq!(balance.independent.images, 7);
    let counted: Vec<_> = balance.classes.iter().map(|c| (c.images, c.independent)).collect();
    assert_eq!(counted, [(4, 4), (6, 4), (0, 0)], "the picture of two classes counts to both");
    let shortfall: Vec<u64> = balance.classes.iter().map(|c| c.shortfall_independent).collect();
    assert_eq!((shortfall, balance.classes[1].shortfall), (vec![1, 1, 5], 0));
    near(balance.classes[0].share, 0.4);
    let [all] = &balance.scopes[..] else { panic!("{:?}", balance.scopes) };
    assert_eq!((all.files.images, all.independent.images), (10, 7));
    assert_eq!((all.files.largest.class.as_str(), all.files.smallest.images), ("sage", 4));

    // 10 / (2 x 4), and 1 / (2 - 2 x 0.5^n) in proportion; an empty class weighs nothing.
    let weights = &balance.weights;
    near(weights[0].inverse_frequency.unwrap(), 1.25);
    near(weights[0].effective_images, 1.875);
    near(weights[1].effective_images, 1.968_75);
    let sum = 1.0 / 1.875 + 1.0 / 1.968_75;
    near(weights[0].effective_number.unwrap(), 2.0 / 1.875 / sum);
    assert_eq!((weights[2].inverse_frequency, weights[2].effective_number), (None, None));
    assert_eq!((effective_number(0, 0.5), effective_number(9, 0.0)), (0.0, 1.0));
    near(effective_number(1000, 1.0 - 1e-12) / 1000.0, 1.0);

    let cap = Cap { images: 4, ratio: 1.0, keeps: 8, drops: 2 };
    assert_eq!(balance.caps, [cap], "1.2 times 4 is 4 whole pictures");
    let steps = Steps { batch: 4, images: 10, steps: 3, full: 2, last: 2 };
    assert_eq!(balance.steps, Some(steps));
    assert_eq!((balance.training, balance.held_out), (None, vec![]));
}

#[test]
fn splits_are_counted_by_themselves_and_what_is_trained_on_is_weighed() {
    let paths = |split: &str, class: &str, number: usize| {
        let path = |at| format!("{split}/{class}/{at:03}.jpg");
        (0..number).map(path).collect::<Vec<_>>()
    };
    let all = [paths("train", "sage", 60), paths("train", "bay", 20), paths("test", "sage", 40)];
    let records = (0..).zip(all.concat()).map(|(at, path)| image(&path, at));
    let catalog = catalog(records.collect(), &[]);
    let burst: Vec<String> = paths("test", "sage", 30);
    let burst: Vec<&str> = burst.iter().map(String::as_str).collect();
    let found = found(&catalog, &[(Kind::Burst, &burst)]);
    let (all, splits) = (names(&["bay", "sage"]), names(&["train", "test"]));
    let balance = balance(&all, &splits, &found, &FindingLimits::default(), &Settings::default());
    assert_eq!(balance.training.as_deref(), Some("train"));
    near(balance.weights[0].inverse_frequency.unwrap(), 2.0);
    assert_eq!(balance.weights[1].images, 60);
    let [held_out] = &balance.held_out[..] else { panic!("{:?}", balance.held_out) };
    assert_eq!((held_out.images, held_out.independent, held_out.is_too_small), (40, 11, true));
    assert!(held_out.independent_interval.width() > held_out.interval.width());
    assert_eq!(held_out.classes[0].interval, None, "no bay is tested");
    let scopes: Vec<_> =
        balance.scopes.iter().map(|s| (s.split.as_deref(), s.files.images)).collect();
    assert_eq!(scopes, [(None, 120), (Some("train"), 80), (Some("test"), 40)]);
    near(balance.classes[1].splits[0].share, 0.75);
}

#[test]
fn what_tells_a_class_apart_stands_out() {
    let mut records = classes(&[("bay", 40), ("sage", 40), ("thyme", 40)]);
    for number in 0..40 {
        // Sage by one camera, the others by two in turn; sizes without any order.
        for class in ["bay", "sage", "thyme"] {
            let measured = change(&mut records, &format!("{class}/{number:04}.jpg"));
            let camera = if class == "sage" || number % 4 == 0 { "Bench" } else { "Rack" };
            measured.facts.camera = Some(camera.into());
            measured.facts.width_px = if (number * 7) % 10 < 5 { 640 } else { 800 };
        }
    }
    let catalog = catalog(records, &[]);
    let found = found(&catalog, &[]);
    let all = names(&["bay", "sage", "thyme"]);
    let balance = balance(&all, &[], &found, &FindingLimits::default(), &Settings::default());
    let facts: Vec<&str> =
        balance.associations.iter().map(|association| association.fact).collect();
    assert_eq!(facts, ["size", "camera"], "what is the same for all is no tie");
    assert!(balance.associations[0].p_corrected > 0.5);
    assert!(balance.associations[0].residuals.iter().all(|residual| !residual.stands_out));
    let first = &balance.associations[1].residuals[0];
    assert_eq!((first.class.as_str(), first.value.as_str()), ("sage", "Bench"));
    near(first.share - first.share_elsewhere, 0.75);
    assert!(first.stands_out && balance.associations[1].p_corrected < 1e-9);
}

#[test]
fn neither_a_pool_of_rare_values_nor_copies_tell_a_class() {
    let mut records = classes(&[("bay", 40), ("sage", 40)]);
    for number in 0..40 {
        // Bay was taken on forty days, sage on one; half of sage by another camera.
        for (class, day) in [
            ("bay", format!("2026-{:02}-{:02}", 1 + number / 28, 1 + number % 28)),
            ("sage", "2026-08-01".to_owned()),
        ] {
            let facts = &mut change(&mut records, &format!("{class}/{number:04}.jpg")).facts;
            facts.captured = Some(format!("{day}T08:00:00").into());
            let is_copy = class == "sage" && number < 20;
            facts.camera = Some(if is_copy { "Rack" } else { "Bench" }.into());
        }
    }
    let catalog = catalog(records, &[]);
    let copies: Vec<String> = (0..20).map(|number| format!("sage/{number:04}.jpg")).collect();
    let copies: Vec<&str> = copies.iter().map(String::as_str).collect();
    let balance_of = |groups: &[(Kind, &[&str])]| {
        let (all, found) = (names(&["bay", "sage"]), found(&catalog, groups));
        balance(&all, &[], &found, &FindingLimits::default(), &Settings::default())
    };
    let reported = |balance: &Balance, fact: Fact| -> Vec<String> {
        let association =
            balance.associations.iter().find(|association| association.fact == fact.name());
        let residuals = association.into_iter().flat_map(|association| &association.residuals);
        let out = residuals.filter(|residual| residual.stands_out);
        out.map(|residual| format!("{} {}", residual.class, residual.value)).collect()
    };
    let each_counts = balance_of(&[]);
    assert_eq!(reported(&each_counts, Fact::Day), ["sage 2026-08-01"]);
    assert_eq!(reported(&each_counts, Fact::Camera).len(), 2);
    // Twenty copies are one image, and that one has its camera by chance.
    let once = balance_of(&[(Kind::Near, &copies)]);
    assert_eq!(reported(&once, Fact::Camera), [] as [&str; 0]);
    let days =
        once.associations.iter().find(|association| association.fact == Fact::Day.name()).unwrap();
    assert_eq!(days.values[0], ("2026-08-01".to_owned(), 21));
}

proptest! {
    /// What holds of weights, caps and steps, whatever the classes.
    #[test]
    fn numbers_add_up(sizes in prop::collection::vec(0u64..40, 1..6), batch in 1u64..50) {
        let names: Vec<String> = (0..sizes.len()).map(|at| format!("herb {at}")).collect();
        let filled: Vec<(&str, u64)> = names.iter().map(String::as_str).zip(sizes.iter().copied()).collect();
        let catalog = catalog(classes(&filled), &[]);
        let found = found(&catalog, &[]);
        let settings = Settings { batch: Some(batch), ..Settings::default() };
        let balance = balance(&names, &[], &found, &FindingLimits::default(), &settings);
        let total: u64 = sizes.iter().sum();
        let number = sizes.iter().filter(|&&size| size > 0).count() as f64;
        if total == 0 {
            prop_assert!(balance.scopes.is_empty() && balance.steps.is_none() && balance.caps.is_empty());
            return Ok(());
        }
        let weighed: f64 = balance
            .weights
            .iter()
            .map(|weight| weight.inverse_frequency.unwrap_or(0.0) * weight.images as f64)
            .sum();
        prop_assert!((weighed - total as f64).abs() < 1e-6, "the mean weight of a picture is 1");
        let sum: f64 = balance.weights.iter().filter_map(|weight| weight.effective_number).sum();
        prop_assert!((sum - number).abs() < 1e-9);
        for cap in &balance.caps {
            let keeps: u64 = sizes.iter().map(|&size| size.min(cap.images)).sum();
            prop_assert_eq!((cap.keeps, cap.keeps + cap.drops), (keeps, total));
            prop_assert!(cap.drops > 0);
        }
        let steps = balance.steps.unwrap();
        prop_assert_eq!(steps.full * batch + steps.last, total);
        prop_assert_eq!(steps.steps, steps.full + u64::from(steps.last > 0));
        let shares: f64 = balance.classes.iter().map(|class| class.share).sum();
        prop_assert!((shares - 1.0).abs() < 1e-9);
    }
}

#[test]
fn what_the_counts_hide_becomes_findings() {
    let mut records = classes(&[("bay", 30), ("sage", 30), ("thyme", 8)]);
    for number in 0..30 {
        let measured = change(&mut records, &format!("sage/{number:04}.jpg"));
        measured.facts.captured = Some("2026-07-05T08:00:00".into());
    }
    let catalog = catalog(records, &[]);
    let burst: Vec<String> = (0..12).map(|at| format!("bay/{at:04}.jpg")).collect();
    let burst: Vec<&str> = burst.iter().map(String::as_str).collect();
    let near = ["sage/0000.jpg", "sage/0001.jpg", "sage/0002.jpg"];
    let found = found(&catalog, &[(Kind::Burst, &burst), (Kind::Near, &near)]);
    let all = names(&["bay", "sage", "thyme"]);
    let limits = FindingLimits::default();
    let reported =
        crate::checks::balance(&balance(&all, &[], &found, &limits, &Settings::default()), &limits);
    let message: Vec<&str> = reported.iter().map(|finding| finding.message.as_str()).collect();
    let expected = [
        "\"bay\" has 30 images, but only 19 independent ones; the minimum is 20",
        "\"sage\" by capture day: \"2026-07-05\" in 100% of the class, in 0% elsewhere",
        "\"bay\" by capture day: \"(unknown)\" in 100% of the class, in 22% elsewhere",
        "\"thyme\" by capture day: \"(unknown)\" in 100% of the class, in 40% elsewhere",
    ];
    assert_eq!(message, expected, "28 of sage are enough, and thyme is thin as it is");
    assert_eq!(reported[0].class.as_deref(), Some("bay"));
}
