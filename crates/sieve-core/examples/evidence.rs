//! Writes what speaks for and against each candidate pair of a collection, as CSV: two paths, in how
//! many ways one was changed, the numbers of the evidence at a glance and on a close look, the share and
//! correlation of grain, and the larger share of one colour. `scripts/fit-likeness.py` fits the weights of
//! the verdict to it, `scripts/grain-likeness.py` says what the rule of grain finds.
//!
//!     cargo run --release -p sieve-core --example evidence -- FOLDER > evidence.csv

use rayon::prelude::*;
use sieve_core::catalog;
use sieve_core::collection::{self, Request};
use sieve_core::duplicates::{Candidate, wide_candidates};
use sieve_core::likeness::{Room, Subject, compare_closely};
use sieve_core::progress::Silent;

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
        let aspect = record(at as u32).image()?.aspect() as f32;
        Some(Subject::of(thumbnails[at].clone()?, aspect, 1.0))
    };
    let subjects: Vec<Option<Subject>> = (0..images.len()).into_par_iter().map(subject).collect();
    let all = |_, _| true;
    let candidates = wide_candidates(images.len(), |at| subjects[at].as_ref(), all, &Silent)
        .expect("nobody stops it");
    eprintln!("{} pictures, {} candidates", images.len(), candidates.len());
    let row = |room: &mut Room, candidate: &Candidate| {
        let Candidate { wanted, found, start } = candidate;
        let (a, b) = (subjects[*wanted as usize].as_ref()?, subjects[*found as usize].as_ref()?);
        let looked = compare_closely(a, b, start, room)?;
        let numbers = looked.iter().flat_map(|evidence| evidence.numbers);
        let numbers: Vec<String> = numbers.map(|number| format!("{number:.4}")).collect();
        let plain = |at: u32| Some(record(at).image()?.look.flat_share);
        let plain = plain(*wanted)?.max(plain(*found)?);
        let [share, correlation] = looked[1].grain;
        let more = format!("{share:.4},{correlation:.4},{plain:.4}");
        let (a, b) = (&record(*wanted).path, &record(*found).path);
        Some(format!("{a},{b},{},{},{more}", looked[1].departures, numbers.join(",")))
    };
    let rows: Vec<Option<String>> = candidates.par_iter().map_init(Room::default, row).collect();
    rows.into_iter().flatten().for_each(|row| println!("{row}"));
}
