//! What `apply` and `undo` did.

use std::collections::BTreeMap;
use std::fmt::Write;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::files::{InsidePath, shown_name};
use sieve_core::finding::Code;
use sieve_core::repair::{Action, Change, Changes, FileOutcome, Plan, Refusal};

use super::{class_changes, number_or_gone};
use crate::config::CollectionConfig;
use crate::console::{Align, Narrow, heading, safe};
use crate::present::Reply;
use crate::present::cells::listed;
use crate::present::skipped::{self, SkippedBody};
use crate::present::table::Table;
use crate::present::{ReadingSettings, command_line, command_on, counted, envelope, next_step};
use crate::requests::ApplyRequest;
use crate::writing::in_place::{Journal, Place, Restored, State};

/// How findings differ before and after.
pub struct Findings {
    /// By code, before and after.
    pub changed: BTreeMap<Code, (u64, u64)>,
    /// All that are left.
    pub left: u64,
}

/// A plan that was carried out.
pub struct Applied<'a> {
    /// What was typed.
    pub request: &'a ApplyRequest,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What was in it.
    pub catalog: &'a Catalog,
    /// The plan.
    pub plan: &'a Plan,
    /// What it did.
    pub changes: &'a Changes,
    /// What an audit would say now; none where that was not asked for.
    pub findings: Option<&'a Findings>,
    /// What can undo it.
    pub journal: Option<&'a Journal>,
    /// Files whose names cannot be stored, with reasons.
    pub skipped: &'a [(usize, String)],
}

/// Rows that no longer fit.
pub struct Refused<'a> {
    /// All of them.
    pub refusals: &'a [Refusal],
    /// Whether to name all.
    pub all: bool,
}

/// A run that continued an earlier one, or found that it had done everything.
pub struct Continued<'a> {
    /// Its journal.
    pub journal: &'a Journal,
    /// Whether nothing was done.
    pub is_dry_run: bool,
    /// Whether the earlier run had done everything.
    pub was_applied: bool,
}

/// A run that was undone.
pub struct Undone<'a> {
    /// Whether everything is listed.
    pub all: bool,
    /// Whether nothing is changed.
    pub is_dry_run: bool,
    /// Its journal.
    pub journal: &'a Journal,
    /// How far it had come before.
    pub was: Option<State>,
    /// What came of it; none where nothing was done.
    pub restored: Option<&'a Restored>,
    /// Files that are still set aside.
    pub aside: &'a [InsidePath],
}

/// Rows or files that are named without `--all`.
const NAMED: usize = 10;
/// Files of each kind that a dry run names.
const FIRST: usize = 3;

/// What is wrong with a plan, a line for each row.
pub fn refusals(refused: &Refused<'_>) -> Vec<String> {
    let count = refused.refusals.len();
    let shown = if refused.all { count } else { listed(count, NAMED) };
    let reported = refused.refusals.iter().take(shown);
    let mut lines: Vec<String> = reported
        .map(|Refusal { line, path, reason, .. }| format!("line {line}: {path}: {reason}"))
        .collect();
    if refused.refusals.len() > shown {
        lines.push(format!("... {} more (--all)", refused.refusals.len() - shown));
    }
    lines
}

/// Images of each class, before and after.
fn classes(applied: &Applied<'_>) -> BTreeMap<String, (u64, u64)> {
    let mut counts: BTreeMap<String, (u64, u64)> = BTreeMap::new();
    for (record, _) in applied.catalog.images() {
        if let Some(class) = record.class() {
            let count = counts.entry(class.to_owned()).or_default();
            *count = (count.0 + 1, count.1 + 1);
        }
    }
    for Change { record, fate, class, .. } in &applied.changes.changed {
        let record = &applied.catalog.records[*record];
        if record.image().is_none() {
            continue;
        }
        let leaves = *fate == FileOutcome::Drop || class.is_some();
        if let Some(own) = record.class().filter(|_| leaves) {
            counts.entry(own.to_owned()).or_default().1 -= 1;
        }
        if let Some(class) = class {
            counts.entry(class.clone()).or_default().1 += 1;
        }
    }
    counts
}

fn actions(changes: &Changes) -> BTreeMap<Action, Vec<&Change>> {
    let mut actions: BTreeMap<Action, Vec<&Change>> = BTreeMap::new();
    for change in &changes.changed {
        for action in change.actions.iter().filter(|action| **action != Action::Keep) {
            actions.entry(*action).or_default().push(change);
        }
    }
    actions
}

/// The answer for people.
fn text(applied: &Applied<'_>) -> String {
    let request = applied.request;
    let mut text = format!("{}\n", heading(&safe(&applied.catalog.collection.name())));
    let would = if request.is_dry_run { "would be " } else { "" };
    let by_action = actions(applied.changes);
    if by_action.is_empty() {
        text.push_str("The plan changes nothing.\n");
    }
    for (action, changes) in &by_action {
        let done = match action {
            Action::Drop => "dropped",
            Action::Relabel => "relabelled",
            Action::Rename => "renamed",
            Action::Rotate => "rotated upright and saved as PNG",
            Action::Convert => "stored as PNG",
            Action::Keep | Action::Decide => continue,
        };
        let _ = writeln!(text, "{} {would}{done}", counted(changes.len() as u64, "file", "files"));
        if request.is_dry_run || request.all {
            text.push_str(&named(applied, changes, request.all));
        }
    }
    if applied.changes.numbered > 0 {
        let files = counted(applied.changes.numbered, "file", "files");
        let _ = writeln!(
            text,
            "{files} {would}renamed with a suffix (-2, -3, ...) because the name is taken"
        );
    }
    if applied.changes.undecided > 0 {
        let _ = writeln!(
            text,
            "{} left unchanged (undecided)",
            counted(applied.changes.undecided, "file", "files")
        );
    }
    let behind = applied.changes.left_behind.len() as u64;
    if request.to.is_some() && behind > 0 {
        let _ = writeln!(
            text,
            "{} left behind: links, missing files, and generated tables that would be out of date",
            counted(behind, "file", "files")
        );
    }
    text.push_str(&skipped::text(applied.catalog, applied.skipped, request.all));
    text.push_str(&class_changes(classes(applied).iter()));
    if let Some(findings) = applied.findings {
        text.push_str(&finding_table(findings));
    }
    text.push('\n');
    text + &ending(applied)
}

/// The first files of a kind, with what becomes of them.
fn named(applied: &Applied<'_>, changes: &[&Change], all: bool) -> String {
    let mut text = String::new();
    let shown = if all { changes.len() } else { listed(changes.len(), FIRST) };
    for change in changes.iter().take(shown) {
        let path = safe(applied.catalog.records[change.record].path.as_str());
        let _ = match &change.fate {
            FileOutcome::Drop => writeln!(text, "  {path}"),
            FileOutcome::Put(place, _) => {
                writeln!(text, "  {path} -> {}", safe(&shown_name(place.as_path().as_os_str())))
            }
        };
    }
    if changes.len() > shown {
        let _ = writeln!(text, "  ... {} more (--all)", changes.len() - shown);
    }
    text
}

fn finding_table(findings: &Findings) -> String {
    let mut rows = vec![["finding", "before", "after"].map(str::to_owned).to_vec()];
    for (code, (before, after)) in &findings.changed {
        rows.push(vec![code.as_str().to_owned(), before.to_string(), number_or_gone(*after)]);
    }
    let left = counted(findings.left, "finding remains", "findings remain");
    if rows.len() == 1 {
        return format!("\nNo findings were resolved; {left}.\n");
    }
    let table =
        Table::new(&[Align::Left, Align::Right, Align::Right], rows).text(Narrow::Drop(&[]));
    format!("\n{table}\n{left} (estimated; run audit to confirm).\n")
}

fn ending(applied: &Applied<'_>) -> String {
    let request = applied.request;
    let mut words: Vec<&std::ffi::OsStr> = vec!["mint-sieve".as_ref()];
    if request.is_dry_run {
        words.extend(["apply".as_ref(), request.plan.as_os_str()]);
        match &request.to {
            Some(to) => words.extend(["--to".as_ref(), to.as_os_str()]),
            None => words.push("--in-place".as_ref()),
        }
        return format!("Nothing was changed.\n\n{}", next_step("apply it:", &words));
    }
    if let Some(to) = &request.to {
        let shown = safe(&shown_name(to.as_os_str()));
        words.extend(["audit".as_ref(), to.as_os_str()]);
        let written = format!("Written: {shown}/. The collection itself was not changed.\n\n");
        return written + &next_step("check what is left:", &words);
    }
    let mut text = String::new();
    if let Some(journal) = applied.journal {
        let shown = journal.shown();
        let _ = writeln!(
            text,
            "Dropped files and the journal are in {}/.\nTo undo it: mint-sieve undo {}\n",
            safe(&shown_name(shown.as_os_str())),
            command_line(&[shown.as_os_str()]),
        );
    }
    text + &next_step("check what is left:", &command_on(applied.config, "audit", &[]))
}

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    plan: String,
    to: Option<String>,
    in_place: bool,
    dry_run: bool,
    skip_undecided: bool,
}

#[derive(Serialize)]
struct Body<'a> {
    rows: usize,
    actions: BTreeMap<&'static str, usize>,
    numbered: u64,
    undecided: u64,
    left_behind: Vec<&'a sieve_core::files::RelPath>,
    skipped: Vec<SkippedBody<'a>>,
    changes: Vec<ChangeBody<'a>>,
    classes: Vec<ClassBody>,
    findings: Option<Vec<FindingBody>>,
    journal: Option<String>,
}

#[derive(Serialize)]
struct ChangeBody<'a> {
    path: &'a sieve_core::files::RelPath,
    /// Null for what is dropped.
    to: Option<String>,
    actions: Vec<&'static str>,
}

#[derive(Serialize)]
struct ClassBody {
    class: String,
    images: u64,
    after: u64,
}

#[derive(Serialize)]
struct FindingBody {
    code: &'static str,
    before: u64,
    after: u64,
}

/// The answer as JSON.
fn json(applied: &Applied<'_>) -> String {
    let request = applied.request;
    let settings = Settings {
        reading: ReadingSettings::new(applied.config),
        plan: shown_name(request.plan.as_os_str()),
        to: request.to.as_ref().map(|to| shown_name(to.as_os_str())),
        in_place: request.in_place,
        dry_run: request.is_dry_run,
        skip_undecided: request.skip_undecided,
    };
    let record = |at: usize| &applied.catalog.records[at].path;
    let change = |change: &'_ Change| ChangeBody {
        path: &applied.catalog.records[change.record].path,
        to: match &change.fate {
            FileOutcome::Drop => None,
            FileOutcome::Put(place, _) => Some(shown_name(place.as_path().as_os_str())),
        },
        actions: change.actions.iter().map(|action| action.name()).collect(),
    };
    let findings = applied.findings.map(|findings| {
        let changed = findings.changed.iter();
        changed
            .map(|(code, &(before, after))| FindingBody { code: code.as_str(), before, after })
            .collect()
    });
    let body = Body {
        rows: applied.plan.rows.len(),
        actions: actions(applied.changes).into_iter().map(|(a, of)| (a.name(), of.len())).collect(),
        numbered: applied.changes.numbered,
        undecided: applied.changes.undecided,
        left_behind: applied.changes.left_behind.iter().map(|at| record(*at)).collect(),
        skipped: skipped::body(applied.catalog, applied.skipped),
        changes: applied.changes.changed.iter().map(change).collect(),
        classes: classes(applied)
            .into_iter()
            .map(|(class, (images, after))| ClassBody { class, images, after })
            .collect(),
        findings,
        journal: applied.journal.map(|journal| shown_name(journal.shown().as_os_str())),
    };
    envelope("apply", settings, body)
}

/// What an earlier run of the same plan has to do with this one.
fn continued_text(continued: &Continued<'_>) -> String {
    let steps = counted(continued.journal.steps.len() as u64, "step", "steps");
    let shown = continued.journal.shown();
    let undo = format!("To undo it: mint-sieve undo {}\n", command_line(&[shown.as_os_str()]));
    if continued.was_applied {
        return format!("This plan is already applied (all {steps}). Nothing was changed.\n{undo}");
    }
    if continued.is_dry_run {
        return format!(
            "An interrupted run of this plan would be resumed ({steps}). Nothing was changed.\n"
        );
    }
    format!(
        "An earlier run of this plan was interrupted; it has been resumed and all {steps} are complete.\n{undo}"
    )
}

#[derive(Serialize)]
struct JournalBody {
    journal: String,
    steps: usize,
    state: Option<State>,
    dry_run: bool,
    already_applied: bool,
}

/// The same as JSON.
fn continued_json(continued: &Continued<'_>) -> String {
    let journal = continued.journal;
    let body = JournalBody {
        journal: shown_name(journal.shown().as_os_str()),
        steps: journal.steps.len(),
        state: journal.state,
        dry_run: continued.is_dry_run,
        already_applied: continued.was_applied,
    };
    envelope("apply", (), body)
}

/// What was undone.
fn undone_text(undone: &Undone<'_>) -> String {
    let journal = undone.journal;
    let root = shown_name(journal.root.as_path().as_os_str());
    let steps = counted(journal.steps.len() as u64, "step", "steps");
    let mut text = format!("{}\n", heading(&safe(&root)));
    let Some(restored) = undone.restored else {
        text.push_str(&match undone.was {
            None => "Nothing had been changed, so there is nothing to undo.\n".to_owned(),
            Some(State::Undone) => "It is already undone. Nothing was changed.\n".to_owned(),
            Some(_) => format!("{steps} would be undone. Nothing was changed.\n"),
        });
        return text;
    };
    let files = counted(restored.compared, "file", "files");
    if restored.is_whole() && journal.damaged.is_empty() {
        let _ = writeln!(
            text,
            "{steps} undone. Verified {files}: each is back in place with its original contents."
        );
        return text;
    }
    let _ = writeln!(text, "{steps} undone where possible; {files} verified.");
    for line in restored.lines(if undone.all { usize::MAX } else { NAMED }) {
        let _ = writeln!(text, "  {}", safe(&line));
    }
    if !journal.damaged.is_empty() {
        let lines = counted(journal.damaged.len() as u64, "line", "lines");
        let _ = writeln!(
            text,
            "{lines} of the journal could not be read, so their steps were not undone."
        );
    }
    if !undone.aside.is_empty() {
        let shown = safe(&shown_name(journal.shown().as_os_str()));
        let files = counted(undone.aside.len() as u64, "file is", "files are");
        let _ = writeln!(text, "{files} still in {shown}/.");
    }
    if journal.state == Some(State::Undoing) {
        let shown = journal.shown();
        let words = ["mint-sieve".as_ref(), "undo".as_ref(), shown.as_os_str()];
        text.push('\n');
        text.push_str(&next_step("try again:", &words));
    }
    text
}

#[derive(Serialize)]
struct UndoneBody {
    journal: String,
    steps: usize,
    state: Option<State>,
    dry_run: bool,
    compared: u64,
    is_whole: bool,
    missing: Vec<String>,
    not_moved_back: Vec<MovedBody>,
    changed: Vec<String>,
    not_compared: Vec<String>,
    kept_aside: Vec<MovedBody>,
    folders: Vec<String>,
    damaged_lines: Vec<usize>,
}

#[derive(Serialize)]
struct MovedBody {
    path: String,
    now: String,
}

/// The same as JSON.
fn undone_json(undone: &Undone<'_>) -> String {
    let journal = undone.journal;
    let nothing = Restored::default();
    let restored = undone.restored.unwrap_or(&nothing);
    let moved = |path: &Place, now: &Place| MovedBody { path: path.shown(), now: now.shown() };
    let body = UndoneBody {
        journal: shown_name(journal.shown().as_os_str()),
        steps: journal.steps.len(),
        state: journal.state,
        dry_run: undone.is_dry_run,
        compared: restored.compared,
        is_whole: undone.restored.is_some_and(Restored::is_whole) && journal.damaged.is_empty(),
        missing: restored.missing.iter().map(Place::shown).collect(),
        not_moved_back: restored.stuck.iter().map(|(path, now, _)| moved(path, now)).collect(),
        changed: restored.changed.iter().map(Place::shown).collect(),
        not_compared: restored.uncompared.iter().map(|(path, _)| path.shown()).collect(),
        kept_aside: restored.kept.iter().map(|(path, now)| moved(path, now)).collect(),
        folders: restored.folders.clone(),
        damaged_lines: journal.damaged.clone(),
    };
    envelope("undo", (), body)
}

impl Reply for Applied<'_> {
    fn text(&self) -> String {
        text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}

impl Reply for Continued<'_> {
    fn text(&self) -> String {
        continued_text(self)
    }

    fn json(&self) -> String {
        continued_json(self)
    }
}

impl Reply for Undone<'_> {
    fn text(&self) -> String {
        undone_text(self)
    }

    fn json(&self) -> String {
        undone_json(self)
    }
}
