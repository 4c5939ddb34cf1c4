//! Split tables, read back: one row for each image of a split. Columns are found by their names, so that a table
//! of an earlier version, or one that a spreadsheet has reordered, is still read.

use std::path::Path;

use crate::bounded_read;
use crate::csv_escape;
use crate::files::RelPath;
use crate::measuring::Digest;
use crate::separated::{self, COMMENT};

/// The rows of a split table.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SplitTable {
    /// In the order of the file.
    pub rows: Vec<SplitRow>,
}

/// One row of a split table.
#[derive(Clone, Debug, PartialEq)]
pub struct SplitRow {
    /// The image in the collection that was split.
    pub path: RelPath,
    /// Its class.
    pub class: String,
    /// Its part.
    pub split: String,
    /// What stays together has the same.
    pub group: String,
    /// The digest of its bytes.
    pub digest: Digest,
}

impl SplitTable {
    /// Reads the table in `file`.
    ///
    /// # Errors
    ///
    /// What is wrong with it, as the end of a sentence.
    pub fn read(file: &Path) -> Result<Self, String> {
        let bytes = bounded_read::read(file, bounded_read::MOST_TABLE_BYTES)?;
        let mut reader = separated::reader(separated::text_of(&bytes)?);
        let mut head = csv::StringRecord::new();
        let is_comment = |head: &csv::StringRecord| {
            head.iter().next().is_some_and(|cell| cell.trim_start().starts_with(COMMENT))
        };
        while reader.read_record(&mut head).map_err(|error| error.to_string())? {
            if !is_comment(&head) {
                break;
            }
        }
        let place =
            |name: &str| head.iter().position(|cell| csv_escape::unguarded(cell.trim()) == name);
        let column = |name: &str| {
            place(name).ok_or_else(|| match place("action") {
                Some(_) => "it is a repair plan, which is for `apply`".to_owned(),
                None => format!("it has no column {name:?}, which every split table needs"),
            })
        };
        let [path, class] = [column("path")?, column("class")?];
        let [split, group, digest] = [column("split")?, column("group")?, column("digest")?];
        let mut rows = Vec::new();
        for record in reader.records() {
            let record = record.map_err(|error| error.to_string())?;
            let line = record.position().map_or(0, csv::Position::line);
            if record.iter().all(|cell| cell.trim().is_empty()) {
                continue;
            }
            let text = |at: usize| csv_escape::unguarded(record.get(at).unwrap_or_default());
            let digest = Digest::from_hex(text(digest))
                .ok_or_else(|| format!("line {line} has no digest of 64 hexadecimal digits"))?;
            rows.push(SplitRow {
                path: RelPath::new(&csv_escape::path_of(text(path))),
                class: text(class).to_owned(),
                split: text(split).to_owned(),
                group: text(group).to_owned(),
                digest,
            });
        }
        if rows.is_empty() { Err("it has no rows".to_owned()) } else { Ok(SplitTable { rows }) }
    }

    /// The names of the parts, in the order in which they first come.
    pub fn parts(&self) -> Vec<&str> {
        let mut parts: Vec<&str> = Vec::new();
        for row in &self.rows {
            if !parts.contains(&row.split.as_str()) {
                parts.push(&row.split);
            }
        }
        parts
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::splitting::Earlier;

    #[test]
    fn tables_are_read_as_spreadsheets_leave_them_and_refused_with_their_place() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("split.csv");
        let read = |text: &str| {
            std::fs::write(&file, text).unwrap();
            SplitTable::read(&file)
        };
        let digests = [Digest([7; 32]), Digest([8; 32])];
        let [a, b] = digests.map(|digest| digest.to_string());
        // A byte order mark, other line ends, columns in another order and one more.
        let text = format!(
            "\u{feff}note,class,path,split,digest,group\r\n,bay,'=bay/1.jpg,train,{a},g1\r\n,bay,bay/2.jpg,test,{b},g2\r\n"
        );
        let table = read(&text).unwrap();
        assert_eq!(table.parts(), ["train", "test"]);
        assert_eq!(table.rows[0].path.as_str(), "=bay/1.jpg");
        let earlier = Earlier::new(&table);
        assert_eq!(digests.map(|digest| earlier.part(digest).unwrap()), ["train", "test"]);
        assert_eq!((earlier.part(Digest([9; 32])), earlier.images), (None, 2));
        assert_eq!(earlier.parts(), ["test", "train"]);
        let wrong = |text: &str| read(text).unwrap_err();
        assert_eq!(
            wrong("path,class\n"),
            "it has no column \"split\", which every split table needs"
        );
        assert_eq!(wrong("path,class,split,group,digest\n"), "it has no rows");
        let plan = "# A plan\npath,action,from,to,group,reason,confidence,digest\n";
        assert_eq!(wrong(plan), "it is a repair plan, which is for `apply`");
        // As half of Europe's spreadsheets write it.
        let semicolons = format!("path;class;split;group;digest\r\na;b.jpg;bay;train;g;{a}\r\n");
        assert!(wrong(&semicolons).contains("no digest"));
        let semicolons =
            format!("path;class;split;group;digest\r\na,b.jpg;bay;train;g;{a}\r\n;;;;\r\n");
        assert_eq!(read(&semicolons).unwrap().rows[0].path.as_str(), "a,b.jpg");
        assert_eq!(
            wrong("path,class,split,group,digest\na.jpg,bay,train,g,12\n"),
            "line 2 has no digest of 64 hexadecimal digits"
        );
        assert_eq!(SplitTable::read(folder.path()).unwrap_err(), "it is a folder");
    }

    #[test]
    fn tables_of_other_versions_are_still_ours() {
        use crate::collection::is_generated_table;
        let ours =
            |name: &str, head: &str| is_generated_table(name, format!("{head}\nx").as_bytes());
        assert!(ours("split.csv", "path,class,split,group,digest"));
        assert!(ours("mine.csv", "path,class,camera,split,group,digest,fold\r"));
        assert!(ours("class-index.csv", "\u{feff}index,class,train"));
        assert!(!ours("mine.csv", "path,class,split"));
        assert!(!ours("index.csv", "index,class,train"));
        assert!(!ours("split.txt", "path,class,split,group,digest"));
        assert!(!is_generated_table("split.csv", &[b','; 1 << 17]));
    }
}
