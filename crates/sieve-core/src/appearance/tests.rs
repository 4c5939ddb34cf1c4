//! Outliers, shortcuts and coverage on thumbnails that were made up: what is planted is found, and nothing beside it.

use std::collections::BTreeSet;

use proptest::prelude::*;

use super::{Reason, Source, Subject};
use crate::catalog::Catalog;
use crate::coverage::coverage;
use crate::duplicates::{DuplicateReport, Kind};
use crate::limits::FindingLimits;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::outliers::{Standout, outliers};
use crate::progress::NoProgress;
use crate::shortcuts::shortcuts;
use crate::tests::{catalog, classes, found};
use crate::vectors::{ImageVectors, Metric, Vectors};

/// Numbers that look drawn, from 0 to 1.
fn chance(seed: u32, at: u32) -> f32 {
    let mixed = (seed.wrapping_mul(0x85eb_ca77) ^ at).wrapping_mul(0x9e37_79b1);
    ((mixed ^ (mixed >> 15)).wrapping_mul(0xc2b2_ae3d) >> 8) as f32 / (1 << 24) as f32
}

/// A thing of a class - stripes of one direction - somewhere in the middle, on a ground.
#[derive(Clone, Copy)]
struct Scene {
    direction: f32,
    ground: u8,
    blue: u8,
}

fn thumbnail(seed: u32, scene: Scene) -> Thumbnail {
    let (dx, dy) = (chance(seed, 1) * 10.0 - 5.0, chance(seed, 2) * 10.0 - 5.0);
    let (light, width) = (chance(seed, 3) * 30.0, 15.0 + chance(seed, 4) * 4.0);
    let luma = (0..LUMA_PX * LUMA_PX).map(|at| {
        let (x, y) = ((at % LUMA_PX) as f32 - 24.0 - dx, (at / LUMA_PX) as f32 - 24.0 - dy);
        let noise = chance(seed, 100 + at as u32) * 12.0;
        let value = if x * x + y * y < width * width {
            let along = x * scene.direction.cos() + y * scene.direction.sin();
            130.0 + 80.0 * (along * 0.8).sin()
        } else {
            f32::from(scene.ground)
        };
        (value + noise + light).clamp(0.0, 255.0) as u8
    });
    let mut bytes: Vec<u8> = luma.collect();
    bytes.extend([scene.blue; CHROMA_PX * CHROMA_PX]);
    bytes.extend([128; CHROMA_PX * CHROMA_PX]);
    Thumbnail(bytes)
}

const DIRECTIONS: [(&str, f32); 3] = [("bay", 0.0), ("dill", 0.8), ("sage", 1.6)];

/// Thumbnails of a catalog, each by its path and number.
fn shown(catalog: &Catalog, scene: impl Fn(&str, u32) -> Scene) -> Vec<Option<Thumbnail>> {
    let records = catalog.records.iter().zip(0u32..);
    records.map(|(record, at)| Some(thumbnail(at, scene(record.path.as_str(), at)))).collect()
}

fn of_class(path: &str) -> f32 {
    let class = path.rsplit('/').nth(1).unwrap();
    DIRECTIONS.iter().find(|(name, _)| *name == class).map_or(0.0, |(_, direction)| *direction)
}

/// Grounds that say nothing of the class.
fn any_ground(at: u32) -> u8 {
    [40, 90, 140, 190][(chance(at, 7) * 4.0) as usize % 4]
}

fn plain(path: &str, at: u32) -> Scene {
    Scene { direction: of_class(path), ground: any_ground(at), blue: 128 }
}

fn path<'a>(found: &'a DuplicateReport<'_>, subject: &Subject, row: usize) -> &'a str {
    found.images[subject.images[row] as usize].record.path.as_str()
}

#[test]
fn subjects_count_copies_once_and_name_what_is_left_out() {
    let mut records = classes(&[("bay", 12), ("dill", 9), ("mint", 30), ("sage", 3)]);
    records.push(crate::tests::image("loose.jpg", 999));
    let catalog = catalog(records, &[]);
    let copies: Vec<String> = (0..22).map(|at| format!("mint/{at:04}.jpg")).collect();
    let copies: Vec<&str> = copies.iter().map(String::as_str).collect();
    let groups: [(Kind, &[&str]); 2] =
        [(Kind::Near, &copies), (Kind::Burst, &["bay/0001.jpg", "bay/0002.jpg"])];
    let found = found(&catalog, &groups);
    let subject = Subject::new(&found, 8);
    let named: Vec<&str> = subject.classes.iter().map(|class| class.class.as_str()).collect();
    assert_eq!(named, ["bay", "dill"]);
    assert_eq!((subject.images.len(), subject.dependent, subject.unlabelled), (20, 1, 1));
    let out: Vec<_> = subject
        .excluded
        .iter()
        .map(|one| (one.class.as_str(), one.independent, one.reason))
        .collect();
    assert_eq!(out, [("mint", 9, Reason::MostlyDuplicates), ("sage", 3, Reason::TooFew)]);
    assert_eq!(subject.class_of().iter().filter(|class| **class == 1).count(), 9);
    let keeps: Vec<bool> = (0..20).map(|row| row < 11 || row == 15).collect();
    let kept = subject.retained(&keeps);
    assert_eq!((kept.images.len(), kept.incomparable, kept.starts()), (12, 8, vec![0, 11]));
}

#[test]
fn a_swap_and_a_stray_are_the_most_unusual_images() {
    let catalog = catalog(classes(&[("bay", 30), ("dill", 30), ("sage", 30)]), &[]);
    let found = found(&catalog, &[]);
    let thumbnails = shown(&catalog, |path, at| match path {
        "bay/0004.jpg" => Scene { direction: 1.6, ..plain(path, at) },
        "sage/0011.jpg" => Scene { direction: 0.3, ground: 240, blue: 220 },
        _ => plain(path, at),
    });
    let ranked = outliers(&found, &Source::Thumbnails(&thumbnails), &NoProgress).unwrap();
    assert_eq!(ranked.ranking.len(), 90);
    assert!(ranked.ranking.is_sorted_by(|a, b| a.score >= b.score));
    assert!(ranked.ranking.iter().all(|one| (0.0..=1.0).contains(&one.score)));
    let first: Vec<&str> =
        ranked.ranking[..6].iter().map(|one| path(&found, &ranked.subject, one.row)).collect();
    assert!(first.contains(&"bay/0004.jpg") && first.contains(&"sage/0011.jpg"), "{first:?}");
    let of = |name: &str| {
        let one = ranked.ranking.iter().find(|one| path(&found, &ranked.subject, one.row) == name);
        *one.unwrap()
    };
    let swap = of("bay/0004.jpg");
    assert_eq!(
        swap.resembles.map(|class| ranked.subject.classes[class as usize].class.as_str()),
        Some("sage")
    );
    assert_ne!(swap.reason, Standout::FarFromClass);
    // What is typical is neither.
    assert!(ranked.typical.iter().all(|rows| rows.len() == 3));
    let typical =
        |class: usize| ranked.typical[class].iter().map(|&row| path(&found, &ranked.subject, row));
    assert!(
        typical(0).all(|path| path != "bay/0004.jpg")
            && typical(2).all(|path| path != "sage/0011.jpg")
    );
    // With one class there is nothing to be like; without images there is nothing to rank.
    let one = crate::tests::catalog(classes(&[("bay", 12)]), &[]);
    let alone = crate::tests::found(&one, &[]);
    let thumbnails = shown(&one, plain);
    let ranked = outliers(&alone, &Source::Thumbnails(&thumbnails), &NoProgress).unwrap();
    assert!(
        ranked
            .ranking
            .iter()
            .all(|one| one.resembles.is_none() && one.reason == Standout::FarFromClass)
    );
    let none = outliers(&alone, &Source::Thumbnails(&vec![None; 12]), &NoProgress).unwrap();
    assert!(none.ranking.is_empty());
}

#[test]
fn a_background_is_a_shortcut_from_nearly_all_of_a_class_on() {
    let catalog = catalog(classes(&[("bay", 60), ("dill", 60), ("mint", 10), ("sage", 60)]), &[]);
    let found = found(&catalog, &[]);
    let limits = FindingLimits::default();
    let on_blue = |share: u32| {
        let thumbnails = shown(&catalog, |path, at| {
            let is_blue = path.starts_with("sage") && at % 20 < share / 5;
            if is_blue { Scene { blue: 200, ..plain(path, at) } } else { plain(path, at) }
        });
        shortcuts(&found, &thumbnails, None, &[], &NoProgress).unwrap()
    };
    let all = on_blue(95);
    let names: Vec<&str> = all.classes.iter().map(|class| class.class.as_str()).collect();
    assert_eq!(names, ["bay", "dill", "sage"]);
    assert_eq!((all.excluded.len(), all.excluded[0].class.as_str()), (1, "mint"));
    let background: Vec<bool> = all.classes.iter().map(|one| one.is_background(&limits)).collect();
    assert_eq!(background, [false, false, true]);
    let sage = &all.classes[2];
    assert!(sage.border.images >= 54 && sage.border.interval.low < sage.border.share, "{sage:?}");
    assert_eq!(sage.images.len(), 60);
    // Of 60% it is not claimed, nor of a border that says nothing.
    assert!(!on_blue(60).classes.iter().any(|class| class.is_border(&limits)));
    assert!(!on_blue(0).classes.iter().any(|class| class.is_border(&limits)));
}

#[test]
fn gaps_unseen_images_and_look_alikes_are_those_that_were_made() {
    let mut records = Vec::new();
    for (split, count) in [("train", 60u64), ("test", 20)] {
        for (at, (class, _)) in DIRECTIONS.iter().enumerate() {
            records.extend((0..count).map(|number| {
                let content = number + 1000 * at as u64 + if split == "test" { 100 } else { 0 };
                crate::tests::image(&format!("{split}/{class}/{number:04}.jpg"), content)
            }));
        }
    }
    let catalog = catalog(records, &[]);
    let found = found(&catalog, &[]);
    let thumbnails = shown(&catalog, |path, at| {
        // Bay and dill are one thing; every second image but those of sage is bright; test images of sage lie on black.
        let direction = if path.contains("sage") { 1.6 } else { 0.0 };
        let is_bright = at % 2 == 0 && !path.contains("sage");
        let ground = if is_bright { 200 } else { 60 };
        match path.starts_with("test/sage") {
            true => Scene { direction, ground: 0, blue: 30 },
            false => Scene { direction, ground, blue: 128 },
        }
    });
    let source = Source::Thumbnails(&thumbnails);
    let limits = FindingLimits::default();
    let of =
        |seed: u64| coverage(&found, &source, Some("train"), &limits, seed, &NoProgress).unwrap();
    let covered = of(1);
    let sizes: Vec<usize> = covered.classes.iter().map(|class| class.kinds.len()).collect();
    assert!(sizes.iter().all(|kinds| (2..=6).contains(kinds)), "{sizes:?}");
    for (class, kinds) in covered.subject.classes.iter().zip(&covered.classes) {
        let rows: BTreeSet<usize> = kinds.kinds.iter().flat_map(|kind| kind.rows.clone()).collect();
        assert_eq!(rows, class.rows.clone().collect(), "each image is of one kind");
        assert!(kinds.kinds.iter().all(|kind| kind.rows.contains(&kind.medoid)));
    }
    assert!(!covered.missing.is_empty());
    assert!(
        covered.missing.iter().all(|one| one.class == 2 && one.having == 2),
        "{:?}",
        covered.missing
    );
    let [unseen] = &covered.unseen[..] else { panic!("{:?}", covered.unseen) };
    assert_eq!((unseen.class, unseen.split.as_str(), unseen.of), (2, "test", 20));
    assert!(unseen.images.len() >= 18 && unseen.images[0].ratio > 1.0);
    // Of three classes each pair is judged by itself.
    let pairs: Vec<[usize; 2]> =
        covered.look_alikes.pairs.iter().map(|pair| pair.classes).collect();
    assert_eq!(pairs, [[0, 1]]);
    let again = of(1);
    assert_eq!(again.classes, covered.classes);
    assert!(coverage(&found, &source, None, &limits, 1, &NoProgress).unwrap().unseen.is_empty());
}

#[test]
fn vectors_take_the_place_of_thumbnails_and_are_matched_by_path() {
    let catalog = catalog(classes(&[("bay", 12), ("sage", 12)]), &[]);
    let found = found(&catalog, &[]);
    let paths: Vec<_> = found.images.iter().map(|image| &image.record.path).collect();
    let of = |path: &str, at: u32| -> Vec<f32> {
        let is_sage = path.starts_with("sage") != (path == "sage/0003.jpg");
        let near = [if is_sage { 0.0 } else { 9.0 }, if is_sage { 9.0 } else { 0.0 }, 1.0];
        (0..3).map(|axis| near[axis as usize] + chance(at, axis)).collect()
    };
    let mut vectors = Vectors::default();
    for (path, at) in paths.iter().zip(0..) {
        vectors.paths.push(path.as_str().to_owned());
        vectors.rows.push(Ok(of(path.as_str(), at)));
    }
    let (whole, mismatches) = ImageVectors::new(vectors.clone(), &paths, Metric::Cosine);
    assert!(mismatches.is_empty() && whole.table.len() == 24);
    let length = |row: &[f32]| row.iter().map(|value| value * value).sum::<f32>();
    assert!(whole.table.rows().all(|row| (length(row) - 1.0).abs() < 1e-5));
    let ranked = outliers(&found, &Source::Vectors(&whole), &NoProgress).unwrap();
    let first = ranked.ranking[0];
    assert_eq!(path(&found, &ranked.subject, first.row), "sage/0003.jpg");
    assert_eq!(first.resembles, Some(0));
    let ends = ImageVectors::new(vectors.clone(), &paths, Metric::Euclidean).0;
    assert!(ends.table.rows().any(|row| length(row) > 50.0));
    // What does not fit is named.
    vectors.paths[0] = "bay/none.jpg".to_owned();
    vectors.paths[2] = vectors.paths[3].clone();
    vectors.rows[5] = Err(crate::vectors::Unusable::Zero);
    let (partial, mismatches) = ImageVectors::new(vectors, &paths, Metric::Cosine);
    assert_eq!(mismatches.unknown, ["bay/none.jpg"]);
    assert_eq!(mismatches.repeated, ["bay/0003.jpg"]);
    let missing: Vec<&str> = mismatches.missing.iter().map(|path| path.as_str()).collect();
    assert_eq!(missing, ["bay/0000.jpg", "bay/0002.jpg", "bay/0003.jpg", "bay/0005.jpg"]);
    assert_eq!(mismatches.unusable.len(), 1);
    assert_eq!(partial.table.len(), 20);
    let kept = outliers(&found, &Source::Vectors(&partial), &NoProgress).unwrap();
    assert_eq!((kept.ranking.len(), kept.subject.incomparable), (20, 4));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn no_pattern_of_thumbnails_breaks_an_analysis(
        seeds in prop::collection::vec(0u32..6, 30), level in any::<u8>(), lacks in 0usize..30,
    ) {
        let catalog = catalog(classes(&[("bay", 10), ("dill", 10), ("sage", 10)]), &[]);
        let found = found(&catalog, &[]);
        // Many are equal to each other, or of one colour.
        let mut thumbnails: Vec<Option<Thumbnail>> = seeds
            .iter()
            .map(|&seed| match seed {
                0 => Some(Thumbnail(vec![level; Thumbnail::BYTES])),
                _ => Some(thumbnail(seed, plain("bay/x.jpg", seed))),
            })
            .collect();
        thumbnails[lacks] = None;
        let source = Source::Thumbnails(&thumbnails);
        let ranked = outliers(&found, &source, &NoProgress).unwrap();
        prop_assert_eq!(ranked.ranking.len(), 29);
        prop_assert!(ranked.ranking.iter().all(|one| one.score.is_finite()));
        let limits = FindingLimits::default();
        let covered = coverage(&found, &source, None, &limits, 3, &NoProgress).unwrap();
        prop_assert_eq!(covered.subject.images.len(), 29);
        let known = shortcuts(&found, &thumbnails, None, &[], &NoProgress).unwrap();
        prop_assert!(known.classes.is_empty() && known.excluded.len() == 3);
    }
}
