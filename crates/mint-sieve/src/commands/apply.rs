//! `apply` and `undo`: a reviewed plan carried out, and taken back.

use std::path::Path;

use sieve_core::audit;
use sieve_core::bounded_read::{self, MOST_TABLE_BYTES};
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::InsidePath;
use sieve_core::limits::FindingLimits;
use sieve_core::measuring::Digest;
use sieve_core::repair::{
    Action, Change, Changes, Edit, FileOutcome, Plan, Row, changes, difference, found_after,
    repaired,
};
use sieve_core::suppression::Selection;

use super::propose::digests;
use super::skipping::refuse_skipped;
use super::{Answer, Output, collection};
use crate::args::{ApplyArgs, UndoArgs};
use crate::config::CollectionConfig;
use crate::failure::{Exit, Failure};
use crate::present::counted;
use crate::present::repair::applied::{
    self as present, Applied, Continued, Findings, Refused, Undone,
};
use crate::present::sheet;
use crate::progress::TerminalProgress;
use crate::requests::{ApplyRequest, ReadingRequest};
use crate::settings::SetLimits;
use crate::writing::in_place::{self, Journal, Made, Reading, State};
use crate::writing::{Link, NewFolder, Placed, Tree};

/// Answers `apply`.
pub fn run(args: &ApplyArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let shown = args.plan.display();
    let bytes = bounded_read::read(&args.plan, MOST_TABLE_BYTES)
        .map_err(|reason| Failure::input(format!("cannot read the plan {shown}: {reason}")))?;
    let digest = Digest::of_bytes(&bytes).to_string();
    let plan = Plan::parse(&bytes).map_err(|wrong| {
        Failure::call(format!("the plan {shown} is not valid"))
            .details(wrong.problems)
            .hint("Nothing was changed.")
    })?;
    let config = config(args, &plan)?;
    if let Some(to) = &args.to {
        config.refuse_inside(to)?;
    }
    let root = args.in_place.then(|| one_folder(&config)).transpose()?;
    if root.is_some() && args.roots.is_empty() {
        refuse_unproven(args, &plan)?;
    }
    let earlier = root.map(|root| earlier_run(root, &digest, args.dry_run)).transpose()?.flatten();
    let applied_before = match earlier {
        Some(journal) if journal.state == Some(State::Ready) => {
            return continue_run(args, journal, progress);
        }
        earlier => earlier,
    };
    // A place that cannot be written fails before the long work, not after it.
    let folder = args.to.as_deref().filter(|_| !args.dry_run).map(NewFolder::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    let catalog = &measured.0;
    let named: std::collections::HashSet<_> = plan.rows.iter().map(|(_, row)| &row.path).collect();
    let digests = digests(catalog, &config, |record| named.contains(&record.path), progress)?;
    let done = changes(catalog, &plan, &digests, args.skip_undecided);
    progress.end();
    if !done.refusals.is_empty() {
        // A run that was killed after its last step has done all that the plan says.
        return match applied_before {
            Some(journal) => Ok(continued(args, &journal, true)),
            None => Err(refused(args, &done)),
        };
    }
    if args.in_place && done.without_folder > 0 {
        let message = format!(
            "--in-place cannot relabel {}: its classes do not come from folders alone",
            catalog.collection.name()
        );
        return Err(Failure::call(message).hint("Use --to: it builds class folders."));
    }
    let limits = SetLimits::new(&config.settings, &[])?.values;
    let findings = match args.no_audit || args.dry_run {
        true => None,
        false => {
            Some(collection::search_in(&config, &measured, None, progress, |catalog, found| {
                Ok(findings(catalog, found, &done, &limits, &config))
            })?)
        }
    };
    let (mut journal, mut skipped) = (None, Vec::new());
    if args.to.is_some() {
        skipped.clone_from(&done.skipped);
        refuse_skipped(args.strict, catalog, &skipped)?;
    }
    if let Some(folder) = folder {
        skipped.extend(build(args, &config, catalog, &done, &folder, progress)?);
        refuse_skipped(args.strict, catalog, &skipped)?;
        folder.keep()?;
        if args.link == Link::Hard {
            let records = catalog.records.iter();
            let limits = config.read_limits();
            collection::keep_linked(measured.1.as_ref(), &catalog.collection, records, &limits);
        }
    } else if let Some(root) = root.filter(|_| !args.dry_run) {
        let made = Made { limits: config.read_limits(), png: sheet::png, progress };
        let mut prepared = in_place::prepare(root, digest, catalog, &done, &digests, &made)?;
        in_place::carry_out(&mut prepared, progress)?;
        journal = Some(prepared);
    }
    progress.end();
    let request = ApplyRequest::from(args);
    let applied = Applied {
        request: &request,
        config: &config,
        catalog,
        plan: &plan,
        changes: &done,
        findings: findings.as_ref(),
        journal: journal.as_ref(),
        skipped: &skipped,
    };
    let output = Output::of(&applied, args.format);
    Ok(Answer { output, exit: if skipped.is_empty() { Exit::Done } else { Exit::Finding } })
}

/// A plan that only itself says what it is for must prove that its author has seen the files.
fn refuse_unproven(args: &ApplyArgs, plan: &Plan) -> Result<(), Failure> {
    let is_unproven =
        |row: &Row| row.digest.is_none() && !matches!(row.action, Action::Keep | Action::Decide);
    let Some((line, row)) = plan.rows.iter().find(|(_, row)| is_unproven(row)) else {
        return Ok(());
    };
    let shown = args.plan.display();
    let message = format!(
        "line {line} of {shown} has no digest ({}: {}), so the plan does not prove which collection it was made for",
        row.path, row.action
    );
    let hint = format!(
        "Nothing was changed. Name the collection explicitly: mint-sieve apply {shown} COLLECTION --in-place"
    );
    Err(Failure::call(message).hint(hint))
}

/// What an audit finds before and after.
fn findings(
    catalog: &Catalog,
    found: &DuplicateReport<'_>,
    changes: &Changes,
    limits: &FindingLimits,
    config: &CollectionConfig,
) -> Findings {
    let accepted =
        Selection { suppressions: config.settings.suppressions.clone(), ..Selection::default() };
    let mut before = audit::audit(catalog, found, limits, &[]).findings;
    let after_catalog = repaired(catalog, changes);
    let after_found = found_after(found, catalog, changes, &after_catalog);
    let mut after = audit::audit(&after_catalog, &after_found, limits, &[]).findings;
    accepted.apply(&mut before);
    accepted.apply(&mut after);
    Findings { changed: difference(&before, &after), left: after.len() as u64 }
}

/// The collection of the plan, or the one that was named.
fn config(args: &ApplyArgs, plan: &Plan) -> Result<CollectionConfig, Failure> {
    if !args.roots.is_empty() {
        return CollectionConfig::resolve(&args.roots, &args.reading);
    }
    let stored = ReadingRequest::of_comments(&plan.comments);
    let Some((roots, reading)) = stored.and_then(|stored| stored.typed(args.reading.clone()))
    else {
        let message =
            format!("the plan {} does not say which collection it is for", args.plan.display());
        return Err(Failure::call(message)
            .hint("Name the collection: mint-sieve apply PLAN.csv COLLECTION --to FOLDER"));
    };
    CollectionConfig::resolve(&roots, &reading)
}

/// The one folder that can be changed in place.
fn one_folder(config: &CollectionConfig) -> Result<&Path, Failure> {
    match &config.roots[..] {
        [root] if root.path.is_dir() && config.images.is_none() => Ok(&root.path),
        _ => Err(Failure::call(
            "--in-place works on a single folder, not on an archive, a table or several roots",
        )
        .hint("Use --to.")),
    }
}

/// The journal of the same plan, of a run that was interrupted or has ended; fails on an interrupted one of another plan.
fn earlier_run(root: &Path, plan: &str, is_dry_run: bool) -> Result<Option<Journal>, Failure> {
    let Ok(root) = root.canonicalize() else { return Ok(None) };
    let (base, name) = in_place::base_of(&root)?;
    // Nobody else may be at work while what is left behind is looked through.
    let lock = in_place::locked(&base, &name)?;
    let mut same = None;
    for (_, folder) in in_place::find(&base, &name)?.0 {
        let path = base.path().join(folder.as_path());
        // Killed before anything was written down, or no folder of ours.
        if !path.join(in_place::FILE).exists() {
            continue;
        }
        let journal = Journal::read(&path, Reading::Strict)?;
        match journal.state {
            // It changed nothing.
            None if is_dry_run => {}
            None => match in_place::discard(&journal) {
                Ok(true) => {}
                left => tracing::debug!(folder = %path.display(), ?left, "not removed"),
            },
            Some(State::Ready | State::Done) if journal.plan == plan => {
                same = Some((path, journal))
            }
            Some(State::Ready | State::Undoing) => {
                let shown = journal.shown();
                let shown = shown.display();
                let message = format!("an earlier run was interrupted; its journal is in {shown}");
                return Err(
                    Failure::input(message).hint(format!("Undo it first: mint-sieve undo {shown}"))
                );
            }
            Some(State::Done | State::Undone) => {}
        }
    }
    drop(lock);
    match same {
        Some((path, journal)) if journal.state == Some(State::Ready) => {
            Journal::open(&path, Reading::Strict).map(Some)
        }
        same => Ok(same.map(|(_, journal)| journal)),
    }
}

/// Continues where an earlier run of the same plan was interrupted.
fn continue_run(
    args: &ApplyArgs,
    mut journal: Journal,
    progress: &TerminalProgress,
) -> Result<Answer, Failure> {
    if !args.dry_run {
        in_place::carry_out(&mut journal, progress)?;
        progress.end();
    }
    Ok(continued(args, &journal, false))
}

/// What an earlier run of the same plan has to do with this one.
fn continued(args: &ApplyArgs, journal: &Journal, was_applied: bool) -> Answer {
    let continued = Continued { journal, is_dry_run: args.dry_run, was_applied };
    Answer::done(Output::of(&continued, args.format))
}

/// Builds the repaired collection.
fn build(
    args: &ApplyArgs,
    config: &CollectionConfig,
    catalog: &Catalog,
    done: &Changes,
    folder: &NewFolder,
    progress: &TerminalProgress,
) -> Result<Vec<(usize, String)>, Failure> {
    let placed = |at: usize, place: &InsidePath, edit: Edit| {
        let record = &catalog.records[at];
        Placed {
            record,
            digest: record.image().map(|measured| measured.digest),
            place: place.clone(),
            edit,
        }
    };
    let unchanged = done.unchanged.iter().map(|(at, place)| placed(*at, place, Edit::AsIs));
    let changed = done.changed.iter().filter_map(|change| match &change.fate {
        FileOutcome::Put(place, edit) => Some(placed(change.record, place, *edit)),
        FileOutcome::Drop => None,
    });
    let numbers = done.unchanged.iter().map(|(at, _)| *at);
    let is_put = |change: &&Change| matches!(change.fate, FileOutcome::Put(..));
    let more = done.changed.iter().filter(is_put).map(|change| change.record);
    let numbers: Vec<usize> = numbers.chain(more).collect();
    let files: Vec<Placed<'_>> = unchanged.chain(changed).collect();
    let tree = Tree {
        collection: &catalog.collection,
        limits: config.read_limits(),
        link: args.link,
        png: sheet::png,
    };
    let skipped = tree.write(&files, &[], folder.root(), progress)?;
    Ok(skipped.into_iter().map(|(at, why)| (numbers[at], why)).collect())
}

fn refused(args: &ApplyArgs, done: &Changes) -> Failure {
    let reported = Refused { refusals: &done.refusals, all: args.all };
    let is_open = done.refusals.iter().any(|refusal| refusal.is_undecided);
    let hint = match is_open {
        true => {
            "Nothing was changed. Replace decide with drop, keep or relabel in the plan, or use --skip-undecided to leave those files unchanged."
        }
        false => "Nothing was changed. Run propose again, or correct these rows.",
    };
    let rows = counted(done.refusals.len() as u64, "row", "rows");
    let message = format!("{rows} of {} cannot be applied", args.plan.display());
    Failure::call(message).details(present::refusals(&reported)).hint(hint)
}

/// Answers `undo`.
pub fn undo(args: &UndoArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let reading = if args.salvage { Reading::Salvage } else { Reading::Strict };
    let mut journal = Journal::open(&args.journal, reading)?;
    let was = journal.state;
    let mut restored = None;
    if was.is_some() && was != Some(State::Undone) {
        refuse_out_of_order(&journal)?;
        if !args.dry_run {
            restored = Some(in_place::take_back(&mut journal, progress)?);
        }
    }
    progress.end();
    let aside = match restored {
        Some(_) => journal.files_aside().unwrap_or_default(),
        None => Vec::new(),
    };
    let exit = match &restored {
        Some(restored) if !restored.is_whole() || !journal.damaged.is_empty() => Exit::Finding,
        _ => Exit::Done,
    };
    let undone = Undone {
        all: args.all,
        is_dry_run: args.dry_run,
        journal: &journal,
        was,
        restored: restored.as_ref(),
        aside: &aside,
    };
    let output = Output::of(&undone, args.format);
    Ok(Answer { output, exit })
}

/// What was applied later is undone first: it may stand where this one's files were.
fn refuse_out_of_order(journal: &Journal) -> Result<(), Failure> {
    let (known, _) = in_place::find(&journal.base, &journal.root)?;
    let own = known.iter().position(|(_, folder)| *folder == journal.folder);
    for (_, folder) in known.iter().skip(own.map_or(known.len(), |own| own + 1)) {
        let path = journal.base.path().join(folder.as_path());
        if !path.join(in_place::FILE).exists() {
            continue;
        }
        // One that is damaged may have been applied, as far as anybody can tell.
        let later = Journal::read(&path, Reading::Salvage)?;
        if !matches!(later.state, None | Some(State::Undone)) {
            let shown = later.shown();
            let name = folder.as_path().display();
            return Err(Failure::call(format!("{name} was applied later"))
                .hint(format!("Undo it first: mint-sieve undo {}", shown.display())));
        }
    }
    Ok(())
}
