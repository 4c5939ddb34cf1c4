//! Parts measured on their own, merged and exported: the same answers as from one run, and no part is believed unchecked.

mod support;

use std::collections::BTreeSet;
use std::fs;

use serde_json::Value;
use support::Workspace;

/// Measures `herbs` in `of` parts, each with a cache of its own, as machines would.
fn in_parts(workspace: &Workspace, of: u32) -> Vec<String> {
    let names: Vec<String> = (1..=of).map(|number| format!("part-{number:02}.jsonl")).collect();
    for (number, name) in (1..).zip(&names) {
        let part = format!("{number}/{of}");
        workspace.message(&["measure", "herbs", "--part", &part, "--to", name]);
    }
    names
}

fn merge(workspace: &Workspace, parts: &[String], to: &str) -> support::Answer {
    let words = ["merge"].into_iter().chain(parts.iter().map(String::as_str)).chain(["--to", to]);
    workspace.run(&words.collect::<Vec<&str>>())
}

#[test]
fn parts_answer_as_one_run_does_and_nothing_is_read_again() {
    let workspace = Workspace::faulty();
    let first = ["measure", "herbs", "--part", "1/5", "--to", "first.jsonl"];
    insta::assert_snapshot!(workspace.message(&first));
    let parts = in_parts(&workspace, 5);
    // Another run of the same part writes the same bytes, whatever it remembers.
    let bytes = |name: &str| fs::read(workspace.path(name)).unwrap();
    assert_eq!(bytes("first.jsonl"), bytes("part-01.jsonl"));
    let merged = merge(&workspace, &parts, "herbs.catalog");
    assert_eq!((merged.status, merged.stderr.as_str()), (0, ""));
    insta::assert_snapshot!(merged.stdout);
    for words in [["audit", "herbs"], ["duplicates", "herbs"], ["balance", "herbs"]] {
        let words = [&words[..], &["--format", "json"]].concat();
        let one = workspace.run(&[&words[..], &["--no-catalog"]].concat());
        let all = workspace.run(&[&words[..], &["--catalog", "herbs.catalog", "-v"]].concat());
        assert!(!one.stdout.is_empty() && one.stdout == all.stdout, "{words:?}");
        assert!(all.stderr.contains("read=0"), "{}", all.stderr);
    }
    // The images that were measured are those of the listing, each in one part.
    let paths: Vec<String> = parts
        .iter()
        .flat_map(|part| {
            let text = fs::read_to_string(workspace.path(part)).unwrap();
            text.lines().skip(1).map(str::to_owned).collect::<Vec<_>>()
        })
        .map(|line| serde_json::from_str::<Value>(&line).unwrap()["path"].to_string())
        .collect();
    assert_eq!(paths.iter().collect::<BTreeSet<_>>().len(), paths.len());
}

#[test]
fn parts_that_do_not_go_together_are_named() {
    let workspace = Workspace::healthy();
    let parts = in_parts(&workspace, 3);
    let because = |parts: &[&str]| {
        let parts: Vec<String> = parts.iter().map(|part| (*part).to_owned()).collect();
        let answer = merge(&workspace, &parts, "herbs.catalog");
        assert_eq!((answer.status, answer.stdout.as_str()), (3, ""));
        answer.stderr
    };
    let text = fs::read_to_string(workspace.path(&parts[1])).unwrap();
    let (head, rows) = text.split_once('\n').unwrap();
    let row = rows.lines().next().unwrap();
    let cases = [
        ("version.jsonl", text.replacen("\"measuring_version\":", "\"measuring_version\":9", 1)),
        ("limits.jsonl", text.replacen("\"limits\":[", "\"limits\":[7,", 1)),
        ("stranger.jsonl", format!("{head}\n{}\n", row.replacen("\"path\":\"", "\"path\":\"x", 1))),
        ("count.jsonl", text.replacen("\"of\":3", "\"of\":4", 1)),
        ("cut.jsonl", text[..text.len() - 40].to_owned()),
        (
            "cell.jsonl",
            format!(
                "{head}\n{}\n",
                row.replacen("\"size_bytes\":", "\"size_bytes\":\"x\",\"y\":", 1)
            ),
        ),
        ("table.jsonl", "{\"path\":\"a.jpg\"}\n".to_owned()),
    ];
    let mut said = String::new();
    for (name, text) in &cases {
        workspace.write(name, text.as_bytes());
        said.push_str(&because(&[&parts[0], name, &parts[2]]));
    }
    said.push_str(&because(&[&parts[0], &parts[1]]));
    said.push_str(&because(&[&parts[0], &parts[1], &parts[2], &parts[0]]));
    said.push_str(&because(&[&parts[0], "missing.jsonl"]));
    insta::assert_snapshot!(said);
    assert!(!workspace.names().iter().any(|name| name.contains("catalog")));
    let part = workspace.run(&["measure", "herbs", "--part", "4/3", "--to", "x.jsonl"]);
    assert_eq!(part.status, 2);
    let csv = workspace.run(&["measure", "herbs", "--part", "1/3", "--to", "x.csv"]);
    assert_eq!(csv.status, 2);
}

#[test]
fn what_a_part_says_is_not_believed_where_it_cannot_be() {
    let workspace = Workspace::healthy();
    let parts = in_parts(&workspace, 1);
    let text = fs::read_to_string(workspace.path(&parts[0])).unwrap();
    let expected = workspace.message(&["audit", "herbs", "--format", "json", "--no-catalog"]);
    // A digest that is none, and a number where a word stands: both files are read again.
    let lines = text.lines().enumerate().map(|(number, line)| match number {
        1 => line.replacen("\"digest\":\"", "\"digest\":\"zz", 1),
        2 => line.replacen("\"format\":\"jpeg\"", "\"format\":\"drawing\"", 1).replacen(
            "\"format\":\"JPEG\"",
            "\"format\":\"drawing\"",
            1,
        ),
        _ => line.to_owned(),
    });
    let changed: String = lines.map(|line| line + "\n").collect();
    assert_ne!(changed, text);
    workspace.write("changed.jsonl", changed.as_bytes());
    assert_eq!(merge(&workspace, &["changed.jsonl".to_owned()], "herbs.catalog").status, 0);
    let answer =
        workspace.run(&["audit", "herbs", "--format", "json", "--catalog", "herbs.catalog", "-v"]);
    assert_eq!(answer.stdout, expected);
    assert!(answer.stderr.contains("read=2"), "{}", answer.stderr);
}

#[test]
fn an_export_has_a_row_for_each_image_in_every_format() {
    let workspace = Workspace::faulty();
    insta::assert_snapshot!(workspace.message(&[
        "catalog",
        "export",
        "herbs",
        "--to",
        "herbs.csv"
    ]));
    workspace.message(&["catalog", "export", "herbs", "--to", "herbs.jsonl", "--thumbnails"]);
    let audit = workspace.json(&["audit", "herbs"]);
    let mut table = csv::Reader::from_path(workspace.path("herbs.csv")).unwrap();
    let head = table.headers().unwrap().clone();
    let rows: Vec<csv::StringRecord> = table.records().map(Result::unwrap).collect();
    assert_eq!(rows.len() as u64, audit["collection"]["images"].as_u64().unwrap());
    let text = fs::read_to_string(workspace.path("herbs.jsonl")).unwrap();
    for (row, line) in rows.iter().zip(text.lines()) {
        let object: Value = serde_json::from_str(line).unwrap();
        for (name, cell) in head.iter().zip(row) {
            let value = match &object[name] {
                Value::Null => String::new(),
                Value::String(text) => text.clone(),
                number => number.to_string(),
            };
            // Measures are numbers of 32 bits; JSON is read with less care than CSV in the last bit of 64.
            let is_same_number = cell.parse::<f32>().is_ok_and(|one| value.parse() == Ok(one));
            assert!(cell == value || is_same_number, "{name}: {cell} {value}");
        }
        assert_eq!(object["thumbnail"].as_str().unwrap().len(), 2 * 2816);
    }
    // The manual names every column.
    let manual =
        fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/scale.md")).unwrap();
    for name in head.iter().chain(["thumbnail"]) {
        assert!(manual.contains(&format!("`{name}`")), "{name} is not in docs/scale.md");
    }
}

#[test]
fn a_table_of_digests_is_split_as_the_images_are() {
    let workspace = Workspace::new();
    let mut table = "path,class,group\n".to_owned();
    for number in 0..120u32 {
        let class = ["bay", "=sage", "dill"][(number * number) as usize % 7 % 3];
        let name = format!("images/{number:03}.jpg");
        // Every ninth image is there twice, one of them under another class.
        let tone = if number % 9 == 4 { number - 3 } else { number };
        workspace.write(&name, &support::jpeg(tone));
        let group = if number % 5 == 0 { format!("tray {}", number / 20) } else { String::new() };
        table.push_str(&format!("{name},\"{class}\",{group}\n"));
    }
    workspace.write("herbs.csv", table.as_bytes());
    workspace.message(&["catalog", "export", "herbs.csv", "--to", "exported.csv"]);
    workspace.message(&["catalog", "export", "herbs.csv", "--to", "exported.jsonl"]);
    let parts = ["--parts", "train=60%,test=40%", "--seed", "7"];
    for seed_and_parts in [&parts[..], &[]] {
        let words = |start: &[&'static str], out: &'static str| {
            [start, seed_and_parts, &["--out", out]].concat()
        };
        let whole = words(&["split", "herbs.csv", "--reach", "exact"], "whole.csv");
        workspace.message(&whole);
        let said = workspace.message(&words(&["catalog", "split", "exported.csv"], "table.csv"));
        workspace.message(&words(&["catalog", "split", "exported.jsonl"], "lines.csv"));
        let read = |name: &str| {
            let text = fs::read_to_string(workspace.path(name)).unwrap();
            fs::remove_file(workspace.path(name)).unwrap();
            text
        };
        let table = read("table.csv");
        assert_eq!(read("whole.csv"), table);
        assert_eq!(read("lines.csv"), table);
        if seed_and_parts.is_empty() {
            insta::assert_snapshot!(said);
        }
    }
    let wrong = |text: &str| {
        workspace.write("wrong.csv", text.as_bytes());
        let answer = workspace.run(&["catalog", "split", "wrong.csv", "--out", "out.csv"]);
        assert_eq!((answer.status, workspace.path("out.csv").exists()), (3, false));
        answer.stderr
    };
    let digest = "0".repeat(64);
    let said = [
        wrong("path,class\na,b\n"),
        wrong("path,class,digest\na,b,c\n"),
        wrong(&format!("path,class,digest\nb,x,{digest}\na,x,{digest}\nb,x,{digest}\n")),
        wrong(&format!("path,class,digest\nb,,{digest}\n")),
    ];
    insta::assert_snapshot!(said.concat());
}
