//! A plan as the table that a person reviews, and what it says on the whole.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::path::Path;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::csv_escape::{guarded, of_path};
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::{RelPath, shown_name};
use sieve_core::repair::{
    Action, COMMENT, PLAN_HEADER, Proposal, Proposed, RepairRequest, Row, Rule,
};

use super::class_changes;
use crate::config::CollectionConfig;
use crate::console::{Align, Narrow, heading, safe, table as laid_out};
use crate::present::{ReadingSettings, command_on, counted, envelope, next_step};
use crate::present::{Reply, TableReply};
use crate::requests::ReadingRequest;

/// What is proposed, and what decided it.
pub struct Planned<'a> {
    /// What was typed.
    pub out: Option<&'a Path>,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What was searched in it.
    pub found: &'a DuplicateReport<'a>,
    /// What was asked for.
    pub request: &'a RepairRequest,
    /// What came of it.
    pub proposed: &'a Proposed,
}

/// The plan as CSV, with comments at its head.
pub fn table(planned: &Planned<'_>) -> String {
    let rows = planned.proposed.proposals.iter().map(|proposal| &proposal.row);
    csv_of(comments(planned), rows)
}

/// A plan of rows that no rule made, with comments at its head.
pub fn plan_of_rows(config: &CollectionConfig, catalog: &Catalog, rows: &[Row]) -> String {
    csv_of(comments_of(config, catalog, &BTreeSet::new()), rows.iter())
}

fn csv_of<'r>(comments: Vec<String>, rows: impl Iterator<Item = &'r Row>) -> String {
    let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    let mut put =
        |cells: &[String]| writer.write_record(cells).expect("memory takes what is written");
    comments.into_iter().for_each(|comment| put(&[comment]));
    put(&PLAN_HEADER.map(str::to_owned));
    rows.for_each(|row| put(&cells(row)));
    let bytes = writer.into_inner().expect("memory takes what is written");
    String::from_utf8(bytes).expect("rows are text")
}

/// The lines before the head of the table: what to do with it, what its words mean, and what collection it is for.
pub fn comments(planned: &Planned<'_>) -> Vec<String> {
    let used = planned.proposed.proposals.iter().map(|proposal| proposal.rule).collect();
    comments_of(planned.config, planned.catalog, &used)
}

/// The same for a plan to which only these rules contributed.
pub fn comments_of(
    config: &CollectionConfig,
    catalog: &Catalog,
    used: &BTreeSet<Rule>,
) -> Vec<String> {
    let mut comments = Vec::new();
    let mut comment = |text: String| comments.push(format!("{COMMENT} {text}"));
    let name = safe(&catalog.collection.name()).replace('\n', " ");
    comment(format!(
        "A repair plan for {name}. Review it; edit rows, or delete those you do not want."
    ));
    comment("Then run: mint-sieve apply THIS_FILE --to FOLDER, or --in-place".to_owned());
    for action in Action::ALL {
        comment(format!("{action}: {}", action.does()));
    }
    for rule in used {
        comment(format!("rule {}: {}", rule.name(), rule.does()));
    }
    ReadingRequest::new(config).to_lines().into_iter().for_each(comment);
    comments
}

/// A path as the cell that it is in a plan.
pub fn path_cell(path: &RelPath) -> String {
    let path = of_path(path);
    // Such a line would be taken for a comment.
    let path = match path.strip_prefix(COMMENT) {
        Some(rest) => format!("\\x23{rest}"),
        None => path,
    };
    guarded(&path).into_owned()
}

/// A row as the cells that it is in a plan.
pub fn cells(row: &Row) -> [String; 8] {
    [
        path_cell(&row.path),
        row.action.name().to_owned(),
        guarded(&row.from).into_owned(),
        guarded(&row.to).into_owned(),
        guarded(&row.group).into_owned(),
        guarded(&row.reason).into_owned(),
        row.confidence.map_or(String::new(), |confidence| format!("{confidence:.3}")),
        row.digest.map_or(String::new(), |digest| digest.to_string()),
    ]
}

type Counts = BTreeMap<Action, u64>;

fn counts<'a>(proposals: impl Iterator<Item = &'a Proposal>) -> Counts {
    let mut counts = Counts::new();
    proposals.for_each(|proposal| *counts.entry(proposal.row.action).or_default() += 1);
    counts
}

/// `2 drop, 3 decide`.
fn in_words(counts: &Counts) -> String {
    let reported: Vec<String> =
        counts.iter().map(|(action, count)| format!("{count} {action}")).collect();
    if reported.is_empty() { "nothing".to_owned() } else { reported.join(", ") }
}

fn of_rule<'a>(planned: &'a Planned<'_>, rule: Rule) -> impl Iterator<Item = &'a Proposal> {
    planned.proposed.proposals.iter().filter(move |proposal| proposal.rule == rule)
}

fn rules(planned: &Planned<'_>) -> String {
    let mut text = format!("{}\n\n", heading(&safe(&planned.catalog.collection.name())));
    let mut rows = vec![["rule", "here", "what it proposes"].map(str::to_owned).to_vec()];
    for rule in Rule::ALL {
        let here = if planned.request.rules.contains(rule) {
            in_words(&counts(of_rule(planned, *rule)))
        } else {
            "-".to_owned()
        };
        let only = if rule.is_usual() { "" } else { " (only on request)" };
        rows.push(vec![rule.name().to_owned(), here, format!("{}{only}", rule.does())]);
    }
    text.push_str(&laid_out(&[Align::Left; 3], Narrow::Drop(&["here"]), rows));
    let plan = next_plan(planned);
    text + "\n"
        + &next_step("write the plan:", &command_on(planned.config, "propose", &[&"--out", &plan]))
}

fn next_plan(planned: &Planned<'_>) -> std::path::PathBuf {
    planned.out.map_or_else(|| "plan.csv".into(), Path::to_owned)
}

/// Undecided rows that are named.
const NAMED: usize = 6;

/// What the plan says on the whole.
fn text(planned: &Planned<'_>) -> String {
    let proposed = planned.proposed;
    let name = planned.catalog.collection.name();
    let mut text = format!("{}\n", heading(&safe(&name)));
    let all = counts(proposed.proposals.iter());
    if proposed.proposals.is_empty() {
        text.push_str("No rule proposes any change.\n");
    } else {
        let rows = counted(proposed.proposals.len() as u64, "row", "rows");
        let _ = writeln!(text, "{rows}: {}\n", in_words(&all));
        text.push_str(&rule_table(planned));
    }
    text.push_str(&class_changes(proposed.classes.iter()));
    text.push_str(&renames(planned));
    let open: Vec<&Proposal> = proposed
        .proposals
        .iter()
        .filter(|proposal| proposal.row.action == Action::Decide)
        .collect();
    if !proposed.withdrawn.is_empty() {
        let _ = writeln!(
            text,
            "\n{}",
            heading("Left out of the plan, as apply would reject these rows")
        );
        for (row, reason) in proposed.withdrawn.iter().take(NAMED) {
            let path = safe(row.path.as_str());
            let _ = writeln!(text, "  {path}: {} {}: {}", row.action, safe(&row.to), safe(reason));
        }
        if proposed.withdrawn.len() > NAMED {
            let _ = writeln!(text, "  ... {} more", proposed.withdrawn.len() - NAMED);
        }
    }
    if !open.is_empty() {
        let _ = writeln!(text, "\n{}", heading("Needs your decision"));
        for proposal in open.iter().take(NAMED) {
            let _ = writeln!(
                text,
                "  {}: {}",
                safe(proposal.row.path.as_str()),
                safe(&proposal.row.reason)
            );
        }
        if open.len() > NAMED {
            let _ = writeln!(text, "  ... {} more in the plan", open.len() - NAMED);
        }
        text.push_str("  Replace decide with drop, keep or relabel.\n");
    }
    text.push('\n');
    match planned.out {
        Some(out) => {
            let shown = safe(&shown_name(out.as_os_str()));
            let _ = writeln!(text, "Written: {shown}. Nothing was changed.\n");
            let to = crate::present::repaired_folder(&planned.config.roots[0].path);
            let words: [&std::ffi::OsStr; 5] = [
                "mint-sieve".as_ref(),
                "apply".as_ref(),
                out.as_os_str(),
                "--to".as_ref(),
                to.as_os_str(),
            ];
            text + &next_step("review the plan, then:", &words)
        }
        None => {
            text.push_str("Nothing was written or changed.\n\n");
            let plan = next_plan(planned);
            text + &next_step(
                "write the plan:",
                &command_on(planned.config, "propose", &[&"--out", &plan]),
            )
        }
    }
}

fn rule_table(planned: &Planned<'_>) -> String {
    let mut rows = vec![["rule", "rows", "why"].map(str::to_owned).to_vec()];
    for rule in Rule::ALL {
        let of_it = counts(of_rule(planned, *rule));
        if !of_it.is_empty() {
            rows.push(vec![rule.name().to_owned(), in_words(&of_it), rule.does().to_owned()]);
        }
    }
    laid_out(&[Align::Left; 3], Narrow::Drop(&["why"]), rows)
}

/// Names that matched nothing.
fn renames(planned: &Planned<'_>) -> String {
    let mut text = String::new();
    let listed = |names: &[String]| {
        let shown: Vec<String> =
            names.iter().take(NAMED).map(|name| safe(&format!("{name:?}"))).collect();
        let more = names.len().saturating_sub(NAMED);
        shown.join(", ") + &if more > 0 { format!(" and {more} more") } else { String::new() }
    };
    if !planned.proposed.unnamed.is_empty() {
        let _ = writeln!(
            text,
            "\nThe table has no name for {}; these keep theirs.",
            listed(&planned.proposed.unnamed)
        );
    }
    if !planned.proposed.unused.is_empty() {
        let _ = writeln!(
            text,
            "\nThe table also names {}, which are not classes here.",
            listed(&planned.proposed.unused)
        );
    }
    text
}

#[derive(Serialize)]
struct Settings<'a> {
    #[serde(flatten)]
    reading: ReadingSettings,
    reach: &'static str,
    rules: Vec<&'static str>,
    protect: &'a [String],
    prefer: Vec<&'static str>,
    seed: u64,
}

#[derive(Serialize)]
struct Body<'a> {
    out: Option<String>,
    counts: BTreeMap<&'static str, u64>,
    rows: Vec<RowBody<'a>>,
    classes: Vec<ClassBody<'a>>,
    unmapped_classes: &'a [String],
    unmatched_names: &'a [String],
    withdrawn: Vec<WithdrawnBody<'a>>,
}

#[derive(Serialize)]
struct WithdrawnBody<'a> {
    path: &'a RelPath,
    action: &'static str,
    to: &'a str,
    reason: &'a str,
}

#[derive(Serialize)]
struct RowBody<'a> {
    rule: &'static str,
    path: &'a sieve_core::files::RelPath,
    action: &'static str,
    from: &'a str,
    to: &'a str,
    group: &'a str,
    reason: &'a str,
    confidence: Option<f64>,
    digest: Option<String>,
}

#[derive(Serialize)]
struct ClassBody<'a> {
    class: &'a str,
    images: u64,
    after: u64,
}

/// The plan as JSON.
fn json(planned: &Planned<'_>) -> String {
    let proposed = planned.proposed;
    let settings = Settings {
        reading: ReadingSettings::new(planned.config),
        reach: planned.found.reach.name(),
        rules: planned.request.rules.iter().map(|rule| rule.name()).collect(),
        protect: &planned.request.protect,
        prefer: planned.request.prefer.iter().map(|prefer| prefer.name()).collect(),
        seed: planned.request.seed,
    };
    let rows = proposed.proposals.iter().map(|Proposal { rule, row }| RowBody {
        rule: rule.name(),
        path: &row.path,
        action: row.action.name(),
        from: &row.from,
        to: &row.to,
        group: &row.group,
        reason: &row.reason,
        confidence: row.confidence,
        digest: row.digest.map(|digest| digest.to_string()),
    });
    let withdrawn = proposed.withdrawn.iter().map(|(row, reason)| WithdrawnBody {
        path: &row.path,
        action: row.action.name(),
        to: &row.to,
        reason,
    });
    let classes = proposed.classes.iter();
    let body = Body {
        out: planned.out.map(|out| shown_name(out.as_os_str())),
        counts: counts(proposed.proposals.iter()).into_iter().map(|(a, n)| (a.name(), n)).collect(),
        rows: rows.collect(),
        classes: classes
            .map(|(class, &(images, after))| ClassBody { class, images, after })
            .collect(),
        unmapped_classes: &proposed.unnamed,
        unmatched_names: &proposed.unused,
        withdrawn: withdrawn.collect(),
    };
    envelope("propose", settings, body)
}

impl Reply for Planned<'_> {
    fn text(&self) -> String {
        text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}

impl TableReply for Planned<'_> {
    fn csv(&self) -> String {
        table(self)
    }
}

/// Every rule, and what it would do here; for programs the same as the plan.
pub struct RuleList<'a>(pub &'a Planned<'a>);

impl Reply for RuleList<'_> {
    fn text(&self) -> String {
        rules(self.0)
    }

    fn json(&self) -> String {
        self.0.json()
    }
}

impl TableReply for RuleList<'_> {
    fn csv(&self) -> String {
        self.0.csv()
    }
}
