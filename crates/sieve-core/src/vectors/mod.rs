//! VECTORS: what any model says of images, one vector each, read from a file that may hold anything.

mod npy;
mod text;

use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

use crate::bounded_read;
use crate::csv_escape::path_of;
use crate::files::RelPath;
use crate::io_reason;
use crate::numeric::Table;

/// Values of all vectors of a file, at most: 2 GiB in memory, which is 250,000 vectors of 2,048.
const MOST_VALUES: u64 = 512 << 20;
/// Numbers of one vector, at most: the longest in use are of some ten thousand.
const MOST_LENGTH: usize = 1 << 16;

/// The vectors of a file, in its order.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Vectors {
    /// The path of each, as it is written.
    pub paths: Vec<String>,
    /// The vectors; none where a line holds none that can be used.
    pub rows: Vec<Result<Vec<f32>, Unusable>>,
}

/// Why a vector cannot be used.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unusable {
    /// It has another length than the first one.
    Length,
    /// A number of it is infinite, or no number.
    NotFinite,
    /// It is zero: it has no direction.
    Zero,
}

impl Vectors {
    /// Reads `file`: a NumPy array of two dimensions (`.npy`) with the paths in another file, one a line; or CSV or JSON
    /// Lines with a path and numbers on each line.
    ///
    /// # Errors
    ///
    /// What is wrong with the file, as the end of a sentence.
    pub fn read(file: &Path, paths: Option<&Path>) -> Result<Self, String> {
        let name = file.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        if name.ends_with(".npy") {
            let beside = file.with_extension("txt");
            let listed = paths.unwrap_or(&beside);
            let text =
                bounded_read::read_text(listed, bounded_read::MOST_TABLE_BYTES).map_err(|why| {
                    format!("its paths cannot be read from {}: {why}", listed.display())
                })?;
            let paths: Vec<String> = text.lines().map(str::to_owned).collect();
            let facts = std::fs::metadata(file).map_err(|error| io_reason(&error))?;
            if !facts.is_file() {
                return Err("it is not a regular file".to_owned());
            }
            let opened = File::open(file).map_err(|error| io_reason(&error))?;
            let rows = npy::read(&mut BufReader::new(opened))?;
            if rows.len() != paths.len() {
                let (rows, paths) = (rows.len(), paths.len());
                return Err(format!("it has {rows} vectors, but there are {paths} paths"));
            }
            return Ok(Vectors { paths, rows: checked(rows) });
        }
        if paths.is_some() {
            return Err("only a .npy file needs --vector-paths".to_owned());
        }
        let text = bounded_read::read_text(file, bounded_read::MOST_TABLE_BYTES)?;
        let is_json = name.ends_with(".jsonl") || name.ends_with(".ndjson");
        let (paths, rows) = if is_json { text::json_lines(&text)? } else { text::csv(&text)? };
        Ok(Vectors { paths, rows: checked(rows) })
    }
}

fn checked(rows: Vec<Vec<f32>>) -> Vec<Result<Vec<f32>, Unusable>> {
    let length = rows.first().map_or(0, Vec::len);
    let check = |row: Vec<f32>| match () {
        () if row.len() != length => Err(Unusable::Length),
        () if row.iter().any(|value| !value.is_finite()) => Err(Unusable::NotFinite),
        () if row.iter().all(|value| *value == 0.0) => Err(Unusable::Zero),
        () => Ok(row),
    };
    rows.into_iter().map(check).collect()
}

/// How vectors are compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Metric {
    /// By their directions.
    #[default]
    Cosine,
    /// By the distance of their ends.
    Euclidean,
}

/// The vectors of images.
#[derive(Clone, Debug, Default)]
pub struct ImageVectors {
    /// For each image its row in `table`.
    pub row_of: Vec<Option<u32>>,
    /// One row for each image that has a vector; of length 1 where directions are compared.
    pub table: Table,
}

/// What does not fit between vectors and images.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Mismatches {
    /// Images without a vector.
    pub missing: Vec<RelPath>,
    /// Paths that are no image of the collection.
    pub unknown: Vec<String>,
    /// Paths that stand there more than once; none of their vectors is used.
    pub repeated: Vec<String>,
    /// Paths whose vectors cannot be used, by the reason.
    pub unusable: BTreeMap<Unusable, Vec<String>>,
}

impl Mismatches {
    /// Whether everything fits.
    pub fn is_empty(&self) -> bool {
        *self == Mismatches::default()
    }
}

impl ImageVectors {
    /// Gives the images at `paths` their vectors, and says what does not fit.
    pub fn new(vectors: Vectors, paths: &[&RelPath], metric: Metric) -> (Self, Mismatches) {
        let numbers: BTreeMap<&RelPath, usize> =
            paths.iter().enumerate().map(|(at, path)| (*path, at)).collect();
        let mut seen: BTreeSet<&str> = BTreeSet::new();
        let repeated: BTreeSet<String> =
            vectors.paths.iter().filter(|path| !seen.insert(path)).cloned().collect();
        let mut mismatches =
            Mismatches { repeated: repeated.iter().cloned().collect(), ..Mismatches::default() };
        let mut own: Vec<Option<Vec<f32>>> = vec![None; paths.len()];
        for (path, row) in vectors.paths.iter().zip(vectors.rows) {
            if repeated.contains(path) {
                continue;
            }
            match (numbers.get(&RelPath::new(&path_of(path))), row) {
                (None, _) => mismatches.unknown.push(path.clone()),
                (Some(_), Err(why)) => {
                    mismatches.unusable.entry(why).or_default().push(path.clone());
                }
                (Some(&number), Ok(row)) => own[number] = Some(row),
            }
        }
        let mut row_of = Vec::with_capacity(own.len());
        let mut table = Table::default();
        for (path, row) in paths.iter().zip(own) {
            match row {
                None => {
                    mismatches.missing.push((*path).clone());
                    row_of.push(None);
                }
                Some(row) => {
                    row_of.push(Some(table.len() as u32));
                    table.width = row.len();
                    table.values.extend(row);
                }
            }
        }
        let table = if metric == Metric::Cosine { table.of_unit_length() } else { table };
        (ImageVectors { row_of, table }, mismatches)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_form_is_read_and_what_cannot_be_used_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let file = |name: &str, bytes: &[u8]| {
            let path = folder.path().join(name);
            std::fs::write(&path, bytes).unwrap();
            path
        };
        let read = |name: &str, text: &str| Vectors::read(&file(name, text.as_bytes()), None);
        let csv = read("a.csv", "path,x,y\nsage/1.jpg,1,2.5\n\"bay, 2.jpg\",-3e2,0\n").unwrap();
        assert_eq!(csv.paths, ["sage/1.jpg", "bay, 2.jpg"]);
        assert_eq!(csv.rows, [Ok(vec![1.0, 2.5]), Ok(vec![-300.0, 0.0])]);
        // Without a head, and every way of being useless.
        let rows = read("b.csv", "a,1,2\nb,1\nc,nan,1\nd,0,0\ne,1,inf\n").unwrap().rows;
        let reasons: Vec<_> = rows.into_iter().map(|row| row.err()).collect();
        let expected = [
            None,
            Some(Unusable::Length),
            Some(Unusable::NotFinite),
            Some(Unusable::Zero),
            Some(Unusable::NotFinite),
        ];
        assert_eq!(reasons, expected);
        let lines = "{\"path\": \"a\", \"vector\": [1, 2]}\n[\"b\", 3, 4]\n\n{\"path\":\"c\",\"x\":5,\"y\":6}\n";
        let json = read("a.jsonl", lines).unwrap();
        assert_eq!(json.paths, ["a", "b", "c"]);
        assert_eq!(json.rows, [Ok(vec![1.0, 2.0]), Ok(vec![3.0, 4.0]), Ok(vec![5.0, 6.0])]);
        assert_eq!(read("c.csv", "a,1\nb,two\n").unwrap_err(), "line 2: \"two\" is not a number");
        assert_eq!(read("b.jsonl", "{\"path\": 1}\n").unwrap_err(), "line 1 has no path");
        assert!(read("c.jsonl", "{").unwrap_err().starts_with("line 1 is not valid JSON"));
        // An array needs its paths.
        let array = file(
            "v.npy",
            &npy::tests::array(
                "<f4",
                "(2, 2)",
                &[1f32, 2.0, 3.0, 4.0].map(f32::to_le_bytes).concat(),
            ),
        );
        assert!(Vectors::read(&array, None).unwrap_err().contains("v.txt"));
        file("v.txt", b"a\nb\n");
        let read_back = Vectors::read(&array, None).unwrap();
        assert_eq!(read_back.rows, [Ok(vec![1.0, 2.0]), Ok(vec![3.0, 4.0])]);
        let short = file("short.txt", b"a\n");
        let wrong = Vectors::read(&array, Some(&short)).unwrap_err();
        assert_eq!(wrong, "it has 2 vectors, but there are 1 paths");
    }
}
