//! Vectors that the user brings, for the images of a search.

use std::path::Path;

use sieve_core::duplicates::DuplicateReport;
use sieve_core::vectors::{ImageVectors, Mismatches, Unusable, Vectors};

use crate::args::VectorArgs;
use crate::failure::Failure;
use crate::present::counted;

/// Paths that are named of each kind of mismatch.
const NAMED: usize = 5;

/// The vectors that were asked for; none where none were. What does not match is refused, or left out where that was asked
/// for.
pub fn of_search(
    args: &VectorArgs,
    found: &DuplicateReport<'_>,
) -> Result<Option<ImageVectors>, Failure> {
    let Some(file) = &args.vectors else { return Ok(None) };
    let vectors = Vectors::read(file, args.vector_paths.as_deref()).map_err(|why| {
        Failure::input(format!("the vectors in {} cannot be used: {why}", file.display()))
    })?;
    let (vectors, mismatches) = ImageVectors::new(vectors, found, args.distance.into());
    if !mismatches.is_empty() && !args.skip_missing {
        return Err(refused(file, &mismatches));
    }
    if vectors.table.is_empty() {
        let message = format!("no vector in {} is of an image of the collection", file.display());
        return Err(
            Failure::input(message).hint("Expected paths relative to the root of the collection.")
        );
    }
    Ok(Some(vectors))
}

fn refused(file: &Path, mismatches: &Mismatches) -> Failure {
    let mut details = Vec::new();
    let mut add = |one: &str, many: &str, paths: Vec<&str>| {
        if paths.is_empty() {
            return;
        }
        let named = paths.iter().take(NAMED).copied().collect::<Vec<_>>().join(", ");
        let more = paths.len().saturating_sub(NAMED);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        details.push(format!("{}: {named}{more}", counted(paths.len() as u64, one, many)));
    };
    let missing = mismatches.missing.iter().map(|path| path.as_str()).collect();
    add("image has no vector", "images have no vector", missing);
    fn strings(paths: &[String]) -> Vec<&str> {
        paths.iter().map(String::as_str).collect()
    }
    add("path is no image here", "paths are no images here", strings(&mismatches.unknown));
    add("path is repeated", "paths are repeated", strings(&mismatches.repeated));
    for (why, paths) in &mismatches.unusable {
        let (one, many) = match why {
            Unusable::Length => (
                "vector has another length than the first",
                "vectors have another length than the first",
            ),
            Unusable::NotFinite => (
                "vector has a value that is not a finite number",
                "vectors have values that are not finite numbers",
            ),
            Unusable::Zero => ("vector is zero", "vectors are zero"),
        };
        add(one, many, strings(paths));
    }
    Failure::input(format!("the vectors in {} do not match the collection", file.display()))
        .details(details)
        .hint("Correct them, or use --skip-missing to leave these images and vectors out.")
}
