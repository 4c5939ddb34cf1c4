//! Finished runs of `trial`, one file each in the user's cache folder.

use std::path::PathBuf;

use etcetera::BaseStrategy;
use etcetera::base_strategy::Xdg;
use sieve_core::io_reason;
use sieve_core::learner::Outcome;
use sieve_core::measuring::Digest;
use sieve_core::trial::RunCache;

use crate::args::CatalogArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::writing::NewFile;

/// What a file begins with.
const MARK: &[u8] = b"mint-sieve run 1\n";
/// Numbers of a file, at most: 2,000 images of 2,000 classes, and more epochs than anyone trains.
const MOST_NUMBERS: usize = 4_100_000;

/// A folder of finished runs; none where nothing is kept.
pub struct RunFolder(Option<PathBuf>);

impl RunFolder {
    /// The user's, unless nothing is to be kept or it lies inside of the collection.
    pub fn new(config: &CollectionConfig, kept: &CatalogArgs) -> Self {
        let folder = || Some(Xdg::new().ok()?.cache_dir().join("mint-sieve").join("runs"));
        let folder = if kept.no_catalog { None } else { folder() };
        RunFolder(folder.filter(|folder| config.refuse_inside(folder).is_ok()))
    }

    fn file(&self, run: Digest) -> Option<PathBuf> {
        Some(self.0.as_ref()?.join(run.to_string()))
    }
}

impl RunCache for RunFolder {
    fn known(&self, run: Digest) -> Option<Outcome> {
        let file = self.file(run)?;
        if file.metadata().ok()?.len() > 4 * MOST_NUMBERS as u64 {
            return None;
        }
        let bytes = std::fs::read(file).ok()?;
        let body = bytes.strip_prefix(MARK)?;
        let (numbers, rest) = body.as_chunks::<4>();
        let (epochs, numbers) = numbers.split_first()?;
        let epochs = u32::from_le_bytes(*epochs) as usize;
        if !rest.is_empty() || epochs > numbers.len() {
            return None;
        }
        let mut losses: Vec<f32> = numbers.iter().map(|bytes| f32::from_le_bytes(*bytes)).collect();
        let probabilities = losses.split_off(epochs);
        Some(Outcome { losses, probabilities })
    }

    fn keep(&self, run: Digest, outcome: &Outcome) {
        let Some(file) = self.file(run) else { return };
        let numbers = outcome.losses.iter().chain(&outcome.probabilities);
        let epochs = (outcome.losses.len() as u32).to_le_bytes();
        let body: Vec<u8> = numbers.flat_map(|number| number.to_le_bytes()).collect();
        let written = || -> Result<(), Failure> {
            let folder = file.parent().unwrap_or(&file);
            std::fs::create_dir_all(folder).map_err(|error| Failure::output(io_reason(&error)))?;
            NewFile::create(&file)?.write(&[MARK, &epochs, &body].concat())
        };
        if let Err(failure) = written() {
            tracing::debug!(why = failure.message, "a run cannot be cached");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_run_is_known_again_and_a_damaged_file_is_not_believed() {
        let folder = tempfile::tempdir().unwrap();
        let runs = RunFolder(Some(folder.path().join("runs")));
        let (run, other) = (Digest([7; 32]), Digest([8; 32]));
        let outcome = Outcome { losses: vec![2.0, 0.5], probabilities: vec![0.25, 0.75, 1.0, 0.0] };
        assert_eq!(runs.known(run), None);
        runs.keep(run, &outcome);
        assert_eq!((runs.known(run), runs.known(other)), (Some(outcome), None));
        let file = runs.file(run).unwrap();
        let whole = std::fs::read(&file).unwrap();
        let wrong_count = [MARK, &[255; 4], &whole[MARK.len() + 4..]].concat();
        for damaged in [&whole[..whole.len() - 1], &whole[..10], &wrong_count] {
            std::fs::write(&file, damaged).unwrap();
            assert_eq!(runs.known(run), None);
        }
    }
}
