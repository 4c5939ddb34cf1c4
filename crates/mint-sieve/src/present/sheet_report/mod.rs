//! What `sheet` says beside the sheet.

mod page;

pub use page::page;

use std::fmt::Write;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::files::shown_name;

use super::web::is_page;
use super::{ReadingSettings, command_on, counted, envelope, next_step};
use crate::args::SheetArgs;
use crate::config::CollectionConfig;
use crate::console::{heading, safe};

/// What was shown, and of how much.
pub struct SheetReport<'a> {
    /// What was typed.
    pub args: &'a SheetArgs,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// Classes that were wanted.
    pub classes: u64,
    /// Images on the page.
    pub shown: u64,
    /// Images on all pages.
    pub total: u64,
    /// Pages.
    pub pages: u64,
}

impl SheetReport<'_> {
    fn what(&self) -> String {
        let args = self.args;
        if args.mean {
            let classes = counted(self.classes, "class", "classes");
            let splits = if args.by_split { ", split by split" } else { "" };
            return format!("the mean images of {classes}{splits}");
        }
        let images = counted(self.total, "image", "images");
        let of = if !args.codes.is_empty() {
            let codes: Vec<&str> = args.codes.iter().map(|code| code.as_str()).collect();
            format!(" of {}", codes.join(", "))
        } else if let Some(plan) = &args.plan {
            format!(" of the plan {}", shown_name(plan.as_os_str()))
        } else if args.paths {
            " that were named".to_owned()
        } else if args.all {
            format!(", all of {}", counted(self.classes, "class", "classes"))
        } else {
            format!(" of {}", counted(self.classes, "class", "classes"))
        };
        images + &of
    }
}

/// The line at the top of the sheet.
pub fn title(report: &SheetReport<'_>) -> String {
    let args = report.args;
    let order = match args.order.name() {
        "random" => format!("seed {}", args.seed),
        "atypical" => "least like their class first".to_owned(),
        "brightness" => "darkest first".to_owned(),
        "sharpness" => "softest first".to_owned(),
        "size" => "smallest first".to_owned(),
        order => format!("by {order}"),
    };
    let page = match report.pages {
        0 | 1 => String::new(),
        pages => format!("; page {} of {pages}", args.page),
    };
    let name = report.catalog.collection.name();
    if args.mean {
        return format!("{name}: {}{page}", report.what());
    }
    format!("{name}: {}; {order}{page}", report.what())
}

/// The answer for people.
pub fn text(report: &SheetReport<'_>, size: (u32, u32)) -> String {
    let args = report.args;
    let mut text =
        format!("{}\n{}\n", heading(&safe(&report.catalog.collection.name())), report.what());
    if let Some(out) = &args.out {
        let page = if report.pages > 1 {
            format!(", page {} of {}", args.page, report.pages)
        } else {
            String::new()
        };
        let shown = counted(report.shown, "cell", "cells");
        let size = if is_page(out) { String::new() } else { format!("{}x{}, ", size.0, size.1) };
        let out = safe(&shown_name(out.as_os_str()));
        let _ = writeln!(text, "Written: {out} ({size}{shown}{page})");
    }
    text.push('\n');
    text + &next(report)
}

/// The next page, or the next look.
fn next(report: &SheetReport<'_>) -> String {
    let args = report.args;
    let number = (args.page + 1).to_string();
    let seed = (args.seed + 1).to_string();
    let out = args.out.clone().unwrap_or_else(|| "sheet.png".into());
    let numbered = |number: &str| {
        let stem = out.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let ending = if is_page(&out) { "html" } else { "png" };
        out.with_file_name(format!(
            "{}-{number}.{ending}",
            stem.trim_end_matches(|c: char| c == '-' || c.is_ascii_digit())
        ))
    };
    let mut words: Vec<std::ffi::OsString> = Vec::new();
    let mut put = |word: &dyn AsRef<std::ffi::OsStr>| words.push(word.as_ref().to_owned());
    for class in &args.classes {
        put(&"--class");
        put(class);
    }
    for code in &args.codes {
        put(&"--code");
        put(&code.as_str());
    }
    if let Some(plan) = &args.plan {
        put(&"--plan");
        put(plan);
    }
    let flags = [
        (args.all, "--all"),
        (args.by_split, "--by-split"),
        (args.side_by_side, "--side-by-side"),
        (args.mean, "--mean"),
    ];
    flags.iter().filter(|(is_set, _)| *is_set).for_each(|(_, flag)| put(flag));
    if args.order.name() != "random" {
        put(&"--order");
        put(&args.order.name());
    }
    let (why, picture) = if report.pages > u64::from(args.page) {
        put(&"--page");
        put(&number);
        if args.seed > 0 {
            put(&"--seed");
            put(&args.seed.to_string());
        }
        ("see the next page:", numbered(&number))
    } else if args.mean || args.all || !args.codes.is_empty() || args.plan.is_some() || args.paths {
        let words = command_on(report.config, "audit", &[]);
        return next_step("audit the collection:", &words);
    } else {
        put(&"--seed");
        put(&seed);
        ("see other images:", numbered(&seed))
    };
    put(&"--out");
    put(&picture);
    let options: Vec<&dyn AsRef<std::ffi::OsStr>> =
        words.iter().map(|word| word as &dyn AsRef<std::ffi::OsStr>).collect();
    next_step(why, &command_on(report.config, "sheet", &options))
}

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    order: &'static str,
    seed: u64,
    page: u32,
    size_px: (u32, u32),
}

#[derive(Serialize)]
struct Body {
    out: Option<String>,
    images: u64,
    shown: u64,
    pages: u64,
}

/// The answer as JSON.
pub fn json(report: &SheetReport<'_>) -> String {
    let args = report.args;
    let settings = Settings {
        reading: ReadingSettings::new(report.config),
        order: args.order.name(),
        seed: args.seed,
        page: args.page,
        size_px: args.size,
    };
    let body = Body {
        out: args.out.as_ref().map(|out| shown_name(out.as_os_str())),
        images: report.total,
        shown: report.shown,
        pages: report.pages,
    };
    envelope("sheet", settings, body)
}
