//! Splits of tables of digests, classes and groups, with as many rows as memory holds numbers for: no image is read, and
//! nothing is known of a row but these three.

use std::collections::{BTreeMap, HashMap};
use std::io::{self, Write};
use std::path::Path;

use rayon::prelude::*;

use super::assign::{ClassCounts, class_rows, drawn, is_off_by};
use super::parts::Parts;
use super::request::Per;
use super::search::{Kind, Problem, Row, mixed};
use super::targets::{SplitError, targets};
use crate::catalog_table::text_cells;
use crate::collection::SPLIT_COLUMNS;
use crate::csv_escape::guarded;
use crate::disjoint_sets::DisjointSets;
use crate::measuring::Digest;

/// Rows of a table, in the order of their paths.
#[derive(Debug, Default)]
pub struct DigestTable {
    /// The names of the classes, sorted.
    pub classes: Vec<String>,
    /// The number of each row's class; none where it has none.
    class_of: Vec<u32>,
    digests: Vec<Digest>,
    /// The number of each row's declared group; none where it is in none.
    group_of: Vec<u32>,
    groups: u32,
    /// All paths one behind the other, and where each ends.
    paths: String,
    ends: Vec<u64>,
}

/// Rows whose lines one thread writes at a time.
const CHUNK_ROWS: usize = 4096;
/// No class, or no group.
const NONE: u32 = u32::MAX;

impl DigestTable {
    /// Reads the columns `path`, `class`, `digest` and, where there is one, `group`.
    ///
    /// # Errors
    ///
    /// What is wrong with the table, as the end of a sentence.
    pub fn read(file: &Path) -> Result<Self, String> {
        let mut table = DigestTable::default();
        let (mut classes, mut groups) = (HashMap::new(), HashMap::new());
        let columns = [("path", false), ("class", true), ("digest", false), ("group", true)];
        let mut is_sorted = true;
        text_cells(file, &columns, &mut |cells| {
            let row = table.digests.len();
            let wrong = |what: &str| format!("row {} {what}", row + 1);
            if row as u32 == NONE - 1 {
                return Err(wrong("is one more than fit"));
            }
            let digest = Digest::from_hex(cells[2]);
            table.digests.push(digest.ok_or_else(|| wrong("has no digest of 64 digits"))?);
            is_sorted &= row == 0 || table.path(row - 1) < cells[0];
            table.paths.push_str(cells[0]);
            table.ends.push(table.paths.len() as u64);
            table.class_of.push(number_of(&mut classes, cells[1]));
            table.group_of.push(number_of(&mut groups, cells[3]));
            Ok(())
        })?;
        table.groups = groups.len() as u32;
        let mut names: Vec<(Box<str>, u32)> = classes.into_iter().collect();
        names.sort_unstable();
        let mut new_number = vec![0; names.len()];
        names.iter().enumerate().for_each(|(new, (_, old))| new_number[*old as usize] = new as u32);
        table.classes = names.into_iter().map(|(name, _)| name.into()).collect();
        for class in table.class_of.iter_mut().filter(|class| **class != NONE) {
            *class = new_number[*class as usize];
        }
        if !is_sorted {
            table.sort()?;
        }
        Ok(table)
    }

    /// Rows.
    pub fn len(&self) -> usize {
        self.digests.len()
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.digests.is_empty()
    }

    fn path(&self, row: usize) -> &str {
        let begin = if row == 0 { 0 } else { self.ends[row - 1] as usize };
        &self.paths[begin..self.ends[row] as usize]
    }

    /// Puts the rows into the order of their paths.
    fn sort(&mut self) -> Result<(), String> {
        let mut order: Vec<u32> = (0..self.len() as u32).collect();
        order.par_sort_unstable_by(|&a, &b| self.path(a as usize).cmp(self.path(b as usize)));
        let twice =
            order.windows(2).find(|two| self.path(two[0] as usize) == self.path(two[1] as usize));
        if let Some(two) = twice {
            return Err(format!("it has the path {:?} twice", self.path(two[0] as usize)));
        }
        let mut paths = String::with_capacity(self.paths.len());
        let mut ends = Vec::with_capacity(self.len());
        for &row in &order {
            paths.push_str(self.path(row as usize));
            ends.push(paths.len() as u64);
        }
        (self.paths, self.ends) = (paths, ends);
        let picked = |from: &[u32]| order.iter().map(|&row| from[row as usize]).collect();
        (self.class_of, self.group_of) = (picked(&self.class_of), picked(&self.group_of));
        self.digests = order.iter().map(|&row| self.digests[row as usize]).collect();
        Ok(())
    }
}

/// The number of a name, which may be a new one; none of an empty name.
fn number_of(known: &mut HashMap<Box<str>, u32>, name: &str) -> u32 {
    if name.is_empty() {
        return NONE;
    }
    if let Some(&number) = known.get(name) {
        return number;
    }
    let number = known.len() as u32;
    known.insert(name.into(), number);
    number
}

/// Which row goes where.
#[derive(Debug)]
pub struct DigestAssignment {
    /// The part of each row; none where it takes no part.
    part_of: Vec<Option<u8>>,
    /// The row whose digest names the group of each row.
    named_by: Vec<u32>,
    /// Per class, in the order of their names.
    pub classes: Vec<ClassCounts>,
    /// Images that each part should have; not whole.
    pub requested: Vec<f64>,
    /// As in [`super::Assignment::distance`].
    pub distance: f64,
    /// Rows of images that other rows have under another class.
    pub conflicting: u64,
    /// Rows without a class.
    pub unlabelled: u64,
}

/// Divides the rows as [`super::assign()`] divides images of which nothing else is known: rows of one digest or one declared
/// group stay together, and those of one digest under several classes are left out.
///
/// # Errors
///
/// What is asked for and cannot be had.
pub fn assign_by_digest(
    table: &DigestTable,
    parts: &Parts,
    per: Per,
    seed: u64,
) -> Result<DigestAssignment, SplitError> {
    let (is_left_out, named_by, members) = units(table);
    let rows = table.len();
    let orders: Vec<u64> = named_by
        .par_iter()
        .enumerate()
        .map(|(row, &named_by)| match members.of(row) {
            [] => 0,
            _ => drawn(seed, table.digests[named_by as usize]),
        })
        .collect();
    let mut all = vec![0u64; table.classes.len()];
    let takes_part = |row: &usize| !is_left_out[*row] && table.class_of[*row] != NONE;
    (0..rows).filter(takes_part).for_each(|row| all[table.class_of[row] as usize] += 1);
    // Classes of which every row is left out are none.
    let classes: Vec<usize> = (0..all.len()).filter(|&class| all[class] > 0).collect();
    let row_of_class: HashMap<u32, usize> =
        classes.iter().enumerate().map(|(row, &class)| (class as u32, row)).collect();
    let sizes: Vec<(&str, u64)> =
        classes.iter().map(|&class| (table.classes[class].as_str(), all[class])).collect();
    let last = sizes.len();
    let mut kinds: BTreeMap<Vec<(usize, u64)>, Vec<u32>> = BTreeMap::new();
    let mut singles: Vec<Vec<u32>> = vec![Vec::new(); last];
    let mut groups = vec![(0u64, 0u64); last];
    let mut units = 0usize;
    for unit in 0..rows {
        let here = members.of(unit);
        let mut counts: BTreeMap<usize, u64> = BTreeMap::new();
        match here {
            [] => continue,
            [one] => {
                let class = row_of_class[&table.class_of[*one as usize]];
                singles[class].push(unit as u32);
                groups[class] = (groups[class].0 + 1, groups[class].1.max(1));
                units += 1;
                continue;
            }
            _ => {}
        }
        for &member in here {
            *counts.entry(row_of_class[&table.class_of[member as usize]]).or_default() += 1;
        }
        for (&class, &count) in &counts {
            groups[class] = (groups[class].0 + 1, groups[class].1.max(count));
        }
        units += 1;
        counts.insert(last, here.len() as u64);
        kinds.entry(counts.into_iter().collect()).or_default().push(unit as u32);
    }
    for (class, units) in singles.into_iter().enumerate().filter(|(_, units)| !units.is_empty()) {
        kinds.entry(vec![(class, 1), (last, 1)]).or_default().extend(units);
    }
    let images: u64 = sizes.iter().map(|(_, size)| size).sum();
    let nothing = vec![vec![0u64; parts.len()]; last + 1];
    let targets = targets(parts, per, &sizes, &nothing[..last])?;
    let mut problem_rows = class_rows(&sizes, &groups, &nothing, &targets, true);
    problem_rows.push(Row {
        weight: 1.0 / images.max(1) as f64,
        target: targets.all.clone(),
        fixed: vec![0; parts.len()],
        is_in_every_part: units >= parts.len(),
        is_in_first_part: false,
    });
    let least = |units: &[u32]| units.iter().map(|&unit| orders[unit as usize]).min().unwrap_or(0);
    let kind = |(counts, units): (&Vec<(usize, u64)>, &Vec<u32>)| Kind {
        counts: counts.clone(),
        groups: units.len() as u64,
        random: mixed(least(units)),
    };
    let problem = Problem {
        rows: problem_rows,
        kinds: kinds.iter().map(kind).collect(),
        is_open: vec![true; parts.len()],
    };
    let counts = problem.solve();
    let got = problem.images(&counts);
    let mut part_of: Vec<Option<u8>> = vec![None; rows];
    for (mut units, counts) in kinds.into_values().zip(&counts) {
        units.par_sort_unstable_by_key(|&unit| {
            (orders[unit as usize], members.of(unit as usize)[0])
        });
        let mut units = units.into_iter();
        for (part, &count) in counts.iter().enumerate() {
            for unit in units.by_ref().take(count as usize) {
                let of_unit = members.of(unit as usize).iter();
                of_unit.for_each(|&member| part_of[member as usize] = Some(part as u8));
            }
        }
    }
    let distance =
        (0..last).map(|row| is_off_by(&got[row], &targets.classes[row], sizes[row].1)).sum::<f64>()
            + is_off_by(&got[last], &targets.all, images);
    let counted = sizes.iter().zip(targets.classes).enumerate();
    let classes = counted.map(|(row, (&(class, images), requested))| ClassCounts {
        class: class.to_owned(),
        images,
        groups: groups[row].0,
        largest_group: groups[row].1,
        got: got[row].clone(),
        requested,
    });
    Ok(DigestAssignment {
        classes: classes.collect(),
        part_of,
        named_by,
        requested: targets.all,
        distance,
        conflicting: is_left_out.iter().filter(|is_left_out| **is_left_out).count() as u64,
        unlabelled: table.class_of.iter().filter(|class| **class == NONE).count() as u64,
    })
}

/// The members of each unit, under the number of one of its rows; none under the others.
struct Members {
    begins: Vec<u32>,
    ends: Vec<u32>,
    all: Vec<u32>,
}

impl Members {
    fn of(&self, unit: usize) -> &[u32] {
        &self.all[self.begins[unit] as usize..self.ends[unit] as usize]
    }
}

/// Which rows are left out for a conflict; the row whose digest names the unit of each; and the units.
fn units(table: &DigestTable) -> (Vec<bool>, Vec<u32>, Members) {
    let rows = table.len();
    let mut sets = DisjointSets::new(rows);
    let mut is_left_out = vec![false; rows];
    let mut order: Vec<u32> = (0..rows as u32).collect();
    order.par_sort_unstable_by_key(|&row| (table.digests[row as usize], row));
    for same in order.chunk_by(|&a, &b| table.digests[a as usize] == table.digests[b as usize]) {
        let class = |row: &u32| table.class_of[*row as usize];
        let of_classes = || same.iter().map(class).filter(|class| *class != NONE);
        if of_classes().min() != of_classes().max() {
            same.iter().for_each(|&row| is_left_out[row as usize] = true);
        }
        same.windows(2).for_each(|two| sets.union(two[0], two[1]));
    }
    let mut first_of: Vec<u32> = vec![NONE; table.groups as usize];
    for (row, &group) in (0u32..).zip(&table.group_of).filter(|(_, group)| **group != NONE) {
        match first_of[group as usize] {
            NONE => first_of[group as usize] = row,
            first => sets.union(first, row),
        }
    }
    // In the order of digests the first row of each unit that takes part has the least one.
    let takes_part = |row: u32| !is_left_out[row as usize] && table.class_of[row as usize] != NONE;
    let mut named_by: Vec<u32> = vec![NONE; rows];
    let mut sizes: Vec<u32> = vec![0; rows];
    for &row in order.iter().filter(|row| takes_part(**row)) {
        let root = sets.find(row) as usize;
        if named_by[root] == NONE {
            named_by[root] = row;
        }
        sizes[root] += 1;
    }
    drop(order);
    let mut begins = vec![0u32; rows];
    let mut end = 0;
    for (begin, size) in begins.iter_mut().zip(&sizes) {
        *begin = end;
        end += size;
    }
    let mut ends = begins.clone();
    let mut all = vec![0u32; end as usize];
    for row in (0..rows as u32).filter(|&row| takes_part(row)) {
        let root = sets.find(row) as usize;
        all[ends[root] as usize] = row;
        ends[root] += 1;
    }
    for row in 0..rows as u32 {
        let root = sets.find(row) as usize;
        named_by[row as usize] = named_by[root];
    }
    (is_left_out, named_by, Members { begins, ends, all })
}

impl DigestAssignment {
    /// Writes the split table: one row for each image that takes part, in the order of their paths.
    ///
    /// # Errors
    ///
    /// When it cannot be written.
    pub fn write(&self, table: &DigestTable, parts: &[String], into: impl Write) -> io::Result<()> {
        let mut into = into;
        let lines = |rows: std::ops::Range<usize>| -> io::Result<Vec<u8>> {
            let mut out = csv::Writer::from_writer(Vec::with_capacity(rows.len() * 160));
            for row in rows {
                let Some(part) = self.part_of[row] else { continue };
                let group = table.digests[self.named_by[row] as usize].to_string();
                let digest = table.digests[row].to_string();
                let class = &table.classes[table.class_of[row] as usize];
                let part = &parts[usize::from(part)];
                for cell in [table.path(row), class, part, &group[..16], &digest] {
                    out.write_field(guarded(cell).as_bytes())?;
                }
                out.write_record(None::<&[u8]>)?;
            }
            out.into_inner().map_err(|error| io::Error::other(error.to_string()))
        };
        into.write_all((SPLIT_COLUMNS.join(",") + "\n").as_bytes())?;
        let rows = self.part_of.len();
        // As many chunks at a time as threads have work for: the text of all rows would not fit in memory.
        for begin in (0..rows).step_by(64 * CHUNK_ROWS) {
            let end = rows.min(begin + 64 * CHUNK_ROWS);
            let chunks: Vec<usize> = (begin..end).step_by(CHUNK_ROWS).collect();
            let chunk = |&begin: &usize| lines(begin..end.min(begin + CHUNK_ROWS));
            let written: Vec<io::Result<Vec<u8>>> = chunks.par_iter().map(chunk).collect();
            for lines in written {
                into.write_all(&lines?)?;
            }
        }
        into.flush()
    }
}
