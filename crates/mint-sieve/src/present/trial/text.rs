//! `trial` for people.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::confusion::Share;
use sieve_core::files::shown_name;
use sieve_core::learner::SIDE_PX;
use sieve_core::statistics::Interval;
use sieve_core::trial::{
    ClassCurve, Comparison, Judgement, More, Reliance, Sample, View, ViewScore, short_of,
};

use super::{Trained, TrialReport};
use crate::console::{Align, FAINT, Narrow, heading, safe};
use crate::present::cells::{FEW_ROWS, percent, shortened, visible};
use crate::present::table::Table;
use crate::present::{command_on, confusion, counted, next_step, splits_folder};

/// A view accounts for most of what a model can learn where it gains more than half of what the whole image does.
const MOST_OF_GAIN: f64 = 0.5;
/// Misclassified images that are named in the text.
const FEW_NAMED: usize = 5;

/// The whole answer.
pub fn text(answer: &TrialReport<'_>) -> String {
    let mut text = format!("{}\n", heading(&safe(&answer.catalog.collection.name())));
    if let (Some(sample), Some(trained)) = (answer.sample, answer.trained) {
        text.push_str(&of_sample(answer, sample));
        text.push_str(&policies(answer, sample, trained));
        if let Some(reliance) = &trained.reliance {
            text.push_str(&views(answer, sample, reliance));
        }
        text.push_str(&curve(answer, sample, trained));
        text.push_str(&confused(answer, sample, trained));
    }
    if let Some((folds, file)) = answer.out_of_fold {
        let _ = writeln!(
            text,
            "\nPredicted {} of {} out of fold{}.",
            counted(folds.images.len() as u64, "image", "images"),
            counted(folds.classes.len() as u64, "class", "classes"),
            match folds.left_out {
                0 => String::new(),
                count => format!(" ({count} without a class or a thumbnail left out)"),
            }
        );
        let _ = writeln!(text, "Written: {}", safe(&shown_name(file.as_os_str())));
    }
    if let Some(sheet) = answer.sheet {
        let _ = writeln!(text, "\nWritten: {}", safe(&shown_name(sheet.as_os_str())));
    }
    text.push('\n');
    text + &next(answer)
}

fn of_sample(answer: &TrialReport<'_>, sample: &Sample) -> String {
    let mut text = String::new();
    let split = safe(&sample.held_out_split);
    let _ = writeln!(
        text,
        "Small learner on {SIDE_PX}x{SIDE_PX} pixels: {} of {} independent training images, {} {split} images, {}",
        sample.training.len(),
        sample.available,
        sample.held_out.len(),
        counted(sample.classes.len() as u64, "class", "classes"),
    );
    let _ = writeln!(
        text,
        "{} epochs, {} seeds from {}; reach {}",
        answer.epochs,
        answer.seeds,
        answer.seed,
        answer.found.reach.name()
    );
    if sample.leaked > 0 {
        let _ = writeln!(
            text,
            "{} left out: not independent of the training images or of each other",
            counted(sample.leaked, &format!("{split} image"), &format!("{split} images"))
        );
    }
    if !sample.left_out.is_empty() {
        let names: Vec<String> =
            sample.left_out.iter().take(FEW_NAMED).map(|class| safe(&visible(class))).collect();
        let more = sample.left_out.len() - names.len();
        let _ = writeln!(
            text,
            "{} left out, with fewer than two independent training images: {}{}",
            counted(sample.left_out.len() as u64, "class", "classes"),
            names.join(", "),
            if more > 0 { format!(" and {more} more") } else { String::new() }
        );
    }
    if sample.held_out_split == "test" {
        text.push_str(
            "There is no validation split: what is chosen by these test images can no longer be measured on them.\n",
        );
    }
    text
}

/// A difference of shares in points, with its sign.
fn points(difference: f64) -> String {
    format!("{:+.1}", difference * 100.0)
}

fn between(interval: Interval) -> String {
    format!("{} to {}", points(interval.low), points(interval.high))
}

fn share_range(share: Share) -> String {
    format!("{} to {}", percent(share.interval.low), percent(share.interval.high))
}

fn policies(answer: &TrialReport<'_>, sample: &Sample, trained: &Trained) -> String {
    let short = short_of(answer.epochs);
    let first = &trained.policies[0];
    let mut head = vec!["policy".to_owned()];
    let mut columns = vec![Align::Left];
    let compares = trained.policies.len() > 1;
    if compares {
        head.push(format!("{short} epochs"));
        columns.push(Align::Right);
    }
    head.push(format!("{} epochs", answer.epochs));
    head.push("95% interval".to_owned());
    columns.extend([Align::Right, Align::Right]);
    if compares {
        head.extend([
            format!("beside {}", first.name),
            "interval".to_owned(),
            "loss left".to_owned(),
        ]);
        columns.extend([Align::Right; 3]);
    }
    let rows = trained.policies.iter().map(|one| {
        let mut row = vec![one.name.clone()];
        if compares {
            row.push(percent(one.accuracy[1].share));
        }
        row.extend([percent(one.accuracy[0].share), share_range(one.accuracy[0])]);
        if compares {
            row.extend(match &one.comparison {
                None => ["-", "-", "-"].map(str::to_owned),
                Some(comparison) => [
                    points(comparison.full.mean),
                    between(comparison.full.interval),
                    format!("{:.0}%", comparison.loss_left * 100.0),
                ],
            });
        }
        row
    });
    let rows = std::iter::once(head).chain(rows).collect();
    let table = Table::new(&columns, rows).captioned("Accuracy");
    let mut text = table.section(Narrow::Drop(&["loss left", "95% interval"]));
    if let Some((class, share)) = trained.confusion.majority() {
        let _ = writeln!(
            text,
            "Always predicting {} scores {}.",
            safe(&visible(&sample.classes[class])),
            percent(share.share)
        );
    }
    if !compares {
        return text;
    }
    let _ = writeln!(
        text,
        "{FAINT}Means of {} runs. Beside {}: difference in points, with an interval that allows for shared images. Loss left: how\nmuch of the training loss remains, 100% if nothing was learned.{FAINT:#}",
        answer.seeds,
        safe(&first.name)
    );
    let _ = writeln!(
        text,
        "\nIn this small trial ({SIDE_PX}x{SIDE_PX} pixels, {}, {} epochs, {} seeds):",
        counted(sample.training.len() as u64, "image", "images"),
        answer.epochs,
        answer.seeds,
    );
    for one in &trained.policies {
        if let Some(comparison) = &one.comparison {
            text.push_str(&verdict(answer, [&one.name, &first.name], comparison));
        }
    }
    text.push_str("A large pretrained model may rank them differently.\n");
    text
}

/// What is said of a policy beside the first one.
fn verdict(answer: &TrialReport<'_>, names: [&str; 2], comparison: &Comparison) -> String {
    let [name, first] = names.map(safe);
    let first = if first == "none" { "no augmentation".to_owned() } else { first };
    let difference = comparison.full.mean;
    let beside = match difference.abs() * 100.0 {
        points if points < 0.05 => "level with".to_owned(),
        points if difference < 0.0 => format!("{points:.1} points below"),
        points => format!("{points:.1} points above"),
    };
    let conclusion = match comparison.judgement {
        Judgement::Better => "it helps here".to_owned(),
        Judgement::Worse => "it hurts here".to_owned(),
        Judgement::CatchingUp => "but it has not finished learning, so no verdict".to_owned(),
        Judgement::NoDifference => "no difference can be claimed".to_owned(),
    };
    let range = between(comparison.full.interval).replace(" to ", " and ");
    let mut text = format!("  {name} was {beside} {first}, between {range}: {conclusion}.");
    if comparison.judgement != Judgement::Better {
        let short = short_of(answer.epochs);
        let is_closing = comparison.full.mean > comparison.short.mean && comparison.full.mean < 0.0;
        let since = format!("after {short} epochs it was {} points", points(comparison.short.mean));
        if comparison.is_unfinished() {
            text.push_str(&format!(
                "\n  It was still improving ({since}; {:.0}% of its training loss is left): longer training may favour it.",
                comparison.loss_left * 100.0
            ));
        } else if is_closing {
            text.push_str(&format!(
                "\n  The gap was closing ({since}): longer training may favour {name}."
            ));
        }
    }
    text.push('\n');
    text
}

fn views(answer: &TrialReport<'_>, sample: &Sample, reliance: &Reliance) -> String {
    let head = ["view", "accuracy", "95% interval", "share of the gain"].map(str::to_owned);
    let rows = reliance.views.iter().map(|one| {
        let gained = one.gained.map_or("-".to_owned(), |gained| format!("{:.0}%", gained * 100.0));
        vec![
            one.view.name().to_owned(),
            percent(one.accuracy.share),
            share_range(one.accuracy),
            gained,
        ]
    });
    let rows = std::iter::once(head.to_vec()).chain(rows).collect();
    let columns = [Align::Left, Align::Right, Align::Right, Align::Right];
    let table = Table::new(&columns, rows).captioned("What a model would rely on");
    let mut text = table.section(Narrow::Keep);
    let _ = writeln!(
        text,
        "{FAINT}Colours: the mean colours of 4 x 4 cells. Border: an eighth of the image on each side. Centre: the middle half of its width\nand height. Share of the gain: of what the whole image gains over always predicting the largest class.{FAINT:#}"
    );
    let whole = &reliance.views[0];
    for one in &reliance.views {
        let (alone, consequence) = match one.view {
            View::Colours => ("Colours alone reach", "expect a model to rely on colour"),
            View::Border => {
                ("The border alone reaches", "expect a model to rely on the background")
            }
            View::Whole | View::Grey | View::Centre => continue,
        };
        // By chance a view may gain a little: its interval must lie above what guessing scores.
        let is_most = one.gained.is_some_and(|gained| gained > MOST_OF_GAIN)
            && one.accuracy.interval.low > reliance.majority;
        let _ = writeln!(
            text,
            "{alone} {}, the whole image {}, the largest class {}: {}.",
            percent(one.accuracy.share),
            percent(whole.accuracy.share),
            percent(reliance.majority),
            if is_most { consequence } else { "most of what is learned is something else" }
        );
    }
    text + &views_by_class(answer, sample, &reliance.views)
}

fn views_by_class(answer: &TrialReport<'_>, sample: &Sample, views: &[ViewScore]) -> String {
    if views.len() < 2 {
        return String::new();
    }
    let mut head = vec!["class".to_owned(), "images".to_owned()];
    head.extend(views.iter().map(|one| one.view.name().to_owned()));
    let rows = sample.classes.iter().enumerate().map(|(class, name)| {
        let images = views[0].recall[class].map_or(0, |recall| recall.of);
        let mut row = vec![visible(name), images.to_string()];
        row.extend(views.iter().map(|one| match one.recall[class] {
            Some(recall) => format!("{:.0}%", recall.share * 100.0),
            None => "-".to_owned(),
        }));
        row
    });
    let rows = [vec![head], shortened(rows.collect(), FEW_ROWS, answer.all)].concat();
    let mut columns = vec![Align::Left, Align::Right];
    columns.extend(vec![Align::Right; views.len()]);
    let table = Table::new(&columns, rows).captioned("Recognised by view");
    table.section(Narrow::Keep)
}

fn curve(answer: &TrialReport<'_>, sample: &Sample, trained: &Trained) -> String {
    let Some(curve) = &trained.curve else { return String::new() };
    let head = ["class", "images", "25%", "50%", "100%", "last half (interval)", "more images"];
    let row = |name: String, one: &ClassCurve| {
        let more = match one.more {
            More::Helps => "would help",
            More::LevelledOff => "levelled off",
            More::Unclear => "cannot tell",
        };
        let mut row = vec![name, one.images.to_string()];
        row.extend(one.reached.map(percent));
        // An interval as wide as that says nothing.
        row.push(match one.gain.interval.width() < 1.0 {
            true => format!("{} ({})", points(one.gain.mean), between(one.gain.interval)),
            false => points(one.gain.mean),
        });
        row.push(more.to_owned());
        row
    };
    let classes = sample.classes.iter().zip(&curve.classes);
    let classes =
        classes.filter_map(|(name, one)| Some(row(visible(name), one.as_ref()?))).collect();
    let mut rows =
        vec![head.map(str::to_owned).to_vec(), row("all classes".to_owned(), &curve.all)];
    rows.extend(shortened(classes, FEW_ROWS, answer.all));
    let mut columns = vec![Align::Left];
    columns.extend([Align::Right; 5]);
    columns.push(Align::Left);
    let table = Table::new(&columns, rows).captioned("Whether more images would help");
    table.section(Narrow::Drop(&["25%"]))
        + &format!(
            "{FAINT}Accuracy with a quarter, half and all of the training images, in points. Levelled off: twice the images bring at most 3\npoints. Cannot tell: too few held-out images. The intervals of all classes hold together with 95%.{FAINT:#}\n"
        )
}

fn confused(answer: &TrialReport<'_>, sample: &Sample, trained: &Trained) -> String {
    let title = format!("Confusion, trained with {}", safe(&trained.policies[0].name));
    let matrix = &trained.confusion;
    let mut text = String::new();
    match confusion::table(&sample.classes, matrix, answer.all) {
        Some(table) => {
            let table = table.captioned(&title);
            text.push_str(&table.section(Narrow::Keep));
            let _ = writeln!(
                text,
                "{FAINT}Rows: true classes. Columns: predictions by the mean of {} runs.{FAINT:#}",
                answer.seeds
            );
        }
        None => {
            let _ = writeln!(text, "\n{}\nNo image is misclassified.", heading(&title));
        }
    }
    let name = |class: usize| safe(&visible(&sample.classes[class]));
    if let Some((_, majority)) = matrix.majority() {
        let low: Vec<String> = (0..sample.classes.len())
            .filter_map(|class| {
                let recall = matrix.score(class).recall?;
                (recall.share <= majority.share).then(|| {
                    format!("{} ({} of {})", name(class), matrix.count(class, class), recall.of)
                })
            })
            .collect();
        if !low.is_empty() {
            let _ = writeln!(
                text,
                "Recognised no better than the majority baseline ({}): {}",
                percent(majority.share),
                named(&low)
            );
        }
    }
    let both: Vec<String> = matrix
        .confused()
        .iter()
        .filter_map(|one| {
            let (a, b) = (one.class as usize, one.predicted as usize);
            let other = matrix.count(b, a);
            let is_first = (one.images, b) > (other, a);
            (other > 0 && is_first)
                .then(|| format!("{} and {} ({} and {other})", name(a), name(b), one.images))
        })
        .collect();
    if !both.is_empty() {
        let _ = writeln!(text, "Confused in both directions: {}", named(&both));
    }
    text
}

/// A list in a line, cut where it gets long.
fn named(items: &[String]) -> String {
    let shown = if items.len() > FEW_NAMED + 2 { FEW_NAMED } else { items.len() };
    let more = items.len() - shown;
    let tail = if more > 0 { format!(" and {more} more") } else { String::new() };
    items[..shown].join(", ") + &tail
}

fn next(answer: &TrialReport<'_>) -> String {
    let of = |options: &[&dyn AsRef<OsStr>]| command_on(answer.config, "trial", options);
    let Some(trained) = answer.trained else {
        let to = splits_folder(&answer.config.roots[0].path);
        let words = command_on(answer.config, "split", &[&"--to", &to]);
        return next_step("split the collection:", &words);
    };
    if trained.reliance.is_none() {
        let options: [&dyn AsRef<OsStr>; 2] = [&"--views", &"whole,grey,colours,border,centre"];
        return next_step("see what a model would rely on:", &of(&options));
    }
    if answer.sheet.is_none() && !answer.misclassified().is_empty() {
        let options: [&dyn AsRef<OsStr>; 2] = [&"--sheet", &"misclassified.png"];
        return next_step("look at the misclassified images:", &of(&options));
    }
    next_step("find out whether more images would help:", &of(&[&"--curve"]))
}
