//! Vectors that the user brings, for the images of a search.

use std::path::Path;

use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::RelPath;
use sieve_core::numeric::Table;
use sieve_core::vectors::{ImageVectors, Mismatches, Unusable, Vectors};

use crate::args::{Distance, VectorArgs};
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
    let paths: Vec<&RelPath> = found.images.iter().map(|image| &image.record.path).collect();
    of_paths(args, &paths)
}

/// The same for the images at these paths.
pub fn of_paths(args: &VectorArgs, paths: &[&RelPath]) -> Result<Option<ImageVectors>, Failure> {
    let Some(file) = &args.vectors else { return Ok(None) };
    let vectors = Vectors::read(file, args.vector_paths.as_deref()).map_err(|why| {
        Failure::input(format!("the vectors in {} cannot be used: {why}", file.display()))
    })?;
    let (vectors, mismatches) = ImageVectors::new(vectors, paths, args.distance.into());
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

/// How like one image all others are: the cosine of their vectors, or for ends that are compared 1 / (1 + distance). The image
/// is one of the collection with the same bytes, or is found in the file by its path as it was typed.
pub fn similarities(
    args: &VectorArgs,
    image: &Path,
    same: Option<usize>,
    paths: &[&RelPath],
) -> Result<Option<Vec<Option<f32>>>, Failure> {
    let Some(file) = &args.vectors else { return Ok(None) };
    let mut all = paths.to_vec();
    let own = RelPath::new(image);
    let asked = same.or_else(|| paths.iter().position(|path| **path == own));
    let asked = asked.unwrap_or_else(|| {
        all.push(&own);
        paths.len()
    });
    let Some(vectors) = of_paths(args, &all)? else { return Ok(None) };
    let Some(row) = vectors.row_of[asked] else {
        let message = format!("{} has no vector in {}", image.display(), file.display());
        return Err(Failure::input(message).hint("Add a line with its path, as it is typed."));
    };
    let own = vectors.table.row(row as usize);
    let similarity = |other: u32| {
        let apart = Table::squared(own, vectors.table.row(other as usize));
        match args.distance {
            // Of vectors of length 1.
            Distance::Cosine => 1.0 - apart / 2.0,
            Distance::Euclidean => 1.0 / (1.0 + apart.sqrt()),
        }
    };
    Ok(Some(vectors.row_of[..paths.len()].iter().map(|row| row.map(similarity)).collect()))
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
