//! The answers of `propose`, `apply`, `undo` and `gather`.

pub mod applied;
pub mod gathered;
pub mod plan;

use crate::console::{Align, Narrow};
use crate::present::cells::MOST_ROWS;
use crate::present::table::Table;
use crate::present::visible;

/// Classes that become larger or smaller, with their images before and after.
fn class_changes<'a>(classes: impl Iterator<Item = (&'a String, &'a (u64, u64))>) -> String {
    let mut rows = vec![["class", "images", "after"].map(str::to_owned).to_vec()];
    for (class, (before, after)) in classes.filter(|(_, (before, after))| before != after) {
        rows.push(vec![visible(class), before.to_string(), number_or_gone(*after)]);
    }
    if rows.len() == 1 {
        return String::new();
    }
    let more = rows.len().saturating_sub(MOST_ROWS + 1);
    rows.truncate(MOST_ROWS + 1);
    let more = if more > 0 { format!("  ... {more} more classes\n") } else { String::new() };
    let columns = [Align::Left, Align::Right, Align::Right];
    format!("\n{}{more}", Table::new(&columns, rows).text(Narrow::Drop(&[])))
}

/// What is left, as a cell.
fn number_or_gone(left: u64) -> String {
    if left == 0 { "gone".to_owned() } else { left.to_string() }
}
