//! Painted pictures and copies of them.

mod support;

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;
use sieve_core::likeness::{
    Placing, Region, Room, Start, Subject, Verdict, compare, cosine, looked_among, looked_for,
};
use sieve_core::measuring::measure;
use sieve_core::reading::ReadLimits;
use support::{discs, taken};

fn subject(file: &[u8]) -> Subject {
    let (measured, thumbnail) = measure(file, &ReadLimits::default()).unwrap();
    Subject::of(thumbnail, measured.aspect() as f32, 1.0)
}

fn of(picture: &Picture) -> Subject {
    subject(&encode::png(picture))
}

/// How the two lie on each other by the views that are most alike, in either direction.
fn verdict(a: &Subject, b: &Subject) -> Option<(Verdict, Placing)> {
    let mut room = Room::default();
    let mut tried = [(a, b), (b, a)].map(|(wanted, found)| {
        let (wanted_views, found_views) = (looked_for(wanted), looked_among(found));
        let pairs = wanted_views.iter().flat_map(|w| found_views.iter().map(move |f| (w, f)));
        let (view, other) = pairs.max_by_key(|(w, f)| w.vector.product(&f.vector)).unwrap();
        let product = view.vector.product(&other.vector);
        (product, wanted, found, Start::of(view, other.map))
    });
    tried.sort_by_key(|(product, ..)| -product);
    tried.into_iter().find_map(|(product, wanted, found, start)| {
        assert!(cosine(product) <= 1.01);
        let evidence = compare(wanted, found, &start, &mut room)?;
        let contents = [wanted, found].map(|s| s.content.unwrap_or(Region::WHOLE));
        let placing = Placing::of(&evidence.map, [wanted.aspect, found.aspect], contents);
        Some((Verdict::of(&evidence, 1.0), placing))
    })
}

#[test]
fn copies_are_certain_and_other_pictures_are_not() {
    for seed in 0..6 {
        let base = discs(seed, 240, 160);
        let copies = [
            ("mirrored", taken(&base, 240, 160, |x, y| Some((239 - x, y)))),
            ("quarter turn", taken(&base, 160, 240, |x, y| Some((y, 159 - x)))),
            ("crop", taken(&base, 205, 137, |x, y| Some((x + 30, y + 4)))),
            (
                "border",
                taken(&base, 280, 200, |x, y| Some((x.checked_sub(20)?, y.checked_sub(20)?))),
            ),
            ("half size", taken(&base, 120, 80, |x, y| Some((2 * x, 2 * y)))),
        ];
        let original = of(&base);
        for (name, copy) in &copies {
            let (verdict, placing) =
                verdict(&original, &of(copy)).unwrap_or_else(|| panic!("{seed} {name}"));
            assert!(verdict.is_certain(), "{seed} {name}: {verdict:?} {placing:?}");
            assert_eq!(placing.is_mirrored, *name == "mirrored", "{seed} {name}");
            assert_eq!(placing.degrees.abs() > 45.0, *name == "quarter turn", "{seed} {name}");
            let whole = |shared: f32| shared > 0.96;
            let is_part = placing.shared.iter().zip(placing.shared_content);
            let is_part = is_part.into_iter().any(|(all, content)| !whole(*all) && !whole(content));
            assert_eq!(is_part, *name == "crop", "{seed} {name}: {placing:?}");
        }
        let saved = subject(&encode::jpeg(&base, 30.0, Jpeg::Baseline, None));
        assert!(verdict(&original, &saved).is_some_and(|(verdict, _)| verdict.is_certain()));
        let stranger = of(&discs(seed + 100, 240, 160));
        let strange = verdict(&original, &stranger);
        assert!(strange.is_none_or(|(verdict, _)| !verdict.is_alike()), "{seed}: {strange:?}");
    }
}

#[test]
fn plain_pictures_have_no_views_and_no_content() {
    let plain = of(&taken(&discs(1, 8, 8), 64, 64, |_, _| None));
    assert!(looked_for(&plain).is_empty() && looked_among(&plain).is_empty());
    assert_eq!(plain.content, None);
}

#[test]
fn a_part_that_differs_is_not_overlooked_on_a_drawing() {
    // A ring with a hand, as on a clock; in the other the hand points elsewhere.
    let clock = |degrees: f64| {
        let (sin, cos) = degrees.to_radians().sin_cos();
        let mut data = vec![255; 200 * 200 * 3];
        for at in 0..200 * 200 {
            let (x, y) = ((at % 200) as f64 - 99.5, (at / 200) as f64 - 99.5);
            let (along, off) = (x * cos + y * sin, (y * cos - x * sin).abs());
            let is_ring = (75.0..92.0).contains(&x.hypot(y));
            let is_hand = (0.0..60.0).contains(&along) && off < 6.0;
            if is_ring || is_hand {
                let colour = if is_ring { [60, 110, 150] } else { [70, 40, 30] };
                data[at * 3..at * 3 + 3].copy_from_slice(&colour);
            }
        }
        Picture { width: 200, height: 200, data }
    };
    let (three, five) = (of(&clock(0.0)), of(&clock(60.0)));
    let other = verdict(&three, &five);
    assert!(other.is_none_or(|(verdict, _)| !verdict.is_certain()), "{other:?}");
    let saved = subject(&encode::jpeg(&clock(0.0), 40.0, Jpeg::Baseline, None));
    assert!(verdict(&three, &saved).is_some_and(|(verdict, _)| verdict.is_certain()));
}
