//! Tables for people: kept as rows of cells until the width of a line is known, then laid out.
//!
//! Text on its way to the terminal holds each row as one line that begins with [`ROW`], its cells parted by [`CELL`].
//! Both are of Unicode's private use area, which [`super::safe`] lets through in no name.

use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use unicode_width::UnicodeWidthStr;

use super::names::safe;
use super::shorten::middle;

/// Begins a row; the letters behind it say how its cells stand, and which may go.
pub const ROW: char = '\u{e000}';
/// Stands before each cell.
const CELL: char = '\u{e001}';
/// Spaces before each column.
const GAP: usize = 2;
/// Columns that words are never shortened below.
const LEAST_WORDS: usize = 24;

/// How the cells of a column stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Align {
    /// Words.
    Left,
    /// Numbers.
    Right,
}

/// Which columns go first where a line cannot hold all of them.
#[derive(Clone, Copy, Debug)]
pub enum Narrow<'a> {
    /// Those with these heads, in the order of this list.
    Drop(&'a [&'a str]),
    /// None, since everything was requested.
    Keep,
}

/// A table without lines; the first row is its head.
pub fn table(columns: &[Align], narrow: Narrow<'_>, rows: Vec<Vec<String>>) -> String {
    let mut text = String::new();
    let heads = rows.first().cloned().unwrap_or_default();
    let place = |at: usize| match narrow {
        // A column without a head is called by nothing.
        Narrow::Drop(first) => {
            let head = heads.get(at).map_or("", String::as_str);
            first.iter().position(|&column| column == head)
        }
        Narrow::Keep => None,
    };
    for row in rows {
        text.push(ROW);
        for (at, cell) in row.iter().enumerate() {
            text.push(CELL);
            text.push(if columns.get(at) == Some(&Align::Right) { 'r' } else { 'l' });
            // Behind the letter, when the column goes: `0` first, `-` never.
            let order = place(at).and_then(|place| char::from_digit(place.min(9) as u32, 10));
            text.push(order.unwrap_or('-'));
            text.push_str(&safe(cell));
        }
        text.push('\n');
    }
    text
}

/// The rows of one table as lines of at most `width` columns, where that can be had.
pub fn laid_out(lines: &[&str], width: Option<usize>) -> String {
    let mut rows: Vec<Vec<&str>> =
        lines.iter().map(|line| line.split(CELL).skip(1).collect()).collect();
    let mut left_out = Vec::new();
    let mut widths = widths(&rows);
    if let Some(width) = width {
        let total = |widths: &[usize]| widths.iter().map(|cell| cell + GAP).sum::<usize>();
        // Words are shortened before anything goes.
        let over = total(&widths).saturating_sub(width);
        let spare = |widths: &[usize], rows: &[Vec<&str>]| -> usize {
            words(rows).map(|at| widths[at].saturating_sub(LEAST_WORDS)).sum()
        };
        if over > spare(&widths, &rows) {
            for order in '0'..='9' {
                let longest = rows.iter().max_by_key(|row| row.len());
                let goes =
                    |(at, cell): (usize, &&str)| (cell.chars().nth(1) == Some(order)).then_some(at);
                let all: Vec<usize> =
                    longest.into_iter().flatten().enumerate().filter_map(goes).collect();
                for &at in all.iter().rev() {
                    let head = rows[0].get(at).map_or("", |cell| &cell[2..]).to_owned();
                    if !left_out.contains(&head) {
                        left_out.push(head);
                    }
                    rows.iter_mut().filter(|row| row.len() > at).for_each(|row| {
                        row.remove(at);
                    });
                    widths.remove(at);
                }
                if total(&widths).saturating_sub(width) <= spare(&widths, &rows) {
                    break;
                }
            }
        }
        let mut over = total(&widths).saturating_sub(width);
        while over > 0 {
            let widest = words(&rows).max_by_key(|&at| widths[at]);
            let Some(at) = widest.filter(|&at| widths[at] > LEAST_WORDS) else { break };
            let next = words(&rows).filter(|&other| other != at).map(|other| widths[other]).max();
            let down_to = next.unwrap_or(0).min(widths[at] - 1).max(LEAST_WORDS);
            let taken = over.min(widths[at] - down_to);
            widths[at] -= taken;
            over -= taken;
        }
    }
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    for row in &rows {
        let cells = row.iter().zip(&widths).map(|(cell, &width)| middle(&cell[2..], width));
        table.add_row(cells);
    }
    for (index, cell) in rows.iter().max_by_key(|row| row.len()).into_iter().flatten().enumerate() {
        if let Some(column) = table.column_mut(index) {
            column.set_padding((GAP as u16, 0));
            column.set_cell_alignment(match cell.starts_with('r') {
                true => CellAlignment::Right,
                false => CellAlignment::Left,
            });
        }
    }
    let lines = table.lines().map(|line| format!("{}\n", line.trim_end()));
    let mut text: String = lines.collect();
    left_out.retain(|head| !head.is_empty());
    if !left_out.is_empty() {
        text.push_str(&format!("  (--all also shows {})\n", left_out.join(", ")));
    }
    text
}

fn widths(rows: &[Vec<&str>]) -> Vec<usize> {
    let count = rows.iter().map(Vec::len).max().unwrap_or(0);
    let width = |at: usize| rows.iter().filter_map(|row| row.get(at)).map(|c| c[2..].width()).max();
    (0..count).map(|at| width(at).unwrap_or(0)).collect()
}

/// The columns of words.
fn words(rows: &[Vec<&str>]) -> impl Iterator<Item = usize> {
    let head = rows.iter().max_by_key(|row| row.len());
    let is_left = |(at, cell): (usize, &&str)| cell.starts_with('l').then_some(at);
    let places: Vec<usize> = head.into_iter().flatten().enumerate().filter_map(is_left).collect();
    places.into_iter()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table(narrow: Narrow<'_>, width: Option<usize>) -> String {
        let cells = [
            ["path", "images", "share", "kind"],
            ["herbs/the-long-shelf/nettle-0001.jpg", "5", "1.0%", "near"],
            ["薄荷", "120", "99.0%", "same-bytes"],
        ];
        let columns = [Align::Left, Align::Right, Align::Right, Align::Left];
        let cells = cells.map(|row| row.map(str::to_owned).to_vec()).to_vec();
        let text = super::table(&columns, narrow, cells);
        laid_out(&text.lines().collect::<Vec<_>>(), width)
    }

    #[test]
    fn tables_are_aligned_shortened_and_then_lose_what_matters_least() {
        insta::assert_snapshot!(table(Narrow::Keep, None), @r"
        path                                  images  share  kind
        herbs/the-long-shelf/nettle-0001.jpg       5   1.0%  near
        薄荷                                     120  99.0%  same-bytes
        ");
        insta::assert_snapshot!(table(Narrow::Drop(&["share"]), Some(54)), @r"
        path                       images  share  kind
        herbs/th…/nettle-0001.jpg       5   1.0%  near
        薄荷                          120  99.0%  same-bytes
        ");
        insta::assert_snapshot!(table(Narrow::Drop(&["share"]), Some(40)), @r"
        path                      images  kind
        herbs/t…/nettle-0001.jpg       5  near
        薄荷                         120  same-bytes
        (--all also shows share)
        ");
        let all = table(Narrow::Keep, Some(40));
        assert!(all.contains("share") && all.lines().all(|line| line.width() <= 54), "{all}");
    }
}
