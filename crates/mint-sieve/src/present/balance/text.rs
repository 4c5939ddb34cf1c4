//! `balance` for people.

use std::fmt::Write;

use sieve_core::balance::{ASSUMED_ACCURACY, Association, Balance, Scope};
use sieve_core::statistics::strength;

use super::Balanced;
use crate::console::{Align, FAINT, Narrow, table};
use crate::console::{heading, safe};
use crate::present::table::{FEW_ROWS, percent, shortened, visible};
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
    text.push_str(&held_out(balance, all));
    text.push_str(&associations(balance, all));
    text.push_str(&findings::list(answer.findings, all, |_| Vec::new()));
    let settings = &answer.config.settings;
    text.push_str(&findings::suppressed(answer.suppressed, settings.file.as_deref()));
    text.push('\n');
    text.push_str(&next(answer));
    text
}

/// The classes, largest first: counts, shares, weights, and what is missing.
fn classes(balance: &Balance, all: bool) -> String {
    let splits: Vec<&str> =
        balance.scopes.iter().filter_map(|scope| scope.split.as_deref()).collect();
    let is_lacking = balance.classes.iter().any(|class| class.shortfall_independent > 0);
    let mut head = vec!["class".to_owned()];
    head.extend(splits.iter().map(|split| (*split).to_owned()));
    head.extend(["images", "independent", "share", "weight", "effective"].map(str::to_owned));
    if is_lacking {
        head.push("shortfall".to_owned());
    }
    let mut columns = vec![Align::Left];
    columns.extend(head.iter().skip(1).map(|_| Align::Right));
    let mut classes: Vec<_> = balance.classes.iter().zip(&balance.weights).collect();
    classes.sort_by_key(|(class, _)| std::cmp::Reverse(class.images));
    let rows = classes.into_iter().map(|(class, weight)| {
        let number = |weight: Option<f64>| weight.map_or("-".to_owned(), |w| format!("{w:.3}"));
        let mut row = vec![visible(&class.class)];
        row.extend(splits.iter().map(|split| class.images_in(Some(split)).to_string()));
        row.extend([
            class.images.to_string(),
            class.independent.to_string(),
            percent(class.share),
            number(weight.inverse_frequency),
            number(weight.effective_number),
        ]);
        let shortfall = class.shortfall_independent;
        if is_lacking {
            row.push(if shortfall > 0 { shortfall.to_string() } else { "-".to_owned() });
        }
        row
    });
    let head_and_rows = shortened(rows.collect(), FEW_ROWS, all);
    let rows = [vec![head], head_and_rows].concat();
    let narrow = if all { Narrow::Keep } else { Narrow::Drop(&["effective", "weight", "share"]) };
    let of = match &balance.training {
        Some(split) => format!("within {split}"),
        None => "of all images".to_owned(),
    };
    let shortfall = if is_lacking {
        format!(" Shortfall: independent images needed to reach {}.", balance.floor)
    } else {
        String::new()
    };
    format!(
        "{}{FAINT}Weights {of}: inverse frequency; effective number of samples.{shortfall}{FAINT:#}\n",
        table(&columns, narrow, rows)
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
        table(&columns, Narrow::Drop(&["evenness", "effective classes", "independent"]), rows)
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

/// What the splits that are not trained on can tell.
fn held_out(balance: &Balance, all: bool) -> String {
    if balance.held_out.is_empty() {
        return String::new();
    }
    let right = format!("{:.0}% accuracy means", ASSUMED_ACCURACY * 100.0);
    let head = ["", "images", "independent", &right].map(str::to_owned).to_vec();
    let mut rows = vec![head];
    for split in &balance.held_out {
        let open = split.independent_interval;
        rows.push(vec![
            split.split.clone(),
            split.images.to_string(),
            split.independent.to_string(),
            format!("{} to {}", percent(open.low), percent(open.high)),
        ]);
        let mut classes: Vec<_> = split.classes.iter().filter(|class| class.images > 0).collect();
        classes.sort_by_key(|class| class.images);
        let shown = if all { classes.len() } else { 1 };
        for class in classes.into_iter().take(shown) {
            let open = class.interval.map_or(String::new(), |open| {
                format!("{} to {}", percent(open.low), percent(open.high))
            });
            let name = if all { String::new() } else { "its smallest class, ".to_owned() };
            rows.push(vec![
                format!("  {name}{}", visible(&class.class)),
                class.images.to_string(),
                String::new(),
                open,
            ]);
        }
    }
    let columns = [Align::Left, Align::Right, Align::Right, Align::Left];
    format!(
        "\n{}\n{}",
        heading("Statistical resolution of the held-out splits (95% Wilson intervals)"),
        table(&columns, Narrow::Keep, rows)
    )
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
        table(&columns, narrow, rows)
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
