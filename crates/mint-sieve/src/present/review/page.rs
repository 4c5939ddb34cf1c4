//! The page of `review`, on which wrong predictions and doubtful labels are decided.

use std::collections::BTreeSet;
use std::path::Path;

use serde::Serialize;
use sieve_core::files::shown_name;
use sieve_core::review::{Case as Reviewed, Neighbour};

use super::{Review, charts, text};
use crate::console::safe;
use crate::failure::Failure;
use crate::present::cells::percent;
use crate::present::chart::drawn_as_svg;
use crate::present::repair::plan::comments_of;
use crate::present::table::PageTable;
use crate::present::web::{
    Case, DECISIONS_SCRIPT, DECISIONS_STYLE, Decisions, ImageRegistry, LOOK, data, filled,
    source_of_page,
};
use crate::present::{
    collection_words, command_line, confusion, counted, repaired_folder, visible,
};

const TEMPLATE: &str = include_str!("page.html");
/// Wrong predictions, doubtful labels, and images of each other list on the page: what a person looks through.
const MOST: usize = 200;

/// The cases of the page; their images are in the registry.
pub struct PageCases {
    wrong: Vec<Case>,
    doubtful: Vec<Case>,
    reasons: Vec<Case>,
    against: Vec<Case>,
}

#[derive(Serialize)]
struct Page {
    name: String,
    csp: String,
    style: String,
    script: &'static str,
    key: String,
    data: String,
    thumbnails: String,
    proposals: String,
    overview: Vec<(String, &'static str, &'static str)>,
    sentences: Vec<String>,
    scores: Option<PageTable>,
    classes: Option<PageTable>,
    chart: String,
    confusion: Option<PageTable>,
    calibration: Option<PageTable>,
    calibration_chart: Option<String>,
    wrong: Vec<Case>,
    more_wrong: usize,
    doubtful: Vec<Case>,
    doubtful_sentence: String,
    more_doubtful: usize,
    quadrants: Option<PageTable>,
    reasons: Vec<Case>,
    factors: Vec<String>,
    against: Option<AgainstSection>,
    made: Vec<(&'static str, String)>,
    apply: String,
}

#[derive(Serialize)]
struct AgainstSection {
    file: String,
    sentence: String,
    cases: Vec<Case>,
}

/// Puts the images of the page into `album`.
pub fn page_cases(answer: &Review<'_>, album: &mut ImageRegistry) -> PageCases {
    let mut put = |number: u32| album.add(answer.image(number).index, true);
    let name = |number: u32| safe(&visible(answer.class(number)));
    let mut wrong = Vec::new();
    for (at, case) in answer.wrong().into_iter().take(MOST).enumerate() {
        let one = answer.prediction(case.row);
        let own = put(one.image);
        let mut images = vec![own.to_string()];
        let mut ties = vec![suggested(case)];
        for (near, class) in
            [(case.nearest_predicted, one.predicted), (case.nearest_own, one.class)]
        {
            if let Some(Neighbour { image, similarity }) = near {
                images.push(put(image).to_string());
                ties.push(format!("nearest {}, similarity {similarity:.2}", name(class)));
            }
        }
        let score = one.score.map_or(String::new(), |score| format!(", score {}", percent(score)));
        let flags: Vec<&str> = case.flags.iter().map(|flag| flag.name()).collect();
        let evidence = match flags.is_empty() {
            true => Vec::new(),
            false => vec![("known".to_owned(), flags.join(", "))],
        };
        wrong.push(Case {
            id: format!("wrong-{}", at + 1),
            title: format!(
                "{}. {} predicted as {}{score}",
                at + 1,
                name(one.class),
                name(one.predicted)
            ),
            evidence,
            count: images.len(),
            images: images.join(","),
            more: 0,
            keep: Some(own),
            group: None,
            ties,
        });
    }
    let doubtful = answer.doubtful_labels().iter().take(MOST).enumerate().map(|(at, one)| {
        let prediction = answer.prediction(one.row);
        Case {
            id: format!("doubtful-{}", at + 1),
            title: format!(
                "{}. {}, scored as {}; margin {:.2}",
                at + 1,
                name(prediction.class),
                name(one.proposed),
                one.margin
            ),
            evidence: Vec::new(),
            images: put(prediction.image).to_string(),
            count: 1,
            more: 0,
            keep: None,
            group: None,
            ties: Vec::new(),
        }
    });
    let doubtful = doubtful.collect();
    let mut list = |id: &str, title: &str, images: Vec<u32>| -> Option<Case> {
        let shown: Vec<String> =
            images.iter().take(MOST).map(|&image| put(image).to_string()).collect();
        (!shown.is_empty()).then(|| Case {
            id: id.to_owned(),
            title: format!("{title} ({})", images.len()),
            evidence: Vec::new(),
            count: shown.len(),
            more: images.len() - shown.len(),
            images: shown.join(","),
            keep: None,
            group: None,
            ties: Vec::new(),
        })
    };
    let images = |rows: &[usize]| rows.iter().map(|&row| answer.prediction(row).image).collect();
    let quadrants = answer.quadrants;
    let reasons = [
        ("right-doubtful", "Right for a doubtful reason", &quadrants.right_doubtful),
        ("wrong-good", "Wrong although it looks like its class", &quadrants.wrong),
    ];
    let reasons =
        reasons.into_iter().filter_map(|(id, title, rows)| list(id, title, images(rows))).collect();
    let against = answer.against.iter().flat_map(|against| {
        [
            ("improved", "Right now, wrong before", against.improved.clone()),
            ("worsened", "Wrong now, right before", against.worsened.clone()),
        ]
    });
    let against: Vec<_> = against.collect();
    let against =
        against.into_iter().filter_map(|(id, title, images)| list(id, title, images)).collect();
    PageCases { wrong, doubtful, reasons, against }
}

fn suggested(case: &Reviewed) -> String {
    case.suggestion.map_or(String::new(), |suggestion| suggestion.name().to_owned())
}

/// The whole page, which lies in `folder`.
pub fn page(
    answer: &Review<'_>,
    cases: PageCases,
    album: &ImageRegistry,
    folder: &Path,
) -> Result<String, Failure> {
    let (data, key) = data(Decisions {
        folder,
        catalog: answer.catalog,
        album,
        comments: comments_of(answer.config, answer.catalog, &BTreeSet::new()),
        rows: Vec::new(),
    });
    let style = [LOOK, DECISIONS_STYLE].concat();
    let name = answer.catalog.collection.name();
    let chart = drawn_as_svg(&charts::confusion_chart(answer))?;
    let calibration_chart = charts::calibration_chart(answer);
    let calibration_chart = calibration_chart.map(|chart| drawn_as_svg(&chart)).transpose()?;
    let confusion = confusion::table(&answer.matched.classes, &answer.scores.confusion, true);
    let to = repaired_folder(&answer.config.roots[0].path);
    let apply: [&std::ffi::OsStr; 5] = [
        "mint-sieve".as_ref(),
        "apply".as_ref(),
        "plan.csv".as_ref(),
        "--to".as_ref(),
        to.as_os_str(),
    ];
    let against = answer.against.as_ref().map(|against| AgainstSection {
        file: answer.against_file.map_or(String::new(), |file| safe(&shown_name(file.as_os_str()))),
        sentence: text::changed(against),
        cases: cases.against,
    });
    let page = Page {
        name: safe(&name),
        csp: source_of_page(&style, Some(DECISIONS_SCRIPT)),
        style,
        script: DECISIONS_SCRIPT,
        key,
        data,
        thumbnails: album.thumbnails.join("\n"),
        proposals: "nothing is proposed".to_owned(),
        overview: overview(answer),
        sentences: text::worth_sentences(answer),
        scores: Some(text::score_table(answer)).and_then(|table| table.on_page(usize::MAX)),
        classes: text::class_table(answer, true).on_page(usize::MAX),
        chart,
        confusion: confusion.and_then(|table| table.captioned("Confusion").on_page(usize::MAX)),
        calibration: text::calibration_table(answer).and_then(|table| table.on_page(usize::MAX)),
        calibration_chart,
        more_wrong: answer.wrong().len() - cases.wrong.len(),
        wrong: cases.wrong,
        more_doubtful: answer.doubtful_labels().len() - cases.doubtful.len(),
        doubtful: cases.doubtful,
        doubtful_sentence: answer
            .doubtful
            .map_or(String::new(), |doubtful| text::doubtful_sentence(answer, doubtful)),
        quadrants: text::quadrant_table(answer).on_page(usize::MAX),
        reasons: cases.reasons,
        factors: answer.factors.iter().map(|factor| text::factor_line(answer, factor)).collect(),
        against,
        made: made(answer),
        apply: safe(&command_line(&apply)),
    };
    filled(TEMPLATE, page)
}

/// The numbers that a person takes in first.
fn overview(answer: &Review<'_>) -> Vec<(String, &'static str, &'static str)> {
    let predictions = answer.matched.predictions.len();
    let share = |share: Option<sieve_core::confusion::Share>| {
        share.map_or("-".to_owned(), |share| percent(share.share))
    };
    let mut tiles = vec![
        (predictions.to_string(), if predictions == 1 { "prediction" } else { "predictions" }, ""),
        (share(answer.scores.confusion.accuracy()), "accuracy", ""),
    ];
    if let Some(independence) = answer.independence {
        let accuracy = independence.independent.confusion.accuracy();
        tiles.push((share(accuracy), "accuracy on independent images", ""));
    }
    let majority = answer.scores.confusion.majority().map(|(_, share)| share);
    tiles.push((share(majority), "majority baseline", ""));
    let wrong = answer.wrong().len();
    tiles.push((
        wrong.to_string(),
        if wrong == 1 { "wrong prediction" } else { "wrong predictions" },
        "error",
    ));
    if let Some(doubtful) = answer.doubtful {
        let count = doubtful.labels.len();
        tiles.push((
            count.to_string(),
            if count == 1 { "doubtful label" } else { "doubtful labels" },
            "warning",
        ));
    }
    tiles
}

/// How the page was made.
fn made(answer: &Review<'_>) -> Vec<(&'static str, String)> {
    let mut words = vec!["mint-sieve".into(), "review".into()];
    words.push(answer.predictions.as_os_str().to_owned());
    words.push("--in".into());
    words.extend(collection_words(answer.config));
    if let Some(file) = answer.against_file {
        words.extend(["--against".into(), file.as_os_str().to_owned()]);
    }
    vec![
        ("program", format!("mint-sieve {}", env!("CARGO_PKG_VERSION"))),
        ("command", safe(&command_line(&words))),
        (
            "predictions",
            counted(answer.matched.predictions.len() as u64, "prediction", "predictions"),
        ),
        ("seed", answer.seed.to_string()),
        ("reach", answer.found.reach.name().to_owned()),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::present::web::unescaped;

    #[test]
    fn what_the_template_shows_without_escaping_is_ours() {
        assert_eq!(unescaped(TEMPLATE), ["style", "chart", "calibration_chart"]);
    }
}
