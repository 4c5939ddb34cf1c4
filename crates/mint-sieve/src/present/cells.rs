//! What stands in the cells of tables, and how many rows a person takes in.

/// A bar of up to `width` columns for `value` out of `most`, to an eighth of a column; what is
/// there at all shows at least the thinnest bar.
pub fn bar(value: u64, most: u64, width: u64) -> String {
    let eighths = if most == 0 { 0 } else { (value * width * 8).div_ceil(most) };
    let mut bar = "█".repeat((eighths / 8) as usize);
    bar.extend("▏▎▍▌▋▊▉".chars().nth((eighths % 8).wrapping_sub(1) as usize));
    bar
}

/// A share as text, in percent with one decimal.
pub fn percent(share: f64) -> String {
    format!("{:.1}%", share * 100.0)
}

/// Rows of a table that is the answer, without `--all`.
pub const MOST_ROWS: usize = 40;
/// Rows of a table beside which there is more to say.
pub const FEW_ROWS: usize = 14;

/// How many of `all` items are listed where `most` are enough: a line that stands for one or two more would take as much
/// room as they do.
pub fn listed(all: usize, most: usize) -> usize {
    if all < most.saturating_add(3) { all } else { most }
}

/// The rows that a person takes in: all of them, or the first and last of `most` with a line in place
/// of those in the middle.
pub fn shortened(mut rows: Vec<Vec<String>>, most: usize, all: bool) -> Vec<Vec<String>> {
    if !all && rows.len() > listed(rows.len(), most) {
        let left_out = most / 2..rows.len() - most / 2;
        let line = vec![format!("... {} more (--all)", left_out.len())];
        rows.splice(left_out, [line]);
    }
    rows
}

/// A class name as it is, in quotes where its spaces would not be seen.
pub fn visible(class: &str) -> String {
    let hides_spaces = class.trim() != class || class.contains("  ");
    if hides_spaces { format!("{class:?}") } else { class.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_grow_by_eighths_and_show_whatever_is_there() {
        assert_eq!(bar(0, 80, 10), "");
        assert_eq!(bar(1, 8000, 10), "▏");
        assert_eq!(bar(12, 80, 10), "█▌");
        assert_eq!(bar(80, 80, 10), "██████████");
        assert_eq!(bar(0, 0, 10), "");
        let lengths: Vec<usize> =
            (1..=80).map(|value| bar(value, 80, 10).chars().count()).collect();
        assert!(lengths.is_sorted() && lengths[79] == 10);
    }

    #[test]
    fn no_line_stands_for_one_or_two_others() {
        for (all, shown) in [(3, 3), (6, 6), (7, 7), (8, 8), (9, 6), (400, 6)] {
            assert_eq!(listed(all, 6), shown, "{all}");
        }
        let rows = |count: usize| (0..count).map(|row| vec![row.to_string()]).collect::<Vec<_>>();
        let first = |rows: Vec<Vec<String>>| -> Vec<String> {
            rows.into_iter().map(|mut row| row.remove(0)).collect()
        };
        assert_eq!(shortened(rows(6), 4, false), rows(6));
        let cut = ["0", "1", "... 3 more (--all)", "5", "6"];
        assert_eq!(first(shortened(rows(7), 4, false)), cut);
        assert_eq!(shortened(rows(70), 4, true), rows(70));
    }
}
