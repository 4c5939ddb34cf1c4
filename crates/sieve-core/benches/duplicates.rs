//! How the search for copies grows: `scripts/bench-duplicates` runs it. Without arguments, as
//! `cargo bench` calls it, it says how it is used.
//!
//!     duplicates near COUNT          sets among COUNT fingerprints, a tenth of them near copies
//!     duplicates cluster COUNT BITS  sets among COUNT copies of one, each with BITS bits changed

use std::hint::black_box;

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use sieve_core::disjoint_sets::DisjointSets;
use sieve_core::duplicates::union_near;
use sieve_core::measuring::Fingerprint;
use sieve_core::progress::NoProgress;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    let words: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let number = |text: &str| text.parse::<usize>().expect("a whole number");
    let mut draws = ChaCha8Rng::seed_from_u64(0);
    let fingerprints = match words[..] {
        ["near", count] => {
            let mut all: Vec<Fingerprint> = Vec::new();
            for index in 0..number(count) {
                // Every tenth is a copy of one before it.
                let copied = index > 0 && index % 10 == 0;
                let other = draws.random_range(0..index.max(1));
                let made =
                    if copied { jittered(all[other], 12, &mut draws) } else { any(&mut draws) };
                all.push(made);
            }
            all
        }
        ["cluster", count, bits] => {
            let one = any(&mut draws);
            (0..number(count)).map(|_| jittered(one, number(bits), &mut draws)).collect()
        }
        _ => return println!("see scripts/bench-duplicates"),
    };
    let mut sets = DisjointSets::new(fingerprints.len());
    union_near(&fingerprints, &mut sets, &NoProgress).expect("nobody stops it");
    println!("{}", black_box(sets.groups().len()));
}

fn any(draws: &mut ChaCha8Rng) -> Fingerprint {
    Fingerprint(std::array::from_fn(|_| draws.random()))
}

/// The same with some bits changed.
fn jittered(one: Fingerprint, bits: usize, draws: &mut ChaCha8Rng) -> Fingerprint {
    let mut changed = one;
    for _ in 0..bits {
        let bit: usize = draws.random_range(0..256);
        changed.0[bit / 8] ^= 1 << (bit % 8);
    }
    changed
}
