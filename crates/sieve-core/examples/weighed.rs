//! Writes all that is weighed of each pair of a collection that seems to be the same, as CSV: two paths and the numbers.
//! `scripts/fit-copies.py` fits the weights to it.
//!
//!     cargo run --release -p sieve-core --example weighed -- FOLDER > weighed.csv

use sieve_core::catalog::{self, Options};
use sieve_core::collection::{self, Request};
use sieve_core::duplicates::{CollectionRef, weighed};
use sieve_core::progress::NoProgress;

fn main() {
    let folder = std::env::args().nth(1).expect("a folder");
    let request = Request { follow_links: true, ..Request::at(&folder) };
    let opened =
        collection::open(&request, &collection::NoCache, &NoProgress).expect("a collection");
    let options = Options::default();
    let catalog = catalog::measure(opened, &options, None, &NoProgress).expect("nobody stops it");
    let side = CollectionRef { catalog: &catalog, store: None, limits: &options.limits };
    for (records, numbers) in weighed(&side, &NoProgress).expect("nobody stops it") {
        let [a, b] = records.map(|record| &catalog.records[record].path);
        let numbers: Vec<String> = numbers.iter().map(|number| format!("{number:.4}")).collect();
        println!("{a},{b},{}", numbers.join(","));
    }
}
