//! The answer of `preview --to`.

use std::path::Path;

use serde::Serialize;
use sieve_core::files::shown_name;

use crate::console::{heading, safe};
use crate::policy_file::NamedPolicy;
use crate::present::Reply;
use crate::present::{counted, envelope, next_step};

/// What was written.
pub struct Copies<'a> {
    /// What was typed.
    pub seed: u64,
    /// The policy.
    pub policy: &'a NamedPolicy,
    /// The split they are of, where there are splits.
    pub split: Option<&'a str>,
    /// Where.
    pub to: &'a Path,
    /// Files written.
    pub written: u64,
    /// Images they were made from.
    pub images: u64,
    /// Files that are no readable images.
    pub passed_over: u64,
    /// Draws of each.
    pub draws: u32,
}

#[derive(Serialize)]
struct Settings<'a> {
    policy: &'a str,
    seed: u64,
    draws: u32,
    split: Option<&'a str>,
}

#[derive(Serialize)]
struct Body {
    folder: String,
    table: &'static str,
    written: u64,
    images: u64,
    skipped: u64,
}

/// For programs.
fn copies_json(copies: &Copies<'_>) -> String {
    let settings = Settings {
        policy: &copies.policy.name,
        seed: copies.seed,
        draws: copies.draws,
        split: copies.split,
    };
    let body = Body {
        folder: shown_name(copies.to.as_os_str()),
        table: "augmented.csv",
        written: copies.written,
        images: copies.images,
        skipped: copies.passed_over,
    };
    envelope("preview", settings, body)
}

/// For people.
fn copies_text(copies: &Copies<'_>) -> String {
    let which = copies.split.map_or("images", |_| "training images");
    let to = shown_name(copies.to.as_os_str());
    let mut text = format!(
        "{}\n{} of {} {which}, {} each; policy {}, seed {}\n",
        heading(&safe(&to)),
        counted(copies.written, "augmented copy", "augmented copies"),
        copies.images,
        counted(u64::from(copies.draws), "draw", "draws"),
        safe(&copies.policy.name),
        copies.seed,
    );
    if copies.passed_over > 0 {
        let files = counted(copies.passed_over, "file", "files");
        text.push_str(&format!("{files} skipped: unreadable (audit lists them)\n"));
    }
    text.push_str(
        "\nThe copies are for training only. augmented.csv names the source and group of each: a copy must stay in the split of its source.\n\n",
    );
    text + &next_step(
        "review the copies:",
        &["mint-sieve".as_ref(), "audit".as_ref(), copies.to.as_os_str()],
    )
}

impl Reply for Copies<'_> {
    fn text(&self) -> String {
        copies_text(self)
    }

    fn json(&self) -> String {
        copies_json(self)
    }
}
