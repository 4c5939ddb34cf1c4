//! Tables of paths and labels: CSV or JSON Lines.

use std::fs;
use std::path::{Component, Path, PathBuf};

use serde_json::{Map, Value};

use crate::{Error, io_reason};

/// What the columns of a table are called.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// The picture's file.
    pub path: String,
    /// Its class.
    pub class: String,
    /// Its split; the table need not have it.
    pub split: String,
    /// Pictures of one group stay together; the table need not have it.
    pub group: String,
}

impl Default for Columns {
    fn default() -> Self {
        let name = str::to_owned;
        Columns {
            path: name("path"),
            class: name("class"),
            split: name("split"),
            group: name("group"),
        }
    }
}

/// One table.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Table {
    /// Names of the columns that are carried along.
    pub carried: Vec<String>,
    /// True when it has a column for splits.
    pub has_splits: bool,
    /// Its rows, in the table's order.
    pub rows: Vec<Row>,
}

/// One row. What is empty is none.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Row {
    pub path: String,
    pub class: Option<String>,
    pub split: Option<String>,
    pub group: Option<String>,
    /// As many as there are names.
    pub carried: Vec<String>,
}

/// The column that a table must have beside that of the paths.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Needed {
    Class,
    Split,
}

/// Reads the table in `file`, which is JSON Lines when its first letter is a `{`.
pub(super) fn read(file: &Path, columns: &Columns, needed: Needed) -> Result<Table, Error> {
    let failed = |reason: String| Error::TableUnreadable { path: file.to_path_buf(), reason };
    let bytes = fs::read(file).map_err(|error| failed(io_reason(&error)))?;
    let text = std::str::from_utf8(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes))
        .map_err(|error| failed(format!("byte {} is not UTF-8", error.valid_up_to())))?;
    let table = if text.trim_start().starts_with('{') {
        json_lines(text, columns, needed)
    } else {
        separated(text, columns, needed)
    };
    table.map_err(failed)
}

/// Where the fields of a row are, by their names.
struct Places {
    path: usize,
    class: Option<usize>,
    split: Option<usize>,
    group: Option<usize>,
    carried: Vec<usize>,
}

impl Places {
    fn of(names: &[String], columns: &Columns, needed: Needed) -> Result<Self, String> {
        let place = |wanted: &str| names.iter().position(|name| name == wanted);
        let (other, kind, option) = match needed {
            Needed::Class => (&columns.class, "classes", "class"),
            Needed::Split => (&columns.split, "splits", "split"),
        };
        let (Some(path), Some(_)) = (place(&columns.path), place(other)) else {
            let missing = if place(&columns.path).is_none() { &columns.path } else { other };
            return Err(format!(
                "it has no column {missing:?}; it has {}. If others hold the paths and {kind}: \
                 --columns path=NAME,{option}=NAME",
                names.join(", ")
            ));
        };
        let (class, split) = (place(&columns.class), place(&columns.split));
        let group = place(&columns.group);
        let known = [Some(path), class, split, group];
        let carried = (0..names.len()).filter(|at| !known.contains(&Some(*at))).collect();
        Ok(Places { path, class, split, group, carried })
    }

    fn table(&self, names: &[String], rows: Vec<Row>) -> Table {
        let carried = self.carried.iter().map(|&at| names[at].clone()).collect();
        Table { carried, has_splits: self.split.is_some(), rows }
    }

    /// The row of these fields; `Err` when it has no path.
    fn row(&self, field: impl Fn(usize) -> String) -> Result<Row, &'static str> {
        let filled = |at: usize| Some(field(at).trim().to_owned()).filter(|text| !text.is_empty());
        Ok(Row {
            path: filled(self.path).ok_or("has no path")?,
            // A class is taken as it is written: two spellings are a finding.
            class: self.class.map(&field).filter(|text| !text.trim().is_empty()),
            split: self.split.and_then(filled),
            group: self.group.and_then(filled),
            carried: self.carried.iter().map(|&at| field(at)).collect(),
        })
    }
}

fn separated(text: &str, columns: &Columns, needed: Needed) -> Result<Table, String> {
    let head = text.lines().next().unwrap_or_default();
    let often = |separator: &u8| head.bytes().filter(|byte| byte == separator).count();
    // The first of equals, so a head of one word is CSV.
    let separator = [b'\t', b';', b','].into_iter().max_by_key(often).unwrap_or(b',');
    let mut reader = csv::ReaderBuilder::new().delimiter(separator).from_reader(text.as_bytes());
    let names = reader.headers().map_err(|error| error.to_string())?;
    let names: Vec<String> = names.iter().map(|name| name.trim().to_owned()).collect();
    let places = Places::of(&names, columns, needed)?;
    let mut rows = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|error| error.to_string())?;
        let line = record.position().map_or(0, csv::Position::line);
        let row = places.row(|at| record.get(at).unwrap_or_default().to_owned());
        rows.push(row.map_err(|what| format!("line {line} {what}"))?);
    }
    Ok(places.table(&names, rows))
}

fn json_lines(text: &str, columns: &Columns, needed: Needed) -> Result<Table, String> {
    let mut objects: Vec<(usize, Map<String, Value>)> = Vec::new();
    for (line, text) in (1..).zip(text.lines()).filter(|(_, text)| !text.trim().is_empty()) {
        let object = serde_json::from_str(text).map_err(|error| format!("line {line}: {error}"))?;
        objects.push((line, object));
    }
    let mut names: Vec<String> = Vec::new();
    for (_, object) in &objects {
        names.extend(object.keys().filter(|key| !names.contains(key)).cloned().collect::<Vec<_>>());
    }
    let places = Places::of(&names, columns, needed)?;
    let mut rows = Vec::new();
    for (line, object) in &objects {
        let row = places.row(|at| match object.get(&names[at]) {
            None | Some(Value::Null) => String::new(),
            Some(Value::String(text)) => text.clone(),
            Some(other) => other.to_string(),
        });
        rows.push(row.map_err(|what| format!("line {line} {what}"))?);
    }
    Ok(places.table(&names, rows))
}

/// The path of a row below `root`; `Err` says why it leads elsewhere.
pub(super) fn below(root: &Path, path: &str) -> Result<PathBuf, &'static str> {
    let given = Path::new(path);
    let absolute = root.canonicalize();
    let given = match given.strip_prefix(root) {
        Ok(inside) if given.is_absolute() => inside,
        _ => absolute.as_ref().ok().and_then(|root| given.strip_prefix(root).ok()).unwrap_or(given),
    };
    let mut below = PathBuf::new();
    for part in given.components() {
        match part {
            Component::Normal(name) => below.push(name),
            Component::CurDir => {}
            Component::ParentDir if below.pop() => {}
            Component::ParentDir => return Err("the path leads out of the collection by .."),
            Component::RootDir | Component::Prefix(_) => {
                return Err("the path is absolute and leads out of the collection");
            }
        }
    }
    if below.as_os_str().is_empty() { Err("the path names no file") } else { Ok(below) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(path: &str, class: &str, split: &str, group: &str, carried: &[&str]) -> Row {
        let some = |text: &str| Some(text.to_owned()).filter(|text| !text.is_empty());
        Row {
            path: path.to_owned(),
            class: some(class),
            split: some(split),
            group: some(group),
            carried: carried.iter().map(|text| (*text).to_owned()).collect(),
        }
    }

    #[test]
    fn tables_of_every_kind_hold_the_same_rows() {
        let columns = Columns::default();
        let rows =
            vec![row("a.jpg", "bay, old", "test", "", &["7"]), row("b.jpg", "", "", "g", &[""])];
        let expected = Table { carried: vec!["rack".into()], has_splits: true, rows };
        let csv = "path,class,rack,split,group\na.jpg,\"bay, old\",7,test,\nb.jpg,,,,g\n";
        assert_eq!(separated(csv, &columns, Needed::Class).as_ref(), Ok(&expected));
        let semicolons = "path;class;rack;split;group\r\na.jpg;bay, old;7;test;\r\nb.jpg;;;;g\r\n";
        assert_eq!(separated(semicolons, &columns, Needed::Class).as_ref(), Ok(&expected));
        let lines = "{\"path\":\"a.jpg\",\"class\":\"bay, old\",\"rack\":7,\"split\":\"test\"}\n\n\
                     {\"group\":\"g\",\"path\":\"b.jpg\",\"class\":null}";
        assert_eq!(json_lines(lines, &columns, Needed::Class).as_ref(), Ok(&expected));
        let other = Columns { path: "file".into(), class: "label".into(), ..Columns::default() };
        let table = separated("label\tfile\nbay\ta.jpg\n", &other, Needed::Class).unwrap();
        assert_eq!(table.rows, [row("a.jpg", "bay", "", "", &[])]);
        assert!(
            separated("file,label\n", &columns, Needed::Class).unwrap_err().contains("file, label")
        );
        assert_eq!(
            separated("path,class\n,bay\n", &columns, Needed::Class).unwrap_err(),
            "line 2 has no path"
        );
    }

    #[test]
    fn paths_stay_below_their_root() {
        let root = Path::new("/herbs");
        let table = [
            ("a/./b.jpg", Some("a/b.jpg")),
            ("a/../b.jpg", Some("b.jpg")),
            ("/herbs/a.jpg", Some("a.jpg")),
            ("../b.jpg", None),
            ("a/../../b.jpg", None),
            ("/etc/b.jpg", None),
            (".", None),
        ];
        for (path, expected) in table {
            assert_eq!(below(root, path).ok().as_deref(), expected.map(Path::new), "{path}");
        }
    }
}
