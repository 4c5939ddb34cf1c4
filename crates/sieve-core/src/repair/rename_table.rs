//! A table of old and new class names: which columns hold them is found out from the names themselves.

use std::collections::{BTreeMap, BTreeSet};

use crate::collection::{check_folder_name, composed};
use crate::csv_escape::unguarded;
use crate::separated;

/// Old and new names of classes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Renames {
    /// Old names to new ones.
    pub names: BTreeMap<String, String>,
}

/// Why a table of names cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RenameError {
    /// It is no table.
    #[error("{0}")]
    Unreadable(String),
    /// None of its names is that of a class.
    #[error("no column matches the class names of the collection")]
    NoClass,
    /// There is nothing beside the old names.
    #[error("it has only one column; expected old and new class names")]
    OneColumn,
    /// No folder can have a new name.
    #[error("line {line}: {name:?} is not a valid class name: {reason}")]
    NoName {
        /// From 1.
        line: usize,
        /// The name.
        name: String,
        /// Why not.
        reason: String,
    },
    /// A class has two new names.
    #[error("line {line}: {name:?} has two new names")]
    TwoNames {
        /// From 1.
        line: usize,
        /// The class.
        name: String,
    },
}

impl Renames {
    /// Reads a table for the classes `known`: the column with most of their names holds the old ones, that with most
    /// different names among the others the new ones. Rows without both are skipped.
    ///
    /// # Errors
    ///
    /// See [`RenameError`].
    pub fn of_table(bytes: &[u8], known: &[String]) -> Result<Self, RenameError> {
        let text = separated::text_of(bytes).map_err(RenameError::Unreadable)?;
        let rows: Result<Vec<csv::StringRecord>, _> = separated::reader(text).records().collect();
        let rows = rows.map_err(|error| RenameError::Unreadable(error.to_string()))?;
        let columns = rows.iter().map(csv::StringRecord::len).max().unwrap_or(0);
        let name = |row: &csv::StringRecord, at: usize| {
            composed(unguarded(row.get(at).unwrap_or_default()).trim()).into_owned()
        };
        let is_class = |name: &String| known.contains(name);
        let classes_in = |at: &usize| {
            let names = rows.iter().map(|row| name(row, *at)).filter(is_class);
            names.collect::<BTreeSet<_>>().len()
        };
        let from = (0..columns).rev().max_by_key(classes_in).filter(|at| classes_in(at) > 0);
        let from = from.ok_or(RenameError::NoClass)?;
        let distinct = |at: &usize| {
            let names = rows.iter().map(|row| name(row, *at)).filter(|name| !name.is_empty());
            names.collect::<BTreeSet<_>>().len()
        };
        // Names are as many as there are rows; of columns with as many of them the first.
        let to = (0..columns).rev().filter(|at| *at != from).max_by_key(distinct);
        let to = to.ok_or(RenameError::OneColumn)?;
        let mut names: BTreeMap<String, String> = BTreeMap::new();
        for (at, row) in rows.iter().enumerate() {
            let (old, new, line) = (name(row, from), name(row, to), at + 1);
            let is_head = at == 0 && !is_class(&old);
            if old.is_empty() || new.is_empty() || is_head {
                continue;
            }
            if let Err(reason) = check_folder_name(&new) {
                return Err(RenameError::NoName { line, name: new, reason: reason.to_string() });
            }
            if names.insert(old.clone(), new.clone()).is_some_and(|other| other != new) {
                return Err(RenameError::TwoNames { line, name: old });
            }
        }
        Ok(Renames { names })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_found_by_the_names_in_them() {
        let known = ["n01", "n02"].map(str::to_owned);
        let read = |text: &str| Renames::of_table(text.as_bytes(), &known);
        let names = |pairs: &[(&str, &str)]| {
            let names = pairs.iter().map(|(old, new)| ((*old).to_owned(), (*new).to_owned()));
            Renames { names: names.collect() }
        };
        let both = names(&[("n01", "bay"), ("n02", "sage")]);
        assert_eq!(read("class,name\nn01,bay\nn02,sage\n"), Ok(both.clone()));
        // Without a head, the other way round, with a column that says less.
        assert_eq!(read("x;bay;n01\nx;sage;n02\n"), Ok(both));
        assert_eq!(read("n01,bay\nn02,\n,mint\n"), Ok(names(&[("n01", "bay")])));
        assert_eq!(read("a,b\nc,d\n"), Err(RenameError::NoClass));
        assert_eq!(read("n01\nn02\n"), Err(RenameError::OneColumn));
        let wrong = read("n01,../up\n").unwrap_err();
        assert!(matches!(&wrong, RenameError::NoName { line: 1, .. }), "{wrong}");
        let twice = read("n01,bay\nn01,dill\n").unwrap_err();
        assert_eq!(twice.to_string(), "line 2: \"n01\" has two new names");
    }
}
