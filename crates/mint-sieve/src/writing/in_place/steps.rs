//! What is asked of steps, whether they are made or undone: where their files are, and which were made already.

use std::collections::{HashMap, HashSet};
use std::io;

use sieve_core::files::{FileFacts, FileKind, Root};
use sieve_core::io_reason;

use super::journal::{Journal, Place, Step, number};
use crate::failure::{Exit, Failure};

pub fn interrupted(journal: &Journal, command: &str) -> Failure {
    let shown = journal.shown();
    let shown = shown.display();
    let hint = match command {
        "apply" => {
            format!("Run the same apply again to continue, or undo it: mint-sieve undo {shown}")
        }
        _ => format!("To continue: mint-sieve undo {shown}"),
    };
    Failure { exit: Exit::Interrupted, ..Failure::output("interrupted") }.hint(hint)
}

/// What went wrong with a step, as a sentence without its full stop.
pub fn failed(what: &str, place: &Place, error: &io::Error) -> String {
    format!("cannot {what} {}: {}", place.shown(), io_reason(error))
}

/// What is at a place; none where nothing is.
pub fn facts_at(base: &Root, place: &Place) -> Result<Option<FileFacts>, String> {
    match base.facts(place.path()) {
        Ok(facts) => Ok(Some(facts)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        // A file stands where a folder was.
        Err(error) if error.kind() == io::ErrorKind::NotADirectory => Ok(None),
        Err(error) => Err(failed("look at", place, &error)),
    }
}

/// The way that one file goes, in several steps where it has to wait.
pub struct Way<'a> {
    pub number: u64,
    /// The digest of its bytes.
    pub digest: Option<&'a str>,
    /// Where it is before the first step, and after each.
    pub places: Vec<&'a Place>,
    pub steps: Vec<usize>,
}

/// The ways of all files, in the order of their first steps.
pub fn ways(steps: &[Step]) -> Vec<Way<'_>> {
    let mut ways: Vec<Way<'_>> = Vec::new();
    let mut ends: HashMap<&Place, usize> = HashMap::new();
    for (at, step) in steps.iter().enumerate() {
        let Step::Move { from, to, number, digest } = step else { continue };
        let way = ends.remove(from).filter(|&way| ways[way].number == *number);
        let way = way.unwrap_or_else(|| {
            let digest = digest.as_deref();
            ways.push(Way { number: *number, digest, places: vec![from], steps: Vec::new() });
            ways.len() - 1
        });
        ways[way].places.push(to);
        ways[way].steps.push(at);
        ends.insert(to, way);
    }
    ways
}

/// For each step whether it was made, where that can be known: a file is looked for by its number in all places on its way.
/// Whether there is a file in a place does not tell it, since another one may stand there before or after. Of a file that
/// was rewritten meanwhile, or whose collection was copied elsewhere, nothing is known.
pub fn known(journal: &Journal) -> Vec<Option<bool>> {
    let ways = ways(&journal.steps);
    let mut uses: HashMap<&Place, usize> = HashMap::new();
    ways.iter().flat_map(|way| &way.places).for_each(|place| *uses.entry(place).or_default() += 1);
    let mut known = vec![None; journal.steps.len()];
    for way in ways.iter().filter(|way| way.number != 0) {
        let is_here = |at: &usize| {
            let facts = journal.base.facts(way.places[*at].path());
            facts.is_ok_and(|facts| facts.kind == FileKind::File && number(&facts) == way.number)
        };
        // Two names of one file have one number: places that are on no other way come first.
        let (own, shared): (Vec<usize>, Vec<usize>) =
            (0..way.places.len()).partition(|&at| uses[way.places[at]] == 1);
        let here = own.iter().chain(&shared).copied().find(|at| is_here(at));
        let Some(here) = here else { continue };
        for (place, &step) in way.steps.iter().enumerate() {
            known[step] = Some(place < here);
        }
    }
    known
}

/// The numbers of all files that move.
pub fn numbers(steps: &[Step]) -> HashSet<u64> {
    let numbers = steps.iter().filter_map(|step| match step {
        Step::Move { number, .. } => Some(*number).filter(|number| *number != 0),
        _ => None,
    });
    numbers.collect()
}

/// What is at a place where the file of a number may be; none where nothing is, or another one of the files that move.
pub fn own_facts_at(
    base: &Root,
    place: &Place,
    own: u64,
    numbers: &HashSet<u64>,
) -> Result<Option<FileFacts>, String> {
    let is_own = |facts: &FileFacts| {
        let here = number(facts);
        here == own || !numbers.contains(&here)
    };
    Ok(facts_at(base, place)?.filter(is_own))
}

pub fn in_the_way(from: &Place, to: &Place) -> String {
    format!("cannot move {}: {} already exists", from.shown(), to.shown())
}

/// Moves a regular file to a place where nothing is; what appears there in the last moment is not replaced either.
pub fn rename(base: &Root, from: &Place, facts: &FileFacts, to: &Place) -> Result<(), String> {
    if facts.kind != FileKind::File {
        return Err(format!("cannot move {}: it is not a regular file", from.shown()));
    }
    base.rename_new(from.path(), to.path()).map_err(|error| match error.kind() {
        io::ErrorKind::CrossesDevices => {
            let (from, to) = (from.shown(), to.shown());
            format!("cannot move {from} to {to}: they are on different file systems")
        }
        io::ErrorKind::AlreadyExists => in_the_way(from, to),
        _ => failed("move", from, &error),
    })
}
