//! `coverage` for people.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::coverage::{Kind, Unseen};
use sieve_core::files::shown_name;

use super::CoverageReport;
use crate::console::{Align, FAINT, Narrow, heading, safe};
use crate::present::cells::{FEW_ROWS, listed, percent, shortened, visible};
use crate::present::table::Table;
use crate::present::{command_on, counted, excluded, next_step};

/// Items of each kind that are listed without `--all`.
const MOST: usize = 8;

/// The whole answer.
pub fn text(answer: &CoverageReport<'_>) -> String {
    let subject = &answer.coverage.subject;
    let mut text = format!("{}\n", heading(&safe(&answer.catalog.collection.name())));
    let _ = writeln!(
        text,
        "{} of {}{}; seed {}; reach {}",
        counted(subject.images.len() as u64, "independent image", "independent images"),
        counted(subject.classes.len() as u64, "class", "classes"),
        if answer.vectors.is_some() { " by your vectors" } else { "" },
        answer.seed,
        answer.found.reach.name()
    );
    text.push_str(&excluded::of_subject(subject));
    if !subject.images.is_empty() {
        text.push_str(&kinds(answer));
        text.push_str(&missing(answer));
        text.push_str(&unseen(answer));
        text.push_str(&look_alikes(answer));
    }
    if let Some(sheet) = answer.sheet {
        let _ = writeln!(text, "\nWritten: {}", safe(&shown_name(sheet.as_os_str())));
    }
    text.push('\n');
    text + &next(answer)
}

fn kinds(answer: &CoverageReport<'_>) -> String {
    let classes = answer.coverage.subject.classes.iter().zip(&answer.coverage.classes);
    let rows = classes.map(|(class, kinds)| {
        let sizes: Vec<String> =
            kinds.kinds.iter().map(|kind| kind.rows.len().to_string()).collect();
        let confined: Vec<String> =
            (1..).zip(&kinds.kinds).filter_map(|(at, kind)| confined(at, kind)).collect();
        vec![
            visible(&class.class),
            class.rows.len().to_string(),
            sizes.join(" + "),
            confined.join("; "),
        ]
    });
    let head = ["class", "images", "kinds", "confined"].map(str::to_owned).to_vec();
    let rows = [vec![head], shortened(rows.collect(), FEW_ROWS, answer.all)].concat();
    let columns = [Align::Left, Align::Right, Align::Left, Align::Left];
    let table = Table::new(&columns, rows).captioned("Kinds of images by appearance");
    table.section(Narrow::Keep)
        + &format!(
            "{FAINT}A class of n images has about the square root of n / 10 kinds, at most 6. Confined: a kind that occurs with one\nvalue only, though the class has others, beyond chance.{FAINT:#}\n"
        )
}

fn confined(number: usize, kind: &Kind) -> Option<String> {
    let values: Vec<String> = kind
        .confined
        .iter()
        .map(|one| {
            let share = percent(one.class_share);
            format!("{} {} ({share} of the class)", one.fact, one.value)
        })
        .collect();
    (!values.is_empty()).then(|| format!("kind {number}: {}", values.join(", ")))
}

fn missing(answer: &CoverageReport<'_>) -> String {
    let missing = &answer.coverage.missing;
    let mut text = format!("\n{}\n", heading("Kinds that most classes have and one lacks"));
    if missing.is_empty() {
        return text + "None beyond chance.\n";
    }
    let shown = if answer.all { missing.len() } else { listed(missing.len(), MOST) };
    for one in missing.iter().take(shown) {
        let example = one.examples.first().map_or(String::new(), |&row| {
            format!(", for example {}", safe(answer.path(row).as_str()))
        });
        let _ = writeln!(
            text,
            "{} has {} of a kind that {} other classes have ({:.0} expected){example}",
            safe(&visible(answer.class(one.class))),
            if one.images == 0 { "none".to_owned() } else { format!("only {}", one.images) },
            one.having,
            one.expected,
        );
    }
    more(&mut text, missing.len(), shown);
    text
}

fn unseen(answer: &CoverageReport<'_>) -> String {
    let Some(training) = answer.training else { return String::new() };
    let unseen = &answer.coverage.unseen;
    let title = format!("Held-out images unlike anything in {training}");
    let mut text = format!("\n{}\n", heading(&safe(&title)));
    if unseen.is_empty() {
        return text + "None beyond chance.\n";
    }
    for one in unseen {
        let Unseen { class, split, of, images } = one;
        let class = safe(&visible(answer.class(*class)));
        let _ = writeln!(
            text,
            "{} of {of} {} images of {class} are farther from every training image of {class} than 99% of its training images are from each other",
            images.len(),
            safe(split),
        );
        let shown = if answer.all { images.len() } else { listed(images.len(), MOST) };
        for image in images.iter().take(shown) {
            let path = safe(answer.path(image.row).as_str());
            let _ = writeln!(text, "  {path} ({:.1}x)", image.ratio);
        }
        more(&mut text, images.len(), shown);
    }
    text
}

fn look_alikes(answer: &CoverageReport<'_>) -> String {
    let overlaps = &answer.coverage.look_alikes;
    let pairs = &overlaps.pairs;
    let usual = match () {
        () if answer.coverage.subject.classes.len() < 2 => return String::new(),
        () if overlaps.median < 0.5 => String::new(),
        () => format!(
            "Most pairs of classes overlap (median {}): {} does not tell these classes apart.\n",
            percent(overlaps.median),
            match answer.vectors {
                Some(_) => "what your vectors say",
                None => "what 48-pixel thumbnails show",
            }
        ),
    };
    if pairs.is_empty() {
        let title = heading("Classes that look alike");
        let none = "No two classes overlap beyond what their sizes and the other pairs explain.";
        return format!("\n{title}\n{none}\n{usual}");
    }
    let head = ["classes", "crossing", "overlap", "95% interval"].map(str::to_owned).to_vec();
    let rows = pairs.iter().map(|pair| {
        let [a, b] = pair.classes.map(|class| visible(answer.class(class)));
        vec![
            format!("{a} and {b}"),
            format!("{} of {}", pair.crossing, pair.images),
            percent(pair.overlap),
            format!("{} to {}", percent(pair.interval.low), percent(pair.interval.high)),
        ]
    });
    let rows = [vec![head], shortened(rows.collect(), FEW_ROWS, answer.all)].concat();
    let columns = [Align::Left, Align::Right, Align::Right, Align::Right];
    let table = Table::new(&columns, rows).captioned("Classes that look alike");
    table.section(Narrow::Keep)
        + &usual
        + &format!(
            "{FAINT}Crossing: images whose nearest neighbour in the other class is closer than in their own. Overlap: 0% for classes\nthat lie apart, 100% for the two halves of one class. Candidates for a merge, a naming clash, or a closer look.{FAINT:#}\n"
        )
}

fn more(text: &mut String, all: usize, shown: usize) {
    if all > shown {
        let _ = writeln!(text, "  ... {} more (--all)", all - shown);
    }
}

fn next(answer: &CoverageReport<'_>) -> String {
    if answer.sheet.is_none() && !answer.coverage.subject.images.is_empty() {
        let options: [&dyn AsRef<OsStr>; 2] = [&"--sheet", &"coverage.png"];
        let words = command_on(answer.config, "coverage", &options);
        return next_step("look at the kinds of each class:", &words);
    }
    if let Some(pair) = answer.coverage.look_alikes.pairs.first() {
        let [a, b] = pair.classes.map(|class| answer.class(class).to_owned());
        let options: [&dyn AsRef<OsStr>; 7] =
            [&"--class", &a, &"--class", &b, &"--side-by-side", &"--out", &"look-alikes.png"];
        let words = command_on(answer.config, "sheet", &options);
        return next_step("look at the two classes side by side:", &words);
    }
    next_step("audit the collection:", &command_on(answer.config, "audit", &[]))
}
