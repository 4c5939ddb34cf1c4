//! Writes what a second look sees of the pairs that a first look leaves in doubt, or nearly so, as CSV: two paths and
//! the numbers that are weighed. `scripts/fit-second-look.py` fits the weights to it.
//!
//!     cargo run --release -p sieve-core --example doubts -- FOLDER > doubts.csv

use std::collections::BTreeMap;

use rayon::prelude::*;
use sieve_core::catalog;
use sieve_core::collection::{self, Request};
use sieve_core::duplicates::{Candidate, wide_candidates};
use sieve_core::likeness::{Doubt, Room, Subject, Verdict, compare};
use sieve_core::measuring::Closeup;
use sieve_core::progress::Silent;

/// Log odds of the first look that are written.
const WRITTEN: std::ops::Range<f32> = -6.0..5.0;

fn main() {
    let folder = std::env::args().nth(1).expect("a folder");
    let request = Request { follow_links: true, ..Request::at(&folder) };
    let opened = collection::open(&request, &collection::Forgetful, &Silent).expect("a collection");
    let options = catalog::Options::default();
    let catalog = catalog::measure(opened, &options, None, &Silent).expect("nobody stops it");
    let images: Vec<usize> = (0..catalog.records.len())
        .filter(|&index| catalog.records[index].image().is_some())
        .collect();
    let thumbnails =
        catalog.thumbnails(&images, None, &options.limits, &Silent).expect("nobody stops it");
    let record = |at: u32| &catalog.records[images[at as usize]];
    let subject = |at: usize| {
        let measured = record(at as u32).image()?;
        let (aspect, plain) = (measured.aspect() as f32, measured.look.flat_share);
        Some(Subject::of(thumbnails[at].clone()?, aspect, plain))
    };
    let subjects: Vec<Option<Subject>> = (0..images.len()).into_par_iter().map(subject).collect();
    let subject = |at: u32| subjects[at as usize].as_ref();
    let candidates = wide_candidates(images.len(), |at| subject(at as u32), |_, _| true, &Silent)
        .expect("nobody stops it");
    let look = |room: &mut Room, candidate: &Candidate| {
        let Candidate { wanted, found, start } = *candidate;
        let (first, second) = (subject(wanted)?, subject(found)?);
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
    let located: Vec<_> = (0..images.len() as u32).map(|at| record(at).located()).collect();
    let read = |_: usize, bytes: Result<sieve_core::reading::FileBytes, _>| {
        Closeup::of(&bytes.ok()?.bytes, &options.limits).ok()
    };
    let closeups = catalog
        .collection
        .visit(&located, &options.limits, &Silent, read)
        .expect("nobody stops it");
    eprintln!("{} pictures, {} pairs", images.len(), best.len());
    let rows = best.into_par_iter().map(|((a, b), doubt)| {
        let closeup = |at: u32| closeups[at as usize].as_ref();
        let numbers = doubt.numbers(closeup(a)?, closeup(b)?)?.map(|number| format!("{number:.4}"));
        Some(format!("{},{},{}", record(a).path, record(b).path, numbers.join(",")))
    });
    let rows: Vec<Option<String>> = rows.collect();
    rows.into_iter().flatten().for_each(|row| println!("{row}"));
}
