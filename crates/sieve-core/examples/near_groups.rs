//! Groups of images whose fingerprints are connected by steps of at most 24 bits, and of images with the same bytes, from an
//! exported catalog in CSV: what the SQL in `scale/` answers, as the program finds it. `scripts/compare-scale` compares them.

use std::collections::BTreeMap;
use std::io::Write;

use sieve_core::disjoint_sets::DisjointSets;
use sieve_core::duplicates::union_near;
use sieve_core::measuring::Fingerprint;
use sieve_core::progress::NoProgress;

fn main() {
    let file = std::env::args().nth(1).expect("usage: near_groups CATALOG.csv");
    let mut table = csv::Reader::from_path(file).expect("the catalog can be read");
    let head = table.headers().expect("a head").clone();
    let at = |name: &str| head.iter().position(|column| column == name).expect("a known column");
    let (path, digest) = (at("path"), at("digest"));
    let words: Vec<usize> = (0..4).map(|word| at(&format!("fingerprint_{word}"))).collect();
    let (mut paths, mut digests, mut fingerprints) = (Vec::new(), Vec::new(), Vec::new());
    for row in table.records() {
        let row = row.expect("a row");
        let mut fingerprint = Fingerprint::default();
        for (lane, &word) in fingerprint.0.chunks_exact_mut(8).zip(&words) {
            lane.copy_from_slice(&row[word].parse::<i64>().expect("a number").to_le_bytes());
        }
        paths.push(row[path].to_owned());
        digests.push(row[digest].to_owned());
        fingerprints.push(fingerprint);
    }
    let mut sets = DisjointSets::new(paths.len());
    union_near(&fingerprints, &mut sets, &NoProgress).expect("nobody stops it");
    let mut rows: Vec<(&str, &str, &str)> = Vec::new();
    let mut put = |kind, members: &[u32]| {
        let named = || members.iter().map(|&member| paths[member as usize].as_str());
        let first = named().min().expect("a group has members");
        rows.extend(named().map(|path| (kind, first, path)));
    };
    sets.groups().iter().filter(|set| set.len() > 1).for_each(|set| put("near", set));
    let mut same: BTreeMap<&str, Vec<u32>> = BTreeMap::new();
    for (index, digest) in (0u32..).zip(&digests) {
        same.entry(digest).or_default().push(index);
    }
    same.values().filter(|set| set.len() > 1).for_each(|set| put("exact", set));
    rows.sort_unstable();
    let mut out = std::io::stdout().lock();
    for (kind, first, path) in rows {
        writeln!(out, "{kind},{first},{path}").expect("the answer can be written");
    }
}
