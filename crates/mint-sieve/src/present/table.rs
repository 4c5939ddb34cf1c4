//! One table of an answer, rendered for a terminal, as Markdown and on a page; and CSV for programs.

use std::fmt::Write;

use serde::Serialize;
use sieve_core::csv_escape::guarded;

use crate::console::{self, Align, Narrow, heading, safe};

/// A table of an answer; its first column names the rows.
#[derive(Clone, Debug, Default)]
pub struct Table {
    caption: String,
    columns: Vec<Align>,
    /// The first is the head.
    rows: Vec<Vec<String>>,
}

/// A table as a page shows it.
#[derive(Serialize)]
pub struct PageTable {
    caption: String,
    head: Vec<Head>,
    rows: Vec<Vec<String>>,
    /// Rows that were left out.
    more: usize,
}

#[derive(Serialize)]
struct Head {
    name: String,
    is_number: bool,
}

impl Table {
    /// A table of `rows`, the first of which is the head. Rows may be shorter than the head.
    pub fn new(columns: &[Align], rows: Vec<Vec<String>>) -> Self {
        Table { caption: String::new(), columns: columns.to_vec(), rows }
    }

    /// The same with a heading.
    pub fn captioned(self, caption: &str) -> Self {
        Table { caption: caption.to_owned(), ..self }
    }

    /// For the terminal, laid out once its width is known.
    pub fn text(self, narrow: Narrow<'_>) -> String {
        console::table(&self.columns, narrow, self.rows)
    }

    /// The same below its caption.
    pub fn section(self, narrow: Narrow<'_>) -> String {
        format!("\n{}\n", heading(&self.caption)) + &self.text(narrow)
    }

    /// For a page: at most `most` rows; none where there is no row.
    pub fn on_page(self, most: usize) -> Option<PageTable> {
        let Table { caption, columns, rows } = self;
        let mut rows = rows.into_iter().map(|row| row.iter().map(|cell| safe(cell)).collect());
        let head: Vec<String> = rows.next()?;
        let mut rows: Vec<Vec<String>> = rows.collect();
        let more = rows.len().saturating_sub(most);
        rows.truncate(most);
        let head = head.into_iter().zip(columns);
        let head = head.map(|(name, align)| Head { name, is_number: align == Align::Right });
        (!rows.is_empty()).then(|| PageTable { caption, head: head.collect(), rows, more })
    }

    /// As Markdown, in which nothing in a name becomes markup.
    pub fn markdown(&self) -> String {
        let mut text = String::new();
        for (at, row) in self.rows.iter().enumerate() {
            let cells: Vec<String> = row.iter().map(|cell| markdown_text(cell)).collect();
            let _ = writeln!(text, "| {} |", cells.join(" | "));
            if at == 0 {
                let rules = self.columns.iter().map(|align| match align {
                    Align::Left => "---|",
                    Align::Right => "---:|",
                });
                let _ = writeln!(text, "|{}", rules.collect::<String>());
            }
        }
        text
    }
}

/// Text that Markdown shows as it is: nothing in a name becomes markup or a line break.
pub fn markdown_text(text: &str) -> String {
    let mut plain = String::new();
    for c in text.chars() {
        match c {
            '&' | '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '|' | '#' | '~' => {
                plain.extend(['\\', c])
            }
            c => plain.push(c),
        }
    }
    safe(&plain)
}

/// CSV with this head. What a spreadsheet would run is guarded, but for numbers below 0.
pub fn written<R: IntoIterator<Item = impl AsRef<str>>>(
    head: &[&str],
    rows: impl IntoIterator<Item = R>,
) -> String {
    let mut table = csv::Writer::from_writer(Vec::new());
    let cell = |cell: &str| {
        let is_number = cell.parse::<f64>().is_ok();
        if is_number { cell.to_owned() } else { guarded(cell).into_owned() }
    };
    let head = head.iter().map(|name| guarded(name).into_owned());
    table.write_record(head).expect("memory takes what is written");
    for row in rows {
        let cells = row.into_iter().map(|text| cell(text.as_ref()));
        table.write_record(cells).expect("memory takes what is written");
    }
    let bytes = table.into_inner().expect("memory takes what is written");
    String::from_utf8(bytes).expect("rows are text")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_table_is_rendered_for_each_reader() {
        let rows = [["class", "images"], ["a|*b*", "5"], ["mint\u{202e}", "12"]];
        let rows = rows.map(|row| row.map(str::to_owned).to_vec()).to_vec();
        let table =
            Table::new(&[Align::Left, Align::Right], rows).captioned("Images of each class");
        insta::assert_snapshot!(table.markdown(), @r"
        | class | images |
        |---|---:|
        | a\|\*b\* | 5 |
        | mint\u{202e} | 12 |
        ");
        let text = table.clone().section(Narrow::Keep);
        assert!(text.starts_with("\n") && text.contains("Images of each class"), "{text}");
        let page = table.clone().on_page(1).unwrap();
        assert_eq!(page.rows, [["a|*b*", "5"]]);
        assert!(page.more == 1 && page.head[1].is_number && !page.head[0].is_number);
        let empty = Table { rows: table.rows[..1].to_vec(), ..table };
        assert!(empty.on_page(9).is_none());
    }
}
