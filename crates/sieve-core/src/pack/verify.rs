//! Whether a pack is still what it was: every byte of every file.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Read;
use std::path::Path;

use rayon::prelude::*;
use serde::Serialize;

use super::checksums::{self, Sha256Sum};
use super::manifest::CHECKSUMS;
use super::{Form, PACK_FILE, PackFile};
use crate::bounded_read::{MOST_SETTINGS_BYTES, MOST_TABLE_BYTES};
use crate::collection::{self, EntryKind, Located, NoCache, Request, read_manifest};
use crate::files::{FileKind, InsidePath, Root, native_of_bytes, shown_name};
use crate::progress::Progress;
use crate::reading::ReadLimits;
use crate::{Error, io_reason};

/// What became of a pack.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct PackVerdict {
    /// How it is packed; none where that is not known.
    pub form: Option<Form>,
    /// Files that its checksums name.
    pub files: u64,
    /// Their bytes that were read.
    pub bytes: u64,
    /// What is wrong, in the order of paths.
    pub problems: Vec<PackProblem>,
}

/// What is wrong with a file of a pack.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct PackProblem {
    /// The file.
    pub file: String,
    /// The image in it, where that is known.
    pub image: Option<String>,
    /// What is wrong.
    pub problem: Problem,
    /// More about it; empty where there is no more to say.
    pub detail: String,
}

/// What is wrong with a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Problem {
    /// It is not there.
    Missing,
    /// It holds something else.
    Changed,
    /// It cannot be read.
    Unreadable,
    /// No checksum names it.
    Unlisted,
}

impl Problem {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Problem::Missing => "missing",
            Problem::Changed => "changed",
            Problem::Unreadable => "unreadable",
            Problem::Unlisted => "unlisted",
        }
    }
}

impl PackVerdict {
    /// Whether nothing is wrong.
    pub fn is_sound(&self) -> bool {
        self.problems.is_empty()
    }
}

/// Reads every file of the pack in `folder` and compares it with its checksum. Of an archive that changed, the images that
/// changed in it are named, as far as it can still be read.
///
/// # Errors
///
/// When the folder or its checksums cannot be read, or `progress` asks to stop.
pub fn verify_pack(
    folder: &Path,
    limits: &ReadLimits,
    progress: &dyn Progress,
) -> Result<PackVerdict, Error> {
    let unusable = |reason: String| Error::PackUnusable { path: folder.to_owned(), reason };
    let root = Root::open(folder).map_err(|error| unusable(io_reason(&error)))?;
    let of_sums = |why: String| unusable(format!("{CHECKSUMS}: {why}"));
    let text = bounded(&root, CHECKSUMS, MOST_TABLE_BYTES).map_err(of_sums)?;
    let sums = checksums::parse(&text).map_err(of_sums)?;
    let mut listed: BTreeMap<InsidePath, Sha256Sum> = BTreeMap::new();
    for (path, sum) in sums {
        let native = native_of_bytes(&path);
        let inside = InsidePath::new(&native)
            .map_err(|why| of_sums(format!("{:?} is no file of it: {why}", native.display())))?;
        listed.insert(inside, sum);
    }
    let pack = bounded(&root, PACK_FILE, MOST_SETTINGS_BYTES).ok();
    let pack = pack.and_then(|text| PackFile::parse(std::str::from_utf8(&text).ok()?).ok());
    let mut verdict = PackVerdict {
        form: pack.as_ref().map(|pack| pack.form),
        files: listed.len() as u64,
        ..PackVerdict::default()
    };
    progress.begin("reading files", Some(listed.len() as u64));
    let read: Vec<Result<(Sha256Sum, u64), std::io::Error>> = listed
        .par_iter()
        .map(|(path, _)| {
            progress.advance(1);
            if progress.stopped() {
                return Err(std::io::ErrorKind::Interrupted.into());
            }
            root.read(path).and_then(Sha256Sum::of_reader)
        })
        .collect();
    if progress.stopped() {
        return Err(Error::Interrupted);
    }
    for ((path, expected), read) in listed.iter().zip(read) {
        let file = shown_name(path.as_path().as_os_str());
        let mut put = |problem: Problem, detail: String| {
            verdict.problems.push(PackProblem { file: file.clone(), image: None, problem, detail });
        };
        match read {
            Ok((found, bytes)) => {
                verdict.bytes += bytes;
                if found != *expected {
                    put(Problem::Changed, String::new());
                    if let Some(pack) = &pack {
                        let images = changed_images(&root, path, pack, limits, progress)?;
                        verdict.problems.extend(images);
                    }
                }
            }
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                put(Problem::Missing, String::new());
            }
            Err(error) => put(Problem::Unreadable, io_reason(&error)),
        }
    }
    let mut unlisted = Vec::new();
    others(&root, None, &listed, &mut unlisted, 0);
    verdict.problems.extend(unlisted);
    verdict.problems.sort();
    Ok(verdict)
}

/// Folders within folders that are looked through: a tree has a split, a class and what lay below that.
const MOST_DEPTH: usize = 64;

/// The files in `folder`, which is `below` in the pack, that no checksum names.
fn others(
    folder: &Root,
    below: Option<&InsidePath>,
    listed: &BTreeMap<InsidePath, Sha256Sum>,
    into: &mut Vec<PackProblem>,
    depth: usize,
) {
    for (name, kind) in folder.entries().unwrap_or_default() {
        let Ok(path) = below.map_or(Ok(name.clone()), |below| below.join_path(&name)) else {
            continue;
        };
        match kind {
            FileKind::Folder if depth < MOST_DEPTH => {
                if let Ok(inner) = folder.folder(&name) {
                    others(&inner, Some(&path), listed, into, depth + 1);
                }
            }
            _ if listed.contains_key(&path) || path.as_path() == Path::new(CHECKSUMS) => {}
            _ => into.push(PackProblem {
                file: shown_name(path.as_path().as_os_str()),
                image: None,
                problem: Problem::Unlisted,
                detail: String::new(),
            }),
        }
    }
}

/// A small file directly in the pack.
fn bounded(root: &Root, name: &str, most_bytes: u64) -> Result<Vec<u8>, String> {
    let name = InsidePath::of_name(name).map_err(|why| why.to_string())?;
    let file = root.read(&name).map_err(|error| io_reason(&error))?;
    let mut bytes = Vec::new();
    file.take(most_bytes + 1).read_to_end(&mut bytes).map_err(|error| io_reason(&error))?;
    match bytes.len() as u64 > most_bytes {
        true => Err(format!("it is larger than {most_bytes} bytes")),
        false => Ok(bytes),
    }
}

/// The images of an archive that changed: those whose bytes the manifest does not have under their names, and those that are
/// gone. Nothing where the file is no archive of images, or cannot be read as one.
fn changed_images(
    root: &Root,
    file: &InsidePath,
    pack: &PackFile,
    limits: &ReadLimits,
    progress: &dyn Progress,
) -> Result<Vec<PackProblem>, Error> {
    let name = shown_name(file.as_path().as_os_str());
    let is_in = |split: &&super::PackedSplit| split.files.iter().any(|one| one.file == name);
    let Some(split) = pack.splits.iter().find(is_in) else { return Ok(Vec::new()) };
    if matches!(pack.form, Form::Tree | Form::Npy) {
        return Ok(Vec::new());
    }
    let rows = read_manifest(&root.path().join(&split.manifest)).unwrap_or_default();
    let expected: BTreeMap<String, Sha256Sum> = rows
        .into_iter()
        .filter_map(|row| Some((row.path, Sha256Sum::from_hex(&row.sha256)?)))
        .collect();
    let request = Request::at(root.path().join(file.as_path()));
    let Ok(archive) = collection::open(&request, &NoCache, progress) else { return Ok(Vec::new()) };
    let entries: Vec<_> = archive
        .entries
        .iter()
        .filter(|entry| matches!(entry.kind, EntryKind::File { .. }))
        .collect();
    let located: Vec<Located<'_>> = entries.iter().map(|entry| entry.located()).collect();
    let sums = archive.visit(&located, limits, progress, |_, bytes| {
        bytes.map(|bytes| Sha256Sum::of(&bytes.bytes))
    })?;
    let mut problems = Vec::new();
    let mut put = |image: &str, problem: Problem, detail: String| {
        let image = Some(image.to_owned());
        problems.push(PackProblem { file: name.clone(), image, problem, detail });
    };
    let mut seen = BTreeSet::new();
    for (entry, sum) in entries.iter().zip(sums) {
        let path = entry.path.as_str();
        seen.insert(path);
        match (sum, expected.get(path)) {
            (Err(why), _) => put(path, Problem::Unreadable, why.to_string()),
            (Ok(_), None) => put(path, Problem::Unlisted, String::new()),
            (Ok(sum), Some(known)) if sum != *known => put(path, Problem::Changed, String::new()),
            (Ok(_), Some(_)) => {}
        }
    }
    // What is missing in one shard may be in another.
    if split.files.len() == 1 {
        for path in expected.keys().filter(|path| !seen.contains(path.as_str())) {
            put(path, Problem::Missing, String::new());
        }
    }
    Ok(problems)
}
