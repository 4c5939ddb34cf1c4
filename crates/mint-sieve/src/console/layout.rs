//! Text on its way to a terminal: sentences wrap at its width, tables fit it; on a pipe nothing is wrapped.

use unicode_width::UnicodeWidthChar;

use super::shorten::middle;
use super::table::{self, ROW};

/// Columns that a line keeps for its words, however narrow the terminal is.
const LEAST_WIDTH: usize = 40;
/// How commands to paste begin: they are left in one piece.
const COMMANDS: [&str; 2] = ["  mint-sieve ", "$ mint-sieve "];
/// How far the lines of a finding stand in.
const FINDING_INDENT: usize = 9;

/// `text` for lines of `width` columns, or of any length.
pub fn lay_out(text: &str, width: Option<usize>) -> String {
    let width = width.map(|width| width.max(LEAST_WIDTH));
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let is_row = |line: &str| line.starts_with(ROW);
    let mut out = String::with_capacity(text.len());
    for block in lines.chunk_by(|a, b| is_row(a) && is_row(b)) {
        if is_row(block[0]) {
            let rows: Vec<&str> = block.iter().map(|line| line.trim_end_matches('\n')).collect();
            out.push_str(&table::laid_out(&rows, width));
        } else {
            block.iter().for_each(|line| wrap(line, width, &mut out));
        }
    }
    out
}

/// Columns that `text` takes; styles take none.
fn columns(text: &str) -> usize {
    let mut columns = 0;
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        if c == '\u{1b}' {
            // A style is ESC [ numbers m.
            chars.by_ref().find(|c| c.is_ascii_alphabetic());
        } else {
            columns += c.width().unwrap_or(0);
        }
    }
    columns
}

fn wrap(line: &str, width: Option<usize>, out: &mut String) {
    let is_command = || COMMANDS.iter().any(|start| plain(line).starts_with(start));
    let Some(width) = width.filter(|&width| columns(line) > width && !is_command()) else {
        out.push_str(line);
        return;
    };
    let body = line.trim_end_matches('\n');
    let start = plain(body).chars().take_while(|c| *c == ' ').count();
    let is_finding = ["error ", "warning ", "note ", "error:", "warning:"]
        .iter()
        .any(|at| plain(body).starts_with(at));
    let indent = if is_finding { FINDING_INDENT } else { start + 2 };
    let room = width - indent.min(width / 2);
    let mut used = 0;
    for (at, word) in body.split(' ').enumerate() {
        let word = if columns(word) > room { middle(&plain(word), room) } else { word.to_owned() };
        let columns = columns(&word);
        if at > 0 {
            if used + 1 + columns > width && used > indent {
                out.push('\n');
                out.push_str(&" ".repeat(indent));
                used = indent;
            } else {
                out.push(' ');
                used += 1;
            }
        }
        out.push_str(&word);
        used += columns;
    }
    out.push_str(&line[body.len()..]);
}

/// `text` without styles.
fn plain(text: &str) -> String {
    anstream::adapter::strip_str(text).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sentences_wrap_with_a_hanging_indent_and_commands_do_not() {
        let text = "Findings: 2\n\
            \u{1b}[1mwarning\u{1b}[0m  same-image (7): bay/bay-022-crop.jpg ~ bay/bay-022.jpg ... 6 more\n\
            \x20 a line that stands in is wrapped below where it begins, and two further\n\
            \x20 mint-sieve split herb-shed-demo/collection --parts train=80,test=20\n";
        assert_eq!(lay_out(text, None), text);
        let laid = lay_out(text, Some(44));
        insta::assert_snapshot!(plain(&laid), @r"
        Findings: 2
        warning  same-image (7):
                 bay/bay-022-crop.jpg ~
                 bay/bay-022.jpg ... 6 more
          a line that stands in is wrapped below
            where it begins, and two further
          mint-sieve split herb-shed-demo/collection --parts train=80,test=20
        ");
    }
}
