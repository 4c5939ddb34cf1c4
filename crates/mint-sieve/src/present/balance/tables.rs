//! The tables of `balance` that the report shows as well.

use sieve_core::balance::{ASSUMED_ACCURACY, Balance};
use sieve_core::statistics::Interval;

use crate::console::Align;
use crate::present::cells::{FEW_ROWS, percent, shortened, visible};
use crate::present::table::Table;

/// Whether a class has fewer independent images than every class should have.
pub fn has_shortfall(balance: &Balance) -> bool {
    balance.classes.iter().any(|class| class.shortfall_independent > 0)
}

/// The classes, largest first: counts, shares, weights and shortfalls.
pub fn class_table(balance: &Balance, all: bool) -> Table {
    let splits: Vec<&str> =
        balance.scopes.iter().filter_map(|scope| scope.split.as_deref()).collect();
    let is_lacking = has_shortfall(balance);
    let mut head = vec!["class".to_owned()];
    head.extend(splits.iter().map(|split| (*split).to_owned()));
    head.extend(["images", "independent", "share", "weight", "effective"].map(str::to_owned));
    if is_lacking {
        head.push("shortfall".to_owned());
    }
    let mut columns = vec![Align::Right; head.len()];
    columns[0] = Align::Left;
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
    let rows = [vec![head], shortened(rows.collect(), FEW_ROWS, all)].concat();
    Table::new(&columns, rows).captioned("Images of each class")
}

/// How well the splits that are not trained on can measure an accuracy; with `all` for each of their classes, else for the
/// smallest.
pub fn held_out_table(balance: &Balance, all: bool) -> Table {
    let right = format!("{:.0}% accuracy means", ASSUMED_ACCURACY * 100.0);
    let mut rows = vec![["split", "images", "independent", &right].map(str::to_owned).to_vec()];
    let range = |open: Interval| format!("{} to {}", percent(open.low), percent(open.high));
    for split in &balance.held_out {
        rows.push(vec![
            split.split.clone(),
            split.images.to_string(),
            split.independent.to_string(),
            range(split.independent_interval),
        ]);
        let mut classes: Vec<_> = split.classes.iter().filter(|class| class.images > 0).collect();
        classes.sort_by_key(|class| class.images);
        let shown = if all { classes.len() } else { 1 };
        for class in classes.into_iter().take(shown) {
            let name = if all { String::new() } else { "its smallest class, ".to_owned() };
            rows.push(vec![
                format!("  {name}{}", visible(&class.class)),
                class.images.to_string(),
                String::new(),
                class.interval.map_or(String::new(), range),
            ]);
        }
    }
    let columns = [Align::Left, Align::Right, Align::Right, Align::Left];
    Table::new(&columns, rows)
        .captioned("Statistical resolution of the held-out splits (95% Wilson intervals)")
}
