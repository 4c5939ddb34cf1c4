//! Tables of paths and labels: CSV or JSON Lines.

use std::collections::HashSet;
use std::path::{Component, Path, PathBuf};

use serde_json::{Map, Value};

use super::names::check_folder_name;
use crate::{Error, bounded_read, csv_escape, separated};

/// What the columns of a table are called.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// The image's file.
    pub path: String,
    /// Its class.
    pub class: String,
    /// Its split; the table need not have it.
    pub split: String,
    /// Images of one group stay together; the table need not have it.
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
    pub extra: Vec<String>,
    /// True when it has a column for splits.
    pub has_splits: bool,
    /// Its rows, in the table's order.
    pub rows: Vec<Row>,
}

/// One row. What is empty is none.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Row {
    /// What the cell says, read as we write such cells.
    pub path: PathBuf,
    /// The cell as it stands, where that is something else.
    pub as_written: Option<PathBuf>,
    pub class: Option<String>,
    pub split: Option<String>,
    pub group: Option<String>,
    /// As many as there are names.
    pub extra: Vec<String>,
}

/// The column that a table must have beside that of the paths.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Needed {
    Class,
    Split,
}

impl Row {
    /// The paths that the row may mean, the likeliest first. Tables of other programs know nothing of our
    /// escapes, and some put spaces around their cells.
    pub fn paths(&self) -> impl Iterator<Item = &Path> {
        let as_written = self.as_written.as_deref();
        let written = as_written.unwrap_or(&self.path).to_str();
        let trimmed =
            written.filter(|text| text.trim() != *text).map(|text| Path::new(text.trim()));
        [Some(self.path.as_path()), as_written, trimmed].into_iter().flatten()
    }
}

/// Tables are recognised by their names: any text might be one.
pub(super) fn is_table_name(path: &Path) -> bool {
    let extension = path.extension().map(|extension| extension.to_string_lossy().to_lowercase());
    extension.is_some_and(|extension| {
        ["csv", "tsv", "txt", "jsonl", "ndjson", "json", "parquet"].contains(&extension.as_str())
    })
}

/// Reads the table in `file`.
pub(super) fn read(file: &Path, columns: &Columns, needed: Needed) -> Result<Table, Error> {
    bounded_read::read(file, bounded_read::MOST_TABLE_BYTES)
        .map_err(Wrong::from)
        .and_then(|bytes| parse(&bytes, columns, needed))
        .map_err(|wrong| wrong.in_file(file.to_path_buf()))
}

/// What is wrong with a table.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Wrong {
    /// This, and where.
    Content(String),
    /// It has no such column.
    NoColumn { column: String, there: Vec<String>, needed: &'static str },
}

impl From<String> for Wrong {
    fn from(reason: String) -> Self {
        Wrong::Content(reason)
    }
}

impl Wrong {
    /// As the error of a file.
    pub fn in_file(self, path: PathBuf) -> Error {
        match self {
            Wrong::Content(reason) => Error::TableUnreadable { path, reason },
            Wrong::NoColumn { column, there, needed } => {
                Error::NoColumn { path, column, there, needed }
            }
        }
    }
}

/// The table in `bytes`, which is JSON Lines when its first letter is a `{`; `Err` says what is wrong with it.
pub(super) fn parse(bytes: &[u8], columns: &Columns, needed: Needed) -> Result<Table, Wrong> {
    let text = separated::text_of(bytes)?;
    if text.trim_start().starts_with('{') {
        json_lines(text, columns, needed)
    } else {
        separated(text, columns, needed)
    }
}

/// The names of the columns and the cells of at most `most` rows of a table of which `head` is the beginning; none
/// where it is no table.
pub(super) fn cells(head: &[u8], most: usize) -> Option<(Vec<String>, Vec<Vec<String>>)> {
    let head = head.strip_prefix(b"\xef\xbb\xbf").unwrap_or(head);
    // What was cut off in the middle of a line, or of a letter, is left out.
    let end = head.iter().rposition(|&byte| byte == b'\n').map_or(head.len(), |at| at + 1);
    let text = std::str::from_utf8(&head[..end]).ok()?;
    let (names, rows) = if text.trim_start().starts_with('{') {
        let lines = text.lines().filter(|line| !line.trim().is_empty()).take(most);
        let objects: Vec<Map<String, Value>> =
            lines.map(serde_json::from_str).collect::<Result<_, _>>().ok()?;
        let names = keys(objects.iter());
        let rows =
            objects.iter().map(|object| names.iter().map(|name| word(object, name)).collect());
        let rows = rows.collect();
        (names, rows)
    } else {
        let mut reader = separated::reader(text);
        let plain = |cell: &str| csv_escape::unguarded(cell.trim()).to_owned();
        let rows = reader.records().take(most + 1).map_while(Result::ok);
        let mut rows = rows.map(|record| record.iter().map(plain).collect());
        (rows.next()?, rows.collect())
    };
    (names.len() > 1).then_some((names, rows))
}

/// Where the fields of a row are, by their names.
struct Places {
    path: usize,
    class: Option<usize>,
    split: Option<usize>,
    group: Option<usize>,
    extra: Vec<usize>,
}

impl Places {
    fn new(names: &[String], columns: &Columns, needed: Needed) -> Result<Self, Wrong> {
        let place = |wanted: &str| names.iter().position(|name| name == wanted);
        let (other, needed) = match needed {
            Needed::Class => (&columns.class, "class"),
            Needed::Split => (&columns.split, "split"),
        };
        let (Some(path), Some(_)) = (place(&columns.path), place(other)) else {
            let missing = if place(&columns.path).is_none() { &columns.path } else { other };
            let (column, there) = (missing.clone(), names.to_vec());
            return Err(Wrong::NoColumn { column, there, needed });
        };
        let (class, split) = (place(&columns.class), place(&columns.split));
        let group = place(&columns.group);
        let known = [Some(path), class, split, group];
        let extra = (0..names.len()).filter(|at| !known.contains(&Some(*at))).collect();
        Ok(Places { path, class, split, group, extra })
    }

    fn table(&self, names: &[String], rows: Vec<Row>) -> Table {
        let extra = self.extra.iter().map(|&at| names[at].clone()).collect();
        Table { extra, has_splits: self.split.is_some(), rows }
    }

    /// The row of these fields, of which `decoded` undoes how they are written; `Err` when it has no path, or
    /// a split that no folder can be called.
    fn row(
        &self,
        field: impl Fn(usize) -> String,
        decoded: fn(&str) -> &str,
    ) -> Result<Row, String> {
        // Taken as it is written: two spellings of a class are a finding, and names may end in a space.
        let text = |at: usize| decoded(&field(at)).to_owned();
        let filled = |at: usize| Some(text(at)).filter(|text| !text.trim().is_empty());
        let written = field(self.path);
        if written.is_empty() {
            return Err("has no path".to_owned());
        }
        let path = csv_escape::path_of(decoded(&written));
        let as_written = Some(PathBuf::from(written)).filter(|written| *written != path);
        let split = self.split.and_then(filled).map(|split| split.trim().to_owned());
        if let Some(split) = &split {
            check_folder_name(split).map_err(|why| {
                format!("names the split {split:?}, which cannot be a folder: {why}")
            })?;
        }
        Ok(Row {
            path,
            as_written,
            class: self.class.and_then(filled),
            split,
            group: self.group.and_then(filled),
            extra: self.extra.iter().map(|&at| text(at)).collect(),
        })
    }
}

fn separated(text: &str, columns: &Columns, needed: Needed) -> Result<Table, Wrong> {
    let mut records = separated::reader(text).into_records();
    let head = records.next().transpose().map_err(|error| error.to_string())?.unwrap_or_default();
    let names: Vec<String> =
        head.iter().map(|name| csv_escape::unguarded(name.trim()).to_owned()).collect();
    let places = Places::new(&names, columns, needed)?;
    let mut rows = Vec::new();
    for record in records {
        let record = record.map_err(|error| error.to_string())?;
        let line = record.position().map_or(0, csv::Position::line);
        if record.len() != names.len() {
            let (cells, expected) = (record.len(), names.len());
            let wrong = format!("line {line} has {cells} cells; the header has {expected}");
            return Err(wrong.into());
        }
        let field = |at: usize| record.get(at).unwrap_or_default().to_owned();
        let row = places.row(field, csv_escape::unguarded);
        rows.push(row.map_err(|what| format!("line {line} {what}"))?);
    }
    Ok(places.table(&names, rows))
}

fn json_lines(text: &str, columns: &Columns, needed: Needed) -> Result<Table, Wrong> {
    let mut objects: Vec<(usize, Map<String, Value>)> = Vec::new();
    for (line, text) in (1..).zip(text.lines()).filter(|(_, text)| !text.trim().is_empty()) {
        let object = serde_json::from_str(text).map_err(|error| {
            // The library counts lines of what it is given, which is one line of the file.
            let what = error.to_string();
            let what = what.rfind(" at line ").map_or(what.as_str(), |at| &what[..at]);
            format!("line {line}, column {}: {what}", error.column())
        })?;
        objects.push((line, object));
    }
    let names = keys(objects.iter().map(|(_, object)| object));
    let places = Places::new(&names, columns, needed)?;
    let mut rows = Vec::new();
    for (line, object) in &objects {
        // No spreadsheet opens these.
        let row = places.row(|at| word(object, &names[at]), |text| text);
        rows.push(row.map_err(|what| format!("line {line} {what}"))?);
    }
    Ok(places.table(&names, rows))
}

/// The names that objects have, in the order in which they first come.
fn keys<'a>(objects: impl Iterator<Item = &'a Map<String, Value>>) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    let mut known: HashSet<&str> = HashSet::new();
    for object in objects {
        names.extend(object.keys().filter(|key| known.insert(key)).cloned());
    }
    names
}

/// A value as a cell of a table would hold it.
fn word(object: &Map<String, Value>, name: &str) -> String {
    match object.get(name) {
        None | Some(Value::Null) => String::new(),
        Some(Value::String(text)) => text.clone(),
        Some(other) => other.to_string(),
    }
}

/// The folder that the paths of a table begin at: resolved once, however many rows there are.
pub(super) struct PathRoot<'a> {
    root: &'a Path,
    /// Links resolved, where it is there.
    absolute: Option<PathBuf>,
}

impl<'a> PathRoot<'a> {
    pub fn new(root: &'a Path) -> Self {
        PathRoot { root, absolute: root.canonicalize().ok() }
    }

    /// The path of a row below the root; `Err` says why it leads elsewhere.
    pub fn below(&self, given: &Path) -> Result<PathBuf, &'static str> {
        let given = match given.strip_prefix(self.root) {
            Ok(inside) if given.is_absolute() => inside,
            _ => {
                let absolute = self.absolute.as_deref();
                absolute.and_then(|root| given.strip_prefix(root).ok()).unwrap_or(given)
            }
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
        if below.as_os_str().is_empty() { Err("the path does not name a file") } else { Ok(below) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(path: &str, class: &str, split: &str, group: &str, extra: &[&str]) -> Row {
        let some = |text: &str| Some(text.to_owned()).filter(|text| !text.is_empty());
        Row {
            path: path.into(),
            as_written: None,
            class: some(class),
            split: some(split),
            group: some(group),
            extra: extra.iter().map(|text| (*text).to_owned()).collect(),
        }
    }

    #[test]
    fn tables_of_every_kind_hold_the_same_rows() {
        let columns = Columns::default();
        let rows =
            vec![row("a.jpg", "bay, old", "test", "", &["7"]), row("b.jpg", "", "", "g", &[""])];
        let expected = Table { extra: vec!["rack".into()], has_splits: true, rows };
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
        let wrong = |text: &str| match separated(text, &columns, Needed::Class) {
            Err(Wrong::Content(reason)) => reason,
            other => panic!("{other:?}"),
        };
        let no_column = separated("file,label\n", &columns, Needed::Class).unwrap_err();
        let there = vec!["file".to_owned(), "label".to_owned()];
        assert_eq!(
            no_column,
            Wrong::NoColumn { column: "path".to_owned(), there, needed: "class" }
        );
        assert_eq!(wrong("path,class\n,bay\n"), "line 2 has no path");
        assert_eq!(wrong("path,class\na.jpg,bay\nb.jpg\n"), "line 3 has 1 cells; the header has 2");
        let broken = "{\"path\":\"a.jpg\",\"class\":\"bay\"}\n{\"path\":\"b.jpg\",}\n";
        assert_eq!(
            json_lines(broken, &columns, Needed::Class).unwrap_err(),
            Wrong::Content("line 2, column 17: trailing comma".to_owned())
        );
    }

    #[test]
    fn cells_are_taken_as_they_are_and_as_other_programs_write_them() {
        let paths = |cell: &str| {
            let text = format!("path,class\n\"{cell}\",bay\n");
            let table = separated(&text, &Columns::default(), Needed::Class).unwrap();
            table.rows[0]
                .paths()
                .map(|path| path.to_string_lossy().into_owned())
                .collect::<Vec<_>>()
        };
        assert_eq!(paths(" a.jpg "), [" a.jpg ", "a.jpg"]);
        assert_eq!(paths("'=a.jpg"), ["=a.jpg", "'=a.jpg"]);
        assert_eq!(paths("a\\x5cxff"), ["a\\xff", "a\\x5cxff"]);
        let lines = "{\"path\":\"a.jpg\",\"class\":\"'=bay\"}";
        let table = json_lines(lines, &Columns::default(), Needed::Class).unwrap();
        assert_eq!(table.rows[0].class.as_deref(), Some("'=bay"), "JSON has no cells");
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
            assert_eq!(
                PathRoot::new(root).below(Path::new(path)).ok().as_deref(),
                expected.map(Path::new),
                "{path}"
            );
        }
    }
}
