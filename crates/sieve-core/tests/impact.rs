//! What a policy does, in numbers, against all of it counted again slowly from whole images.

mod support;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use herb_shed::encode;
use herb_shed::paint::Picture;
use sieve_core::augment::cost::{self, Impact, MEASURES, Study, TRIED};
use sieve_core::augment::{Draw, Occasion, Policy, SourcePyramid};
use sieve_core::collection::{self, Collection, Entry, Request, Root};
use sieve_core::measuring::look_at;
use sieve_core::progress::NoProgress;
use sieve_core::reading::{self, Pixels, ReadLimits};
use sieve_core::sampling;
use support::folder;

/// An image of 40 x 30 whose brightness, contrast and colours depend on `number`; `form` gives 0 or 1 a pixel.
fn png(number: u32, form: impl Fn(u32, u32) -> u32) -> Vec<u8> {
    let data = (0..40 * 30u32).flat_map(|at| {
        let (x, y) = (at % 40, at / 40);
        let grain = (at * 7 + number * 13) % 23;
        let level = 40 + number * 9 % 90 + form(x, y) * (60 + number * 5 % 60) + grain;
        [level, level * 3 / 4 + number % 7, level / 2 + number * 3 % 40]
            .map(|one| one.min(255) as u8)
    });
    encode::png(&Picture { width: 40, height: 30, data: data.collect() })
}

/// An arrow to the left or right, at a place and of a size that depend on `number`.
fn arrow(number: u32, x: u32, y: u32, is_left: bool) -> u32 {
    let x = if is_left { x } else { 39 - x };
    let (middle, size) = (15 + number % 4, 9 + number % 3);
    let off = y.abs_diff(middle);
    u32::from(off <= size && x >= 6 + off && x <= 6 + off + 6)
}

/// Training and held-out images of two classes below `root`.
fn collection_at(root: &Path) -> Collection {
    for (split, count) in [("train", 12), ("validation", 10)] {
        for (class, is_left) in [("left", true), ("right", false)] {
            let folder = root.join(split).join(class);
            fs::create_dir_all(&folder).unwrap();
            for number in 0..count {
                let number = number + if split == "train" { 0 } else { 40 };
                let picture = png(number, |x, y| arrow(number, x, y, is_left));
                fs::write(folder.join(format!("{number:02}.png")), picture).unwrap();
            }
        }
    }
    let root = Root { split: None, path: root.to_owned() };
    let request = Request { roots: vec![root], ..Request::default() };
    collection::open(&request, &collection::NoCache, &NoProgress).unwrap()
}

fn files<'a>(collection: &'a Collection, split: &str) -> Vec<&'a Entry> {
    let classes: BTreeMap<&str, Vec<&Entry>> = sampling::shuffled(collection, Some(split), 3);
    sampling::interleaved(&classes, usize::MAX)
}

fn decoded(root: &Path, entry: &Entry) -> Pixels {
    let bytes = fs::read(root.join(entry.path.as_str())).unwrap();
    reading::decode(&bytes, &ReadLimits::default()).unwrap().pixels
}

/// What is reported of one frame.
fn reported(pixels: &Pixels) -> [f64; 5] {
    let look = look_at(pixels).0;
    let [red, _, blue] = look.mean.map(f64::from);
    [
        f64::from(look.brightness),
        f64::from(look.contrast),
        f64::from(look.saturation),
        f64::from(look.sharpness),
        ((red + 0.5) / (blue + 0.5)).log2(),
    ]
}

/// The middle 98%, between neighbours in proportion.
fn middle(mut numbers: Vec<f64>) -> (f64, f64) {
    numbers.sort_by(f64::total_cmp);
    let at = |share: f64| {
        let place = share * (numbers.len() - 1) as f64;
        let below = place.floor() as usize;
        let above = (below + 1).min(numbers.len() - 1);
        numbers[below] * (1.0 - place.fract()) + numbers[above] * place.fract()
    };
    (at(0.01), at(0.99))
}

/// Of 0 and 255 in `after` those that were neither in `before`, as a share; and the levels that the mean moves.
fn flattened(before: &Pixels, after: &Pixels) -> (f64, f64) {
    let is_end = |value: u8| value == 0 || value == 255;
    let pairs = || before.data.iter().zip(&after.data);
    let newly = pairs().filter(|(before, after)| is_end(**after) && !is_end(**before)).count();
    let moved: f64 = pairs().map(|(before, after)| f64::from(*after) - f64::from(*before)).sum();
    let count = before.data.len() as f64;
    (newly as f64 / count, moved / count)
}

fn mean(numbers: &[f64]) -> f64 {
    numbers.iter().sum::<f64>() / numbers.len() as f64
}

fn studied(collection: &Collection, policy: &Policy, draws: u64) -> Impact {
    let (train, held_out) = (files(collection, "train"), files(collection, "validation"));
    let study = Study { policy, train: &train, held_out: &held_out, seed: 5, draws };
    cost::study(collection, &study, &ReadLimits::default(), &NoProgress).unwrap()
}

const TONES: &str = "
[frame]
size = 32
[[step]]
do = \"brightness\"
between = [0.5, 2.2]
chance = 0.7
[[step]]
do = \"contrast\"
between = [0.4, 1.8]
[[step]]
do = \"warmth\"
between = [-0.6, 0.6]
chance = 0.5
";

#[test]
fn every_number_of_tones_is_the_one_that_slow_counting_gives() {
    let root = folder(&[]);
    let collection = collection_at(root.path());
    let policy = Policy::parse(TONES).unwrap();
    let draws = 100;
    let impact = studied(&collection, &policy, draws);
    let (train, held_out) = (files(&collection, "train"), files(&collection, "validation"));
    assert_eq!((impact.draws, impact.held_out, impact.subjects.len()), (draws, 20, 24));

    let framed = |entry: &Entry| {
        let image = SourcePyramid::new(decoded(root.path(), entry));
        Draw::NOTHING.apply(&image, &policy).pixels
    };
    let expected: Vec<[f64; 5]> = held_out.iter().map(|entry| reported(&framed(entry))).collect();
    let ranges: Vec<(f64, f64)> =
        (0..5).map(|at| middle(expected.iter().map(|one| one[at]).collect())).collect();
    let is_out = |one: &[f64; 5]| (0..5).any(|at| one[at] < ranges[at].0 || one[at] > ranges[at].1);

    let (mut all, mut plain, mut flat, mut shift) = (vec![], vec![], vec![], vec![]);
    for (at, entry) in (0u64..).zip(&train) {
        let image = SourcePyramid::new(decoded(root.path(), entry));
        let before = framed(entry);
        plain.push(reported(&before));
        for number in 0..draws / 24 + u64::from(at < draws % 24) {
            let class = entry.place.class().unwrap();
            let occasion = Occasion { seed: 5, path: entry.path.as_str(), class, number };
            let after = policy.draw(&occasion).apply(&image, &policy).pixels;
            let (newly, moved) = flattened(&before, &after);
            all.push(reported(&after));
            flat.push(newly);
            shift.push(moved.abs());
        }
    }
    let near = |a: f64, b: f64, what: &str| assert!((a - b).abs() < 1e-9, "{what}: {a} {b}");
    let share = |of: &[[f64; 5]], is_so: &dyn Fn(&[f64; 5]) -> bool| {
        of.iter().filter(|one| is_so(one)).count() as f64 / of.len() as f64
    };
    for (at, measured) in impact.out_of_range.iter().enumerate() {
        assert_eq!(measured.measure, MEASURES[at]);
        near(measured.range.0, ranges[at].0, measured.measure);
        near(measured.range.1, ranges[at].1, measured.measure);
        near(measured.below, share(&all, &|one| one[at] < ranges[at].0), measured.measure);
        near(measured.above, share(&all, &|one| one[at] > ranges[at].1), measured.measure);
        near(measured.below_plain, share(&plain, &|one| one[at] < ranges[at].0), measured.measure);
        near(measured.above_plain, share(&plain, &|one| one[at] > ranges[at].1), measured.measure);
    }
    near(impact.any_out_of_range, share(&all, &is_out), "any");
    near(impact.any_out_of_range_plain, share(&plain, &is_out), "any, plain");
    near(impact.clipped, mean(&flat), "clipped");
    near(impact.most_clipped, flat.iter().copied().fold(0.0, f64::max), "most clipped");
    near(impact.shift_levels, mean(&shift), "shift");
    // The policy is strong enough for all of it to be there.
    assert!(impact.clipped > 0.005 && impact.any_out_of_range > 0.3, "{impact:?}");

    // Each step by itself, at each strength that is tried.
    for (step, told_step) in impact.steps.iter().enumerate() {
        for (&strength, effect) in TRIED.iter().zip(&told_step.at) {
            let (mut flat, mut added) = (vec![], vec![]);
            for (entry, plain) in train.iter().zip(&plain) {
                let alone = policy.with_only(step);
                let class = entry.place.class().unwrap();
                let occasion = Occasion { seed: 5, path: entry.path.as_str(), class, number: 0 };
                let image = SourcePyramid::new(decoded(root.path(), entry));
                let draw = alone.draw(&occasion).at_strength(strength);
                let after = draw.apply(&image, &alone).pixels;
                flat.push(flattened(&framed(entry), &after).0);
                added.push(f64::from(is_out(&reported(&after))) - f64::from(is_out(plain)));
            }
            near(effect.clipped, mean(&flat), "clipped alone");
            near(effect.out_of_range, mean(&added).max(0.0), "out of range alone");
        }
    }
}

#[test]
fn flips_turn_arrows_into_each_other_and_small_turns_do_not() {
    let root = folder(&[]);
    let collection = collection_at(root.path());
    let of = |steps: &str| {
        let policy = Policy::parse(&format!("[frame]\nsize = 48\n{steps}")).unwrap();
        studied(&collection, &policy, 96)
    };
    let flipped = of("[[step]]\ndo = \"flip\"\naxis = \"left-right\"\n");
    let risk = flipped.label_risk.unwrap();
    assert!(risk.share > 0.95 && risk.plain < 0.05, "{risk:?}");
    let confused: Vec<(&str, &str)> =
        risk.confused.iter().map(|(from, to, _)| (from.as_str(), to.as_str())).collect();
    assert!(confused.contains(&("left", "right")) && confused.contains(&("right", "left")));
    assert!(flipped.steps[0].at[0].label_risk > 0.95, "{:?}", flipped.steps);
    // What mirrors an image neither flattens nor darkens it.
    assert_eq!((flipped.clipped, flipped.shift_levels), (0.0, 0.0));
    let turned = of("[[step]]\ndo = \"rotate\"\nbetween = [-4, 4]\n");
    let risk = turned.label_risk.unwrap();
    assert!(risk.share < 0.1 && risk.confused.is_empty(), "{risk:?}");
    assert_eq!(turned.steps[0].at[0].label_risk, 0.0);
    // Half of the images are flipped: half of the risk.
    let half = of("[[step]]\ndo = \"flip\"\naxis = \"left-right\"\nchance = 0.5\n");
    let risk = half.label_risk.unwrap();
    assert!((risk.share - 0.5).abs() < 0.15, "{risk:?}");
}

#[test]
fn numbers_are_the_same_on_any_number_of_threads_and_broken_files_are_passed_over() {
    let root = folder(&[]);
    collection_at(root.path());
    fs::write(root.path().join("train/left/broken.png"), b"no picture").unwrap();
    let request = Root { split: None, path: root.path().to_owned() };
    let request = Request { roots: vec![request], ..Request::default() };
    let collection = collection::open(&request, &collection::NoCache, &NoProgress).unwrap();
    let policy = Policy::parse(TONES).unwrap();
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| studied(&collection, &policy, 60))
    };
    let one = on(1);
    assert_eq!(one.subjects.len(), 24);
    assert!(one == on(5));
}
