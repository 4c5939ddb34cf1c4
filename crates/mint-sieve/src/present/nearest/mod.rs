//! What `nearest` says.

use std::ffi::{OsStr, OsString};
use std::fmt::Write;
use std::path::Path;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::csv_escape;
use sieve_core::duplicates::{Kind, Neighbour};
use sieve_core::files::shown_name;
use sieve_core::measuring::Measured;

use crate::config::CollectionConfig;
use crate::console::{Align, FAINT, Narrow};
use crate::console::{heading, safe};
use crate::present::duplicates::lie_on_each_other;
use crate::present::sheet::{Labelled, Role, TileRow};
use crate::present::table::{Table, written};
use crate::present::{ReadingSettings, collection_words, command_on, envelope, next_step};
use crate::present::{Reply, TableReply};

/// What was asked and what was found.
pub struct Nearest<'a> {
    /// The file of the image that is compared.
    pub file: &'a Path,
    /// How many images were asked for.
    pub count: u32,
    /// The vectors that images were compared by; none for what the catalog holds.
    pub vectors: Option<&'a Path>,
    /// Whether a sheet was written.
    pub has_sheet: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is known of it.
    pub catalog: &'a Catalog,
    /// The image that was asked for.
    pub image: &'a Measured,
    /// The images that are most like it.
    pub found: &'a [Neighbour<'a>],
}

impl Nearest<'_> {
    fn image_name(&self) -> String {
        shown_name(self.file.as_os_str())
    }
}

fn kind(alike: &Neighbour<'_>) -> &'static str {
    alike.kind.map_or("-", Kind::name)
}

/// For people.
fn text(answer: &Nearest<'_>) -> String {
    let found = answer.found;
    let collection = safe(&answer.catalog.collection.name());
    let mut text = format!("{} in {collection}\n", heading(&safe(&answer.image_name())));
    let same = found.iter().filter(|a| a.kind.is_some_and(Kind::is_duplicate)).count();
    let message = match same {
        0 => "no duplicates found; these are the most similar images".to_owned(),
        1 => "1 duplicate found; the others are the next most similar images".to_owned(),
        _ => format!("{same} duplicates found; the others are the next most similar images"),
    };
    let _ = writeln!(text, "{message}\n");
    let mut classes: Vec<(&str, usize)> = Vec::new();
    for class in found.iter().filter_map(|alike| alike.image.record.class()) {
        match classes.iter_mut().find(|(known, _)| *known == class) {
            Some((_, count)) => *count += 1,
            None => classes.push((class, 1)),
        }
    }
    let with_splits = found.iter().any(|alike| alike.image.record.split().is_some());
    let mut head: Vec<String> = ["", "image", "class"].map(str::to_owned).to_vec();
    let mut columns = vec![Align::Right, Align::Left, Align::Left];
    if with_splits {
        head.push("split".to_owned());
        columns.push(Align::Left);
    }
    head.extend(["kind", "score", "similarity"].map(str::to_owned));
    columns.extend([Align::Left, Align::Right, Align::Right]);
    let mut rows = vec![head];
    for (number, alike) in (1..).zip(found) {
        let record = alike.image.record;
        let class = record.class().unwrap_or("-").to_owned();
        let mut row = vec![number.to_string(), record.path.to_string(), class];
        if with_splits {
            row.push(record.split().unwrap_or("-").to_owned());
        }
        row.extend([
            kind(alike).to_owned(),
            // An image of which nothing says that it is a copy has no score.
            alike.kind.map_or("-".to_owned(), |_| format!("{:.3}", alike.score)),
            format!("{:.3}", alike.likeness),
        ]);
        rows.push(row);
    }
    text.push_str(&Table::new(&columns, rows).text(Narrow::Drop(&["similarity", "split"])));
    classes.sort_by_key(|&(class, count)| (std::cmp::Reverse(count), class));
    let counts: Vec<String> = classes.iter().map(|(class, n)| format!("{class} {n}")).collect();
    let _ = writeln!(text, "\nclasses: {}", safe(&counts.join(", ")));
    let _ = writeln!(
        text,
        "{FAINT}Score: probability that both are copies of one image. Similarity: {}, at most 1.{FAINT:#}\n",
        if answer.vectors.is_some() { "of the vectors" } else { "visual similarity" },
    );
    if !answer.has_sheet {
        let image: &OsStr = answer.file.as_os_str();
        let mut words: Vec<OsString> = ["mint-sieve", "nearest"].map(OsString::from).to_vec();
        words.extend([image.to_owned(), "--in".into()]);
        words.extend(collection_words(answer.config));
        if let Some(file) = answer.vectors {
            words.extend(["--vectors".into(), file.as_os_str().to_owned()]);
        }
        words.extend(["--sheet", "nearest.png"].map(OsString::from));
        text.push_str(&next_step("draw a contact sheet of them:", &words));
    } else {
        let words = command_on(answer.config, "duplicates", &[]);
        text.push_str(&next_step("find all duplicates:", &words));
    }
    text
}

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    image: String,
    count: u32,
}

#[derive(Serialize)]
struct Body<'a> {
    image: Asked,
    nearest: Vec<Image<'a>>,
}

#[derive(Serialize)]
struct Asked {
    width_px: u32,
    height_px: u32,
    digest: String,
}

#[derive(Serialize)]
struct Image<'a> {
    path: &'a str,
    class: Option<&'a str>,
    split: Option<&'a str>,
    width_px: u32,
    height_px: u32,
    size_bytes: u64,
    kind: Option<&'static str>,
    score: f32,
    likeness: f32,
}

/// For programs. The fields are a contract: see docs/formats.md.
fn json(answer: &Nearest<'_>) -> String {
    let settings = Settings {
        reading: ReadingSettings::new(answer.config),
        image: answer.image_name(),
        count: answer.count,
    };
    let nearest = answer.found.iter().map(|alike| {
        let (record, facts) = (alike.image.record, &alike.image.measured.facts);
        Image {
            path: record.path.as_str(),
            class: record.class(),
            split: record.split(),
            width_px: facts.width_px,
            height_px: facts.height_px,
            size_bytes: record.size_bytes,
            kind: alike.kind.map(Kind::name),
            score: alike.score,
            likeness: alike.likeness,
        }
    });
    let facts = &answer.image.facts;
    let image = Asked {
        width_px: facts.width_px,
        height_px: facts.height_px,
        digest: answer.image.digest.to_string(),
    };
    envelope("nearest", settings, Body { image, nearest: nearest.collect() })
}

/// One line an image.
fn csv(answer: &Nearest<'_>) -> String {
    let rows = answer.found.iter().map(|alike| {
        let record = alike.image.record;
        let name = |name: Option<&str>| name.unwrap_or_default().to_owned();
        [
            csv_escape::of_path(&record.path),
            name(record.class()),
            name(record.split()),
            name(alike.kind.map(Kind::name)),
            format!("{:.4}", alike.score),
            format!("{:.4}", alike.likeness),
        ]
    });
    written(&["path", "class", "split", "kind", "score", "likeness"], rows)
}

/// The line at the top of the sheet.
pub fn title(answer: &Nearest<'_>) -> String {
    format!("most similar to {} in {}", answer.image_name(), answer.catalog.collection.name())
}

/// The image that was asked for, and those that were found, whose pixels are still to be read.
pub fn rows(answer: &Nearest<'_>) -> Vec<TileRow> {
    let facts = &answer.image.facts;
    let requested = Labelled {
        record: None,
        pixels: None,
        lines: [
            answer.image_name(),
            "query".into(),
            format!("{}x{}", facts.width_px, facts.height_px),
        ],
        is_marked: true,
        role: Role::Reference,
        places: Vec::new(),
    };
    let found = answer.found.iter().map(|alike| {
        let record = alike.image.record;
        let places = [record.split(), record.class()].into_iter().flatten();
        Labelled {
            record: Some((alike.image.collection, alike.image.index)),
            pixels: None,
            lines: [
                places.collect::<Vec<_>>().join(" / "),
                record.path.file_name().to_owned(),
                format!(
                    "{}similarity {:.3}",
                    alike.kind.map_or(String::new(), |kind| format!("{}, ", kind.name())),
                    alike.likeness
                ),
            ],
            is_marked: false,
            role: match alike.kind {
                Some(kind) if lie_on_each_other(kind) => Role::Compared,
                _ => Role::Alone,
            },
            places: Vec::new(),
        }
    });
    vec![
        TileRow { head: "query".to_owned(), tiles: vec![requested] },
        TileRow { head: "nearest first".to_owned(), tiles: found.collect() },
    ]
}

impl Reply for Nearest<'_> {
    fn text(&self) -> String {
        text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}

impl TableReply for Nearest<'_> {
    fn csv(&self) -> String {
        csv(self)
    }
}
