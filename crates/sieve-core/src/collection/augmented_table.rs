//! Images that were made from others: what the table beside augmented copies says.

use std::collections::HashMap;
use std::path::PathBuf;

use super::table::{self, Needed};
use super::{
    AUGMENTED_COLUMNS, AUGMENTED_TABLE, Collection, Columns, ExtraColumns, Located, has_columns,
};
use crate::Error;
use crate::progress::Progress;
use crate::reading::ReadLimits;

/// What the group of images that were made from one begins with; the digest of that one follows.
const MADE_FROM: &str = "made from ";

/// The digest, as hexadecimal digits, of the image that the members of a group were made from.
pub fn made_from(group: &str) -> Option<&str> {
    group.strip_prefix(MADE_FROM)
}

impl Collection {
    /// Gives each image that a table of augmented copies in the collection names the group of its source. A table that
    /// cannot be read says nothing.
    ///
    /// # Errors
    ///
    /// When `progress` asks to stop.
    pub(super) fn take_origins(&mut self, progress: &dyn Progress) -> Result<(), Error> {
        let tables = self.entries.iter().filter(|entry| entry.path.file_name() == AUGMENTED_TABLE);
        let (located, folders): (Vec<Located<'_>>, Vec<PathBuf>) = tables
            .map(|entry| {
                (
                    entry.located(),
                    entry.path.native().parent().map(PathBuf::from).unwrap_or_default(),
                )
            })
            .unzip();
        if located.is_empty() {
            return Ok(());
        }
        let columns = Columns { group: "digest".to_owned(), ..Columns::default() };
        let read = self.visit(&located, &ReadLimits::default(), progress, |_, bytes| {
            let bytes = bytes.ok()?.bytes;
            let is_one = has_columns(&bytes, &AUGMENTED_COLUMNS);
            is_one.then(|| table::parse(&bytes, &columns, Needed::Class).ok()).flatten()
        })?;
        let mut sources: HashMap<PathBuf, String> = HashMap::new();
        for (table, folder) in read.into_iter().zip(&folders) {
            let rows = table.into_iter().flat_map(|table| table.rows);
            let named = rows.filter_map(|row| Some((folder.join(row.path), row.group?)));
            sources.extend(named.map(|(path, digest)| (path, format!("{MADE_FROM}{digest}"))));
        }
        for entry in &mut self.entries {
            if let Some(group) = sources.remove(entry.path.native()) {
                let extra =
                    entry.place.extra.get_or_insert_with(|| Box::new(ExtraColumns::default()));
                extra.group = Some(group);
            }
        }
        Ok(())
    }
}
