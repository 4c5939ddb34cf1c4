//! The table of a plan: what a person reads, changes in any spreadsheet, and hands back.

use std::ffi::OsString;
use std::fmt;

use crate::collection::{check_folder_name, is_left_behind};
use crate::csv_escape;
use crate::files::{RelPath, check_name, shown_name};
use crate::measuring::Digest;
use crate::separated;
use crate::suggest;

/// The first line of a plan, beneath its comments.
pub const PLAN_HEADER: [&str; 8] =
    ["path", "action", "from", "to", "group", "reason", "confidence", "digest"];
pub use crate::separated::COMMENT;

macro_rules! actions {
    ($($variant:ident $name:literal $does:literal)*) => {
        /// What is to happen to a file.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[allow(missing_docs)] // what they do stands beside them
        pub enum Action { $($variant),* }

        impl Action {
            /// Every action.
            pub const ALL: &'static [Action] = &[$(Action::$variant),*];

            /// As it is written.
            pub fn name(self) -> &'static str {
                match self { $(Action::$variant => $name),* }
            }

            /// What it does, in a few words.
            pub fn does(self) -> &'static str {
                match self { $(Action::$variant => $does),* }
            }
        }
    };
}

actions! {
    Keep "keep" "kept; listed so that you can see what its copies were matched with"
    Drop "drop" "removed from the collection (moved aside, not deleted)"
    Relabel "relabel" "moved to the class in column `to`"
    Rename "rename" "renamed to the file name in column `to`"
    Rotate "rotate" "rotated upright and saved as PNG, without its EXIF orientation"
    Convert "convert" "saved as PNG, pixel for pixel"
    Decide "decide" "needs your decision: replace with drop, keep or relabel"
}

impl fmt::Display for Action {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// One line of a plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// The file, in the collection.
    pub path: RelPath,
    /// What is to happen to it.
    pub action: Action,
    /// The class that it is in, or its name, as far as the action changes that.
    pub from: String,
    /// What that becomes.
    pub to: String,
    /// Files that are dealt with together have the same.
    pub group: String,
    /// Why, for people.
    pub reason: String,
    /// How sure it is that this is right, 0 to 1; none where that is not a matter of degree.
    pub confidence: Option<f64>,
    /// The digest of the file's bytes; none where they cannot be read, or where a person added the row.
    pub digest: Option<Digest>,
}

impl Row {
    /// The name that the file gets, decoded; none where the action gives none.
    ///
    /// # Errors
    ///
    /// Why no file can be called so, as a sentence without its full stop.
    pub fn file_name(&self) -> Result<Option<OsString>, String> {
        let names_file = matches!(self.action, Action::Rename | Action::Rotate | Action::Convert);
        // Who turns or converts need not name the file.
        if !names_file || self.to.is_empty() && self.action != Action::Rename {
            return Ok(None);
        }
        let name = csv_escape::path_of(&self.to).into_os_string();
        let wrong =
            |why: String| format!("{} to {:?}: not a valid file name: {why}", self.action, self.to);
        check_name(&name).map_err(|why| wrong(why.to_string()))?;
        if is_left_behind(&shown_name(&name)) {
            return Err(wrong("hidden and backup files are ignored".to_owned()));
        }
        Ok(Some(name))
    }
}

/// A plan that was read back.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Plan {
    /// The words after [`COMMENT`] of each line that is no row.
    pub comments: Vec<String>,
    /// The rows, in the order of the file, with their lines.
    pub rows: Vec<(u64, Row)>,
}

/// What is wrong with a plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WrongPlan {
    /// Each as a sentence without its full stop, with the line.
    pub problems: Vec<String>,
}

impl Plan {
    /// Reads a plan back, whatever a spreadsheet has made of it: a byte order mark, CRLF, semicolons or tabs
    /// between cells, quotes around all of them, columns in another order or added, rows taken out, empty lines.
    ///
    /// # Errors
    ///
    /// Every line that cannot be understood; a table without the columns `path` and `action`.
    pub fn parse(bytes: &[u8]) -> Result<Self, WrongPlan> {
        let one = |problem: String| WrongPlan { problems: vec![problem] };
        let text = separated::text_of(bytes).map_err(one)?;
        let mut reader = separated::reader(text);
        let mut plan = Plan::default();
        let (mut head, mut problems): (Option<Vec<String>>, Vec<String>) = (None, Vec::new());
        for record in reader.records() {
            let record = record.map_err(|error| one(error.to_string()))?;
            let line = record.position().map_or(0, csv::Position::line);
            let first = record.get(0).unwrap_or_default();
            if let Some(comment) = first.trim_start().strip_prefix(COMMENT) {
                plan.comments.push(comment.trim().to_owned());
                continue;
            }
            if record.iter().all(|cell| cell.trim().is_empty()) {
                continue;
            }
            let Some(head) = &head else {
                head = Some(
                    record
                        .iter()
                        .map(|cell| csv_escape::unguarded(cell.trim()).to_lowercase())
                        .collect(),
                );
                continue;
            };
            let cell = |name: &str| -> Option<&str> {
                let at = head.iter().position(|known| known == name)?;
                Some(csv_escape::unguarded(record.get(at).unwrap_or_default()))
            };
            match row(&cell) {
                Ok(row) => plan.rows.push((line, row)),
                Err(problem) => problems.push(format!("line {line}: {problem}")),
            }
        }
        let missing =
            |name: &&str| head.as_ref().is_none_or(|head| !head.iter().any(|known| known == name));
        if let Some(missing) = ["path", "action"].iter().find(|name| missing(name)) {
            return Err(one(format!("it has no column {missing:?}, which every plan needs")));
        }
        if problems.is_empty() { Ok(plan) } else { Err(WrongPlan { problems }) }
    }
}

fn row<'a>(cell: &dyn Fn(&str) -> Option<&'a str>) -> Result<Row, String> {
    let text = |name: &str| cell(name).unwrap_or_default();
    let path = text("path");
    if path.is_empty() {
        return Err("its path is empty".to_owned());
    }
    let word = text("action").trim().to_lowercase();
    let action =
        Action::ALL.iter().copied().find(|action| action.name() == word).ok_or_else(|| {
            let names: Vec<&str> = Action::ALL.iter().map(|action| action.name()).collect();
            let expected = suggest::expected(&word, &names);
            format!("the action {word:?} is unknown; {expected}")
        })?;
    let digest = text("digest").trim();
    let digest = match digest {
        "" => None,
        digest => Some(Digest::from_hex(digest).ok_or("the digest is not 64 hexadecimal digits")?),
    };
    let row = Row {
        path: RelPath::new(&csv_escape::path_of(path)),
        action,
        from: text("from").to_owned(),
        to: text("to").to_owned(),
        group: text("group").to_owned(),
        reason: text("reason").to_owned(),
        // Some spreadsheets write numbers with a comma; a confidence that is none is nobody's loss.
        confidence: text("confidence").trim().replace(',', ".").parse().ok(),
        digest,
    };
    if action == Action::Relabel {
        check_folder_name(&row.to)
            .map_err(|why| format!("relabel to {:?}: not a valid class name: {why}", row.to))?;
    }
    row.file_name()?;
    Ok(row)
}

#[cfg(test)]
mod tests {
    use super::*;

    const DIGEST: &str = "af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262";

    fn rows(text: &str) -> Vec<(String, Action, String)> {
        let plan = Plan::parse(text.as_bytes()).unwrap();
        plan.rows.into_iter().map(|(_, row)| (row.path.to_string(), row.action, row.to)).collect()
    }

    #[test]
    fn what_spreadsheets_do_to_a_table_does_no_harm() {
        let plain = format!(
            "# a plan\n# root: /photos\npath,action,from,to,group,reason,confidence,digest\n\
             sage/a.jpg,drop,sage,,copies-1,\"the same, as b\",0.99,{DIGEST}\n\
             '=b.jpg,relabel,Bay ,bay,,case,,{DIGEST}\n"
        );
        let expected = [
            ("sage/a.jpg".to_owned(), Action::Drop, String::new()),
            ("=b.jpg".to_owned(), Action::Relabel, "bay".to_owned()),
        ];
        assert_eq!(rows(&plain), expected);
        assert_eq!(Plan::parse(plain.as_bytes()).unwrap().comments, ["a plan", "root: /photos"]);
        // Semicolons, CRLF, a mark, quotes, other columns in another order, empty lines at the end.
        let changed = format!(
            "\u{feff}\"# a plan\";;\r\n\"digest\";\"to\";\"my notes\";\"Action\";\"path\";\"confidence\"\r\n\
             \"{DIGEST}\";;\"TRUE\";\"DROP\";\"sage/a.jpg\";\"0,99\"\r\n;\"bay\";;\"relabel\";\"'=b.jpg\";\r\n;;;;;\r\n\r\n"
        );
        assert_eq!(rows(&changed), expected);
        let first = &Plan::parse(changed.as_bytes()).unwrap().rows[0].1;
        assert_eq!((first.confidence, first.digest), (Some(0.99), Digest::from_hex(DIGEST)));
    }

    #[test]
    fn every_line_that_cannot_be_understood_is_named() {
        let wrong = Plan::parse(
            b"path,action,to,digest\na,dorp,,\nb,relabel,x/y,\n,drop,,\nc,drop,,12\nd,keep,,\n",
        );
        let problems = wrong.unwrap_err().problems;
        assert_eq!(problems.len(), 4, "{problems:?}");
        assert!(
            problems[0].starts_with("line 2: the action \"dorp\" is unknown"),
            "{}",
            problems[0]
        );
        assert!(problems[0].ends_with("did you mean drop?"), "{}", problems[0]);
        assert!(problems[1].contains("not a valid class name"), "{}", problems[1]);
        assert!(Plan::parse(b"path,class\n").is_err() && Plan::parse(b"").is_err());
    }
}
