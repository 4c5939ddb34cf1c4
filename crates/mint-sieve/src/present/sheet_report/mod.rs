//! What `sheet` says beside the sheet.

mod page;

pub use page::page;

use std::fmt::Write;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::files::shown_name;

use super::web::is_page;
use super::{ReadingSettings, command_on, counted, envelope, next_step};
use crate::config::CollectionConfig;
use crate::console::{heading, safe};
use crate::present::Reply;
use crate::requests::{SheetRequest, USUAL_SHEET_PX};

/// What was shown, and of how much.
pub struct SheetReport<'a> {
    /// What was requested.
    pub asked: &'a SheetRequest,
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
    /// Width and height of the sheet.
    pub painted_px: (u32, u32),
}

impl SheetReport<'_> {
    fn what(&self) -> String {
        let asked = self.asked;
        if asked.mean {
            let classes = counted(self.classes, "class", "classes");
            let splits = if asked.by_split { ", split by split" } else { "" };
            return format!("the mean images of {classes}{splits}");
        }
        let images = counted(self.total, "image", "images");
        let of = if !asked.codes.is_empty() {
            let codes: Vec<&str> = asked.codes.iter().map(|code| code.as_str()).collect();
            format!(" of {}", codes.join(", "))
        } else if let Some(plan) = &asked.plan {
            format!(" of the plan {}", shown_name(plan.as_os_str()))
        } else if asked.by_paths {
            " that were named".to_owned()
        } else if asked.all {
            format!(", all of {}", counted(self.classes, "class", "classes"))
        } else {
            format!(" of {}", counted(self.classes, "class", "classes"))
        };
        images + &of
    }
}

/// The line at the top of the sheet.
pub fn title(report: &SheetReport<'_>) -> String {
    let asked = report.asked;
    let order = match asked.order.name() {
        "random" => format!("seed {}", asked.seed),
        "atypical" => "least like their class first".to_owned(),
        "brightness" => "darkest first".to_owned(),
        "sharpness" => "softest first".to_owned(),
        "size" => "smallest first".to_owned(),
        order => format!("by {order}"),
    };
    let page = match report.pages {
        0 | 1 => String::new(),
        pages => format!("; page {} of {pages}", asked.page),
    };
    let name = report.catalog.collection.name();
    if asked.mean {
        return format!("{name}: {}{page}", report.what());
    }
    format!("{name}: {}; {order}{page}", report.what())
}

/// The answer for people.
fn text(report: &SheetReport<'_>) -> String {
    let asked = report.asked;
    let mut text =
        format!("{}\n{}\n", heading(&safe(&report.catalog.collection.name())), report.what());
    if let Some(out) = &asked.out {
        let page = if report.pages > 1 {
            format!(", page {} of {}", asked.page, report.pages)
        } else {
            String::new()
        };
        let shown = counted(report.shown, "cell", "cells");
        let (width_px, height_px) = report.painted_px;
        let size = if is_page(out) { String::new() } else { format!("{width_px}x{height_px}, ") };
        let out = safe(&shown_name(out.as_os_str()));
        let _ = writeln!(text, "Written: {out} ({size}{shown}{page})");
    }
    text.push('\n');
    text + &next(report)
}

/// The next page, or the next look.
fn next(report: &SheetReport<'_>) -> String {
    let asked = report.asked;
    let number = (asked.page + 1).to_string();
    let seed = (asked.seed + 1).to_string();
    let out = asked.out.clone().unwrap_or_else(|| "sheet.png".into());
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
    for class in &asked.classes {
        put(&"--class");
        put(class);
    }
    for code in &asked.codes {
        put(&"--code");
        put(&code.as_str());
    }
    if let Some(plan) = &asked.plan {
        put(&"--plan");
        put(plan);
    }
    let flags = [
        (asked.all, "--all"),
        (asked.by_split, "--by-split"),
        (asked.side_by_side, "--side-by-side"),
        (asked.mean, "--mean"),
        (asked.from_thumbnails, "--from-thumbnails"),
    ];
    flags.iter().filter(|(is_set, _)| *is_set).for_each(|(_, flag)| put(flag));
    if asked.order.name() != "random" {
        put(&"--order");
        put(&asked.order.name());
    }
    for (option, number) in [("--per-class", asked.per_class), ("--across", asked.across)] {
        if let Some(number) = number {
            put(&option);
            put(&number.to_string());
        }
    }
    if asked.size_px != USUAL_SHEET_PX {
        put(&"--size");
        put(&format!("{}x{}", asked.size_px.0, asked.size_px.1));
    }
    let (why, picture) = if report.pages > u64::from(asked.page) {
        put(&"--page");
        put(&number);
        if asked.seed > 0 {
            put(&"--seed");
            put(&asked.seed.to_string());
        }
        ("see the next page:", numbered(&number))
    } else if asked.mean
        || asked.all
        || !asked.codes.is_empty()
        || asked.plan.is_some()
        || asked.by_paths
    {
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
fn json(report: &SheetReport<'_>) -> String {
    let asked = report.asked;
    let settings = Settings {
        reading: ReadingSettings::new(report.config),
        order: asked.order.name(),
        seed: asked.seed,
        page: asked.page,
        size_px: asked.size_px,
    };
    let body = Body {
        out: asked.out.as_ref().map(|out| shown_name(out.as_os_str())),
        images: report.total,
        shown: report.shown,
        pages: report.pages,
    };
    envelope("sheet", settings, body)
}

impl Reply for SheetReport<'_> {
    fn text(&self) -> String {
        text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}
