//! `apply` and `undo`: a reviewed plan carried out, and taken back.

use std::ffi::OsString;
use std::path::Path;

use clap::Parser;
use sieve_core::audit;
use sieve_core::catalog::Catalog;
use sieve_core::cell::path_of;
use sieve_core::duplicates::Found;
use sieve_core::input::{self, MOST_TABLE_BYTES};
use sieve_core::limits::FindingLimits;
use sieve_core::measuring::Digest;
use sieve_core::repair::{Changes, Edit, Fate, Plan, changes, difference, found_after, repaired};
use sieve_core::suppression::Selection;

use super::propose::digests;
use super::{Answer, Output, collection};
use crate::args::{ApplyArgs, CollectionArgs, TextFormat, UndoArgs};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::counted;
use crate::present::repair::applied::{
    self as present, Applied, Continued, Findings, Refused, Undone,
};
use crate::present::repair::plan::WORD;
use crate::present::sheet;
use crate::progress::TerminalProgress;
use crate::settings::SetLimits;
use crate::writing::in_place::{self, Journal, Made, State};
use crate::writing::{Link, NewFolder, Placed, Tree};

/// Answers `apply`.
pub fn run(args: &ApplyArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let shown = args.plan.display();
    let bytes = input::read(&args.plan, MOST_TABLE_BYTES)
        .map_err(|reason| Failure::input(format!("cannot read the plan {shown}: {reason}")))?;
    let digest = Digest::of_bytes(&bytes).to_string();
    let plan = Plan::parse(&bytes).map_err(|wrong| {
        Failure::call(format!("the plan {shown} cannot be understood"))
            .details(wrong.problems)
            .hint("Nothing was changed.")
    })?;
    let config = config(args, &plan)?;
    if let Some(to) = &args.to {
        config.refuse_inside(to)?;
    }
    let root = args.in_place.then(|| one_folder(&config)).transpose()?;
    if let Some(journal) = root.map(|root| interrupted(root, &digest)).transpose()?.flatten() {
        return go_on(args, journal, progress);
    }
    // A place that cannot be written fails before the long work, not after it.
    let folder = args.to.as_deref().filter(|_| !args.dry_run).map(NewFolder::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    let catalog = &measured.0;
    let named: std::collections::HashSet<_> = plan.rows.iter().map(|(_, row)| &row.path).collect();
    let digests = digests(catalog, &config, |record| named.contains(&record.path), progress)?;
    let done = changes(catalog, &plan, &digests, args.skip_undecided);
    progress.end();
    if !done.refusals.is_empty() {
        return Err(refused(args, &done));
    }
    if args.in_place && done.without_folder > 0 {
        let message = format!(
            "the classes of {} do not come from folders alone, so that --in-place cannot change them",
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
    let mut journal = None;
    if let Some(folder) = folder {
        build(args, &config, catalog, &done, &folder, progress)?;
        folder.keep()?;
        if args.link == Link::Hard {
            let records = catalog.records.iter();
            let limits = config.read_limits();
            collection::keep_linked(measured.1.as_ref(), &catalog.collection, records, &limits);
        }
    } else if let Some(root) = root.filter(|_| !args.dry_run) {
        let made = Made { limits: config.read_limits(), png: sheet::png, progress };
        let mut prepared = in_place::prepare(root, digest, catalog, &done, &made)?;
        in_place::carry_out(&mut prepared, progress)?;
        journal = Some(prepared);
    }
    progress.end();
    let applied = Applied {
        args,
        config: &config,
        catalog,
        plan: &plan,
        changes: &done,
        findings: findings.as_ref(),
        journal: journal.as_ref(),
    };
    Ok(Answer::done(match args.format {
        TextFormat::Text => Output::People(present::text(&applied)),
        TextFormat::Json => Output::Document(present::json(&applied)),
    }))
}

/// What an audit finds before and after.
fn findings(
    catalog: &Catalog,
    found: &Found<'_>,
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

/// The words of the plan's comments that name its collection.
#[derive(Parser)]
#[command(no_binary_name = true)]
struct PlanWords {
    #[command(flatten)]
    collection: CollectionArgs,
}

/// The collection of the plan, or the one that was named.
fn config(args: &ApplyArgs, plan: &Plan) -> Result<CollectionConfig, Failure> {
    if !args.roots.is_empty() {
        return CollectionConfig::resolve(&args.roots, &args.reading);
    }
    let words: Vec<OsString> = plan
        .comments
        .iter()
        .filter_map(|comment| Some(path_of(comment.strip_prefix(WORD)?).into_os_string()))
        .collect();
    let unknown = || {
        let message =
            format!("the plan {} does not say which collection it is for", args.plan.display());
        Failure::call(message).hint("Name it: mint-sieve apply PLAN.csv COLLECTION --to FOLDER")
    };
    if words.is_empty() {
        return Err(unknown());
    }
    let words = PlanWords::try_parse_from(words).map_err(|_| unknown())?;
    CollectionConfig::resolve(&words.collection.roots, &words.collection.reading)
}

/// The one folder that can be changed in place.
fn one_folder(config: &CollectionConfig) -> Result<&Path, Failure> {
    match &config.roots[..] {
        [root] if root.path.is_dir() && config.images.is_none() => Ok(&root.path),
        _ => Err(Failure::call(
            "--in-place changes one folder, and no archive, table or several roots",
        )
        .hint("Use --to.")),
    }
}

/// The journal of the same plan that a run was interrupted in; fails on one of another plan.
fn interrupted(root: &Path, plan: &str) -> Result<Option<Journal>, Failure> {
    let Ok(root) = root.canonicalize() else { return Ok(None) };
    let base = crate::writing::parent(&root).to_owned();
    // Nobody else may be at work while what is left behind is looked through.
    let lock = in_place::locked(&root)?;
    let mut open = None;
    for (_, folder) in in_place::find(&base, &root).0 {
        if !folder.join(in_place::FILE).exists() {
            in_place::sweep(&folder); // killed before anything was written down
            continue;
        }
        let journal = Journal::read(&folder)?;
        match journal.state {
            None => in_place::sweep(&folder),
            Some(State::Ready) if journal.plan == plan => open = Some(folder),
            Some(State::Ready | State::Undoing) => {
                let shown = journal.shown();
                let message =
                    format!("an earlier run was interrupted; its journal is {}", shown.display());
                return Err(Failure::input(message)
                    .hint(format!("Take it back first: mint-sieve undo {}", shown.display())));
            }
            Some(State::Done | State::Undone) => {}
        }
    }
    drop(lock);
    open.map(|folder| Journal::open(&folder)).transpose()
}

/// Goes on where an earlier run of the same plan was interrupted.
fn go_on(
    args: &ApplyArgs,
    mut journal: Journal,
    progress: &TerminalProgress,
) -> Result<Answer, Failure> {
    if !args.dry_run {
        in_place::carry_out(&mut journal, progress)?;
        progress.end();
    }
    let continued = Continued { journal: &journal, is_dry_run: args.dry_run };
    Ok(Answer::done(match args.format {
        TextFormat::Text => Output::People(present::continued_text(&continued)),
        TextFormat::Json => Output::Document(present::continued_json(&continued)),
    }))
}

/// Builds the repaired collection.
fn build(
    args: &ApplyArgs,
    config: &CollectionConfig,
    catalog: &Catalog,
    done: &Changes,
    folder: &NewFolder,
    progress: &TerminalProgress,
) -> Result<(), Failure> {
    let placed = |at: usize, place: &Path, edit: Edit| {
        let record = &catalog.records[at];
        Placed {
            record,
            digest: record.image().map(|measured| measured.digest),
            place: place.to_owned(),
            edit,
        }
    };
    let unchanged = done.unchanged.iter().map(|(at, place)| placed(*at, place, Edit::AsIs));
    let changed = done.changed.iter().filter_map(|change| match &change.fate {
        Fate::Put(place, edit) => Some(placed(change.record, place, *edit)),
        Fate::Drop => None,
    });
    let files: Vec<Placed<'_>> = unchanged.chain(changed).collect();
    let tree = Tree {
        collection: &catalog.collection,
        limits: config.read_limits(),
        link: args.link,
        png: sheet::png,
    };
    tree.write(&files, &[], &folder.path(), progress)
}

fn refused(args: &ApplyArgs, done: &Changes) -> Failure {
    let told = Refused { refusals: &done.refusals, all: args.all };
    let is_open =
        done.refusals.iter().any(|refusal| refusal.reason.starts_with("nobody has decided"));
    let hint = match is_open {
        true => {
            "Nothing was changed. Write drop, keep or relabel where the plan says decide, or leave those files as they are: \
             --skip-undecided"
        }
        false => "Nothing was changed. Propose again, or change these rows.",
    };
    let rows = counted(done.refusals.len() as u64, "row", "rows");
    let message = format!("{rows} of {} cannot be carried out", args.plan.display());
    Failure::call(message).details(present::refusals(&told)).hint(hint)
}

/// Answers `undo`.
pub fn undo(args: &UndoArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let mut journal = Journal::open(&args.journal)?;
    let was = journal.state;
    if was.is_some() && was != Some(State::Undone) {
        refuse_out_of_order(&journal)?;
        if !args.dry_run {
            in_place::take_back(&mut journal, progress)?;
        }
    }
    progress.end();
    let undone = Undone { journal: &journal, was, is_dry_run: args.dry_run };
    Ok(Answer::done(match args.format {
        TextFormat::Text => Output::People(present::undone_text(&undone)),
        TextFormat::Json => Output::Document(present::undone_json(&undone)),
    }))
}

/// What was applied later is taken back first: it may stand where this one's files were.
fn refuse_out_of_order(journal: &Journal) -> Result<(), Failure> {
    let root = journal.base.join(&journal.root);
    let (known, _) = in_place::find(&journal.base, &root);
    let own = known.iter().position(|(_, folder)| folder.ends_with(&journal.folder));
    for (_, folder) in known.iter().skip(own.map_or(known.len(), |own| own + 1)) {
        let file = folder.join(in_place::FILE);
        let text = input::read_text(&file, 1 << 30).unwrap_or_default();
        let last = text.lines().last().unwrap_or_default();
        let is_in_force =
            ["ready", "done", "undoing"].iter().any(|state| last.contains(&format!("\"{state}\"")));
        if last.contains("\"state\"") && is_in_force {
            let later = Path::new(folder.file_name().unwrap_or_default());
            let message = format!("{} was applied later", later.display());
            return Err(Failure::call(message).hint(format!(
                "Take it back first: mint-sieve undo {}",
                crate::writing::parent(&journal.shown()).join(later).display()
            )));
        }
    }
    Ok(())
}
