//! PRESENTING: answers as text for people and as JSON or CSV for programs.

pub mod audit;
pub mod balance;
mod cells;
pub mod chart;
mod confusion;
pub mod coverage;
pub mod duplicates;
mod excluded;
mod findings;
mod json;
mod judging;
pub mod leakage;
pub mod limits;
pub mod nearest;
mod next;
pub mod outliers;
pub mod pack;
pub mod policy;
pub mod preview;
mod reading;
mod remark;
pub mod repair;
mod reply;
pub mod report;
pub mod review;
pub mod scale;
pub mod sheet;
pub mod sheet_report;
pub mod shortcuts;
pub mod skipped;
pub mod split;
mod table;
pub mod trial;
pub mod verify;
pub mod web;

pub use cells::visible;
pub use json::{envelope, in_json};
pub use judging::JudgingSettings;
pub use next::{command_line, next_step, pack_folder, repaired_folder, sheet_file, splits_folder};
pub use reading::{
    ReadingSettings, absolute_collection_words, access_words, collection_words, command_on,
};
pub use reply::{Reply, TableReply};
pub use table::written;

use sieve_core::duplicates::{DuplicateReport, Reach, SimilarityThreshold};
use sieve_core::independent::Independent;
use sieve_core::measuring::SMALL_SIDE_PX;

/// A number with the word for what is counted, in the plural where it is not one.
pub fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}

/// How many images there are for all that can be learned from them, and what the others are.
pub fn independent_images(independent: Independent) -> String {
    let Independent { images, copies, frames_by_time, frames_by_name } = independent;
    let frames = frames_by_time + frames_by_name;
    let less: Vec<String> = [
        (copies, counted(copies, "duplicate", "duplicates")),
        (frames, counted(frames, "burst frame", "burst frames")),
    ]
    .into_iter()
    .filter_map(|(count, what)| (count > 0).then_some(what))
    .collect();
    let independent = counted(images, "independent image", "independent images");
    match less[..] {
        [] => independent,
        _ => format!("{independent} ({} minus {})", images + copies + frames, less.join(" and ")),
    }
}

/// The line that says how similar unrelated images get; empty where the search did not estimate that.
pub fn how_alike(found: &DuplicateReport<'_>) -> String {
    match found.level {
        None => String::new(),
        Some(SimilarityThreshold { correlation, is_estimated: true }) => {
            format!("unrelated images here correlate up to {correlation:.2}\n")
        }
        Some(SimilarityThreshold { correlation, .. }) => format!(
            "too few images to estimate the similarity of unrelated ones; assuming {correlation:.2}\n"
        ),
    }
}

/// The line that counts the images that are too small for the whole comparison; empty where there are none.
pub fn small_images(found: &DuplicateReport<'_>) -> String {
    if found.small == 0 || found.reach == Reach::Exact {
        return String::new();
    }
    let how = match found.reach {
        Reach::Wide => "at full size only (no crops, borders or tilts)",
        _ => "by bytes and pixels only",
    };
    format!(
        "{} a side below {SMALL_SIDE_PX} pixels, compared {how}\n",
        counted(found.small, "image has", "images have"),
    )
}
