//! What is found twice in folders of painted images, and what is not.

mod support;

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::atomic::AtomicU64;

use herb_shed::encode::{self, Exif, Jpeg};
use herb_shed::paint::Picture;
use sieve_core::Error;
use sieve_core::catalog::{self, Catalog, Options};
use sieve_core::collection;
use sieve_core::duplicates::{
    CollectionRef, DuplicateReport, Kind, Member, Prefer, Reach, Request, Within, find, nearest,
};
use sieve_core::measuring::measure;
use sieve_core::progress::{NoProgress, Progress};
use sieve_core::reading::ReadLimits;
use support::{StopsAfter, discs, folder, taken};
use tempfile::TempDir;

type Files = Vec<(String, Vec<u8>)>;

fn shed(files: &Files) -> TempDir {
    let files: Vec<(&str, &[u8])> =
        files.iter().map(|(path, content)| (path.as_str(), content.as_slice())).collect();
    folder(&files)
}

fn measured(root: &Path) -> Catalog {
    let opened =
        collection::open(&collection::Request::at(root), &collection::NoCache, &NoProgress)
            .unwrap();
    catalog::measure(opened, &Options::default(), None, &NoProgress).unwrap()
}

fn reach(reach: Reach) -> Request {
    Request { reach: Some(reach), ..Request::default() }
}

/// The names of files and what joins them, `a kind b`, and that groups and pairs hold together.
fn joined(found: &DuplicateReport<'_>) -> BTreeSet<String> {
    let name = |index: u32| found.images[index as usize].record.path.file_name();
    assert!(found.pairs.is_sorted_by_key(|pair| (pair.a, pair.b)));
    let mut seen = BTreeSet::new();
    let goes = |member: &&Member| !member.keep;
    let gone: BTreeSet<u32> = found
        .groups
        .iter()
        .flat_map(|group| group.members.iter().filter(goes).map(|member| member.image))
        .collect();
    let all = 0..found.images.len() as u32;
    for group in &found.groups {
        let members: Vec<u32> = group.members.iter().map(|member| member.image).collect();
        assert!(members.len() > 1 && group.members[0].keep);
        // What goes was compared with one that stays, of this group or another: an image has one verdict in all.
        for goes in group.members.iter().filter(goes) {
            let kept = all.clone().filter(|image| !gone.contains(image));
            let mut links = kept.filter_map(|kept| found.link(kept, goes.image));
            assert!(links.any(|link| link.kind.is_duplicate()), "{group:?}");
        }
        assert!(group.kind.is_duplicate() || group.members.iter().all(|member| member.keep));
        // One stands for all and goes with each.
        assert_eq!(group.members.iter().filter(|member| member.kind.is_none()).count(), 1);
        for member in &group.members {
            assert!(member.score.is_none_or(|score| (group.score..=1.0).contains(&score)));
            // Copies are in one group alone, but for pairs that hang on the end of a chain.
            assert!(!group.kind.is_duplicate() || members.len() == 2 || seen.insert(member.image));
        }
    }
    let tell = |pair: &sieve_core::duplicates::Pair| {
        assert!(pair.a < pair.b && (0.0..=1.0).contains(&pair.score));
        format!("{} {} {}", name(pair.a), pair.kind.name(), name(pair.b))
    };
    found.pairs.iter().map(tell).collect()
}

fn found_in(files: &Files, request: &Request) -> BTreeSet<String> {
    let shed = shed(files);
    let (catalog, limits) = (measured(shed.path()), ReadLimits::default());
    let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
    joined(&find(&collections, request, &NoProgress).unwrap())
}

fn jpeg(image: &Picture, quality: f32) -> Vec<u8> {
    encode::jpeg(image, quality, Jpeg::Baseline, None)
}

/// An image and a copy of it of every kind, and four strangers.
fn copies() -> Files {
    let base = discs(1, 240, 160);
    let bordered = taken(&base, 280, 200, |x, y| Some((x.checked_sub(20)?, y.checked_sub(20)?)));
    let mut files = vec![
        ("sage/0base.png".to_owned(), encode::png(&base)),
        ("sage/bytes.png".to_owned(), encode::png(&base)),
        ("bay/pixels.webp".to_owned(), encode::webp(&base)),
        ("sage/saved.jpg".to_owned(), jpeg(&base, 40.0)),
        (
            "sage/half.png".to_owned(),
            encode::png(&taken(&base, 120, 80, |x, y| Some((2 * x, 2 * y)))),
        ),
        (
            "sage/flipped.png".to_owned(),
            encode::png(&taken(&base, 240, 160, |x, y| Some((239 - x, y)))),
        ),
        (
            "sage/turned.png".to_owned(),
            encode::png(&taken(&base, 160, 240, |x, y| Some((y, 159 - x)))),
        ),
        ("sage/bordered.png".to_owned(), encode::png(&bordered)),
        (
            "sage/cropped.png".to_owned(),
            encode::png(&taken(&base, 205, 137, |x, y| Some((x + 30, y + 4)))),
        ),
    ];
    files
        .extend((50..54).map(|seed| {
            (format!("bay/stranger-{seed}x.png"), encode::png(&discs(seed, 240, 160)))
        }));
    files
}

#[test]
fn copies_of_every_kind_are_found_as_far_as_was_looked() {
    let files = copies();
    let with_base = |all: &BTreeSet<String>| -> Vec<String> {
        let of_base = all.iter().filter(|reported| reported.starts_with("0base.png "));
        of_base.map(|reported| reported.trim_start_matches("0base.png ").to_owned()).collect()
    };
    let same = found_in(&files, &reach(Reach::Exact));
    let reported =
        |pairs: &[&str]| pairs.iter().map(|&reported| reported.to_owned()).collect::<Vec<_>>();
    let all_same = ["0base.png same-bytes bytes.png", "pixels.webp same-pixels 0base.png"];
    assert!(all_same.iter().all(|&pair| same.contains(pair)) && same.len() == 3, "{same:?}");
    let near = with_base(&found_in(&files, &reach(Reach::Near)));
    let all_near = [
        "near half.png",
        "near saved.jpg",
        "rotated flipped.png",
        "rotated turned.png",
        "same-bytes bytes.png",
    ];
    assert!(all_near.iter().all(|&pair| near.contains(&pair.to_owned())), "{near:?}");
    let wide = found_in(&files, &reach(Reach::Wide));
    let all_wide = reported(&[
        "bordered bordered.png",
        "cropped cropped.png",
        "near half.png",
        "near saved.jpg",
        "rotated flipped.png",
        "rotated turned.png",
        "same-bytes bytes.png",
    ]);
    assert_eq!(with_base(&wide), all_wide);
    assert!(!wide.iter().any(|reported| reported.contains("stranger")), "{wide:?}");
    let kinds = Request { kinds: vec![Kind::Cropped], ..reach(Reach::Wide) };
    assert!(found_in(&files, &kinds).iter().all(|reported| reported.contains(" cropped ")));
}

#[test]
fn any_number_of_threads_gives_the_same_answer_and_a_stop_gives_none() {
    let shed = shed(&copies());
    let (catalog, limits) = (measured(shed.path()), ReadLimits::default());
    let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
            let found = find(&collections, &Request::default(), &NoProgress).unwrap();
            (found.pairs, found.groups, found.reach)
        })
    };
    assert_eq!(on(1), on(3));
    assert_eq!(on(1).2, Reach::Wide);
    let counter = StopsAfter(u64::MAX, AtomicU64::new(0));
    find(&collections, &Request::default(), &counter as &dyn Progress).unwrap();
    let steps = counter.1.into_inner();
    assert!(steps > 30, "{steps}");
    for stop in [0, 1, steps / 4, steps / 2, steps - 1] {
        let progress = StopsAfter(stop, AtomicU64::new(0));
        let stopped = find(&collections, &Request::default(), &progress);
        // The last step may have been the last of all.
        assert!(matches!(stopped, Err(Error::Interrupted)) || stop == steps - 1, "{stop}");
    }
}

#[test]
fn the_largest_is_kept_and_the_worst_groups_come_first() {
    let [a, b, c, d] = [2, 3, 4, 5].map(|seed| discs(seed, 240, 160));
    let small = taken(&a, 120, 80, |x, y| Some((2 * x, 2 * y)));
    let framed = taken(&a, 300, 220, |x, y| Some((x.checked_sub(30)?, y.checked_sub(30)?)));
    let shed = shed(&vec![
        ("train/sage/a-small.png".to_owned(), encode::png(&small)),
        ("train/sage/a.jpg".to_owned(), jpeg(&a, 95.0)),
        // More pixels, but no more of the image, and fewer bytes.
        ("train/sage/a-framed.jpg".to_owned(), jpeg(&framed, 60.0)),
        ("train/sage/b.png".to_owned(), encode::png(&b)),
        ("test/sage/b.jpg".to_owned(), jpeg(&b, 80.0)),
        ("train/sage/c.png".to_owned(), encode::png(&c)),
        ("train/bay/c.png".to_owned(), encode::png(&c)),
        ("train/sage/d copy.png".to_owned(), encode::png(&d)),
        ("train/sage/d.png".to_owned(), encode::png(&d)),
    ]);
    let (catalog, limits) = (measured(shed.path()), ReadLimits::default());
    let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
    let found = find(&collections, &Request::default(), &NoProgress).unwrap();
    let path = |index: u32| found.images[index as usize].record.path.to_string();
    let tell = |group: &sieve_core::duplicates::Group| {
        let kept = path(group.members[0].image);
        (kept, group.keep_reason, group.label_conflict, group.across_splits, group.members.len())
    };
    let groups: Vec<_> = found.groups.iter().map(tell).collect();
    let kept =
        |path: &str, why, conflict, across, count| (path.to_owned(), why, conflict, across, count);
    assert_eq!(
        groups,
        [
            kept("train/bay/c.png", None, true, false, 2),
            kept("train/sage/b.png", Some(Prefer::Original), false, true, 2),
            kept("train/sage/a.jpg", Some(Prefer::Pixels), false, false, 3),
            kept("train/sage/d.png", Some(Prefer::Name), false, false, 2),
        ]
    );
    // Within classes the two labels of c are not seen, within splits the two splits of b are not.
    let within = |within| {
        let request = Request { within, ..Request::default() };
        let found = find(&collections, &request, &NoProgress).unwrap();
        (
            found.groups.iter().any(|group| group.label_conflict),
            found.groups.iter().any(|group| group.across_splits),
        )
    };
    assert_eq!(within(Within::Class), (false, true));
    assert_eq!(within(Within::Split), (true, false));
}

#[test]
fn the_least_altered_copy_is_kept() {
    let a = discs(2, 240, 160);
    let small = taken(&a, 120, 80, |x, y| Some((2 * x, 2 * y)));
    let stretched = taken(&a, 264, 160, |x, y| Some((x * 10 / 11, y)));
    let framed = taken(&a, 300, 220, |x, y| Some((x.checked_sub(30)?, y.checked_sub(30)?)));
    let lit = |by: f32| {
        let data = a.data.iter().map(|&level| (f32::from(level) * by).min(255.0) as u8).collect();
        Picture { data, ..a.clone() }
    };
    // Each was changed in its own way, and several have more pixels or more bytes.
    let shed = shed(&vec![
        ("sage/m-original.jpg".to_owned(), jpeg(&a, 90.0)),
        ("sage/a.jpg".to_owned(), jpeg(&a, 70.0)),
        ("sage/b.jpg".to_owned(), jpeg(&a, 60.0)),
        ("sage/c.jpg".to_owned(), jpeg(&small, 95.0)),
        ("sage/d.jpg".to_owned(), jpeg(&stretched, 98.0)),
        ("sage/e.jpg".to_owned(), jpeg(&framed, 98.0)),
        ("sage/f.jpg".to_owned(), jpeg(&lit(0.8), 98.0)),
        ("sage/g.jpg".to_owned(), jpeg(&lit(1.1), 98.0)),
        ("sage/h.png".to_owned(), encode::png(&lit(0.9))),
    ]);
    let (catalog, limits) = (measured(shed.path()), ReadLimits::default());
    let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
    let found = find(&collections, &Request::default(), &NoProgress).unwrap();
    let group = &found.groups[0];
    assert!(group.members.len() >= 8, "{group:?}");
    let path = |image: u32| found.images[image as usize].record.path.as_str();
    assert_eq!(path(group.members[0].image), "sage/m-original.jpg", "{group:?}");
    let departs = |name: &str| {
        group.members.iter().find(|one| path(one.image) == name).map(|one| one.departures)
    };
    assert_eq!(departs("sage/m-original.jpg"), Some(0));
    for changed in ["sage/d.jpg", "sage/e.jpg", "sage/f.jpg", "sage/g.jpg"] {
        assert!(departs(changed).is_none_or(|departures| departures > 0), "{changed} {group:?}");
    }
}

#[test]
fn one_collection_is_looked_for_in_another_and_a_picture_in_one() {
    let lit = ground(77);
    let mut here = copies();
    here.push(("sage/lit.png".to_owned(), encode::png(&lit)));
    let (a, b) = (
        shed(&here),
        shed(&vec![
            ("new/one.jpg".to_owned(), jpeg(&discs(1, 240, 160), 70.0)),
            ("new/two.jpg".to_owned(), jpeg(&discs(1, 240, 160), 60.0)),
            ("new/other.jpg".to_owned(), jpeg(&discs(90, 240, 160), 60.0)),
        ]),
    );
    let (first, second) = (measured(a.path()), measured(b.path()));
    let limits = ReadLimits::default();
    let side = |catalog| CollectionRef { catalog, store: None, limits: &limits };
    let collections = [side(&first), side(&second)];
    let request = Request { within: Within::Across, ..Request::default() };
    let found = find(&collections, &request, &NoProgress).unwrap();
    assert!(!found.pairs.is_empty());
    for pair in &found.pairs {
        let side = |index: u32| found.images[index as usize].collection;
        assert_eq!((side(pair.a), side(pair.b)), (0, 1), "the two of the new batch are not paired");
    }
    let reported = joined(&found);
    assert!(
        reported.contains("0base.png near one.jpg") && reported.contains("0base.png near two.jpg")
    );
    assert!(
        !reported
            .iter()
            .any(|reported| reported.contains("other") || reported.contains("stranger"))
    );
    let first = side(&first);
    let asked = |bytes: &[u8], closeup: &[u8]| {
        let image = measure(bytes, &limits).unwrap();
        nearest(&first, &image, closeup, None, 3, &NoProgress).unwrap()
    };
    let other = jpeg(&discs(51, 120, 80), 80.0);
    let alike = asked(&other, &other);
    assert_eq!(alike.len(), 3);
    assert!(alike.is_sorted_by(|a, b| a.score >= b.score));
    // A mark over a corner is seen in close-ups only.
    let mut marked = lit;
    for place in (0..240usize * 160).filter(|place| place % 240 > 178 && place / 240 < 40) {
        let level = if place / 240 < 19 { [250, 250, 40] } else { [20, 20, 160] };
        marked.data[place * 3..place * 3 + 3].copy_from_slice(&level);
    }
    let marked = jpeg(&marked, 90.0);
    let scores = [&marked, &other].map(|closeup| {
        let alike = asked(&marked, closeup);
        (alike[0].image.record.path.to_string(), alike[0].kind, alike[0].score)
    });
    let path = "sage/lit.png";
    assert!(scores[0].0 == path && scores[0].1.is_some() && scores[0].2 > 0.9, "{scores:?}");
    assert!(scores[1].0 == path && scores[1].1.is_none() && scores[1].2 < 0.1, "{scores:?}");
}

/// Soft patches of light with fine ripples, all over 240 x 160 pixels: no plain ground.
fn ground(number: u32) -> Picture {
    let light = |x: usize, y: usize| {
        let hash = blake3::hash(&[number as u8, x as u8, y as u8]);
        f64::from(hash.as_bytes()[0]) * 0.85
    };
    let mut data = Vec::new();
    for place in 0..240usize * 160 {
        let (x, y) = (place % 240, place / 240);
        let (right, down) = ((x % 24) as f64 / 24.0, (y % 24) as f64 / 24.0);
        let row = |y: usize| light(x / 24, y) * (1.0 - right) + light(x / 24 + 1, y) * right;
        let soft = row(y / 24) * (1.0 - down) + row(y / 24 + 1) * down;
        let ripple = 16.0 * (x as f64 * 0.9).sin() * (y as f64 * 0.8 + number as f64).cos();
        let level = (18.0 + soft + ripple) as u8;
        data.extend([level, level / 2 + (x / 2) as u8, 255 - level / 2]);
    }
    Picture { width: 240, height: 160, data }
}

/// Frames of a hand that moves a disc over an image, as files with these names and times.
fn frames(names: &[(&str, Option<&str>, usize)]) -> Files {
    let ground = discs(7, 240, 160);
    let frame = |&(name, taken, at): &(&str, Option<&str>, usize)| {
        let mut image = Picture { width: 240, height: 160, data: ground.data.clone() };
        for place in 0..240usize * 160 {
            let (dx, dy) = ((place % 240).abs_diff(60 + 12 * at), (place / 240).abs_diff(80));
            if dx * dx + dy * dy < 18 * 18 {
                image.data[place * 3..place * 3 + 3].copy_from_slice(&[20, 90, 30]);
            }
        }
        let exif =
            taken.map(|taken| Exif { taken: taken.to_owned(), camera: "Box", orientation: 1 });
        (name.to_owned(), encode::jpeg(&image, 90.0, Jpeg::Baseline, exif.as_ref()))
    };
    names.iter().map(frame).collect()
}

#[test]
fn frames_of_one_moment_are_a_burst_and_not_copies() {
    let seconds = ["2026:09:01 10:00:00", "2026:09:01 10:00:02", "2026:09:01 10:00:09"];
    let by_time = frames(&[
        ("sage/q.jpg", Some(seconds[0]), 0),
        ("sage/w.jpg", Some(seconds[1]), 1),
        ("sage/e.jpg", Some(seconds[2]), 2),
    ]);
    let reported = found_in(&by_time, &Request::default());
    assert!(reported.contains("q.jpg burst w.jpg"), "{reported:?}");
    assert!(
        !reported.iter().any(|reported| reported.contains("burst e.jpg") || reported.starts_with("e.jpg burst"))
    );
    // Nothing looks for bursts when only the same is asked for.
    assert!(found_in(&by_time, &reach(Reach::Exact)).is_empty());
}

#[test]
fn numbered_frames_of_one_moment_are_a_burst_where_the_collection_says_so() {
    // Twenty scenes of three frames each, taken one after the other; in every second frame a disc has moved.
    let scene = |scene: u32, at: usize| {
        let mut image = ground(scene);
        for place in 0..240usize * 160 {
            let (dx, dy) = ((place % 240).abs_diff(70 + 30 * at), (place / 240).abs_diff(80));
            if dx * dx + dy * dy < 15 * 15 {
                image.data[place * 3..place * 3 + 3].copy_from_slice(&[20, 90, 30]);
            }
        }
        encode::png(&image)
    };
    let name = |number: usize| format!("sage/tray-{number:03}.png");
    let taken: Files =
        (0..60u32).map(|at| (name(at as usize), scene(100 + at / 3, at as usize % 3))).collect();
    let bursts = |files: &Files| {
        let reported = found_in(files, &reach(Reach::Wide));
        let pairs = reported.iter().filter(|reported| reported.contains(" burst "));
        pairs.cloned().collect::<Vec<_>>()
    };
    let reported = bursts(&taken);
    // Every two frames of a scene that follow each other, and no others; of one scene the ground hides the disc.
    let followed = (0..59).filter(|at| at / 3 == (at + 1) / 3 && *at != 25);
    let frame = |at: usize| format!("tray-{at:03}.png");
    let expected: Vec<String> =
        followed.map(|at| format!("{} burst {}", frame(at), frame(at + 1))).collect();
    assert_eq!(reported, expected);
    // The same files, numbered as somebody collected them: 7 and 60 have nothing in common.
    let mixed: Files =
        taken.iter().enumerate().map(|(at, (_, file))| (name(at * 7 % 60), file.clone())).collect();
    assert_eq!(bursts(&mixed), Vec::<String>::new());
    // So have three files; and another folder, another pattern of names or a gap is another series.
    assert_eq!(bursts(&taken[..3].to_vec()), Vec::<String>::new());
    let apart: Files =
        taken.iter().enumerate().map(|(at, (_, file))| (name(at * 2), file.clone())).collect();
    assert_eq!(bursts(&apart), Vec::<String>::new());
}

/// A figure of 28 x 28 that is written apart each time: strokes of one form, a little off.
fn written(form: usize, number: usize) -> Picture {
    let data = (0..28 * 28).flat_map(|at| {
        let (x, y) = (at % 28 + number % 3, at / 28 + number / 3 % 3);
        let stroke = (x * (form + 2) + y * 3).is_multiple_of(11) || x.abs_diff(14) < 2;
        let faint = (x * 7 + y * 13 + number * 5) % 9;
        [if stroke { 250 - faint as u8 } else { faint as u8 }; 3]
    });
    Picture { width: 28, height: 28, data: data.collect() }
}

#[test]
fn copies_of_small_pictures_are_told_where_others_are_less_alike() {
    // Eighty different images of 28 x 28, twelve of them saved again, one of these in mirror writing.
    let tiny =
        |seed: u32| taken(&discs(seed, 240, 160), 28, 28, |x, y| Some((x * 8 + 4, y * 5 + 8)));
    let mut files: Files =
        (0..80).map(|at| (format!("sage/{at:03}.png"), encode::png(&tiny(at)))).collect();
    for at in (0..24).step_by(2) {
        files.push((format!("bay/{at:03}-again.jpg"), jpeg(&tiny(at), 70.0)));
    }
    let mirrored = taken(&tiny(1), 28, 28, |x, y| Some((27 - x, y)));
    files.push(("bay/001-mirrored.png".to_owned(), encode::png(&mirrored)));
    let reported = found_in(&files, &reach(Reach::Wide));
    let expected: BTreeSet<String> =
        (0..24).step_by(2).map(|at| format!("{at:03}-again.jpg near {at:03}.png")).collect();
    assert_eq!(reported, expected);
}

#[test]
fn small_pictures_are_compared_as_they_stand() {
    let mut files: Files = (0..36)
        .map(|at| {
            let name = format!("{}/digit_{at:04}.png", at % 4);
            (name, encode::png(&written(at % 4, at)))
        })
        .collect();
    files.push(("0/again.webp".to_owned(), encode::webp(&written(0, 0))));
    files.push(("1/again.png".to_owned(), files[1].1.clone()));
    files.push(("2/large.png".to_owned(), encode::png(&discs(3, 240, 160))));
    let shed = shed(&files);
    let (catalog, limits) = (measured(shed.path()), ReadLimits::default());
    let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
    for reach in [Reach::Exact, Reach::Near, Reach::Wide] {
        let request = Request { reach: Some(reach), ..Request::default() };
        let found = find(&collections, &request, &NoProgress).unwrap();
        let expected =
            ["again.png same-bytes digit_0001.png", "again.webp same-pixels digit_0000.png"];
        assert_eq!(joined(&found).into_iter().collect::<Vec<_>>(), expected, "{reach:?}");
        assert_eq!(found.small, 38, "{reach:?}");
    }
    // The most alike are shown, but nothing of them is called the same.
    let asked = encode::png(&written(3, 3));
    let image = measure(&asked, &limits).unwrap();
    let alike = nearest(&collections[0], &image, &asked, None, 5, &NoProgress).unwrap();
    assert_eq!(alike[0].kind, Some(Kind::SameBytes));
    assert!(alike[1..].iter().all(|alike| alike.kind.is_none() && alike.likeness > 0.5));
}

/// A PNG with transparency: `hidden` pixels are there, but not to be seen.
fn transparent(hidden: u8) -> Vec<u8> {
    let shown = discs(8, 96, 64);
    let pixel = |at: usize| {
        let pixel = &shown.data[at * 3..at * 3 + 3];
        if at % 96 < 10 { [hidden, hidden, hidden, 0] } else { [pixel[0], pixel[1], pixel[2], 255] }
    };
    let data: Vec<u8> = (0..96 * 64).flat_map(pixel).collect();
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, 96, 64);
    encoder.set_color(png::ColorType::Rgba);
    encoder.write_header().unwrap().write_image_data(&data).unwrap();
    file
}

#[test]
fn plain_and_transparent_pictures_are_not_taken_for_each_other() {
    let plain = |grey: u8, width: usize| {
        encode::png(&Picture { width, height: 40, data: vec![grey; width * 40 * 3] })
    };
    let grey =
        |grey: u8| encode::webp(&Picture { width: 60, height: 40, data: vec![grey; 60 * 40 * 3] });
    let reported = found_in(
        &vec![
            ("a/dark.png".to_owned(), plain(20, 60)),
            ("a/dark.webp".to_owned(), grey(20)),
            ("a/wider.png".to_owned(), plain(20, 61)),
            ("a/light.png".to_owned(), plain(220, 60)),
            ("a/lighter.png".to_owned(), plain(221, 60)),
            ("b/seen.png".to_owned(), transparent(0)),
            ("b/seen-too.png".to_owned(), transparent(77)),
        ],
        &Request::default(),
    );
    let reported: Vec<&str> = reported.iter().map(String::as_str).collect();
    assert_eq!(reported, ["dark.png same-pixels dark.webp", "seen-too.png same-pixels seen.png"]);
}

#[test]
fn hundreds_of_nearly_the_same_make_one_group() {
    let base = discs(9, 96, 64);
    let mut files: Files = Vec::new();
    for number in 0..300usize {
        let mut data = base.data.clone();
        // A dot of its own for each, no darker than compression leaves: whichever of them stands for all, a black one
        // on plain ground would be another sign.
        let at = (number * 20) % (96 * 64);
        data[at * 3..at * 3 + 3].iter_mut().for_each(|level| *level = level.saturating_sub(16));
        let image = Picture { width: 96, height: 64, data };
        files.push((format!("sage/{number:03}x{}.png", number * 37), encode::png(&image)));
    }
    files.push(("sage/stranger.png".to_owned(), encode::png(&discs(10, 96, 64))));
    let shed = shed(&files);
    let (catalog, limits) = (measured(shed.path()), ReadLimits::default());
    let collections = [CollectionRef { catalog: &catalog, store: None, limits: &limits }];
    let found = find(&collections, &Request::default(), &NoProgress).unwrap();
    let sizes: Vec<usize> = found.groups.iter().map(|group| group.members.len()).collect();
    assert_eq!(sizes, [300]);
    assert!(found.pairs.len() < 300 * 299 / 2, "not all with all: {}", found.pairs.len());
}
