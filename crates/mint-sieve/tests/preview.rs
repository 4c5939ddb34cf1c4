//! `preview`, run on files.

mod support;

use std::fs;

use herb_shed::encode;
use herb_shed::paint::Picture;
use serde_json::Value;
use support::{Workspace, image, png, strings};

/// A sheet as columns, rows and RGB values.
struct Sheet {
    width: usize,
    height: usize,
    data: Vec<u8>,
}

impl Sheet {
    fn read(workspace: &Workspace, name: &str) -> Self {
        let file = fs::File::open(workspace.path(name)).unwrap();
        let mut reader = png::Decoder::new(std::io::BufReader::new(file)).read_info().unwrap();
        let mut data = vec![0; reader.output_buffer_size().unwrap()];
        let info = reader.next_frame(&mut data).unwrap();
        Sheet { width: info.width as usize, height: info.height as usize, data }
    }

    fn at(&self, x: usize, y: usize) -> [u8; 3] {
        let at = (y * self.width + x) * 3;
        [self.data[at], self.data[at + 1], self.data[at + 2]]
    }

    /// The pixels of a tile, row by row.
    fn tile(&self, tile: &Value) -> Vec<[u8; 3]> {
        let number = |field: &str| tile[field].as_u64().unwrap() as usize;
        let (x, y) = (number("x_px"), number("y_px"));
        let rows = y..y + number("height_px");
        rows.flat_map(|y| (x..x + number("width_px")).map(move |x| (x, y)))
            .map(|(x, y)| self.at(x, y))
            .collect()
    }
}

/// The pixels of [`image`], row by row, gathered from other places of it.
fn gathered(tone: u32, from: impl Fn(usize, usize) -> (usize, usize)) -> Vec<[u8; 3]> {
    let image = image(tone);
    let places = (0..48).flat_map(|y| (0..64).map(move |x| (x, y)));
    let at = |(x, y): (usize, usize)| {
        let at = (y * 64 + x) * 3;
        [image.data[at], image.data[at + 1], image.data[at + 2]]
    };
    places.map(|(x, y)| at(from(x, y))).collect()
}

/// A workspace with one lossless image of sage and a policy for its size.
fn exact(steps: &str) -> Workspace {
    let workspace = Workspace::new();
    workspace.write("herbs/sage/a.png", &png(7));
    workspace.write("policy.toml", format!("[frame]\nsize = [64, 48]\n{steps}").as_bytes());
    workspace
}

const EXACT: [&str; 9] = [
    "preview",
    "herbs",
    "--policy",
    "policy.toml",
    "--out",
    "sheet.png",
    "--full-size",
    "--draws",
    "2",
];

#[test]
fn tiles_are_right_to_the_pixel() {
    let flip = exact("[[step]]\ndo = 'flip'\naxis = 'left-right'");
    let answer = flip.json(&EXACT);
    let sheet = Sheet::read(&flip, "sheet.png");
    let tiles = answer["tiles"].as_array().unwrap();
    let one_row =
        answer["sheet"]["tile_scale"] == 1.0 && tiles.iter().all(|t| t["path"] == "sage/a.png");
    assert!(one_row);
    assert_eq!(tiles.iter().map(|t| t["draw"].as_u64().unwrap()).collect::<Vec<_>>(), [0, 1, 2]);
    assert_eq!(sheet.tile(&tiles[0]), gathered(7, |x, y| (x, y)), "as the model sees it");
    assert_eq!(sheet.tile(&tiles[1]), gathered(7, |x, y| (63 - x, y)));
    assert_eq!(tiles[1]["steps"][0]["do"], "flip");
    assert_eq!(tiles[1]["steps"][0]["axis"], "left-right");

    let shift =
        exact("[outside]\nfill = '#0a141e'\n[[step]]\ndo = 'shift'\nbetween = [0.25, 0.25]");
    let answer = shift.json(&EXACT);
    let tile = &answer["tiles"][1];
    assert_eq!(
        tile["image_to_frame"],
        serde_json::json!([1.0, 0.0, 16.0, 0.0, 1.0, 12.0, 0.0, 0.0, 1.0])
    );
    let seen = Sheet::read(&shift, "sheet.png").tile(tile);
    assert_eq!(seen[0], [10, 20, 30]);
    let outside = tile["outside_share"].as_f64().unwrap();
    // A quarter of the columns, and of the rest a quarter.
    assert!((outside - (1.0 - 0.75 * 0.75)).abs() < 1e-12, "{outside}");
    // Drawn matrices say the same as the samples of an image.
    let most = answer["policies"][0]["geometry"]["invented"]["max"].as_f64().unwrap();
    assert!((most - outside).abs() < 0.01, "{most}");
}

#[test]
fn colours_follow_the_geometry() {
    let workspace = exact("[[step]]\ndo = 'brightness'\nbetween = [0.5, 0.5]");
    let answer = workspace.json(&EXACT);
    let seen = Sheet::read(&workspace, "sheet.png").tile(&answer["tiles"][2]);
    let halved: Vec<[u8; 3]> =
        gathered(7, |x, y| (x, y)).into_iter().map(|p| p.map(|v| v.div_ceil(2))).collect();
    assert_eq!(seen, halved);
}

#[test]
fn the_usual_sheet_fits_a_screen_and_spreads_over_classes() {
    let workspace = Workspace::new();
    for class in 0..9 {
        workspace.class(&format!("herbs/herb-{class}"), 3, class * 10);
    }
    let answer = workspace.json(&["preview", "herbs", "--policy", "gentle", "--out", "sheet.png"]);
    let sheet = Sheet::read(&workspace, "sheet.png");
    assert!(sheet.width <= 1280 && sheet.height <= 800, "{}x{}", sheet.width, sheet.height);
    assert_eq!(answer["sheet"]["width_px"], sheet.width);
    assert_eq!(answer["sheet"]["height_px"], sheet.height);
    let tiles = answer["tiles"].as_array().unwrap();
    let mut classes: Vec<&str> = tiles.iter().map(|tile| tile["class"].as_str().unwrap()).collect();
    classes.dedup();
    assert_eq!(classes, ["herb-0", "herb-2", "herb-4", "herb-6", "herb-8"]);
    for tile in tiles {
        let end = |at: &str, size: &str| tile[at].as_u64().unwrap() + tile[size].as_u64().unwrap();
        assert!(end("x_px", "width_px") <= sheet.width as u64);
        assert!(end("y_px", "height_px") <= sheet.height as u64);
    }
}

#[test]
fn rows_draws_and_classes_can_be_chosen() {
    let workspace = Workspace::healthy();
    let tiles = |more: &[&str], out: &str| {
        let base = ["preview", "herbs", "--policy", "gentle", "--out", out];
        let answer = workspace.json(&[&base[..], more].concat());
        let tiles = answer["tiles"].as_array().unwrap().clone();
        let of = |class: &str| tiles.iter().filter(|tile| tile["class"] == class).count();
        (of("sage"), of("bay"))
    };
    assert_eq!(tiles(&["--per-class", "3", "--draws", "4"], "a.png"), (15, 15));
    assert_eq!(tiles(&["--per-class", "2", "--draws", "1", "--class", "bay"], "b.png"), (0, 4));
}

#[test]
fn only_training_pictures_are_shown_of_a_split_collection() {
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--to", "splits"]);
    let arguments =
        ["preview", "splits", "--policy", "gentle", "--per-class", "30", "--draws", "1"];
    let answer = workspace.json(&[&arguments[..], &["--out", "sheet.png"]].concat());
    let tiles = answer["tiles"].as_array().unwrap();
    assert_eq!(tiles.len(), 2 * 31, "17 of sage and 14 of bay, twice each");
    assert!(tiles.iter().all(|tile| tile["path"].as_str().unwrap().starts_with("train/")));
    assert_eq!(answer["settings"]["split"], "train");
}

#[test]
fn the_answer_says_what_was_drawn() {
    let workspace = Workspace::faulty();
    workspace.write(
        "policy.toml",
        b"[frame]\nsize = [20, 20]\nfit = 'contain'\n\
        [outside]\nfill = 'white'\n\
        [[step]]\ndo = 'rotate'\nbetween = [30, 30]\n\
        [[step]]\ndo = 'flip'\naxis = 'top-bottom'\nchance = 0\n\
        [[step]]\ndo = 'rotate'\nbetween = [-5, -5]\n",
    );
    let arguments = ["--per-class", "20", "--draws", "3", "--seed", "4", "--out", "sheet.png"];
    let text = workspace
        .message(&[&["preview", "herbs", "--policy", "policy.toml"][..], &arguments].concat());
    insta::assert_snapshot!(text);
}

/// Signs of the shed: of each class 24 images, an arrow that points left or right.
fn arrows() -> Workspace {
    let workspace = Workspace::new();
    for (class, points_left) in [("left", true), ("right", false)] {
        for number in 0..24u32 {
            let at = |x: u32, y: u32| {
                let (x, y) = (if points_left { x } else { 63 - x }, y.abs_diff(24 + number % 5));
                let is_head = (8 + number % 7..24).contains(&x) && y <= x - 8 - number % 7;
                let is_shaft = (24..52).contains(&x) && y <= 4;
                if is_head || is_shaft {
                    230 - (number % 9) as u8
                } else {
                    20 + (number % 11) as u8
                }
            };
            let places = (0..48).flat_map(|y| (0..64).map(move |x| (x, y)));
            let data = places.flat_map(|(x, y)| [at(x, y); 3]);
            let file = encode::png(&Picture { width: 64, height: 48, data: data.collect() });
            workspace.write(&format!("signs/{class}/{number:02}.png"), &file);
        }
    }
    workspace
}

#[test]
fn flips_that_turn_classes_into_each_other_are_named() {
    let workspace = arrows();
    workspace.write(
        "flip.toml",
        b"[frame]\nsize = [64, 48]\n[[step]]\ndo = 'flip'\naxis = 'left-right'\nchance = 0.5\n\
        [[step]]\ndo = 'flip'\naxis = 'top-bottom'\nchance = 0.5\n",
    );
    let text = workspace.message(&["preview", "signs", "--policy", "flip.toml"]);
    insta::assert_snapshot!(text);
    // A draft keeps to what does not change the class, and can be read back.
    let text =
        workspace.message(&["policy", "draft", "signs", "--size", "48", "--out", "first.toml"]);
    let file = fs::read_to_string(workspace.path("first.toml")).unwrap();
    insta::assert_snapshot!(format!("{text}\n{file}"));
    let shown = workspace.json(&["policy", "show", "first.toml"]);
    let flips: Vec<_> =
        shown["steps"].as_array().unwrap().iter().filter(|step| step["do"] == "flip").collect();
    assert!(flips.is_empty(), "{flips:?}");
}

#[test]
fn sheets_take_other_forms() {
    let workspace = Workspace::healthy();
    workspace.write(
        "policy.toml",
        b"[frame]\nsize = [48, 48]\n[[step]]\ndo = 'rotate'\nbetween = [-40, 40]\n\
        [[step]]\ndo = 'blur'\nvalues = [0, 1, 4]\n",
    );
    let tiles = |more: &[&str], out: &str| {
        let base = [
            "preview",
            "herbs",
            "--policy",
            "policy.toml",
            "--sheet-only",
            "--per-class",
            "2",
            "--out",
            out,
        ];
        let answer = workspace.json(&[&base[..], more].concat());
        assert_eq!(strings(&answer["policies"]), [""; 0], "nothing is measured");
        answer["tiles"].as_array().unwrap().clone()
    };
    // A ladder climbs evenly from the least to the most; of a list it shows each value.
    let ladder = tiles(&["--ladder", "rotate", "--draws", "5"], "a.png");
    let degrees = |tile: &Value| tile["steps"][0]["degrees"].as_f64();
    let climbed: Vec<_> = ladder[..6].iter().map(degrees).collect();
    assert_eq!(climbed, [None, Some(-40.0), Some(-20.0), Some(0.0), Some(20.0), Some(40.0)]);
    let values = tiles(&["--ladder", "blur"], "b.png");
    let sigmas: Vec<_> =
        values[1..4].iter().map(|tile| tile["steps"][0]["sigma"].as_f64().unwrap()).collect();
    assert_eq!(sigmas, [0.0, 1.0, 4.0]);
    // The dial does nothing at 0 and turns twice as far at 2.
    let dial = tiles(&["--ladder", "strength", "--draws", "3"], "c.png");
    let turned: Vec<f64> = dial[1..4].iter().map(|tile| degrees(tile).unwrap()).collect();
    assert!(turned[0] == 0.0 && (turned[2] - 2.0 * turned[1]).abs() < 1e-9, "{turned:?}");
    // The same draws under both policies.
    let both = tiles(&["--against", "policy.toml", "--draws", "2"], "d.png");
    assert_eq!(both.len(), 2 * 2 * 2 * 3);
    assert_eq!(both[1]["steps"], both[4]["steps"]);
    // Pairs of the whole image and its frame, side by side within the page.
    let frames = tiles(&["--frame-only"], "e.png");
    let frames: Vec<_> =
        frames.iter().map(|tile| (tile["x_px"].clone(), tile["y_px"].clone())).collect();
    assert!(frames.len() == 8 && frames.iter().all(|(_, y)| *y == frames[0].1), "{frames:?}");
}

#[test]
fn held_out_images_are_never_augmented() {
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--to", "splits"]);
    let refused = |arguments: &[&str]| {
        let base = ["preview", "splits", "--policy", "gentle"];
        let answer = workspace.run(&[&base[..], arguments].concat());
        assert_eq!((answer.status, answer.stdout.as_str()), (2, ""), "{arguments:?}");
        answer.stderr
    };
    let stderr = refused(&["--split", "validation", "--to", "more"]);
    assert!(stderr.contains("only training images are augmented"), "{stderr}");
    let stderr = refused(&["--to", "splits/more"]);
    assert!(stderr.contains("inside"), "{stderr}");
    fs::create_dir_all(workspace.path("other/test")).unwrap();
    let stderr = refused(&["--to", "other/train"]);
    assert!(stderr.contains("test is in the same folder"), "{stderr}");
    let text = workspace.message(&["preview", "splits", "--policy", "gentle", "--split", "test"]);
    assert!(text.contains("This split is never augmented") && text.contains("Cropped: "), "{text}");
}

#[test]
fn augmented_copies_are_known_as_made_from_their_source() {
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--to", "splits"]);
    let text = workspace
        .message(&["preview", "splits", "--policy", "gentle", "--to", "more", "--draws", "2"]);
    insta::assert_snapshot!(text);
    let table = fs::read_to_string(workspace.path("more/augmented.csv")).unwrap();
    let rows: Vec<&str> = table.lines().collect();
    assert_eq!((rows[0], rows.len()), ("path,class,source,group,digest,draw", 1 + 2 * 31));
    assert!(rows[1].starts_with("bay/000-1.png,bay,train/bay/000.jpg,"), "{}", rows[1]);
    let audit = workspace.json(&["audit", "more"]);
    let codes: Vec<&str> = audit["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["code"].as_str().unwrap())
        .collect();
    assert!(codes.contains(&"augmented") && codes.contains(&"generated-table"), "{codes:?}");
    assert!(!codes.contains(&"same-image") && !codes.contains(&"stray-file"), "{codes:?}");
    // Held against the images that they were made from, each is a leak, whatever it looks like.
    let leaks = workspace.json(&["leakage", "train=more", "test=splits/train"]);
    assert_eq!(leaks["split_pairs"][0]["matched"], 31, "{}", leaks["split_pairs"]);
    // The same draws, whatever else is written.
    workspace.message(&[
        "preview",
        "splits",
        "--policy",
        "gentle",
        "--to",
        "one",
        "--draws",
        "1",
        "--threads",
        "1",
    ]);
    let name = rows[1].split(',').next().unwrap();
    let bytes = |folder: &str| fs::read(workspace.path(folder).join(name)).unwrap();
    assert_eq!(bytes("more"), bytes("one"));
}

#[test]
fn a_policy_is_told_in_words() {
    let workspace = Workspace::new();
    workspace.write(
        "mine.toml",
        b"strength = 1.5\n[frame]\nsize = 96\nfit = 'contain'\n[[step]]\ndo = 'rotate'\nbetween = [-20, 20]\n\
        never = ['6', '9']\n[[step]]\ndo = 'pick'\ncount = 1\n[[step.step]]\ndo = 'noise'\nbetween = [0, 9]\n\
        [[step.step]]\ndo = 'grey'\n",
    );
    let check = workspace.message(&["policy", "check", "mine.toml"]);
    let show = workspace.message(&["policy", "show", "mine.toml"]);
    insta::assert_snapshot!(format!("{check}\n{show}"));
}

#[test]
fn one_thread_and_many_paint_the_same_sheet() {
    let workspace = Workspace::healthy();
    let sheet = |threads: &str, seed: &str| {
        let name = format!("sheet-{threads}-{seed}.png");
        let arguments = ["--out", &name, "--threads", threads, "--seed", seed];
        workspace.message(&[&["preview", "herbs", "--policy", "harsh"][..], &arguments].concat());
        fs::read(workspace.path(&name)).unwrap()
    };
    let first = sheet("1", "0");
    assert_eq!(first, sheet("8", "0"));
    assert_ne!(first, sheet("1", "1"));
}

#[test]
fn two_policies_do_alike_things_to_the_same_picture() {
    let workspace = Workspace::healthy();
    let steps = |policy: &str| {
        let out = format!("{policy}.png");
        let answer = workspace.json(&["preview", "herbs", "--policy", policy, "--out", &out]);
        let tile =
            answer["tiles"].as_array().unwrap().iter().find(|tile| tile["draw"] == 1).unwrap();
        let shift = tile["steps"].as_array().unwrap().iter().find(|step| step["do"] == "shift");
        (tile["path"].clone(), shift.unwrap()["right"].as_f64().unwrap())
    };
    let (gentle, harsh) = (steps("gentle"), steps("harsh"));
    assert_eq!(gentle.0, harsh.0);
    // 0.05 against 0.3: six times as far in the same direction.
    assert!((gentle.1 * 6.0 - harsh.1).abs() < 1e-9, "{gentle:?} {harsh:?}");
}

#[test]
fn bad_policies_are_refused_before_any_work() {
    let workspace = Workspace::healthy();
    for (policy, expected) in [
        ("[[step]]\ndo = 'rotat'\nbetween = [0, 1]", "did you mean rotate?"),
        (
            "[[step]]\ndo = 'rotate'\nbetween = [9, 1]",
            "step 1 (rotate) between: [9, 1] runs backwards",
        ),
        ("[frame\nsize = 3", "line 1"),
    ] {
        workspace.write("policy.toml", policy.as_bytes());
        let answer =
            workspace.run(&["preview", "herbs", "--policy", "policy.toml", "--out", "x.png"]);
        assert_eq!((answer.status, answer.stdout.as_str()), (2, ""));
        assert!(answer.stderr.starts_with("error: the policy policy.toml: "), "{}", answer.stderr);
        assert!(answer.stderr.contains(expected), "{}", answer.stderr);
    }
    assert_eq!(workspace.names(), ["herbs", "policy.toml"]);
}

#[test]
fn an_existing_sheet_is_never_overwritten() {
    let workspace = Workspace::healthy();
    workspace.write("sheet.png", b"mine");
    let answer = workspace.run(&["preview", "herbs", "--policy", "gentle", "--out", "sheet.png"]);
    assert_eq!(answer.status, 3);
    assert!(answer.stderr.starts_with("error: sheet.png exists already\n"));
    assert_eq!(fs::read(workspace.path("sheet.png")).unwrap(), b"mine");
    let settings = workspace.json(&["preview", "herbs", "--policy", "gentle", "--out", "b.png"]);
    assert_eq!(strings(&settings["settings"]["classes"]), [""; 0]);
}
