//! The answer of `verify` about a split.

use std::fmt::Write;
use std::path::Path;

use serde::Serialize;
use sieve_core::files::shown_name;
use sieve_core::splitting::{Place, Verdict};

use crate::console::{ERROR, FAINT, heading, safe};
use crate::present::cells::listed;
use crate::present::table::written;
use crate::present::{Reply, TableReply};
use crate::present::{counted, envelope};

/// What was checked and what came of it.
pub struct Verified<'a> {
    /// The split table.
    pub table: &'a Path,
    /// Whether everything is listed.
    pub all: bool,
    /// Where the images were looked for.
    pub folder: &'a Path,
    /// What is wrong.
    pub verdict: &'a Verdict,
}

/// Problems of each kind that are named without `--all`.
const FEW: usize = 5;

/// One thing that is wrong: its code, and what it is about.
type Wrong = (&'static str, String);

impl Verified<'_> {
    /// Everything that is wrong, kind by kind.
    fn wrong(&self) -> Vec<Wrong> {
        let verdict = self.verdict;
        let mut wrong: Vec<Wrong> = Vec::new();
        let mut put = |code: &'static str, lines: Vec<String>| {
            wrong.extend(lines.into_iter().map(|line| (code, line)));
        };
        put("missing", verdict.missing.clone());
        let moved = verdict.moved.iter().map(|(place, now)| format!("{place}: now at {now}"));
        put("moved", moved.collect());
        let relabelled = verdict.relabelled.iter();
        let relabelled = relabelled.map(|(path, folder, class)| {
            format!("{path}: in the folder of {folder:?}; the table says {class:?}")
        });
        put("relabelled", relabelled.collect());
        put("class-index", verdict.class_index.clone());
        put("changed", verdict.changed.clone());
        let unreadable = verdict.unreadable.iter().map(|(path, why)| format!("{path}: {why}"));
        put("unreadable", unreadable.collect());
        put("extra", verdict.extra.clone());
        let cut =
            verdict.cut.iter().map(|(group, parts)| format!("group {group}: {}", parts.join(", ")));
        put("group-cut", cut.collect());
        put("repeated", verdict.repeated.iter().map(|paths| paths.join(" = ")).collect());
        let absent = verdict.absent.iter();
        let absent =
            absent.map(|(class, parts)| format!("{class:?} is not in {}", parts.join(", ")));
        put("class-absent", absent.collect());
        wrong
    }
}

fn title(code: &str) -> &'static str {
    match code {
        "missing" => "missing images",
        "moved" => "images whose name, class or split differs from the table",
        "relabelled" => "images whose class folder differs from the table",
        "class-index" => "the class index differs from the table",
        "changed" => "images whose contents changed",
        "unreadable" => "files that cannot be read",
        "extra" => "files that are not in the table",
        "group-cut" => "groups that span several splits",
        "repeated" => "identical files in several splits",
        _ => "classes missing from a split although they have enough groups",
    }
}

/// For people.
fn text(answer: &Verified<'_>) -> String {
    let &Verified { table, all, verdict, .. } = answer;
    let table = shown_name(table.as_os_str());
    let parts: Vec<String> =
        verdict.parts.iter().map(|(part, images)| format!("{part} {images}")).collect();
    let place = match verdict.place {
        Some(Place::Tree) => "in split folders",
        _ => "in their original places",
    };
    let mut text = format!(
        "{}\n{}: {}\nsearched in {}, {place}\n",
        heading(&safe(&table)),
        counted(verdict.images, "image", "images"),
        safe(&parts.join(", ")),
        safe(&shown_name(answer.folder.as_os_str())),
    );
    let wrong = answer.wrong();
    for same in wrong.chunk_by(|a, b| a.0 == b.0) {
        let (code, _) = &same[0];
        let _ = writeln!(text, "\n{ERROR}{code}{ERROR:#} ({}): {}", same.len(), title(code));
        let shown = if all { same.len() } else { listed(same.len(), FEW) };
        for (_, line) in same.iter().take(shown) {
            let _ = writeln!(text, "  {}", safe(line));
        }
        if same.len() > shown {
            let _ = writeln!(text, "  ... {} more (--all)", same.len() - shown);
        }
    }
    text.push('\n');
    if !verdict.unlisted.is_empty() {
        let images = counted(verdict.unlisted.len() as u64, "image is", "images are");
        let _ = writeln!(
            text,
            "{FAINT}{images} not in the table: left out of the split, or added since.{FAINT:#}"
        );
    }
    for (class, parts) in verdict.thin.iter().take(FEW) {
        let parts = safe(&parts.join(", "));
        let _ =
            writeln!(text, "{FAINT}{:?} has too few groups to be in {parts} too.{FAINT:#}", class);
    }
    if wrong.is_empty() {
        text.push_str(&heading(
            "Every image is in its place with its class and contents; no group or content spans two splits.",
        ));
        text.push('\n');
    }
    text
}

#[derive(Serialize)]
struct Settings {
    table: String,
    folder: String,
}

#[derive(Serialize)]
struct Body<'a> {
    is_sound: bool,
    images: u64,
    splits: Vec<Split<'a>>,
    layout: &'static str,
    problems: Vec<Entry>,
    unlisted: &'a [String],
    thin: Vec<Thin<'a>>,
}

#[derive(Serialize)]
struct Split<'a> {
    split: &'a str,
    images: u64,
}

#[derive(Serialize)]
struct Entry {
    code: &'static str,
    message: String,
}

#[derive(Serialize)]
struct Thin<'a> {
    class: &'a str,
    missing_from: &'a [String],
}

/// For programs.
fn json(answer: &Verified<'_>) -> String {
    let verdict = answer.verdict;
    let settings = Settings {
        table: shown_name(answer.table.as_os_str()),
        folder: shown_name(answer.folder.as_os_str()),
    };
    let splits = verdict.parts.iter();
    let body = Body {
        is_sound: verdict.is_sound(),
        images: verdict.images,
        splits: splits.map(|(split, images)| Split { split, images: *images }).collect(),
        layout: match verdict.place {
            Some(Place::Tree) => "tree",
            _ => "source",
        },
        problems: answer
            .wrong()
            .into_iter()
            .map(|(code, message)| Entry { code, message })
            .collect(),
        unlisted: &verdict.unlisted,
        thin: verdict
            .thin
            .iter()
            .map(|(class, missing_from)| Thin { class, missing_from })
            .collect(),
    };
    envelope("verify", settings, body)
}

/// One row for each thing that is wrong.
fn csv(answer: &Verified<'_>) -> String {
    let rows = answer.wrong().into_iter().map(|(code, message)| [code.to_owned(), message]);
    written(&["code", "message"], rows)
}

impl Reply for Verified<'_> {
    fn text(&self) -> String {
        text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}

impl TableReply for Verified<'_> {
    fn csv(&self) -> String {
        csv(self)
    }
}
