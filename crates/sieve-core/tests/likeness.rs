//! Painted images and copies of them.

mod support;

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;
use sieve_core::augment::Affine;
use sieve_core::likeness::{
    CloseFeatures, ImagePyramid, Placing, Region, Scratch, Start, Verdict, compare, cosine,
    index_views, query_views,
};
use sieve_core::measuring::{Closeup, measure};
use sieve_core::reading::ReadLimits;
use support::{discs, taken};

fn subject(file: &[u8]) -> ImagePyramid {
    let (measured, thumbnail) = measure(file, &ReadLimits::default()).unwrap();
    ImagePyramid::new(thumbnail, measured.aspect() as f32, 1.0)
}

fn of(image: &Picture) -> ImagePyramid {
    subject(&encode::png(image))
}

/// How the two lie on each other by the views that are most alike, in either direction.
fn verdict(a: &ImagePyramid, b: &ImagePyramid) -> Option<(Verdict, Placing)> {
    let mut scratch = Scratch::default();
    let mut tried = [(a, b), (b, a)].map(|(wanted, found)| {
        let (wanted_views, found_views) = (query_views(wanted), index_views(found));
        let pairs = wanted_views.iter().flat_map(|w| found_views.iter().map(move |f| (w, f)));
        let (view, other) = pairs.max_by_key(|(w, f)| w.vector.product(&f.vector)).unwrap();
        let product = view.vector.product(&other.vector);
        (product, wanted, found, Start::from_view(view, other.map))
    });
    tried.sort_by_key(|(product, ..)| -product);
    tried.into_iter().find_map(|(product, wanted, found, start)| {
        assert!(cosine(product) <= 1.01);
        let evidence = compare(wanted, found, &start, &mut scratch)?;
        let contents = [wanted, found].map(|s| s.content.unwrap_or(Region::WHOLE));
        let placing = Placing::new(&evidence.map, [wanted.aspect, found.aspect], contents);
        Some((Verdict::from_features(&evidence), placing))
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
            assert!(verdict.is_conclusive(), "{seed} {name}: {verdict:?} {placing:?}");
            assert_eq!(placing.is_mirrored, *name == "mirrored", "{seed} {name}");
            assert_eq!(placing.degrees.abs() > 45.0, *name == "quarter turn", "{seed} {name}");
            let whole = |shared: f32| shared > 0.96;
            let is_part = placing.shared.iter().zip(placing.shared_content);
            let is_part = is_part.into_iter().any(|(all, content)| !whole(*all) && !whole(content));
            assert_eq!(is_part, *name == "crop", "{seed} {name}: {placing:?}");
        }
        let saved = subject(&encode::jpeg(&base, 30.0, Jpeg::Baseline, None));
        assert!(verdict(&original, &saved).is_some_and(|(verdict, _)| verdict.is_conclusive()));
        let stranger = of(&discs(seed + 100, 240, 160));
        let strange = verdict(&original, &stranger);
        assert!(strange.is_none_or(|(verdict, _)| verdict.log_odds < 0.5), "{seed}: {strange:?}");
    }
}

#[test]
fn plain_pictures_have_no_views_and_no_content() {
    let plain = of(&taken(&discs(1, 8, 8), 64, 64, |_, _| None));
    assert!(query_views(&plain).is_empty() && index_views(&plain).is_empty());
    assert_eq!(plain.content, None);
}

/// What a close look sees of two files, which lie on each other as they stand.
fn close_comparison(first: &[u8], second: &[u8]) -> CloseFeatures {
    let limits = ReadLimits::default();
    let [first, second] =
        [first, second].map(|file| Closeup::decode(file, &limits, Region::WHOLE).unwrap());
    CloseFeatures::new(&first, &second, &Affine::IDENTITY).unwrap()
}

/// A disc with a ring and a hand, as on a clock, in two colours, the hand at `degrees`.
fn clock(degrees: f64, colours: [[u8; 3]; 2]) -> Picture {
    let (sin, cos) = degrees.to_radians().sin_cos();
    let mut data = vec![255; 200 * 200 * 3];
    for at in 0..200 * 200 {
        let (x, y) = ((at % 200) as f64 - 99.5, (at / 200) as f64 - 99.5);
        let (along, off) = (x * cos + y * sin, (y * cos - x * sin).abs());
        let is_ring = (75.0..92.0).contains(&x.hypot(y));
        let is_hand = (0.0..60.0).contains(&along) && off < 6.0;
        if is_ring || is_hand {
            data[at * 3..at * 3 + 3].copy_from_slice(&colours[usize::from(is_hand)]);
        }
    }
    Picture { width: 200, height: 200, data }
}

#[test]
fn a_close_look_sees_what_differs_and_where() {
    let usual = [[60, 110, 150], [70, 40, 30]];
    let original = encode::png(&clock(0.0, usual));
    let saved =
        close_comparison(&original, &encode::jpeg(&clock(0.0, usual), 40.0, Jpeg::Baseline, None));
    let other = close_comparison(&original, &encode::png(&clock(60.0, usual)));
    let red =
        close_comparison(&original, &encode::png(&clock(0.0, [[60, 110, 150], [200, 40, 30]])));
    // Of the copy nothing is strange; a hand elsewhere spoils a few blocks wholly, and the others not at all.
    assert!(
        saved.strange.share < 0.01 && saved.shown.disagreeing == 0.0 && saved.shown.agreeing > 0.95,
        "{saved:?}"
    );
    assert!(
        other.strange.share > 0.02 && other.strange.most > 0.5 && other.shown.agreeing > 0.5,
        "{other:?}"
    );
    assert!(
        other.shown.disagreeing > saved.shown.disagreeing && other.shown.least < 0.3,
        "{other:?}"
    );
    assert!(!saved.is_marked() && other.is_marked());
    // A hand of another colour has the same lines.
    assert!(red.colours.worst > 20.0 && red.colours.worst > 2.0 * saved.colours.worst, "{red:?}");
    assert!(red.shown.disagreeing < 0.05, "{red:?}");
    assert!(!saved.is_recoloured() && !other.is_recoloured());
    // Brighter, until much of it is burnt out, is the same image in another light.
    let mut bright = clock(0.0, usual);
    bright.data.iter_mut().for_each(|level| *level = level.saturating_add(*level));
    let bright = close_comparison(&original, &encode::png(&bright));
    assert!(
        bright.colours.left < 0.2 * bright.colours.apart && bright.tone.gain() > 0.5,
        "{bright:?}"
    );
    assert!(bright.shown.disagreeing == 0.0 && bright.shown.agreeing == 1.0, "{bright:?}");
}
