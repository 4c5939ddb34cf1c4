//! The file itself: found, read, checked.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use serde::Deserialize;
use sieve_core::bounded_read;
use sieve_core::collection::{Root, SETTINGS_FILE, SplitFolders};
use sieve_core::finding::Code;
use sieve_core::suppression::{Paths, Suppression};

use super::words::split_folders;
use crate::failure::Failure;

/// What is set for a collection beside the command line.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    /// The file that says so, if there is one.
    pub file: Option<PathBuf>,
    /// Which folders are splits.
    pub splits: Option<SplitFolders>,
    /// Limits of findings by name; not checked yet.
    pub limits: BTreeMap<String, f64>,
    /// Findings that are accepted.
    pub suppressions: Vec<Suppression>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Written {
    splits: Option<Words>,
    limits: BTreeMap<String, f64>,
    suppress: Vec<Accepted>,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum Words {
    One(String),
    Many(Vec<String>),
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Accepted {
    code: Option<String>,
    class: Option<String>,
    path: Option<String>,
    reason: String,
}

impl Settings {
    /// The settings for a collection: those in `config`, or in the nearest file of the usual name in
    /// the folder of the first root or above it.
    pub fn load(roots: &[Root], config: Option<&Path>) -> Result<Self, Failure> {
        match config {
            Some(file) => Self::read(file),
            None => roots
                .first()
                .and_then(|root| found_upward(&root.path))
                .map_or_else(|| Ok(Settings::default()), |file| Self::read(&file)),
        }
    }

    fn read(file: &Path) -> Result<Self, Failure> {
        let shown = file.display();
        let text =
            bounded_read::read_text(file, bounded_read::MOST_SETTINGS_BYTES).map_err(|reason| {
                Failure::input(format!("the settings {shown} cannot be read: {reason}"))
            })?;
        let written: Written = toml::from_str(&text).map_err(|error| {
            let line = error.span().map_or(String::new(), |span| {
                format!(", line {}", text[..span.start].matches('\n').count() + 1)
            });
            // The types of the language mean nothing to a reader.
            let message = error.message().replace("f64", "a number").replace('\n', ", ");
            let message = bounded_read::echoed(&message);
            Failure::call(format!("{shown}{line}: {message}"))
                .hint("Expected splits, [limits] and [[suppress]] (docs/settings.md).")
        })?;
        let splits = match written.splits {
            None => None,
            Some(Words::One(word)) => Some(word),
            Some(Words::Many(words)) => Some(words.join(",")),
        };
        let wrong = |what: &str, why: String| Failure::call(format!("{shown}: {what}: {why}"));
        let splits = splits.map(|words| split_folders(&words)).transpose();
        let suppressions = written.suppress.into_iter().zip(1..);
        let suppressions = suppressions.map(|(accepted, number)| {
            suppression(accepted)
                .map_err(|why| wrong(&format!("[[suppress]] number {number}"), why))
        });
        Ok(Settings {
            file: Some(file.to_path_buf()),
            splits: splits.map_err(|why| wrong("splits", why))?,
            limits: written.limits,
            suppressions: suppressions.collect::<Result<_, _>>()?,
        })
    }
}

fn suppression(accepted: Accepted) -> Result<Suppression, String> {
    let Accepted { code, class, path, reason } = accepted;
    if code.is_none() && class.is_none() && path.is_none() {
        return Err("expected a code, a class or a path".to_owned());
    }
    if reason.trim().is_empty() {
        return Err("expected a reason, so that others can understand it later".to_owned());
    }
    let code =
        code.map(|name| Code::parse(&name).map_err(|problem| format!("{name:?}: {problem}")));
    let paths = path.map(|pattern| {
        Paths::like(&pattern)
            .map_err(|why| format!("{pattern:?} is not a valid path pattern: {why}"))
    });
    Ok(Suppression { code: code.transpose()?, class, paths: paths.transpose()?, reason })
}

/// The nearest file of the usual name at or above `root`.
fn found_upward(root: &Path) -> Option<PathBuf> {
    let start = std::path::absolute(root).ok()?;
    let start = start.canonicalize().unwrap_or(start);
    let here = std::env::current_dir().ok().and_then(|here| here.canonicalize().ok());
    let mut found =
        start.ancestors().map(|folder| folder.join(SETTINGS_FILE)).filter(|file| file.is_file());
    let file = found.next()?;
    // Below the current folder it is shown as a person would write it.
    let short = here.and_then(|here| file.strip_prefix(here).ok().map(Path::to_path_buf));
    Some(short.unwrap_or(file))
}
