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
    let answer = workspace.json(&["sheet", "herbs", "--all", "--number", "2", "--out", "d.png"]);
    assert_eq!(number(&answer, "shown"), 6);
    let answer = workspace.run(&["sheet", "herbs", "--all", "--number", "3", "--out", "e.png"]);
    assert!(answer.status == 2 && answer.stderr.contains("there are 2 pages"), "{}", answer.stderr);
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
    // Out of the catalog it is another picture of the same images.
    let rough = bytes(&["--rough"], "d.png");
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
    workspace.message(&["sheet", "herbs", "--mean", "--page", "340x220", "--out", "mean.png"]);
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
