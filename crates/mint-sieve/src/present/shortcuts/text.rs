//! `shortcuts` for people.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::files::shown_name;
use sieve_core::shortcuts::{ClassShortcut, FALSE_ALARMS, Recognised};

use super::ShortcutReport;
use crate::console::{Align, FAINT, Narrow, heading, safe};
use crate::present::cells::{FEW_ROWS, percent, shortened, visible};
use crate::present::table::Table;
use crate::present::{command_on, counted, excluded, findings, next_step, splits_folder};

/// The whole answer.
pub fn text(answer: &ShortcutReport<'_>) -> String {
    let shortcuts = answer.shortcuts;
    let mut text = format!("{}\n", heading(&safe(&answer.catalog.collection.name())));
    let _ = writeln!(
        text,
        "{} tried, each against all others; reach {}",
        counted(shortcuts.classes.len() as u64, "class", "classes"),
        answer.found.reach.name()
    );
    text.push_str(&excluded::text(&shortcuts.excluded));
    if !shortcuts.classes.is_empty() {
        text.push('\n');
        text.push_str(&table(answer).text(Narrow::Drop(&["by metadata", "by file", "images"])));
        let _ = writeln!(
            text,
            "{FAINT}Share of a class that is recognised by its border, mean colour or file (sides and bytes) alone, without its\ncontent, at {} false alarms; in brackets the lower bound with 97.5% confidence.{FAINT:#}",
            percent(FALSE_ALARMS)
        );
    }
    text.push_str(&findings::list(answer.findings, answer.all, |_| Vec::new()));
    let settings = &answer.config.settings;
    text.push_str(&findings::suppressed(answer.suppressed, settings.file.as_deref()));
    if shortcuts.classes.iter().any(|one| one.is_background(answer.limits)) {
        text.push_str(
            "\nRemedies: photograph the class on other backgrounds, crop tighter, or test on other backgrounds than you train on.\n",
        );
    }
    if let Some(sheet) = answer.sheet {
        let _ = writeln!(text, "\nWritten: {}", safe(&shown_name(sheet.as_os_str())));
    }
    text.push('\n');
    text + &next(answer)
}

fn table(answer: &ShortcutReport<'_>) -> Table {
    let with_vectors = answer.shortcuts.classes.iter().any(|one| one.vectors.is_some());
    let mut head = vec!["class", "images", "by border", "by colour", "by file"];
    head.extend(with_vectors.then_some("by vectors"));
    head.push("by metadata");
    let known =
        |known: Recognised| format!("{} ({})", percent(known.share), percent(known.interval.low));
    let row = |one: &&ClassShortcut| {
        let strongest = one
            .metadata
            .iter()
            .max_by(|a, b| (a.share - a.share_elsewhere).total_cmp(&(b.share - b.share_elsewhere)));
        let mut row = vec![
            visible(&one.class),
            one.images.len().to_string(),
            known(one.border),
            known(one.colour),
            known(one.file),
        ];
        row.extend(one.vectors.map(known));
        row.push(strongest.map_or("-".to_owned(), |tied| {
            format!(
                "{} {}: {} (elsewhere {})",
                tied.fact,
                tied.value,
                percent(tied.share),
                percent(tied.share_elsewhere)
            )
        }));
        row
    };
    let rows: Vec<Vec<String>> = answer.ordered().iter().map(row).collect();
    let mut columns = vec![Align::Right; head.len()];
    (columns[0], columns[head.len() - 1]) = (Align::Left, Align::Left);
    let head = head.into_iter().map(str::to_owned).collect();
    let rows = [vec![head], shortened(rows, FEW_ROWS, answer.all)];
    Table::new(&columns, rows.concat())
}

fn next(answer: &ShortcutReport<'_>) -> String {
    if answer.sheet.is_none() && !answer.shortcuts.classes.is_empty() {
        let options: [&dyn AsRef<OsStr>; 2] = [&"--sheet", &"shortcuts.png"];
        let words = command_on(answer.config, "shortcuts", &options);
        return next_step("look at the borders and mean images:", &words);
    }
    if answer.catalog.collection.splits.is_empty() {
        let to = splits_folder(&answer.config.roots[0].path);
        let words = command_on(answer.config, "split", &[&"--to", &to]);
        return next_step("build the splits:", &words);
    }
    let words = command_on(answer.config, "coverage", &[]);
    next_step("see what the classes lack:", &words)
}
