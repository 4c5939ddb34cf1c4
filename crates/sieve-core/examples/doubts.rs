//! Writes what a second look sees of the pairs that a first look leaves in doubt, or nearly so, as CSV: two paths and
//! the numbers that are weighed. `scripts/fit-second-look.py` fits the weights to it.
//!
//!     cargo run --release -p sieve-core --example doubts -- FOLDER > doubts.csv

mod prepared;

use std::collections::BTreeMap;

use prepared::Prepared;
use rayon::prelude::*;
use sieve_core::duplicates::{Candidate, wide_candidates};
use sieve_core::likeness::{Doubt, Room, Verdict, compare};
use sieve_core::measuring::Closeup;
use sieve_core::progress::Silent;
use sieve_core::reading::{FileBytes, ReadLimits};

/// Log odds of the first look that are written.
const WRITTEN: std::ops::Range<f32> = -6.0..5.0;

fn main() {
    let here = Prepared::of_the_folder_named();
    let count = here.subjects.len();
    let candidates = wide_candidates(count, |at| here.subject(at as u32), |_, _| true, &Silent)
        .expect("nobody stops it");
    let look = |room: &mut Room, candidate: &Candidate| {
        let Candidate { wanted, found, start } = *candidate;
        let (first, second) = (here.subject(wanted)?, here.subject(found)?);
        let evidence = compare(first, second, &start, room)?;
        let plain = first.plain.max(second.plain);
        let (verdict, departures) = (Verdict::of(&evidence, plain), evidence.departures);
        let doubt = Doubt { verdict, departures, plain, map: evidence.map };
        if wanted < found {
            return Some(((wanted, found), doubt));
        }
        Some(((found, wanted), Doubt { map: evidence.map.inverse()?, ..doubt }))
    };
    let looked: Vec<_> = candidates.par_iter().map_init(Room::default, look).collect();
    let mut best: BTreeMap<(u32, u32), Doubt> = BTreeMap::new();
    for (pair, doubt) in looked.into_iter().flatten() {
        let known = best.entry(pair).or_insert(doubt);
        if doubt.verdict.log_odds > known.verdict.log_odds {
            *known = doubt;
        }
    }
    best.retain(|_, doubt| WRITTEN.contains(&doubt.verdict.log_odds));
    let located: Vec<_> = (0..count as u32).map(|at| here.record(at).located()).collect();
    let limits = ReadLimits::default();
    let read =
        |_: usize, bytes: Result<FileBytes, _>| Closeup::of(&bytes.ok()?.bytes, &limits).ok();
    let collection = &here.catalog.collection;
    let closeups = collection.visit(&located, &limits, &Silent, read).expect("nobody stops it");
    eprintln!("{count} pictures, {} pairs", best.len());
    let rows = best.into_par_iter().map(|((a, b), doubt)| {
        let closeup = |at: u32| closeups[at as usize].as_ref();
        let numbers = doubt.numbers(closeup(a)?, closeup(b)?)?.map(|number| format!("{number:.4}"));
        Some(format!("{},{},{}", here.record(a).path, here.record(b).path, numbers.join(",")))
    });
    let rows: Vec<Option<String>> = rows.collect();
    rows.into_iter().flatten().for_each(|row| println!("{row}"));
}
