//! `balance` for people.

use std::fmt::Write;

use sieve_core::balance::{Association, Balance, Scope};
use sieve_core::statistics::strength;

use super::Balanced;
use super::tables::{class_table, has_shortfall, held_out_table};
use crate::console::{Align, FAINT, Narrow};
use crate::console::{heading, safe};
use crate::present::cells::{percent, visible};
use crate::present::table::Table;
use crate::present::{
    command_on, counted, findings, independent_images, next_step, small_images, splits_folder,
};

/// The whole answer.
pub fn text(answer: &Balanced<'_>) -> String {
    let &Balanced { all, catalog, balance, .. } = answer;
    let mut text = format!("{}\n", heading(&safe(&catalog.collection.name())));
    let classed: u64 = balance.classes.iter().map(|class| class.images).sum();
    let unclassed = (answer.found.images.len() as u64).saturating_sub(classed);
    let _ = writeln!(
        text,
        "{} in {}{}\n{}; reach {}",
        counted(classed, "image", "images"),
        counted(balance.classes.len() as u64, "class", "classes"),
        if unclassed > 0 { format!(" + {unclassed} in no class") } else { String::new() },
        independent_images(balance.independent),
        answer.found.reach.name(),
    );
    text.push_str(&small_images(answer.found));
    text.push('\n');
    text.push_str(&classes(balance, all));
    text.push_str(&spread(balance));
    text.push_str(&repair(balance));
    if !balance.held_out.is_empty() {
        text.push_str(&held_out_table(balance, all).section(Narrow::Keep));
    }
    text.push_str(&associations(balance, all));
    text.push_str(&findings::list(answer.findings, all, |_| Vec::new()));
    let settings = &answer.config.settings;
    text.push_str(&findings::suppressed(answer.suppressed, settings.file.as_deref()));
    text.push('\n');
    text.push_str(&next(answer));
    text
}

/// The classes, and what their weights and shortfalls are of.
fn classes(balance: &Balance, all: bool) -> String {
    let narrow = if all { Narrow::Keep } else { Narrow::Drop(&["effective", "weight", "share"]) };
    let of = match &balance.training {
        Some(split) => format!("within {split}"),
        None => "of all images".to_owned(),
    };
    let shortfall = if has_shortfall(balance) {
        format!(" Shortfall: independent images needed to reach {}.", balance.floor)
    } else {
        String::new()
    };
    format!(
        "{}{FAINT}Weights {of}: inverse frequency; effective number of samples.{shortfall}{FAINT:#}\n",
        class_table(balance, all).text(narrow)
    )
}

/// How even the classes are, for the collection and each split.
fn spread(balance: &Balance) -> String {
    let head = [
        "",
        "images",
        "independent",
        "largest/smallest",
        "evenness",
        "effective classes",
        "largest class",
        "majority baseline",
    ];
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    rows.extend(balance.scopes.iter().map(|scope: &Scope| {
        let (files, diversity) = (&scope.files, &scope.files.diversity);
        vec![
            scope.split.clone().unwrap_or("all".to_owned()),
            files.images.to_string(),
            scope.independent.images.to_string(),
            format!("{:.1}", diversity.ratio),
            diversity.evenness.map_or("-".to_owned(), |even| format!("{even:.3}")),
            format!("{:.1}", diversity.effective_classes),
            visible(&files.largest.class),
            percent(diversity.majority_accuracy),
        ]
    }));
    let mut columns = vec![Align::Left];
    columns.extend([Align::Right; 5]);
    columns.extend([Align::Left, Align::Right]);
    format!(
        "\n{}\n{}",
        heading("Class imbalance and the majority-class baseline"),
        Table::new(&columns, rows).text(Narrow::Drop(&[
            "evenness",
            "effective classes",
            "independent"
        ]))
    )
}

/// What a cap throws away, and how long an epoch is.
fn repair(balance: &Balance) -> String {
    let mut text = String::new();
    let of = balance.training.as_deref().map_or(String::new(), |split| format!(" of {split}"));
    for cap in &balance.caps {
        let _ = writeln!(
            text,
            "Capping every class at {} keeps {}{of} and drops {} (largest/smallest {:.1}).",
            counted(cap.images, "image", "images"),
            cap.keeps,
            cap.drops,
            cap.ratio,
        );
    }
    if let Some(steps) = balance.steps {
        let last = match steps.last {
            0 => "all full".to_owned(),
            last => format!("{} full batches and a last one of {last}", steps.full),
        };
        let _ = writeln!(
            text,
            "An epoch over {}{of} in batches of {} takes {}: {last}.",
            counted(steps.images, "image", "images"),
            steps.batch,
            counted(steps.steps, "step", "steps"),
        );
    }
    if text.is_empty() { text } else { format!("\n{}\n{text}", heading("Balancing options")) }
}

/// Metadata associated with the class (possible shortcuts) of the images.
fn associations(balance: &Balance, all: bool) -> String {
    if balance.associations.is_empty() {
        return String::new();
    }
    let head =
        ["", "Cramer's V", "strength", "most distinctive class", "share in it", "share elsewhere"];
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    for association in &balance.associations {
        let Association { test, residuals, .. } = association;
        let shown = if all { residuals.len().max(1) } else { 1 };
        for place in 0..shown {
            let mut row = if place == 0 {
                vec![
                    association.fact.to_owned(),
                    format!("{:.2}", test.cramers_v_corrected),
                    strength(test.cramers_v_corrected).to_owned(),
                ]
            } else {
                vec![String::new(); 3]
            };
            row.extend(residuals.get(place).map_or_else(Vec::new, |residual| {
                vec![
                    format!("{}: {}", visible(&residual.class), residual.value),
                    percent(residual.share),
                    percent(residual.share_elsewhere),
                ]
            }));
            rows.push(row);
        }
    }
    let columns = [Align::Left, Align::Right, Align::Left, Align::Left, Align::Right, Align::Right];
    let narrow = if all { Narrow::Keep } else { Narrow::Drop(&["strength"]) };
    format!(
        "\n{}\n{}",
        heading("Metadata associated with the class (possible shortcuts)"),
        Table::new(&columns, rows).text(narrow)
    )
}

fn next(answer: &Balanced<'_>) -> String {
    if answer.balance.scopes.len() > 1 {
        return next_step(
            "check the splits for leakage:",
            &command_on(answer.config, "leakage", &[]),
        );
    }
    let to = splits_folder(&answer.config.roots[0].path);
    next_step("build the splits:", &command_on(answer.config, "split", &[&"--to", &to]))
}
