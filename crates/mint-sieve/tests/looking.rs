//! `sheet`, run on files.

mod support;

use std::fs;
use std::io::Write;
use std::process::Stdio;

use serde_json::Value;
use support::{Workspace, image, png};

/// The width, height and RGB values of a sheet.
fn sheet(workspace: &Workspace, name: &str) -> (usize, usize, Vec<u8>) {
    let file = fs::File::open(workspace.path(name)).unwrap();
    let mut reader = png::Decoder::new(std::io::BufReader::new(file)).read_info().unwrap();
    let mut data = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut data).unwrap();
    (info.width as usize, info.height as usize, data)
}

fn number(answer: &Value, field: &str) -> u64 {
    answer[field].as_u64().unwrap()
}

#[test]
fn a_page_holds_a_sample_of_every_class_and_says_how_to_go_on() {
    let workspace = Workspace::healthy();
    workspace.class("herbs/dill", 2, 300);
    let text = workspace.message(&["sheet", "herbs", "--out", "a.png"]);
    insta::assert_snapshot!(text);
    let (width, height, _) = sheet(&workspace, "a.png");
    assert!((1200..=1280).contains(&width) && (700..=800).contains(&height), "{width}x{height}");
    // Small classes leave their room to the others.
    let answer = workspace.json(&["sheet", "herbs", "--out", "b.png"]);
    assert_eq!((number(&answer, "shown"), number(&answer, "pages")), (40, 1));
    let answer = workspace.json(&["sheet", "herbs", "--all", "--out", "c.png"]);
    assert_eq!((number(&answer, "images"), number(&answer, "pages")), (46, 2));
    let answer = workspace.json(&["sheet", "herbs", "--all", "--page", "2", "--out", "d.png"]);
    assert_eq!(number(&answer, "shown"), 6);
    let answer = workspace.run(&["sheet", "herbs", "--all", "--page", "3", "--out", "e.png"]);
    assert!(
        answer.status == 2 && answer.stderr.contains("there are only 2 pages"),
        "{}",
        answer.stderr
    );
    let answer = workspace.json(&[
        "sheet",
        "herbs",
        "--per-class",
        "3",
        "--class",
        "sage",
        "--out",
        "f.png",
    ]);
    assert_eq!(number(&answer, "shown"), 3);
    // Rows of classes, each beginning on the left.
    let answer =
        workspace.json(&["sheet", "herbs", "--side-by-side", "--across", "5", "--out", "g.png"]);
    assert_eq!((number(&answer, "images"), number(&answer, "shown")), (12, 12));
}

#[test]
fn the_same_sheet_comes_from_any_number_of_threads_and_another_seed_shows_others() {
    let workspace = Workspace::healthy();
    let bytes = |arguments: &[&str], name: &str| {
        workspace.message(
            &[&["sheet", "herbs", "--per-class", "4", "--out", name][..], arguments].concat(),
        );
        fs::read(workspace.path(name)).unwrap()
    };
    let first = bytes(&["--threads", "1"], "a.png");
    assert_eq!(first, bytes(&["--threads", "7"], "b.png"));
    assert_ne!(first, bytes(&["--seed", "1"], "c.png"));
    // Out of the catalog it is another image of the same images.
    let rough = bytes(&["--from-thumbnails"], "d.png");
    assert_ne!(first, rough);
    let apart = |a: &str, b: &str| {
        let ((_, _, a), (_, _, b)) = (sheet(&workspace, a), sheet(&workspace, b));
        a.iter().zip(&b).map(|(a, b)| f64::from(a.abs_diff(*b))).sum::<f64>() / a.len() as f64
    };
    assert!(apart("a.png", "d.png") < 12.0 && apart("a.png", "c.png") > apart("a.png", "d.png"));
}

#[test]
fn images_of_findings_plans_and_lists_are_shown_with_their_reasons() {
    let workspace = Workspace::faulty();
    let answer = workspace.json(&[
        "sheet",
        "herbs",
        "--code",
        "same-bytes,label-conflict",
        "--out",
        "a.png",
    ]);
    assert_eq!(number(&answer, "images"), 4, "{answer}");
    workspace.message(&["propose", "herbs", "--out", "plan.csv"]);
    let answer = workspace.json(&["sheet", "herbs", "--plan", "plan.csv", "--out", "b.png"]);
    assert!(number(&answer, "images") >= 4, "{answer}");
    let mut listed =
        workspace.command(&["sheet", "herbs", "--paths", "--out", "c.png", "--format", "json"]);
    let mut run = listed.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    run.stdin.take().unwrap().write_all(b"sage/001.jpg\nbay/002.jpg\n").unwrap();
    let output = run.wait_with_output().unwrap();
    let answer: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(number(&answer, "shown"), 2);
    let answer = workspace.run(&["sheet", "herbs", "--code", "blank", "--out", "d.png"]);
    assert_eq!((answer.status, answer.stdout.as_str()), (3, ""));
    assert!(!workspace.path("d.png").exists());
}

#[test]
fn a_mean_is_what_images_have_in_common() {
    let workspace = Workspace::new();
    for number in 0..3 {
        workspace.write(&format!("herbs/sage/{number}.png"), &png(7));
    }
    workspace.class("herbs/bay", 20, 100);
    workspace.message(&["sheet", "herbs", "--mean", "--size", "340x220", "--out", "mean.png"]);
    let (width, _, data) = sheet(&workspace, "mean.png");
    let spread = |from: usize| {
        let values: Vec<f64> = (40..130)
            .flat_map(|y| (from + 20..from + 130).map(move |x| (x, y)))
            .map(|(x, y)| f64::from(data[(y * width + x) * 3 + 1]))
            .collect();
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        (values.iter().map(|value| (value - mean).powi(2)).sum::<f64>() / values.len() as f64)
            .sqrt()
    };
    // Twenty different images of bay wash out; three of the same do not.
    assert_eq!(image(7).width, 64);
    let (bay, sage) = (spread(12), spread(12 + width / 2 - 6));
    assert!(bay * 2.0 < sage, "{bay} {sage}");
}

/// Widths and heights of the rectangles of this colour.
fn rectangles(svg: &str, colour: &str) -> Vec<(f64, f64)> {
    let number = |part: &str, attribute: &str| -> f64 {
        part.split(&format!(" {attribute}=\""))
            .nth(1)
            .unwrap()
            .split('"')
            .next()
            .unwrap()
            .parse()
            .unwrap()
    };
    let rectangles = svg.split("<rect").skip(1).map(|part| part.split('>').next().unwrap());
    let of_it = rectangles.filter(|part| part.contains(colour));
    of_it.map(|part| (number(part, "width"), number(part, "height"))).collect()
}

#[test]
fn charts_are_drawn_to_scale_and_names_are_text() {
    let workspace = Workspace::healthy();
    workspace.class("herbs/<b>&'\"", 10, 400);
    workspace.message(&["balance", "herbs", "--chart", "a.svg", "--measures-chart", "m.svg"]);
    let text = |name: &str| fs::read_to_string(workspace.path(name)).unwrap();
    let svg = text("a.svg");
    assert!(svg.contains("&lt;b&gt;&amp;") && !svg.contains("<b>"), "{svg}");
    assert!(svg.contains("54 images in 3 classes"), "{svg}");
    // 24, 20 and 10 images: bars are as long as they are many.
    let bars = rectangles(&svg, "#205C48");
    let ratio = |bar: usize| bars[bar].0 / bars[2].0;
    assert_eq!(bars.len(), 3, "{svg}");
    assert!((ratio(0) - 2.4).abs() < 0.02 && (ratio(1) - 2.0).abs() < 0.02, "{bars:?}");
    // As pixels the bars cover as much.
    workspace.message(&["balance", "herbs", "--chart", "a.png"]);
    let (.., data) = sheet(&workspace, "a.png");
    let coloured = data.as_chunks::<3>().0.iter().filter(|rgb| **rgb == [32, 92, 72]).count();
    let area: f64 = bars.iter().map(|(width, height)| width * height).sum();
    // Less the line of the floor, which bars of fewer images do not hide.
    assert!((coloured as f64 / area - 1.0).abs() < 0.1, "{coloured} {area}");
    assert!(text("m.svg").contains("sharpness"));
    workspace.message(&["split", "herbs", "--chart", "s.svg"]);
    let split = text("s.svg");
    let words = ["train", "validation", "test", "asked for"];
    assert!(words.iter().all(|word| split.contains(word)), "{split}");
    let refused = workspace.run(&["balance", "herbs", "--chart", "a.pdf"]);
    assert!(refused.status == 2 && refused.stderr.contains(".svg or .png"), "{}", refused.stderr);
    // Of very many classes the ends and the shape of all.
    let many = Workspace::new();
    for class in 0..60u32 {
        many.class(&format!("herbs/class-{class:02}"), 1 + class % 5, class * 10);
    }
    many.message(&["balance", "herbs", "--chart", "a.svg"]);
    let svg = fs::read_to_string(many.path("a.svg")).unwrap();
    assert!(svg.contains("36 classes between") && svg.contains("All 60 classes"), "{svg}");
    assert_eq!(rectangles(&svg, "#205C48").len(), 24 + 60);
}

#[test]
fn splits_are_drawn_by_their_measures_and_times() {
    let workspace = Workspace::new();
    for (split, tone) in [("train", 0), ("validation", 40), ("test", 80)] {
        workspace.class(&format!("herbs/{split}/sage"), 6, tone);
        workspace.class(&format!("herbs/{split}/bay"), 6, tone + 20);
    }
    workspace.message(&["leakage", "herbs", "--chart", "splits.svg"]);
    let svg = fs::read_to_string(workspace.path("splits.svg")).unwrap();
    let words = ["train", "validation", "test", "brightness", "side in pixels", "of each split"];
    assert!(words.iter().all(|word| svg.contains(word)), "{svg}");
    // Nobody knows when they were taken.
    assert!(!svg.contains("taken"), "{svg}");
    // One bar and one mark for each split and measure.
    assert_eq!(rectangles(&svg, "#407C60").len(), 12);
    let shed = Workspace::new();
    shed.lay_shed(herb_shed::collection::Arrangement::Splits);
    shed.message(&["leakage", "shed/collection", "--chart", "splits.png"]);
    shed.message(&["leakage", "shed/collection", "--chart", "splits.svg"]);
    let svg = fs::read_to_string(shed.path("splits.svg")).unwrap();
    assert!(svg.contains("taken") && svg.contains("2026-"), "{svg}");
    let (width, height, _) = sheet(&shed, "splits.png");
    assert!(width == 1280 && svg.contains(&format!("height=\"{height}\"")), "{width}x{height}");
}
