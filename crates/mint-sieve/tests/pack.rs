//! `pack` and what reads packs back: every form holds every image, byte for byte, and whatever is wrong with one is named.

mod support;

use std::collections::BTreeMap;
use std::fs;
use std::process::Command;

use serde_json::Value;
use support::{Workspace, grounded};

const GREEN: [u8; 3] = [40, 150, 50];
const RED: [u8; 3] = [190, 50, 40];

/// Two classes in three splits, with names that spreadsheets, shells and archives stumble over.
fn splits() -> Workspace {
    let workspace = Workspace::new();
    let names = ["001", "a b", "=1+1", "naïve", "a'b\"c"];
    for (split, count) in [("train", 5), ("validation", 2), ("test", 2)] {
        for (class, leaf) in [("bay", GREEN), ("=sage", RED)] {
            for (number, name) in names.iter().take(count).enumerate() {
                let tone = 31 * number as u32 + 7 * split.len() as u32 + u32::from(leaf[0]) * 1000;
                let grounds = [[120, 120, 120], [200, 170, 110], [60, 60, 60]];
                let bytes = grounded(tone, leaf, grounds[number % 3]);
                workspace.write(&format!("herbs/{split}/{class}/{name}.jpg"), &bytes);
            }
        }
    }
    workspace
}

/// The images below a folder by class and name, without the split.
fn by_content(workspace: &Workspace, folder: &str) -> BTreeMap<Vec<u8>, String> {
    let files = workspace.files(folder).into_iter();
    files
        .map(|(path, bytes)| (bytes, path.split('/').skip(1).collect::<Vec<_>>().join("/")))
        .collect()
}

/// The rows of a manifest, by column.
fn rows(workspace: &Workspace, file: &str) -> Vec<BTreeMap<String, String>> {
    let text = fs::read_to_string(workspace.path(file)).unwrap();
    let mut table = csv::Reader::from_reader(text.as_bytes());
    table.deserialize().map(Result::unwrap).collect()
}

#[test]
fn every_form_holds_every_image_and_is_read_back() {
    let workspace = splits();
    insta::assert_snapshot!(workspace.message(&["pack", "herbs", "--to", "tree", "--batch", "4"]));
    let before = by_content(&workspace, "herbs");
    let datasheet = fs::read_to_string(workspace.path("tree/DATASHEET.md")).unwrap();
    insta::with_settings!({filters => vec![(r"\d{4}-\d\d-\d\d", "DAY")]}, {
        insta::assert_snapshot!(datasheet);
    });
    let ld: Value =
        serde_json::from_slice(&fs::read(workspace.path("tree/dataset.jsonld")).unwrap()).unwrap();
    assert_eq!((&ld["@type"], &ld["hasPart"][0]["size"]), (&"Dataset".into(), &"10 images".into()));
    for form in ["tree", "zip", "tar", "shards"] {
        if form != "tree" {
            let call = [
                "pack",
                "herbs",
                "--to",
                form,
                "--as",
                form,
                "--shard-size",
                "20kB",
                "--seed",
                "3",
            ];
            assert_eq!(workspace.run(&call).status, 0, "{form}");
        }
        let audited = workspace.json(&["audit", form]);
        assert_eq!(audited["collection"]["images"], 18, "{form}");
        assert_eq!(audited["collection"]["set_aside"], 0, "{form}");
        // Read back, every image has the bytes and the class that it had.
        let out = format!("{form}-out");
        assert_eq!(workspace.run(&["gather", form, "--to", &out]).status, 0, "{form}");
        let after: BTreeMap<Vec<u8>, String> =
            workspace.files(&out).into_iter().map(|(path, bytes)| (bytes, path)).collect();
        for (bytes, name) in &before {
            let class = name.split('/').next().unwrap();
            let found = after.get(bytes).unwrap_or_else(|| panic!("{form} lost {name}"));
            assert!(found.contains(&format!("{class}/")), "{form}: {found}, {name}");
        }
        let verified = workspace.run(&["verify", form]);
        assert_eq!(verified.status, 0, "{form}: {}", verified.stdout);
    }
    // The archives, read by another implementation.
    let mut archive =
        zip::ZipArchive::new(fs::File::open(workspace.path("zip/train.zip")).unwrap()).unwrap();
    assert_eq!(archive.len(), 10);
    for at in 0..archive.len() {
        let mut entry = archive.by_index(at).unwrap();
        let mut bytes = Vec::new();
        std::io::copy(&mut entry, &mut bytes).unwrap();
        assert_eq!(before[&bytes], entry.name().unwrap());
        assert_eq!(entry.unix_mode().map(|mode| mode & 0o777), Some(0o644));
    }
    // The range of a shard that the table names is the image.
    let manifest = rows(&workspace, "shards/train-manifest.csv");
    let places = rows(&workspace, "shards/train-shards.csv");
    assert_eq!((manifest.len(), places.len()), (10, 10));
    let mut shards = std::collections::BTreeSet::new();
    for place in &places {
        let shard = fs::read(workspace.path(&format!("shards/{}", place["shard"]))).unwrap();
        let offset: usize = place["offset"].parse().unwrap();
        let size: usize = place["size_bytes"].parse().unwrap();
        let name = place["path"].trim_start_matches('\'');
        assert_eq!(before[&shard[offset..offset + size].to_vec()], name);
        shards.insert(place["shard"].clone());
        assert!(shard.len() <= 20_000 + 1024);
    }
    assert!(shards.len() > 1, "{shards:?}");
    let sorted = places.windows(2).all(|pair| pair[0]["path"] <= pair[1]["path"]);
    assert!(!sorted, "the order is that of the seed");
    // The same bytes on any number of threads, and in a folder of any name.
    let again =
        ["pack", "herbs", "--to", "again", "--as", "shards", "--shard-size", "20kB", "--seed", "3"];
    assert_eq!(workspace.run(&[&again[..], &["--threads", "1"]].concat()).status, 0);
    assert_eq!(workspace.files("again"), workspace.files("shards"));
}

#[test]
fn frames_become_arrays_whose_numbers_are_those_of_their_values() {
    let workspace = splits();
    let call = ["pack", "herbs", "--to", "npy", "--as", "npy", "--frame", "12x8:stretch"];
    let answer = workspace.json(&call);
    let array = fs::read(workspace.path("npy/train-images.npy")).unwrap();
    let head = "{'descr': '|u1', 'fortran_order': False, 'shape': (10, 8, 12, 3), }";
    assert!(array[10..].starts_with(head.as_bytes()));
    let start = 10 + usize::from(u16::from_le_bytes([array[8], array[9]]));
    assert_eq!((start % 64, array.len() - start), (0, 10 * 8 * 12 * 3));
    let values: Vec<f64> =
        array[start..].iter().skip(1).step_by(3).map(|&value| f64::from(value) / 255.0).collect();
    let mean = values.iter().sum::<f64>() / values.len() as f64;
    let std = (values.iter().map(|value| (value - mean).powi(2)).sum::<f64>()
        / values.len() as f64)
        .sqrt();
    let channels = &answer["numbers"]["channels"];
    assert!((channels["mean"][1].as_f64().unwrap() - mean).abs() < 1e-12, "{channels}");
    assert!((channels["std"][1].as_f64().unwrap() - std).abs() < 1e-12, "{channels}");
    let labels = fs::read(workspace.path("npy/train-labels.npy")).unwrap();
    let labels: Vec<i64> = labels[labels.len() - 80..]
        .as_chunks::<8>()
        .0
        .iter()
        .map(|&bytes| i64::from_le_bytes(bytes))
        .collect();
    assert_eq!(labels, [0, 0, 0, 0, 0, 1, 1, 1, 1, 1]);
    assert_eq!(workspace.json(&["audit", "npy"])["collection"]["images"], 18);
    // As files, frames are images of that size; two that differ in their extension alone keep apart.
    workspace.write("herbs/train/bay/001.png", &support::png(77));
    let call = [
        "pack",
        "herbs",
        "--to",
        "png",
        "--frame",
        "12x8",
        "--encoding",
        "png",
        "--allow",
        "split-leak,group-leak,label-conflict",
    ];
    assert_eq!(workspace.run(&call).status, 0);
    let names: Vec<String> = workspace.files("png/train/bay").into_keys().collect();
    assert!(
        names.contains(&"001.png".to_owned()) && names.contains(&"001-2.png".to_owned()),
        "{names:?}"
    );
    let audited = workspace.json(&["audit", "png"]);
    assert_eq!(audited["inventory"]["sizes"].as_array().map_or(1, Vec::len), 1);
    // A split without images is an archive without entries, which is read back.
    fs::remove_dir_all(workspace.path("herbs/test")).unwrap();
    fs::create_dir_all(workspace.path("herbs/test/bay")).unwrap();
    fs::remove_file(workspace.path("herbs/train/bay/001.png")).unwrap();
    assert_eq!(workspace.run(&["pack", "herbs", "--to", "empty", "--as", "tar"]).status, 0);
    assert_eq!(workspace.json(&["audit", "empty"])["collection"]["images"], 14);
    // A policy's frame is the same frame.
    workspace.write("policy.toml", b"[frame]\nsize = [12, 8]\nfit = 'stretch'\n");
    let call = ["pack", "herbs", "--to", "same", "--as", "npy", "--frame", "policy.toml"];
    assert_eq!(workspace.run(&call).status, 0);
    let split = |folder: &str| {
        fs::read(workspace.path(&format!("{folder}/validation-images.npy"))).unwrap()
    };
    assert_eq!(split("same"), split("npy"));
}

#[test]
fn what_training_on_is_wrong_is_not_packed_unless_that_is_said() {
    let workspace = splits();
    let leaked = fs::read(workspace.path("herbs/train/bay/001.jpg")).unwrap();
    workspace.write("herbs/test/bay/copy.jpg", &leaked);
    let refused = workspace.run(&["pack", "herbs", "--to", "pack"]);
    assert_eq!(refused.status, 3);
    insta::assert_snapshot!(refused.stderr);
    assert!(!workspace.path("pack").exists());
    workspace.message(&["pack", "herbs", "--to", "pack", "--allow", "split-leak"]);
    let sheet = fs::read_to_string(workspace.path("pack/DATASHEET.md")).unwrap();
    assert!(sheet.contains("split-leak (error)") && sheet.contains("with --allow"), "{sheet}");
    assert!(sheet.contains("a score measured on these splits is inflated"), "{sheet}");
    fs::remove_file(workspace.path("herbs/test/bay/copy.jpg")).unwrap();
    // Images without class are left out only when that is allowed.
    workspace.write("herbs/train/loose.jpg", &grounded(5, RED, [1, 2, 3]));
    let refused = workspace.run(&["pack", "herbs", "--to", "loose"]);
    assert!(
        refused.status == 3 && refused.stderr.contains("--allow unassigned"),
        "{}",
        refused.stderr
    );
    workspace.message(&["pack", "herbs", "--to", "loose", "--allow", "unassigned"]);
    assert!(!workspace.files("loose").keys().any(|path| path.contains("loose")));
    fs::remove_file(workspace.path("herbs/train/loose.jpg")).unwrap();
    // What is wrong with a file that the split table leaves out does no harm, and the data sheet says which it is.
    workspace.write("flat/bay/whole.jpg", &grounded(5, GREEN, [120; 3]));
    workspace.write("flat/bay/cut.jpg", &grounded(6, GREEN, [90; 3])[..900]);
    workspace.write("split.csv", b"path,split\nbay/whole.jpg,train\n");
    workspace.message(&["pack", "flat", "--splits-from", "split.csv", "--to", "table"]);
    let sheet = fs::read_to_string(workspace.path("table/DATASHEET.md")).unwrap();
    assert!(sheet.contains("; of files in no split"), "{sheet}");
    assert_eq!(rows(&workspace, "table/train-manifest.csv").len(), 1);
    // A plan that waits for somebody.
    workspace.write("plan.csv", b"path,action,from,to,group,reason,confidence,digest\ntrain/bay/001.jpg,decide,bay,,1,odd,,\n");
    let refused = workspace.run(&["pack", "herbs", "--to", "plan", "--plan", "plan.csv"]);
    assert!(refused.status == 2 && refused.stderr.contains("1 row"), "{}", refused.stderr);
    // An earlier order stays; a class that is gone keeps its number.
    workspace.write("earlier.csv", b"index,class,train\n0,thyme,4\n1,bay,5\n");
    let call = ["pack", "herbs", "--to", "later", "--class-index", "earlier.csv"];
    let answer = workspace.json(&call);
    let order: Vec<&str> = answer["classes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["class"].as_str().unwrap())
        .collect();
    assert_eq!(order, ["thyme", "bay", "=sage"]);
    assert_eq!(
        (&answer["new_classes"][0], &answer["vanished_classes"][0]),
        (&"=sage".into(), &"thyme".into())
    );
    // Calls that make no sense say what would.
    for (call, wanted) in [
        (&["pack", "herbs", "--to", "x", "--as", "npy"][..], "--frame"),
        (&["pack", "herbs", "--to", "x", "--as", "zipp"], "expected one of"),
        (&["pack", "herbs", "--to", "x", "--frame", "12x"], "WIDTHxHEIGHT"),
        (&["pack", "herbs", "--to", "herbs/x"], "inside the collection"),
        (&["pack", "herbs", "--to", "pack"], "not empty"),
        (&["pack", "herbs/train", "--to", "x"], "not split"),
        (&["pack", "herbs", "--to", "x", "--as", "zip", "--link", "hard"], "--link"),
        (&["pack", "herbs", "--to", "x", "--link", "soft"], "symbolic links"),
        (&["pack", "herbs", "--to", "x", "--allow", "split-leek"], "split-leak"),
    ] {
        let answer = workspace.run(call);
        assert!(answer.status > 1 && answer.stderr.contains(wanted), "{call:?}: {}", answer.stderr);
    }
    assert!(!workspace.path("x").exists());
    let names = workspace.names();
    assert!(!names.iter().any(|name| name.starts_with(".mint-sieve-")), "{names:?}");
}

#[test]
fn each_file_that_differs_is_named_and_hostile_packs_lead_nowhere() {
    let workspace = splits();
    for form in ["zip", "tree"] {
        assert_eq!(workspace.run(&["pack", "herbs", "--to", form, "--as", form]).status, 0);
    }
    let zip = workspace.path("zip/train.zip");
    let mut bytes = fs::read(&zip).unwrap();
    bytes[2000] ^= 1;
    fs::write(&zip, bytes).unwrap();
    fs::remove_file(workspace.path("zip/numbers.json")).unwrap();
    workspace.write("zip/more.txt", b"more");
    let broken = workspace.run(&["verify", "zip"]);
    assert_eq!(broken.status, 1);
    insta::assert_snapshot!(broken.stdout);
    fs::write(workspace.path("tree/test/bay/001.jpg"), b"other").unwrap();
    let answer = workspace.run(&["verify", "tree", "--format", "csv"]);
    assert_eq!(answer.stdout, "code,file,image,detail\nchanged,test/bay/001.jpg,,\n");
    // Checksums and descriptions that lead out of the pack are refused before anything is read.
    let sums = fs::read_to_string(workspace.path("tree/SHA256SUMS")).unwrap();
    let outside = format!("{}  ../secret.txt\n{sums}", &sums[..64]);
    fs::write(workspace.path("tree/SHA256SUMS"), outside).unwrap();
    workspace.write("secret.txt", b"secret");
    let refused = workspace.run(&["verify", "tree"]);
    assert!(refused.status == 3 && refused.stderr.contains("../secret.txt"), "{}", refused.stderr);
    assert_eq!(workspace.run(&["verify", "herbs"]).status, 2);
    let describe = |name: &str| {
        format!(
            r#"{{"schema": "mint-sieve/pack/1", "version": "9", "form": "tar", "seed": 0, "frame": null, "splits":
            [{{"split": "train", "images": 1, "manifest": "m.csv", "files": [{{"file": "{name}", "images": 1}}]}}]}}"#
        )
    };
    workspace.write("bad/pack.json", describe("../zip/train.zip").as_bytes());
    // It is no pack then, but a folder with a file that is no image.
    assert_eq!(workspace.json(&["audit", "bad"])["collection"]["images"], 0);
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(workspace.path("zip/test.zip"), workspace.path("bad/test.zip"))
            .unwrap();
        fs::write(workspace.path("bad/pack.json"), describe("test.zip")).unwrap();
        let refused = workspace.run(&["audit", "bad"]);
        assert!(
            refused.status == 3 && refused.stderr.contains("it is not a file"),
            "{}",
            refused.stderr
        );
    }
    // An array whose manifest names other places.
    assert_eq!(
        workspace.run(&["pack", "herbs", "--to", "npy", "--as", "npy", "--frame", "8x8"]).status,
        0
    );
    let manifest = fs::read_to_string(workspace.path("npy/train-manifest.csv")).unwrap();
    let hostile = manifest.replacen("bay/001.jpg", "../../out.jpg", 1);
    fs::write(workspace.path("npy/train-manifest.csv"), hostile).unwrap();
    let audited = workspace.json(&["audit", "npy"]);
    assert_eq!(
        (&audited["collection"]["images"], &audited["collection"]["set_aside"]),
        (&17.into(), &1.into())
    );
    let array = workspace.path("npy/train-images.npy");
    let mut bytes = fs::read(&array).unwrap();
    bytes.truncate(bytes.len() - 1);
    fs::write(&array, bytes).unwrap();
    let cut = workspace.run(&["audit", "npy"]);
    assert!(cut.status == 3 && cut.stderr.contains("frames that it announces"), "{}", cut.stderr);
}

#[test]
fn the_example_reads_each_form() {
    let python = Command::new("python3").args(["-c", "import numpy"]).output();
    if !python.is_ok_and(|output| output.status.success()) {
        eprintln!("skipped: needs python3 with numpy");
        return;
    }
    let workspace = splits();
    let forms = ["tree", "zip", "tar", "shards", "npy"];
    // A class that a spreadsheet would run has the first row: in CSV its cells are guarded, in JSON Lines not.
    for (form, manifest) in forms.into_iter().flat_map(|form| [(form, "csv"), (form, "jsonl")]) {
        let frame = ["--frame", "8x8"];
        let frame = if form == "npy" { &frame[..] } else { &[] };
        let to = format!("{form}-{manifest}");
        let call =
            ["pack", "herbs", "--to", &to, "--as", form, "--example", "--manifest", manifest];
        assert_eq!(workspace.run(&[&call[..], frame].concat()).status, 0);
        let script = workspace.path(&format!("{to}/load_pack.py"));
        let output = Command::new("python3").arg(script).output().unwrap();
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let errors = String::from_utf8_lossy(&output.stderr);
        assert!(
            output.status.success() && text.contains("10 images of 2 classes"),
            "{to}: {text}{errors}"
        );
    }
}

/// Only where this build reads and writes Parquet.
#[cfg(feature = "parquet")]
#[test]
fn parquet_holds_images_and_takes_the_place_of_tables() {
    let workspace = splits();
    let call = ["pack", "herbs", "--to", "pq", "--as", "parquet", "--manifest", "parquet"];
    assert_eq!(workspace.run(&call).status, 0);
    assert_eq!(workspace.run(&["verify", "pq"]).status, 0);
    let audited = workspace.json(&["audit", "pq"]);
    assert_eq!(audited["collection"]["images"], 18);
    assert_eq!(workspace.run(&["gather", "pq", "--to", "out"]).status, 0);
    let after: std::collections::BTreeSet<Vec<u8>> = workspace.files("out").into_values().collect();
    assert!(by_content(&workspace, "herbs").keys().all(|bytes| after.contains(bytes)));
    // A manifest is a table of paths and classes as well.
    let table = ["audit", "pq/train-manifest.parquet", "--images", "herbs/train"];
    assert_eq!(workspace.json(&table)["collection"]["images"], 10);
    // One image differs, and is named; what is cut is no collection.
    let file = workspace.path("pq/train.parquet");
    let whole = fs::read(&file).unwrap();
    let image = fs::read(workspace.path("herbs/train/bay/001.jpg")).unwrap();
    let at = whole.windows(image.len()).position(|bytes| bytes == image).unwrap();
    let mut changed = whole.clone();
    changed[at + 300] ^= 1;
    fs::write(&file, changed).unwrap();
    let answer = workspace.run(&["verify", "pq", "--format", "csv"]);
    let expected =
        "code,file,image,detail\nchanged,train.parquet,,\nchanged,train.parquet,bay/001.jpg,\n";
    assert_eq!(answer.stdout, expected);
    for length in [3, 100, whole.len() / 2, whole.len() - 1] {
        fs::write(&file, &whole[..length]).unwrap();
        let cut = workspace.run(&["audit", "pq/train.parquet"]);
        assert_eq!(cut.status, 3, "{length}: {}", cut.stderr);
    }
}

/// Where it does not, that is said.
#[cfg(not(feature = "parquet"))]
#[test]
fn parquet_is_refused_by_name() {
    let workspace = splits();
    workspace.write("labels.parquet", b"PAR1 and more");
    for call in [
        &["audit", "labels.parquet"][..],
        &["pack", "herbs", "--to", "pq", "--as", "parquet"],
        &["pack", "herbs", "--to", "pq", "--manifest", "parquet"],
    ] {
        let refused = workspace.run(call);
        assert!(
            refused.status > 1 && refused.stderr.contains("--features parquet"),
            "{}",
            refused.stderr
        );
    }
    assert!(!workspace.path("pq").exists());
}

/// Only where this build reads and writes Arrow.
#[cfg(feature = "arrow")]
#[test]
fn arrow_holds_images() {
    let workspace = splits();
    assert_eq!(workspace.run(&["pack", "herbs", "--to", "ar", "--as", "arrow"]).status, 0);
    assert_eq!(workspace.run(&["verify", "ar"]).status, 0);
    assert_eq!(workspace.json(&["audit", "ar"])["collection"]["images"], 18);
    assert_eq!(workspace.run(&["gather", "ar", "--to", "out"]).status, 0);
    let after: std::collections::BTreeSet<Vec<u8>> = workspace.files("out").into_values().collect();
    assert!(by_content(&workspace, "herbs").keys().all(|bytes| after.contains(bytes)));
    let file = workspace.path("ar/train.arrow");
    let whole = fs::read(&file).unwrap();
    for length in [5, 100, whole.len() / 2, whole.len() - 1] {
        fs::write(&file, &whole[..length]).unwrap();
        let cut = workspace.run(&["audit", "ar"]);
        assert_eq!(cut.status, 3, "{length}: {}", cut.stderr);
    }
}
