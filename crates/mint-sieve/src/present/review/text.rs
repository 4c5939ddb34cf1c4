//! `review` for people.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::confusion::{Confusion, Share};
use sieve_core::files::{RelPath, shown_name};
use sieve_core::review::{Against, DoubtfulLabels, Factor, Independence, Unmatched};

use super::Review;
use crate::console::{Align, FAINT, Narrow, heading, safe};
use crate::present::cells::{FEW_ROWS, listed, percent, visible};
use crate::present::table::Table;
use crate::present::{collection_words, confusion, counted, next_step};

/// Names that a line of what does not match lists.
const FEW_NAMED: usize = 3;
/// Below this chance a difference is called one.
const CHANCE: f64 = 0.05;

/// The whole answer.
pub fn text(answer: &Review<'_>) -> String {
    let mut text = format!("{}\n", heading(&safe(&answer.catalog.collection.name())));
    let _ = writeln!(
        text,
        "{} of {} from {}; reach {}",
        counted(answer.matched.predictions.len() as u64, "prediction", "predictions"),
        counted(answer.matched.classes.len() as u64, "class", "classes"),
        safe(&shown_name(answer.predictions.as_os_str())),
        answer.found.reach.name()
    );
    text.push_str(&unmatched(&answer.matched.unmatched));
    text.push_str(&scores(answer));
    text.push_str(&class_table(answer, answer.all).section(Narrow::Keep));
    text.push_str(&confused(answer));
    text.push_str(&calibration(answer));
    text.push_str(&wrong(answer));
    text.push_str(&quadrants(answer));
    text.push_str(&factors(answer));
    text.push_str(&answer.doubtful.map_or(String::new(), |one| doubtful(answer, one)));
    text.push_str(&answer.against.as_ref().map_or(String::new(), |one| against(answer, one)));
    if !answer.written.is_empty() {
        text.push('\n');
    }
    for file in &answer.written {
        let _ = writeln!(text, "Written: {}", safe(&shown_name(file.as_os_str())));
    }
    text.push('\n');
    text + &next(answer)
}

/// What could not be matched, one line for each reason.
fn unmatched(unmatched: &Unmatched) -> String {
    let mut text = String::new();
    let mut line = |count: usize, one: &str, many: &str, names: Vec<String>| {
        if count == 0 {
            return;
        }
        let shown: Vec<String> = names.iter().take(FEW_NAMED).map(|name| safe(name)).collect();
        let more = count - shown.len();
        let tail = if more > 0 { format!(" and {more} more") } else { String::new() };
        let _ = writeln!(text, "{}: {}{tail}", counted(count as u64, one, many), shown.join(", "));
    };
    let paths = |paths: &[RelPath]| paths.iter().take(FEW_NAMED).map(ToString::to_string).collect();
    let Unmatched { unknown, repeated, missing, unlabelled, unusable } = unmatched;
    let first = |rows: &[String]| rows.iter().take(FEW_NAMED).cloned().collect();
    line(unknown.len(), "row is about no image", "rows are about no image", first(unknown));
    line(
        repeated.len(),
        "image has several rows, none of which is used",
        "images have several rows, none of which is used",
        paths(repeated),
    );
    line(
        missing.len(),
        "image of these splits has no prediction",
        "images of these splits have no prediction",
        paths(missing),
    );
    line(
        unlabelled.len(),
        "predicted image has no class",
        "predicted images have no class",
        paths(unlabelled),
    );
    let reasons = unusable.iter().take(FEW_NAMED).map(|(row, why)| format!("{row} ({why})"));
    line(unusable.len(), "row cannot be used", "rows cannot be used", reasons.collect());
    text
}

fn share(share: Option<Share>) -> [String; 2] {
    match share {
        Some(Share { share, interval, .. }) => {
            [percent(share), format!("{} to {}", percent(interval.low), percent(interval.high))]
        }
        None => ["-", "-"].map(str::to_owned),
    }
}

/// What all predictions score, and the independent ones.
pub(super) fn score_table(answer: &Review<'_>) -> Table {
    let head = ["images", "count", "accuracy", "95% interval", "majority baseline", "top 5"];
    let row = |name: &str, confusion: &Confusion, top: Option<Share>| {
        let [accuracy, interval] = share(confusion.accuracy());
        let majority = confusion.majority();
        vec![
            name.to_owned(),
            confusion.images().to_string(),
            accuracy,
            interval,
            majority.map_or("-".to_owned(), |(_, share)| percent(share.share)),
            top.map_or("-".to_owned(), |top| percent(top.share)),
        ]
    };
    let scores = answer.scores;
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    rows.push(row("all", &scores.confusion, scores.top_five));
    if let Some(independence) = answer.independence {
        let independent = &independence.independent;
        rows.push(row("independent of training", &independent.confusion, independent.top_five));
        if let Some(dependent) = independence.dependent {
            let [accuracy, interval] = share(Some(dependent));
            let name = "copies and bursts of training".to_owned();
            rows.push(vec![name, dependent.of.to_string(), accuracy, interval]);
        }
    }
    let mut columns = vec![Align::Left];
    columns.extend([Align::Right; 5]);
    Table::new(&columns, rows).captioned("Accuracy")
}

fn scores(answer: &Review<'_>) -> String {
    let scores = answer.scores;
    let mut text = score_table(answer).section(Narrow::Drop(&["top 5", "majority baseline"]));
    if let Some((largest, _)) = scores.confusion.majority() {
        let class = safe(&visible(answer.class(largest as u32)));
        let _ = writeln!(
            text,
            "{FAINT}Majority baseline: always predicting the largest class ({class} among all).{FAINT:#}"
        );
    }
    for sentence in worth_sentences(answer) {
        let _ = writeln!(text, "{sentence}");
    }
    text
}

/// What the score is worth without what training gives away.
pub(super) fn worth_sentences(answer: &Review<'_>) -> Vec<String> {
    answer.independence.map_or(Vec::new(), worth)
}

fn worth(independence: &Independence) -> Vec<String> {
    let mut sentences = Vec::new();
    if independence.training > 0 {
        sentences.push(format!(
            "{} among them: unless they were predicted out of fold, their score means nothing.",
            counted(independence.training, "training image is", "training images are")
        ));
    }
    let Some((difference, interval)) = independence.difference else { return sentences };
    let points = |share: f64| format!("{:+.1}", share * 100.0);
    let (low, high) = (points(interval.low), points(interval.high));
    sentences.push(match interval.low > 0.0 {
        true => format!(
            "Images with a copy or burst frame in training score {} points more ({low} to {high}): the accuracy of all is inflated.",
            points(difference)
        ),
        false => format!(
            "Difference between images with a copy or burst frame in training and the others: none that these counts support ({low} to {high} points)."
        ),
    });
    sentences
}

/// Precision, recall and F1 of each class.
pub(super) fn class_table(answer: &Review<'_>, all: bool) -> Table {
    let confusion = &answer.scores.confusion;
    let head = ["class", "images", "precision", "recall", "95% interval", "F1", "95% interval"];
    let there = |&class: &usize| {
        let score = confusion.score(class);
        score.images + score.predicted > 0
    };
    let mut classes: Vec<usize> = (0..confusion.classes()).filter(there).collect();
    let shown = if all { classes.len() } else { listed(classes.len(), FEW_ROWS) };
    // Of many classes, those that are recognised worst are of interest.
    let is_cut = shown < classes.len();
    if is_cut {
        let f1 = |class: usize| confusion.score(class).f1.map_or(0.0, |share| share.share);
        classes.sort_by(|&a, &b| f1(a).total_cmp(&f1(b)).then(a.cmp(&b)));
    }
    let rows = classes.iter().take(shown).map(|&class| {
        let score = confusion.score(class);
        let ([precision, _], [recall, of_recall]) = (share(score.precision), share(score.recall));
        let [f1, of_f1] = share(score.f1);
        let name = visible(answer.class(class as u32));
        vec![name, score.images.to_string(), precision, recall, of_recall, f1, of_f1]
    });
    let mut rows: Vec<Vec<String>> = rows.collect();
    if is_cut {
        rows.push(vec![format!("... {} more (--all)", classes.len() - shown)]);
    }
    let rows = [vec![head.map(str::to_owned).to_vec()], rows].concat();
    let mut columns = vec![Align::Left];
    columns.extend([Align::Right; 6]);
    let caption = if is_cut { "Classes, the lowest F1 first" } else { "Classes" };
    Table::new(&columns, rows).captioned(caption)
}

fn confused(answer: &Review<'_>) -> String {
    let title = "Confusion";
    match confusion::table(&answer.matched.classes, &answer.scores.confusion, answer.all) {
        Some(table) => table.captioned(title).section(Narrow::Keep),
        None => format!("\n{}\nNo prediction is wrong.\n", heading(title)),
    }
}

/// Scores against shares that are right; none where predictions have no scores.
pub(super) fn calibration_table(answer: &Review<'_>) -> Option<Table> {
    let calibration = answer.scores.calibration.as_ref()?;
    let head = ["score", "predictions", "mean score", "right"].map(str::to_owned).to_vec();
    let rows = calibration.bins.iter().enumerate().filter(|(_, bin)| bin.images > 0);
    let rows = rows.map(|(at, bin)| {
        vec![
            format!("{}% to {}%", at * 10, at * 10 + 10),
            bin.images.to_string(),
            percent(bin.mean_score),
            percent(bin.right),
        ]
    });
    let rows = std::iter::once(head).chain(rows).collect();
    let columns = [Align::Left, Align::Right, Align::Right, Align::Right];
    Some(Table::new(&columns, rows).captioned("Calibration"))
}

fn calibration(answer: &Review<'_>) -> String {
    let error = answer.scores.calibration.as_ref().map_or(0.0, |calibration| calibration.error);
    calibration_table(answer).map_or(String::new(), |table| {
        table.section(Narrow::Keep) + &format!("Expected calibration error: {}\n", percent(error))
    })
}

fn wrong(answer: &Review<'_>) -> String {
    let wrong = answer.wrong();
    let title = format!("Wrong predictions ({})", wrong.len());
    if wrong.is_empty() {
        return String::new();
    }
    let head = [
        "image",
        "class",
        "predicted",
        "score",
        "like predicted",
        "like own",
        "known",
        "suggestion",
    ];
    let most = if answer.all { wrong.len() } else { answer.top };
    let near = |neighbour: Option<sieve_core::review::Neighbour>| {
        neighbour.map_or("-".to_owned(), |near| format!("{:.2}", near.similarity))
    };
    let rows = wrong.iter().take(most).map(|case| {
        let one = answer.prediction(case.row);
        let flags: Vec<&str> = case.flags.iter().map(|flag| flag.name()).collect();
        vec![
            answer.image(one.image).record.path.to_string(),
            visible(answer.class(one.class)),
            visible(answer.class(one.predicted)),
            one.score.map_or("-".to_owned(), |score| format!("{score:.2}")),
            near(case.nearest_predicted),
            near(case.nearest_own),
            flags.join(", "),
            case.suggestion.map_or("", |suggestion| suggestion.name()).to_owned(),
        ]
    });
    let mut rows: Vec<Vec<String>> = rows.collect();
    if wrong.len() > most {
        rows.push(vec![format!("... {} more (--all)", wrong.len() - most)]);
    }
    let rows = [vec![head.map(str::to_owned).to_vec()], rows].concat();
    let mut columns = vec![Align::Left, Align::Left, Align::Left];
    columns.extend([Align::Right; 3]);
    columns.extend([Align::Left; 2]);
    let table = Table::new(&columns, rows).captioned(&title);
    table.section(Narrow::Drop(&["known", "like own", "like predicted"]))
        + &format!(
            "{FAINT}Like predicted, like own: similarity of the nearest training image of the predicted and of the true class, -1 to 1.{FAINT:#}\n"
        )
}

/// Right and wrong predictions by their reasons, counted.
pub(super) fn quadrant_table(answer: &Review<'_>) -> Table {
    let quadrants = answer.quadrants;
    let head = ["", "looks like its class", "looks like another class, or has a shortcut"];
    let count = |rows: &[usize]| rows.len().to_string();
    let rows = vec![
        head.map(str::to_owned).to_vec(),
        vec!["right".to_owned(), count(&quadrants.right), count(&quadrants.right_doubtful)],
        vec!["wrong".to_owned(), count(&quadrants.wrong), count(&quadrants.wrong_doubtful)],
    ];
    let columns = [Align::Left, Align::Right, Align::Right];
    Table::new(&columns, rows).captioned("Right and wrong, for good and doubtful reasons")
}

fn quadrants(answer: &Review<'_>) -> String {
    let quadrants = answer.quadrants;
    let mut text = quadrant_table(answer).section(Narrow::Keep);
    let _ = writeln!(
        text,
        "{FAINT}An image looks like its class if no other class has more of its five most similar training images.{FAINT:#}"
    );
    let doubtful = quadrants.right_doubtful.len() + quadrants.wrong_doubtful.len();
    if 2 * doubtful > answer.cases.len() && answer.vectors.is_none() {
        text.push_str(
            "Most images look like other classes by their 48-pixel thumbnails, so these reasons say little here; --vectors of a model say more.\n",
        );
    }
    if !answer.shortcuts.is_empty() {
        let names: Vec<String> =
            answer.shortcuts.iter().map(|class| safe(&visible(class))).collect();
        let _ = writeln!(
            text,
            "Recognised by their background, so that being right proves little: {}",
            names.join(", ")
        );
    }
    let names = |rows: &[usize]| -> String {
        let path =
            |&row: &usize| safe(answer.image(answer.prediction(row).image).record.path.as_str());
        let shown: Vec<String> = rows.iter().take(FEW_NAMED).map(path).collect();
        let more = rows.len() - shown.len();
        shown.join(", ") + &if more > 0 { format!(" and {more} more") } else { String::new() }
    };
    for (what, rows) in [
        ("Right for a doubtful reason", &quadrants.right_doubtful),
        ("Wrong although it looks like its class", &quadrants.wrong),
    ] {
        if !rows.is_empty() {
            let _ = writeln!(text, "{what}: {}", names(rows));
        }
    }
    text
}

fn factors(answer: &Review<'_>) -> String {
    let mut text = format!("\n{}\n", heading("What errors have in common"));
    if answer.factors.is_empty() {
        return text + "Nothing beyond chance.\n";
    }
    for factor in answer.factors {
        let _ = writeln!(text, "{}", factor_line(answer, factor));
    }
    text
}

/// One factor, in a line.
pub(super) fn factor_line(answer: &Review<'_>, factor: &Factor) -> String {
    let Factor { fact, value, wrong, of, wrong_elsewhere, of_elsewhere, example, .. } = factor;
    let example = example.map_or(String::new(), |image| {
        format!(" (like {})", safe(answer.image(image).record.path.as_str()))
    });
    format!(
        "{} {}{example}: {wrong} of {of} wrong, elsewhere {wrong_elsewhere} of {of_elsewhere}",
        safe(fact),
        safe(value)
    )
}

/// How many labels are doubtful, and how many are probably wrong.
pub(super) fn doubtful_sentence(answer: &Review<'_>, doubtful: &DoubtfulLabels) -> String {
    let wrong = match doubtful.wrong {
        Some((low, high)) => format!("between {low} and {high} labels are probably wrong"),
        None => "these are too few predictions to estimate how many are wrong".to_owned(),
    };
    let all = answer.matched.predictions.len();
    format!("{} of {all} labels are doubtful; {wrong}.", doubtful.labels.len())
}

fn doubtful(answer: &Review<'_>, doubtful: &DoubtfulLabels) -> String {
    let mut text = format!("\n{}\n", heading("Doubtful labels"));
    let _ = writeln!(text, "{}", doubtful_sentence(answer, doubtful));
    if doubtful.labels.is_empty() {
        return text;
    }
    let head = ["image", "class", "proposed", "margin"].map(str::to_owned).to_vec();
    let most = if answer.all { doubtful.labels.len() } else { answer.top };
    let rows = doubtful.labels.iter().take(most).map(|one| {
        let prediction = answer.prediction(one.row);
        vec![
            answer.image(prediction.image).record.path.to_string(),
            visible(answer.class(prediction.class)),
            visible(answer.class(one.proposed)),
            format!("{:.2}", one.margin),
        ]
    });
    let mut rows: Vec<Vec<String>> = std::iter::once(head).chain(rows).collect();
    if doubtful.labels.len() > most {
        rows.push(vec![format!("... {} more (--all)", doubtful.labels.len() - most)]);
    }
    let columns = [Align::Left, Align::Left, Align::Left, Align::Right];
    text.push_str(&Table::new(&columns, rows).text(Narrow::Keep));
    let _ = writeln!(
        text,
        "{FAINT}The own class scores below what is usual for it, another class as high as is usual there. Margin: the difference of both.\nThe estimate assumes that the model has not been trained on these images.{FAINT:#}"
    );
    text
}

/// What changed since earlier predictions, in a sentence.
pub(super) fn changed(against: &Against) -> String {
    let (better, worse) = (against.improved.len(), against.worsened.len());
    let verdict = match () {
        () if against.p >= CHANCE => "no difference can be claimed",
        () if better > worse => "the new predictions are better",
        () => "the new predictions are worse",
    };
    format!(
        "Of {}, {better} are right now that were wrong, {worse} are wrong now that were right: {verdict} (McNemar's test, p = {:.3}).",
        counted(against.images, "image", "images"),
        against.p
    )
}

fn against(answer: &Review<'_>, against: &Against) -> String {
    let file = answer.against_file.map_or(String::new(), |file| shown_name(file.as_os_str()));
    let title = format!("Against {}", safe(&file));
    let mut text = format!("\n{}\n{}\n", heading(&title), changed(against));
    let _ = writeln!(
        text,
        "Right in both: {}. Wrong in both: {}.",
        against.both_right, against.both_wrong
    );
    let paths = |images: &[u32]| -> String {
        let path = |&image: &u32| safe(answer.image(image).record.path.as_str());
        let most = if answer.all { images.len() } else { FEW_NAMED };
        let shown: Vec<String> = images.iter().take(most).map(path).collect();
        let more = images.len() - shown.len();
        shown.join(", ")
            + &if more > 0 { format!(" and {more} more (--all)") } else { String::new() }
    };
    for (what, images) in [("Improved", &against.improved), ("Worse", &against.worsened)] {
        if !images.is_empty() {
            let _ = writeln!(text, "{what}: {}", paths(images));
        }
    }
    text
}

fn next(answer: &Review<'_>) -> String {
    let of = |option: &str, file: &str| {
        let mut words: Vec<std::ffi::OsString> = vec!["mint-sieve".into(), "review".into()];
        words.push(answer.predictions.as_os_str().to_owned());
        words.push("--in".into());
        words.extend(collection_words(answer.config));
        words.extend([option.into(), file.into()]);
        words
    };
    let has = |ending: &str| {
        let ends = |file: &&std::path::PathBuf| file.extension() == Some(OsStr::new(ending));
        answer.written.iter().find(ends).is_some()
    };
    match () {
        () if !has("html") => next_step(
            "decide on wrong predictions and doubtful labels on one page:",
            &of("--out", "review.html"),
        ),
        () if !answer.doubtful_labels().is_empty() && !has("csv") => next_step(
            "write a plan with a row to decide on for each doubtful label:",
            &of("--plan", "doubtful.csv"),
        ),
        () => next_step(
            "look at the wrong predictions beside what they resemble:",
            &of("--sheet", "wrong.png"),
        ),
    }
}
