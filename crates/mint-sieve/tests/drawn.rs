//! What is drawn, against pictures that were looked at: `GOLDEN=write cargo test --test drawn` writes them again; look
//! at each before it is committed.

mod support;

use std::fs;
use std::path::Path;

use support::Workspace;

/// Levels by which a value may differ, and the share of values that may differ by more: the font is drawn with floats,
/// whose last bits another processor may round otherwise.
const LEVELS: u8 = 24;
const SHARE: f64 = 0.002;

/// Width, height and RGB values of a PNG.
fn pixels(bytes: &[u8]) -> (u32, u32, Vec<u8>) {
    let mut decoder = png::Decoder::new(std::io::Cursor::new(bytes));
    decoder.set_transformations(png::Transformations::normalize_to_color8());
    let mut reader = decoder.read_info().unwrap();
    let mut data = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut data).unwrap();
    data.truncate(info.buffer_size());
    (info.width, info.height, data)
}

/// Compares a drawing with the picture of it that is kept in the repository.
fn compare(workspace: &Workspace, name: &str) {
    let drawn = fs::read(workspace.path(name)).unwrap();
    let golden = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/golden").join(name);
    if std::env::var_os("GOLDEN").is_some_and(|value| value == "write") {
        fs::create_dir_all(golden.parent().unwrap()).unwrap();
        fs::write(&golden, &drawn).unwrap();
        return;
    }
    let (drawn, expected) = (pixels(&drawn), pixels(&fs::read(&golden).unwrap()));
    assert_eq!((drawn.0, drawn.1), (expected.0, expected.1), "{name}");
    assert_eq!(drawn.2.len(), expected.2.len(), "{name}: channels");
    let differ = drawn.2.iter().zip(&expected.2).filter(|(a, b)| a.abs_diff(**b) > LEVELS).count();
    let share = differ as f64 / drawn.2.len() as f64;
    assert!(share <= SHARE, "{name}: {:.2}% of the values differ", share * 100.0);
}

#[test]
fn sheets_look_as_they_did_when_they_were_looked_at() {
    let workspace = Workspace::healthy();
    workspace.class("herbs/dill", 2, 300);
    let calls: [(&str, &[&str]); 3] = [
        ("sheet.png", &["sheet", "herbs", "--size", "420x300"]),
        (
            "side-by-side.png",
            &["sheet", "herbs", "--side-by-side", "--across", "3", "--size", "420x300"],
        ),
        ("mean.png", &["sheet", "herbs", "--mean", "--size", "420x300"]),
    ];
    for (name, call) in calls {
        workspace.message(&[call, &["--out", name]].concat());
        compare(&workspace, name);
    }
    // Copies beside each other, and a policy drawn on a few images.
    workspace.write("herbs/dill/copy.jpg", &support::jpeg(300));
    workspace.message(&["duplicates", "herbs", "--sheet", "duplicates.png"]);
    compare(&workspace, "duplicates.png");
    let call = ["preview", "herbs", "--policy", "gentle", "--sheet-only", "--size", "700x560"];
    let call = [&call[..], &["--per-class", "1", "--draws", "2"]].concat();
    workspace.message(&[&call[..], &["--out", "preview.png"]].concat());
    compare(&workspace, "preview.png");
}

#[test]
fn charts_look_as_they_did_when_they_were_looked_at() {
    let workspace = Workspace::healthy();
    workspace.class("herbs/dill", 2, 300);
    let calls: [(&str, &[&str]); 3] = [
        ("classes.png", &["balance", "herbs", "--chart"]),
        ("measures.png", &["balance", "herbs", "--measures-chart"]),
        ("parts.png", &["split", "herbs", "--seed", "3", "--chart"]),
    ];
    for (name, call) in calls {
        workspace.message(&[call, &[name]].concat());
        compare(&workspace, name);
    }
}
