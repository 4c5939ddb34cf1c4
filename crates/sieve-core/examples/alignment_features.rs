//! Writes what speaks for and against each candidate pair of a collection, as CSV: two paths, in how
//! many ways one was changed, and the numbers of the fit at a glance and in detail. `scripts/fit-likeness.py` fits the weights of what
//! thumbnails say to it.
//!
//!     cargo run --release -p sieve-core --example alignment_features -- FOLDER > features.csv

mod prepared;

use prepared::Prepared;
use rayon::prelude::*;
use sieve_core::duplicates::{Candidate, wide_candidates};
use sieve_core::likeness::{Scratch, compare_closely};
use sieve_core::progress::NoProgress;

fn main() {
    let here = Prepared::of_the_folder_named();
    let count = here.prepared.len();
    let candidates = wide_candidates(count, |at| here.subject(at as u32), |_, _| true, &NoProgress)
        .expect("nobody stops it");
    eprintln!("{count} pictures, {} candidates", candidates.len());
    let row = |scratch: &mut Scratch, candidate: &Candidate| {
        let Candidate { wanted, found, start } = candidate;
        let (a, b) = (here.subject(*wanted)?, here.subject(*found)?);
        let looked = compare_closely(a, b, start, scratch)?;
        let numbers = looked.iter().flat_map(|features| features.fit.to_array());
        let numbers: Vec<String> = numbers.map(|number| format!("{number:.4}")).collect();
        let ways = looked[1].ways.iter().filter(|way| **way).count();
        let (a, b) = (&here.record(*wanted).path, &here.record(*found).path);
        Some(format!("{a},{b},{ways},{}", numbers.join(",")))
    };
    let rows: Vec<Option<String>> = candidates.par_iter().map_init(Scratch::default, row).collect();
    rows.into_iter().flatten().for_each(|row| println!("{row}"));
}
