//! `outliers` for people.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::files::shown_name;

use super::{OutlierList, in_words};
use crate::console::{Align, FAINT, Narrow, heading, safe};
use crate::present::cells::visible;
use crate::present::excluded;
use crate::present::table::Table;
use crate::present::{command_line, command_on, counted, next_step};

/// The whole answer.
pub fn text(answer: &OutlierList<'_>) -> String {
    let subject = &answer.outliers.subject;
    let mut text = format!("{}\n", heading(&safe(&answer.catalog.collection.name())));
    let _ = writeln!(
        text,
        "{} of {} compared with their class{}; reach {}",
        counted(subject.images.len() as u64, "independent image", "independent images"),
        counted(subject.classes.len() as u64, "class", "classes"),
        if answer.vectors.is_some() { " by your vectors" } else { "" },
        answer.found.reach.name()
    );
    text.push_str(&excluded::of_subject(subject));
    if answer.listed.is_empty() {
        text.push_str("\nNo image can be ranked.\n");
        let words = command_on(answer.config, "audit", &[]);
        return text + &format!("\n{}", next_step("audit the collection:", &words));
    }
    text.push('\n');
    text.push_str(&table(answer).text(Narrow::Drop(&["split", "score"])));
    let _ = writeln!(
        text,
        "\n{} {}",
        match answer.listed.len() {
            1 => "The most unusual image.".to_owned(),
            count => format!("The {count} most unusual images."),
        },
        match answer.vectors {
            None => {
                "In trials with planted errors, 3 in 10 at the top were errors; the rest are rare but correct."
            }
            // How many are errors depends on the model.
            Some(_) => "Rare but correct images stand beside the wrong ones.",
        }
    );
    let _ = writeln!(
        text,
        "{FAINT}Score: mean of three ranks, 1 for the most unusual image (far from its class, close to another one, taken for another one).{FAINT:#}"
    );
    for file in [answer.plan, answer.sheet].into_iter().flatten() {
        let _ = writeln!(text, "Written: {}", safe(&shown_name(file.as_os_str())));
    }
    text.push('\n');
    text + &next(answer)
}

fn table(answer: &OutlierList<'_>) -> Table {
    let with_splits = !answer.catalog.collection.splits.is_empty();
    let mut columns = vec![Align::Right, Align::Left, Align::Left];
    let mut head = vec!["rank", "image", "class"];
    if with_splits {
        columns.push(Align::Left);
        head.push("split");
    }
    columns.extend([Align::Right, Align::Left, Align::Left]);
    head.extend(["score", "resembles", "reason"]);
    let mut rows = vec![head.into_iter().map(str::to_owned).collect::<Vec<_>>()];
    for (rank, one) in answer.listed {
        let record = answer.image(one.row).record;
        let mut row =
            vec![rank.to_string(), record.path.to_string(), visible(answer.class(one.class))];
        if with_splits {
            row.push(record.split().unwrap_or("-").to_owned());
        }
        row.extend([
            format!("{:.3}", one.score),
            answer.resembles(one).map_or("-".to_owned(), visible),
            in_words(one.reason).to_owned(),
        ]);
        rows.push(row);
    }
    Table::new(&columns, rows)
}

fn next(answer: &OutlierList<'_>) -> String {
    let mut options: Vec<&dyn AsRef<OsStr>> = Vec::new();
    for class in answer.classes {
        options.extend([&"--class" as &dyn AsRef<OsStr>, class]);
    }
    if answer.sheet.is_none() {
        options.extend([&"--sheet" as &dyn AsRef<OsStr>, &"outliers.png"]);
        let words = command_on(answer.config, "outliers", &options);
        return next_step("look at them beside typical images of their class:", &words);
    }
    match answer.plan {
        None => {
            options.extend([&"--plan" as &dyn AsRef<OsStr>, &"outliers.csv"]);
            let words = command_on(answer.config, "outliers", &options);
            next_step("write a plan with a row to decide on for each:", &words)
        }
        Some(plan) => {
            let to = crate::present::repaired_folder(&answer.config.roots[0].path);
            let words: [&OsStr; 5] = [
                "mint-sieve".as_ref(),
                "apply".as_ref(),
                plan.as_os_str(),
                "--to".as_ref(),
                to.as_os_str(),
            ];
            format!(
                "{} replace decide with drop, keep or relabel, then:\n  {}\n",
                heading("Next:"),
                command_line(&words)
            )
        }
    }
}
