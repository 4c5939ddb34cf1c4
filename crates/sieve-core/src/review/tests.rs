use std::collections::{BTreeMap, BTreeSet};

use super::*;
use crate::appearance::Source;
use crate::duplicates::{DuplicateReport, Kind};
use crate::finding::{Code, Finding};
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::outliers::Standout;
use crate::record::Record;
use crate::tests::{catalog, classes, found, image};

fn table(text: &str, name: &str) -> Result<PredictionTable, String> {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(name);
    std::fs::write(&file, text).unwrap();
    PredictionTable::read(&file)
}

fn csv(text: &str) -> PredictionTable {
    table(text, "predictions.csv").unwrap()
}

#[test]
fn each_form_of_a_table_says_the_same() {
    let expected = csv("path,predicted,score\nbay/1.jpg,dill,0.5\n\"bay/2,3.jpg\",bay,\n");
    assert_eq!(expected.rows[1], ["bay/2,3.jpg", "bay", ""]);
    assert_eq!(
        csv("\u{feff}path;predicted;score\r\nbay/1.jpg;dill;0.5\r\nbay/2,3.jpg;bay\r\n"),
        expected
    );
    let lines = "{\"path\": \"bay/1.jpg\", \"predicted\": \"dill\", \"score\": 0.5}\n\n\
                 {\"predicted\": \"bay\", \"path\": \"bay/2,3.jpg\", \"score\": null}\n";
    let mut json = table(lines, "predictions.jsonl").unwrap();
    // Objects have no order of their own.
    assert_eq!(json.column("score"), json.head.iter().position(|name| name == "score"));
    let order: Vec<usize> = expected.head.iter().map(|name| json.column(name).unwrap()).collect();
    for row in &mut json.rows {
        *row = order.iter().map(|&at| row[at].clone()).collect();
    }
    assert_eq!(json.rows, expected.rows);
    let wrong = [
        ("path,predicted\n", "a.csv", "no rows"),
        ("path,predicted\na,b,c\n", "a.csv", "line 2 has more cells"),
        ("{\"path\": [1]}\n", "a.jsonl", "\"path\" is no text"),
        ("[1]\n", "a.ndjson", "line 1 is not a JSON object"),
    ];
    for (text, name, why) in wrong {
        let error = table(text, name).unwrap_err();
        assert!(error.contains(why), "{text}: {error}");
    }
}

/// Images of two splits, three classes, one without a class, and two with the same bytes.
fn records() -> Vec<Record> {
    let paths = [
        ("test/bay/1.jpg", 1),
        ("test/bay/2.jpg", 2),
        ("test/dill/1.jpg", 3),
        ("test/dill/2.jpg", 3),
        ("train/bay/3.jpg", 5),
        ("train/mint/1.jpg", 6),
    ];
    paths.iter().map(|&(path, content)| image(path, content)).collect()
}

#[test]
fn predictions_find_their_images_and_what_does_not_fit_is_named() {
    let catalog = catalog(records(), &[]);
    let found = found(&catalog, &[]);
    let of = |text: &str, numbers: Option<&[&str]>| {
        let numbers: Option<ClassNumbers> =
            numbers.map(|names| names.iter().map(|name| (*name).to_owned()).collect());
        matched(&csv(text), &found, numbers.as_ref())
    };
    let by_path = of(
        "path,predicted,score\ntest/bay/1.jpg,dill,0.75\ntest/dill/1.jpg,dill,0.5\n../../etc/passwd,bay,1\n\
         test/bay/2.jpg,thyme,1\ntest/dill/2.jpg,dill,0.1\ntest/dill/2.jpg,bay,0.2\n",
        None,
    )
    .unwrap();
    assert_eq!(by_path.classes, ["bay", "dill", "mint"]);
    let rows: Vec<_> = by_path
        .predictions
        .iter()
        .map(|one| (one.image, one.class, one.predicted, one.score))
        .collect();
    assert_eq!(rows, [(0, 0, 1, Some(0.75)), (2, 1, 1, Some(0.5))]);
    let Unmatched { unknown, repeated, missing, unlabelled, unusable } = by_path.unmatched;
    assert_eq!(unknown, ["../../etc/passwd"]);
    assert_eq!(repeated.iter().map(|path| path.as_str()).collect::<Vec<_>>(), ["test/dill/2.jpg"]);
    assert!(missing.is_empty() && unlabelled.is_empty());
    assert_eq!(unusable, [("test/bay/2.jpg".to_owned(), "there is no class \"thyme\"".to_owned())]);

    // By digest a row is about every image with these bytes; the splits that were predicted lack the others.
    let digest = found.images[2].measured.digest;
    let by_digest = of(
        &format!("digest,class_index\n{digest},2\nzz,0\n"),
        Some(&["mint", "dill", "bay", "gone"]),
    )
    .unwrap();
    assert_eq!(by_digest.classes, ["bay", "dill", "gone", "mint"]);
    let rows: Vec<_> = by_digest.predictions.iter().map(|one| (one.image, one.predicted)).collect();
    assert_eq!(rows, [(2, 0), (3, 0)]);
    assert_eq!(
        (by_digest.unmatched.missing.len(), &by_digest.unmatched.unknown[..]),
        (2, &["zz".to_owned()][..])
    );

    // Scores of all classes decide where nothing else does; people put spaces after commas.
    let scored =
        of("path, dill, bay,mint\ntest/bay/1.jpg,0.5,0.2,0.3\ntest/bay/2.jpg,0.1,1.5,0\n", None)
            .unwrap();
    assert_eq!(scored.predictions.len(), 1);
    assert_eq!((scored.predictions[0].predicted, scored.predictions[0].score), (1, Some(0.5)));
    assert_eq!(scored.predictions[0].scores, [0.2, 0.5, 0.3]);
    assert!(scored.unmatched.unusable[0].1.contains("\"1.5\" is no number from 0 to 1"));

    let wrong = [
        ("file,predicted\na,b\n", "no column \"path\" or \"digest\""),
        ("path,label\na,b\n", "no column \"predicted\""),
        ("path,class_index\na,1\n", "no class index"),
        ("path,bay,dill\na,1,0\n", "none for \"mint\""),
    ];
    for (text, why) in wrong {
        let error = of(text, None).unwrap_err().to_string();
        assert!(error.contains(why), "{text}: {error}");
    }
}

/// Predictions of all images of a class-by-class list: the predicted class of each, and the scores of the classes.
fn predictions(
    found: &DuplicateReport<'_>,
    names: &[&str],
    scores: &dyn Fn(u32) -> Vec<f32>,
) -> Matched {
    let predictions = (0..found.images.len() as u32).map(|number| {
        let class = found.images[number as usize].record.class().unwrap();
        let scores = scores(number);
        let first = |best: usize, at: usize| if scores[at] > scores[best] { at } else { best };
        let predicted = (1..scores.len()).fold(0, first);
        Prediction {
            image: number,
            class: names.iter().position(|name| *name == class).unwrap() as u32,
            predicted: predicted as u32,
            score: Some(f64::from(scores[predicted])),
            scores,
        }
    });
    Matched {
        classes: names.iter().map(|name| (*name).to_owned()).collect(),
        predictions: predictions.collect(),
        unmatched: Unmatched::default(),
    }
}

#[test]
fn scores_are_told_apart_by_what_training_gives_away() {
    // Eight held-out images: four are copies of training images and right, of the others one is.
    let mut paths: Vec<String> = (0..4).map(|at| format!("train/bay/{at}.jpg")).collect();
    paths.extend((0..8).map(|at| format!("test/bay/{at}.jpg")));
    paths.push("train/dill/9.jpg".to_owned());
    let records = paths.iter().zip(1..).map(|(path, content)| image(path, content)).collect();
    let catalog = catalog(records, &[]);
    let copies: Vec<[String; 2]> =
        (0..4).map(|at| [format!("train/bay/{at}.jpg"), format!("test/bay/{at}.jpg")]).collect();
    let names: Vec<Vec<&str>> =
        copies.iter().map(|pair| pair.iter().map(String::as_str).collect()).collect();
    let groups: Vec<(Kind, &[&str])> =
        names.iter().map(|pair| (Kind::SameBytes, &pair[..])).collect();
    let found = found(&catalog, &groups);
    // In the order of paths: the eight of test, then training.
    let mut matched = predictions(&found, &["bay", "dill"], &|number| {
        let right = !(5..=7).contains(&number);
        if right { vec![0.875, 0.125] } else { vec![0.375, 0.625] }
    });
    matched.predictions.truncate(8);
    let (all, independence) = metrics(&matched, &found, "train");
    let independence = independence.unwrap();
    assert_eq!(all.confusion.accuracy().unwrap().share, 5.0 / 8.0);
    let independent = independence.independent.confusion.accuracy().unwrap();
    assert_eq!((independent.share, independent.of), (0.25, 4));
    assert_eq!(independence.dependent.unwrap().share, 1.0);
    assert_eq!(independence.training, 0);
    let (difference, interval) = independence.difference.unwrap();
    assert_eq!(difference, 0.75);
    // Newcombe's method 10 of 4/4 and 1/4: Wilson's intervals are .5101 to 1 and .0456 to .6994.
    let down = (0.4899f64.powi(2) + 0.4494f64.powi(2)).sqrt();
    assert!((interval.low - (0.75 - down)).abs() < 1e-3, "{interval:?}");
    // Calibration: three of score .625 that are wrong, five of .875 that are right.
    let calibration = all.calibration.unwrap();
    assert_eq!(calibration.bins[6], Bin { images: 3, mean_score: 0.625, right: 0.0 });
    assert_eq!(calibration.bins[8], Bin { images: 5, mean_score: 0.875, right: 1.0 });
    assert!((calibration.error - (3.0 * 0.625 + 5.0 * 0.125) / 8.0).abs() < 1e-12);
    assert_eq!(all.top_five, None);
    assert!(metrics(&matched, &found, "learn").1.is_none());
}

#[test]
fn the_true_class_is_among_the_top_five_or_not() {
    let sizes: Vec<(String, u64)> = (0..7).map(|at| (format!("herb{at}"), 1)).collect();
    let named: Vec<(&str, u64)> =
        sizes.iter().map(|(name, count)| (name.as_str(), *count)).collect();
    let catalog = catalog(classes(&named), &[]);
    let found = found(&catalog, &[]);
    let names: Vec<&str> = named.iter().map(|(name, _)| *name).collect();
    // The scores fall with the number of the class, so that the first five are in the top five.
    let matched =
        predictions(&found, &names, &|_| (0..7).map(|at| 0.3 - at as f32 * 0.04).collect());
    let (all, _) = metrics(&matched, &found, "train");
    assert_eq!(all.top_five.map(|top| (top.share, top.of)), Some((5.0 / 7.0, 7)));
    assert_eq!(all.confusion.accuracy().unwrap().share, 1.0 / 7.0);
}

/// A thumbnail of stripes, upright or level.
fn striped(is_upright: bool, number: usize) -> Option<Thumbnail> {
    let mut values: Vec<u8> = (0..LUMA_PX * LUMA_PX)
        .map(|at| {
            let place = if is_upright { at % LUMA_PX } else { at / LUMA_PX };
            if ((place + number) / 6).is_multiple_of(2) { 70 } else { 180 }
        })
        .collect();
    values.extend(vec![128; 2 * CHROMA_PX * CHROMA_PX]);
    Some(Thumbnail(values))
}

#[test]
fn cases_show_what_images_resemble_what_is_known_and_what_to_do() {
    // Upright stripes are bay, level ones dill: but bay/0000 looks like dill, bay/0001 is dark, bay/0002 has a copy in dill.
    let catalog = catalog(classes(&[("bay", 12), ("dill", 12)]), &[]);
    let mut found = found(&catalog, &[(Kind::SameBytes, &["bay/0002.jpg", "dill/0002.jpg"])]);
    found.groups[0].label_conflict = true;
    let thumbnails: Vec<Option<Thumbnail>> =
        (0..24).map(|at| striped(at < 12 && at != 0, at)).collect();
    let wrong = [0, 1, 2, 3, 4];
    let matched = predictions(&found, &["bay", "dill"], &|number| {
        let is_dill = number >= 12 || wrong.contains(&number);
        if is_dill { vec![0.25, 0.75] } else { vec![0.75, 0.25] }
    });
    let (similar, row_of) = Source::Thumbnails(&thumbnails).similar();
    let mut dark = Finding::new(Code::TooDark, "dark");
    dark.images = vec!["bay/0001.jpg".to_owned()];
    let of = |shortcuts: &BTreeSet<String>| {
        let known = Known {
            similar: (&similar, &row_of),
            training: None,
            findings: std::slice::from_ref(&dark),
            outliers: &BTreeMap::from([(3, Standout::CloseToOther), (4, Standout::FarFromClass)]),
            shortcuts,
            doubtful: &BTreeSet::new(),
        };
        cases(&matched, &found, &known)
    };
    let (cases, quadrants) = of(&BTreeSet::new());
    let suggestions: Vec<_> = cases[..6].iter().map(|case| case.suggestion).collect();
    let expected = [
        Some(Suggestion::Relabel),
        Some(Suggestion::Drop),
        Some(Suggestion::Relabel),
        Some(Suggestion::Collect),
        Some(Suggestion::Drop),
        None,
    ];
    assert_eq!(suggestions, expected);
    assert_eq!(cases[2].flags, [Flag::LabelConflict, Flag::Duplicate]);
    assert_eq!(cases[3].flags, [Flag::Outlier]);
    let near = |case: &Case| {
        let [a, b] = [case.nearest_predicted, case.nearest_own].map(Option::unwrap);
        assert!(a.image >= 12 && b.image < 12 && b.image != case.row as u32, "{case:?}");
        (a.similarity, b.similarity)
    };
    let (predicted, own) = near(&cases[0]);
    assert!(predicted > own, "it looks like dill: {predicted} {own}");
    let (predicted, own) = near(&cases[3]);
    assert!(predicted < own, "it looks like bay: {predicted} {own}");
    // What depends on an image is no neighbour of it.
    assert!(near(&cases[2]).0 < 1.0 && cases[2].nearest_predicted.unwrap().image != 14);
    assert_eq!(quadrants.wrong_doubtful, [0]);
    assert_eq!(quadrants.wrong, [1, 2, 3, 4]);
    assert_eq!((quadrants.right.len(), &quadrants.right_doubtful[..]), (19, &[][..]));
    // Being right proves little where the ground gives the class away.
    let (_, quadrants) = of(&BTreeSet::from(["dill".to_owned()]));
    assert_eq!((quadrants.right.len(), quadrants.right_doubtful.len()), (7, 12));
}

#[test]
fn a_common_factor_is_found_beyond_chance_only() {
    let mut records = classes(&[("bay", 60), ("dill", 60)]);
    for (at, record) in records.iter_mut().enumerate() {
        if let crate::record::Outcome::Image(measured) = &mut record.outcome {
            measured.facts.camera = Some(if at % 6 == 0 { "Old" } else { "New" }.into());
        }
    }
    let catalog = catalog(records, &[]);
    let found = found(&catalog, &[]);
    let thumbnails: Vec<Option<Thumbnail>> =
        (0..120).map(|at| striped(true, at * 5 % 17)).collect();
    let (similar, row_of) = Source::Thumbnails(&thumbnails).similar();
    let with = |is_wrong: &dyn Fn(u32) -> bool| {
        let matched = predictions(&found, &["bay", "dill"], &|number| {
            if (number < 60) != is_wrong(number) { vec![0.9, 0.1] } else { vec![0.1, 0.9] }
        });
        factors(&matched, &found, &thumbnails, (&similar, &row_of), 0.01, 0)
    };
    let planted = with(&|number| number.is_multiple_of(6) && number > 20 || number == 7);
    let first = &planted[0];
    assert_eq!((first.fact.as_str(), first.value.as_str()), ("camera", "Old"));
    assert_eq!(
        (first.wrong, first.of, first.wrong_elsewhere, first.of_elsewhere),
        (16, 20, 1, 100)
    );
    assert!(first.p_corrected < 1e-9);
    assert_eq!(with(&|number| number % 7 == 3), []);
}

#[test]
fn doubtful_labels_are_those_that_were_swapped() {
    let catalog = catalog(classes(&[("bay", 200), ("dill", 200)]), &[]);
    let found = found(&catalog, &[]);
    // Sure of most, less sure of every fifth, and wrong about some of these.
    let scores = |number: u32, is_swapped: bool| {
        let looks_bay = (number < 200) != is_swapped;
        let sure = if number.is_multiple_of(5) { 0.55 } else { 0.8 + (number % 17) as f32 / 100.0 };
        let errs = number.is_multiple_of(25);
        if looks_bay != errs { vec![sure, 1.0 - sure] } else { vec![1.0 - sure, sure] }
    };
    let swapped: Vec<u32> = (0..12).map(|at| at * 33 + 1).collect();
    let planted = |is_swapped: &dyn Fn(u32) -> bool| {
        doubtful_labels(&predictions(&found, &["bay", "dill"], &|number| {
            scores(number, is_swapped(number))
        }))
        .unwrap()
    };
    let doubtful = planted(&|number| swapped.contains(&number));
    let first: BTreeSet<u32> = doubtful.labels.iter().take(10).map(|one| one.row as u32).collect();
    assert!(first.iter().all(|row| swapped.contains(row)), "{first:?}");
    let one = doubtful.labels[0];
    assert_eq!(one.proposed, u32::from(one.row < 200));
    assert!(doubtful.labels.windows(2).all(|two| two[0].margin >= two[1].margin));
    let (low, high) = doubtful.wrong.unwrap();
    assert!(low <= 12 && 12 <= high, "{low} to {high}");
    // A clean collection is not told that it has errors, whatever the model gets wrong where it is unsure.
    let clean = planted(&|_| false);
    let (low, high) = clean.wrong.unwrap();
    assert!(low == 0 && high < 20, "{low} to {high}");
    // Without the scores of all classes nothing can be said.
    let mut matched = predictions(&found, &["bay", "dill"], &|number| scores(number, false));
    matched.predictions[5].scores.clear();
    assert_eq!(doubtful_labels(&matched), None);
}

#[test]
fn earlier_predictions_are_compared_by_the_exact_test() {
    let catalog = catalog(classes(&[("bay", 20), ("dill", 20)]), &[]);
    let found = found(&catalog, &[]);
    let with = |wrong: &[u32]| {
        predictions(&found, &["bay", "dill"], &|number| {
            if (number < 20) != wrong.contains(&number) { vec![0.9, 0.1] } else { vec![0.1, 0.9] }
        })
    };
    // Eight improved, one worse: twice the chance of at most one head in nine throws.
    let before = with(&[0, 1, 2, 3, 4, 5, 6, 7, 30]);
    let compared = against(&with(&[30, 31]), &before);
    assert_eq!((compared.improved.len(), &compared.worsened[..]), (8, &[31][..]));
    assert_eq!((compared.images, compared.both_right, compared.both_wrong), (40, 30, 1));
    assert!((compared.p - 2.0 * 10.0 / 512.0).abs() < 1e-12, "{}", compared.p);
    assert_eq!(against(&before, &before).p, 1.0);
}

proptest::proptest! {
    #[test]
    fn every_row_is_used_once_or_named(cells in proptest::collection::vec((0usize..9, 0usize..6, 0usize..5), 1..40)) {
        let catalog = catalog(records(), &[]);
        let found = found(&catalog, &[]);
        let paths = ["test/bay/1.jpg", "test/bay/2.jpg", "test/dill/1.jpg", "test/dill/2.jpg", "train/bay/3.jpg",
            "train/mint/1.jpg", "../outside.jpg", "", "=1+1"];
        let predicted = ["bay", "dill", "mint", "", "BAY", "'=bay"];
        let scores = ["0", "1", "0.5", "-1", "nan"];
        let mut text = "path,predicted,score\n".to_owned();
        for (path, class, score) in &cells {
            text.push_str(&format!("{},{},{}\n", paths[*path], predicted[*class], scores[*score]));
        }
        let matched = matched(&csv(&text), &found, None).unwrap();
        let Unmatched { unknown, repeated, missing, unlabelled, unusable } = &matched.unmatched;
        let rows_of = |path: usize| cells.iter().filter(|cell| cell.0 == path).count();
        let outside: usize = (6..9).map(rows_of).sum();
        proptest::prop_assert_eq!(unknown.len(), outside);
        let several = (0..6).filter(|&path| rows_of(path) > 1).count();
        proptest::prop_assert_eq!(repeated.len(), several);
        let single: Vec<_> = cells.iter().filter(|cell| cell.0 < 6 && rows_of(cell.0) == 1).collect();
        let good = single.iter().filter(|cell| cell.1 < 3 && cell.2 < 3).count();
        proptest::prop_assert_eq!(matched.predictions.len(), good);
        proptest::prop_assert_eq!(unusable.len() + good, single.len());
        proptest::prop_assert!(unlabelled.is_empty());
        // Missing are images of the predicted splits only.
        let splits: BTreeSet<bool> = cells.iter().filter(|cell| cell.0 < 6).map(|cell| cell.0 < 4).collect();
        let expected = (0..6).filter(|&path| rows_of(path) == 0 && splits.contains(&(path < 4))).count();
        proptest::prop_assert_eq!(missing.len(), expected);
        proptest::prop_assert!(matched.predictions.windows(2).all(|two| two[0].image < two[1].image));
    }

    #[test]
    fn the_exact_test_is_the_sum_of_its_terms(better in 0u32..12, worse in 0u32..12) {
        let catalog = catalog(classes(&[("bay", 30)]), &[]);
        let found = found(&catalog, &[]);
        let with = |wrong: std::ops::Range<u32>| {
            predictions(&found, &["bay", "dill"], &|number| {
                if wrong.contains(&number) { vec![0.1, 0.9] } else { vec![0.9, 0.1] }
            })
        };
        let compared = against(&with(15..15 + worse), &with(0..better));
        let throws = better + worse;
        let choose = |count: u32| (0..count).fold(1.0, |all, at| all * f64::from(throws - at) / f64::from(at + 1));
        let tail: f64 = (0..=better.min(worse)).map(choose).sum::<f64>() / 2f64.powi(throws as i32);
        let expected = if throws == 0 { 1.0 } else { (2.0 * tail).min(1.0) };
        proptest::prop_assert!((compared.p - expected).abs() < 1e-9, "{} {expected}", compared.p);
        proptest::prop_assert_eq!(compared.improved.len() as u32, better);
        proptest::prop_assert_eq!(compared.worsened.len() as u32, worse);
    }
}

#[test]
fn the_estimate_of_wrong_labels_nearly_always_holds_what_was_planted() {
    let catalog = catalog(classes(&[("bay", 400), ("dill", 400)]), &[]);
    let found = found(&catalog, &[]);
    let (mut below, mut above, mut trials) = (0, 0, 0);
    for (seed, planted) in
        (0u64..40).flat_map(|seed| [0u32, 8, 24, 60].map(|planted| (seed, planted)))
    {
        let draw = |number: u32, what: u64| -> f32 {
            let mut hasher = blake3::Hasher::new();
            hasher
                .update(&seed.to_le_bytes())
                .update(&number.to_le_bytes())
                .update(&what.to_le_bytes());
            let bytes: [u8; 4] = hasher.finalize().as_bytes()[..4].try_into().unwrap();
            u32::from_le_bytes(bytes) as f32 / u32::MAX as f32
        };
        let swapped: BTreeSet<u32> =
            (0..planted).map(|one| (draw(one, 9) * 799.0) as u32).collect();
        let doubtful = doubtful_labels(&predictions(&found, &["bay", "dill"], &|number| {
            // A model that errs on one in three where it is unsure, and on none where it is sure.
            let sure = 0.5 + 0.5 * draw(number, 1);
            let errs = draw(number, 2) < 0.35 * (1.0 - (sure - 0.5) * 2.0).powi(2);
            let looks_bay = (number < 400) != swapped.contains(&number);
            if looks_bay != errs { vec![sure, 1.0 - sure] } else { vec![1.0 - sure, sure] }
        }));
        let (low, high) = doubtful.unwrap().wrong.unwrap();
        assert!(low <= high && high <= 800);
        below += u32::from((swapped.len() as u64) < low);
        above += u32::from((swapped.len() as u64) > high);
        trials += 1;
    }
    // An interval of 95% may miss one in twenty.
    assert!((below + above) * 20 <= trials, "{below} below and {above} above of {trials}");
}
