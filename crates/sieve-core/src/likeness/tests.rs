//! Painted pictures and copies of them.

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;

use super::{
    Placing, Region, Room, Start, Subject, Verdict, compare, cosine, looked_among, looked_for,
};
use crate::measuring::measure;
use crate::reading::ReadLimits;

/// A picture that hardly any other one looks like: forty discs of any colour on a slope of grey.
fn discs(seed: u32, width: usize, height: usize) -> Picture {
    let mut state = seed.wrapping_mul(2_654_435_761).wrapping_add(12_345);
    let mut draw = move |below: usize| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as usize % below
    };
    let mut data: Vec<u8> = (0..width * height)
        .flat_map(|at| [(60 + at % width / 4 + at / width / 4) as u8; 3])
        .collect();
    for _ in 0..40 {
        let (x, y, radius) = (draw(width), draw(height), 6 + draw(width / 7));
        let colour = [draw(256) as u8, draw(256) as u8, draw(256) as u8];
        for at in 0..width * height {
            let (dx, dy) = ((at % width).abs_diff(x), (at / width).abs_diff(y));
            if dx * dx + dy * dy < radius * radius {
                data[at * 3..at * 3 + 3].copy_from_slice(&colour);
            }
        }
    }
    Picture { width, height, data }
}

/// The picture whose pixels stand at `place` in `from`; none is grey.
fn taken(
    from: &Picture,
    width: usize,
    height: usize,
    place: impl Fn(usize, usize) -> Option<(usize, usize)>,
) -> Picture {
    let pixel = |at: usize| match place(at % width, at / width) {
        Some((x, y)) => {
            let at = (y * from.width + x) * 3;
            [from.data[at], from.data[at + 1], from.data[at + 2]]
        }
        None => [200; 3],
    };
    Picture { width, height, data: (0..width * height).flat_map(pixel).collect() }
}

fn subject(file: &[u8]) -> Subject {
    let (measured, thumbnail) = measure(file, &ReadLimits::default()).unwrap();
    Subject::of(&thumbnail, measured.aspect() as f32)
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
        Some((Verdict::of(&evidence), placing))
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
                taken(&base, 280, 200, |x, y| {
                    Some((x.checked_sub(20)?, y.checked_sub(20)?))
                        .filter(|&(x, y)| x < 240 && y < 160)
                }),
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
