//! The page: its template filled, its script and style named by their digests, so that nothing else runs.

use serde::Serialize;
use sieve_core::finding::Severity;
use sieve_core::limits::LIMITS;

use super::cases::{GroupSection, Sample, SeveritySection};
use super::{Misleading, PolicyShown, Report, apply_line};
use crate::console::safe;
use crate::failure::Failure;
use crate::present::chart::drawn_as_svg;
use crate::present::repair::plan::comments;
use crate::present::table::PageTable;
use crate::present::web::{
    DECISIONS_SCRIPT, DECISIONS_STYLE, Decisions, LOOK, data, filled, source_of_page,
};
use crate::present::{
    balance, collection_words, command_line, counted, how_alike, independent_images, leakage,
    remark, small_images, split,
};

const TEMPLATE: &str = include_str!("page.html");
/// Rows of the table of pairs across splits.
const MOST_PAIRS: usize = 300;

/// The numbers that a person takes in first.
fn overview(report: &Report<'_>) -> Vec<(String, &'static str, &'static str)> {
    let audit = report.audit;
    let number = |severity: Severity| {
        report.findings.iter().filter(|finding| finding.severity == severity).count()
    };
    let word = |count: usize, one: &'static str, many: &'static str| {
        if count == 1 { one } else { many }
    };
    let inventory = &audit.inventory;
    let mut tiles = vec![
        (inventory.images.to_string(), word(inventory.images as usize, "image", "images"), ""),
        (audit.balance.independent.images.to_string(), "independent images", ""),
        (
            inventory.classes.len().to_string(),
            word(inventory.classes.len(), "class", "classes"),
            "",
        ),
    ];
    if !inventory.splits.is_empty() {
        let splits = inventory.splits.len();
        tiles.push((splits.to_string(), word(splits, "split", "splits"), ""));
    }
    if inventory.set_aside > 0 {
        let files = inventory.set_aside;
        tiles.push((files.to_string(), word(files as usize, "other file", "other files"), ""));
    }
    for (severity, one, many) in [
        (Severity::Error, "error", "errors"),
        (Severity::Warning, "warning", "warnings"),
        (Severity::Note, "note", "notes"),
    ] {
        let count = number(severity);
        tiles.push((count.to_string(), word(count, one, many), severity.as_str()));
    }
    tiles
}

/// What the collection is, in sentences.
fn sentences(report: &Report<'_>) -> Vec<String> {
    let catalog = report.catalog;
    let mut lines = vec![independent_images(report.audit.balance.independent)];
    lines.push(small_images(report.found));
    lines.push(how_alike(report.found));
    lines.extend(catalog.collection.remarks.iter().map(remark::sentence));
    lines.iter().map(|line| sentence(line.trim())).filter(|line| !line.is_empty()).collect()
}

/// A line of a terminal as a sentence.
fn sentence(line: &str) -> String {
    let line = safe(line);
    let mut letters = line.chars();
    let Some(first) = letters.next() else { return line };
    let end = if line.ends_with('.') { "" } else { "." };
    format!("{}{}{end}", first.to_uppercase(), letters.as_str())
}

/// How the page was made.
fn made(report: &Report<'_>) -> Vec<(&'static str, String)> {
    let request = report.request;
    let mut words = vec!["mint-sieve".into(), "report".into()];
    words.extend(collection_words(report.config));
    words.extend(["--out".into(), request.out.clone().into_os_string()]);
    for policy in &request.policies {
        words.extend(["--policy".into(), policy.clone().into_os_string()]);
    }
    for limit in &request.limits {
        words.extend(["--limit".into(), limit.into()]);
    }
    if request.has_reach {
        words.extend(["--reach".into(), report.found.reach.name().into()]);
    }
    for (option, codes) in [("--only", &request.only), ("--suppress", &request.suppress)] {
        for code in codes {
            words.extend([option.into(), code.as_str().into()]);
        }
    }
    words.extend(["--per-class".into(), request.per_class.to_string().into()]);
    words.extend(["--seed".into(), request.seed.to_string().into()]);
    vec![
        ("program", format!("mint-sieve {}", env!("CARGO_PKG_VERSION"))),
        ("command", safe(&command_line(&words))),
        ("seed", request.seed.to_string()),
        ("reach", report.found.reach.name().to_owned()),
    ]
}

/// What the template shows.
#[derive(Serialize)]
struct Page<'a> {
    name: String,
    csp: String,
    style: String,
    script: &'static str,
    key: String,
    data: String,
    thumbnails: String,
    overview: Vec<(String, &'static str, &'static str)>,
    sentences: Vec<String>,
    proposals: String,
    chart: String,
    classes: Option<PageTable>,
    held_out: Option<PageTable>,
    severities: &'a [SeveritySection],
    suppressed: Vec<String>,
    concerns: &'a [GroupSection],
    more_groups: usize,
    leaks: Option<PageTable>,
    leaked_pairs: Option<PageTable>,
    is_split: bool,
    splits_chart: Option<String>,
    measure_chart: String,
    measures: Option<PageTable>,
    split_chart: Option<String>,
    split: Option<PageTable>,
    policies: &'a [PolicyShown],
    samples: &'a [Sample],
    misleading: &'a Misleading,
    seed: u64,
    made: Vec<(&'static str, String)>,
    limits: Vec<(&'static str, String, &'static str)>,
    apply: String,
}

/// The whole page.
pub fn page(report: &Report<'_>, limits: &[(&'static str, f64)]) -> Result<String, Failure> {
    let proposals = report.planned.proposed.proposals.iter();
    let (data, key) = data(Decisions {
        folder: &report.folder,
        catalog: report.catalog,
        album: report.album,
        comments: comments(report.planned),
        rows: proposals.map(|proposal| &proposal.row).collect(),
    });
    let catalog = report.catalog;
    let classes = drawn_as_svg(&balance::class_chart(catalog, &report.audit.balance))?;
    let measures = drawn_as_svg(&balance::measure_chart(catalog))?;
    let is_split = catalog.collection.splits.len() > 1;
    let of_splits = is_split.then(|| drawn_as_svg(&leakage::chart(catalog))).transpose()?;
    let name = catalog.collection.name();
    let of_split = report.split.map(|(request, assignment)| -> Result<_, Failure> {
        let chart = drawn_as_svg(&split::chart(&name, request, assignment))?;
        Ok((
            chart,
            split::class_table(
                request.parts.names(),
                &assignment.classes,
                &assignment.requested,
                true,
            )
            .on_page(usize::MAX),
        ))
    });
    let (split_chart, split_table) = of_split.transpose()?.unzip();
    let limits = LIMITS
        .iter()
        .zip(limits)
        .map(|(limit, (name, value))| (*name, format!("{value} {}", limit.unit), limit.why))
        .collect();
    let pairs = leakage::pair_table(&report.audit.leakage, report.found, usize::MAX)
        .captioned("Image pairs shared between splits");
    let rows = report.planned.proposed.proposals.len() as u64;
    let style = [LOOK, DECISIONS_STYLE].concat();
    let page = Page {
        name: safe(&name),
        csp: source_of_page(&style, Some(DECISIONS_SCRIPT)),
        style,
        script: DECISIONS_SCRIPT,
        key,
        data,
        thumbnails: report.album.thumbnails.join("\n"),
        overview: overview(report),
        sentences: sentences(report),
        proposals: counted(rows, "change is proposed", "changes are proposed"),
        chart: classes,
        classes: balance::class_table(&report.audit.balance, true).on_page(usize::MAX),
        held_out: balance::held_out_table(&report.audit.balance, false).on_page(usize::MAX),
        severities: &report.cases.severities,
        suppressed: report
            .suppressed
            .iter()
            .map(|one| {
                let findings = counted(one.findings as u64, "finding", "findings");
                safe(&format!("{findings}: {}", one.reason))
            })
            .collect(),
        concerns: &report.cases.concerns,
        more_groups: report.cases.more_groups,
        leaks: leakage::split_table(&report.audit.leakage, true).on_page(usize::MAX),
        leaked_pairs: pairs.on_page(MOST_PAIRS),
        is_split,
        splits_chart: of_splits,
        measure_chart: measures,
        measures: balance::median_table(catalog).on_page(usize::MAX),
        split_chart,
        split: split_table.flatten(),
        policies: report.policies,
        samples: &report.cases.samples,
        misleading: report.misleading,
        seed: report.request.seed,
        made: made(report),
        limits,
        apply: safe(&apply_line(report)),
    };
    filled(TEMPLATE, page)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::present::web::unescaped;

    #[test]
    fn lines_of_a_terminal_become_sentences() {
        let table = [
            ("20 images have a side", "20 images have a side."),
            ("different images", "Different images."),
            ("ähnlich.", "Ähnlich."),
            ("a\u{202e}b", "A\\u{202e}b."),
            ("", ""),
        ];
        for (line, expected) in table {
            assert_eq!(sentence(line), expected);
        }
    }

    #[test]
    fn what_the_template_shows_without_escaping_is_ours() {
        let ours = ["style", "chart", "splits_chart", "measure_chart", "split_chart"];
        assert_eq!(unescaped(TEMPLATE), ours);
    }
}
