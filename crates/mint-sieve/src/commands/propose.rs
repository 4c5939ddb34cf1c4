//! `propose`: repairs, as a plan that a person reviews.

use std::collections::{BTreeSet, HashMap};
use std::path::Path;

use sieve_core::audit::{self, Audit};
use sieve_core::bounded_read::{self, MOST_TABLE_BYTES};
use sieve_core::catalog::Catalog;
use sieve_core::collection::{check_folder_name, composed};
use sieve_core::csv_escape;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::RelPath;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;
use sieve_core::reading::ReadError;
use sieve_core::record::{Outcome, Reason, Record};
use sieve_core::repair::{
    MinImages, Proposed, RenameError, Renames, RepairRequest, Rule, Subject, propose,
};
use sieve_core::suppression::Selection;

use super::{Answer, Output, collection};
use crate::args::ProposeArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::TableReply;
use crate::present::repair::plan::{Planned, RuleList};
use crate::progress::TerminalProgress;
use crate::settings::SetLimits;
use crate::writing::NewFile;

/// Answers `propose`.
pub fn run(args: &ProposeArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    rules(args)?;
    if let Some(out) = &args.out {
        config.refuse_inside(out)?;
    }
    let limits = SetLimits::new(&config.settings, &args.limits)?.values;
    let file =
        args.out.as_deref().filter(|_| !args.lists_rules()).map(NewFile::create).transpose()?;
    collection::search(&config, &args.catalog, args.reach, progress, |catalog, found| {
        let audit = audit::audit(catalog, found, &limits, &args.protect);
        let searched = Searched { config: &config, catalog, found, audit: &audit };
        let request = repair_request(args, rules(args)?, catalog)?;
        let proposed = proposal(&request, &searched, progress)?;
        let planned = Planned {
            out: args.out.as_deref(),
            config: &config,
            catalog,
            found,
            request: &request,
            proposed: &proposed,
        };
        if let Some(file) = file {
            file.write(planned.csv().as_bytes())?;
        }
        Ok(Answer::done(match args.lists_rules() {
            true => Output::of_table(&RuleList(&planned), args.format),
            false => Output::of_table(&planned, args.format),
        }))
    })
}

/// A collection that was searched and audited.
pub struct Searched<'a> {
    /// How it was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// What is wrong with it.
    pub audit: &'a Audit,
}

/// The repairs that are proposed for a request.
pub fn proposal(
    request: &RepairRequest,
    searched: &Searched<'_>,
    progress: &TerminalProgress,
) -> Result<Proposed, Failure> {
    let Searched { config, catalog, found, audit } = searched;
    let mut findings = audit.findings.clone();
    let accepted =
        Selection { suppressions: config.settings.suppressions.clone(), ..Selection::default() };
    accepted.apply(&mut findings);
    let digests = digests(
        catalog,
        config,
        |record| {
            matches!(record.outcome, Outcome::SetAside(Reason::ReadError(_)))
                || request.drop_list.contains(&record.path)
                || !request.drop_codes.is_empty()
                // Of a class that is dropped, files of any kind are.
                || request.classes.is_some()
                || request.min_images.is_some()
        },
        progress,
    )?;
    let subject = Subject { catalog, found, audit, findings: &findings, digests: &digests };
    let proposed = propose(&subject, request);
    progress.end();
    Ok(proposed)
}

/// The digests of wanted files that are no images, as far as they can be read.
pub fn digests(
    catalog: &Catalog,
    config: &CollectionConfig,
    is_wanted: impl Fn(&Record) -> bool,
    progress: &dyn Progress,
) -> Result<HashMap<RelPath, Digest>, Failure> {
    let wanted: Vec<&Record> = catalog
        .records
        .iter()
        .filter(|record| record.image().is_none() && is_wanted(record))
        .collect();
    let located: Vec<_> = wanted.iter().map(|record| record.located()).collect();
    let read = catalog.collection.visit(
        &located,
        &config.read_limits(),
        progress,
        |at, bytes| match bytes {
            Ok(bytes) => Some((wanted[at].path.clone(), Digest::of_bytes(&bytes.bytes))),
            Err(ReadError::Empty) => Some((wanted[at].path.clone(), Digest::of_bytes(b""))),
            Err(_) => None,
        },
    )?;
    Ok(read.into_iter().flatten().collect())
}

/// The rules that apply: those that were chosen, or the usual ones, and those whose option was given.
fn rules(args: &ProposeArgs) -> Result<BTreeSet<Rule>, Failure> {
    let mut rules: BTreeSet<Rule> =
        Rule::ALL.iter().copied().filter(|rule| args.requests(*rule)).collect();
    if args.rules.is_empty() || args.lists_rules() {
        rules.extend(
            Rule::ALL.iter().filter(|rule| {
                rule.is_usual() || args.lists_rules() && **rule == Rule::Orientation
            }),
        );
        return Ok(rules);
    }
    for name in &args.rules {
        let rule = Rule::named(name).ok_or_else(|| {
            let message = format!("--rules {name}: there is no such rule");
            let names: Vec<&str> = Rule::ALL.iter().map(|rule| rule.name()).collect();
            Failure::unknown(message, name, &names)
        })?;
        if !rule.is_usual() && rule != Rule::Orientation && !args.requests(rule) {
            let message = format!("--rules {name}: rule {name} needs its own option");
            return Err(Failure::call(message).hint(format!("It would {}.", rule.does())));
        }
        rules.insert(rule);
    }
    Ok(rules)
}

fn repair_request(
    args: &ProposeArgs,
    rules: BTreeSet<Rule>,
    catalog: &Catalog,
) -> Result<RepairRequest, Failure> {
    let known = catalog.collection.classes();
    for split in &args.protect {
        let splits = &catalog.collection.splits;
        if !splits.contains(split) {
            let failure = Failure::call(format!("--protect {split}: there is no such split"));
            return Err(match splits[..] {
                [] => failure.hint("The collection is not split."),
                _ => failure.hint(format!("There are {}.", splits.join(", "))),
            });
        }
    }
    let classes = args.classes.as_deref().map(|text| classes(text, &known)).transpose()?;
    let drop_list = args.drop_list.as_deref().map(|file| listed(file, catalog)).transpose()?;
    let renames = args.rename_from.as_deref().map(|file| renames(file, &known)).transpose()?;
    if let Some(into) = &args.merge_into
        && let Err(why) = check_folder_name(into)
    {
        return Err(Failure::call(format!("--merge-into {into:?}: not a valid class name: {why}")));
    }
    Ok(RepairRequest {
        rules,
        protect: args.protect.clone(),
        prefer: args.prefer.clone(),
        bursts: args.bursts.map(|frames| frames as usize),
        cap: args.cap,
        classes,
        renames,
        min_images: args
            .min_images
            .map(|images| MinImages { images: images as usize, into: args.merge_into.clone() }),
        drop_codes: args.drop_code.clone(),
        drop_list: drop_list.unwrap_or_default(),
        convert: args.convert.clone(),
        seed: args.seed,
    })
}

fn lines(file: &Path) -> Result<Vec<String>, Failure> {
    let text = bounded_read::read_text(file, MOST_TABLE_BYTES)
        .map_err(|reason| Failure::input(format!("cannot read {}: {reason}", file.display())))?;
    let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
    Ok(text.lines().filter(|line| !line.trim().is_empty()).map(str::to_owned).collect())
}

/// Names of classes as they are typed, or a file of them.
fn classes(text: &str, known: &[String]) -> Result<BTreeSet<String>, Failure> {
    let file = Path::new(text);
    let names =
        if file.is_file() { lines(file)? } else { text.split(',').map(str::to_owned).collect() };
    let mut wanted = BTreeSet::new();
    for name in names {
        let meant = [composed(&name), composed(name.trim())]
            .map(|name| name.into_owned())
            .into_iter()
            .find(|name| known.contains(name));
        wanted.insert(meant.ok_or_else(|| {
            Failure::unknown(format!("--classes: there is no class {name:?}"), &name, known)
        })?);
    }
    Ok(wanted)
}

fn listed(file: &Path, catalog: &Catalog) -> Result<BTreeSet<RelPath>, Failure> {
    let known: BTreeSet<&RelPath> = catalog.records.iter().map(|record| &record.path).collect();
    let mut wanted = BTreeSet::new();
    for (at, line) in lines(file)?.iter().enumerate() {
        let path = RelPath::new(&csv_escape::path_of(line));
        if !known.contains(&path) {
            let message = format!(
                "--drop-list {}: line {}: there is no file {line:?}",
                file.display(),
                at + 1
            );
            return Err(Failure::call(message)
                .hint("Expected paths relative to the root of the collection."));
        }
        wanted.insert(path);
    }
    Ok(wanted)
}

/// Old and new names of classes.
fn renames(file: &Path, known: &[String]) -> Result<Renames, Failure> {
    let wrong =
        |reason: String| Failure::input(format!("--rename-from {}: {reason}", file.display()));
    let bytes = bounded_read::read(file, MOST_TABLE_BYTES).map_err(wrong)?;
    Renames::of_table(&bytes, known).map_err(|error| match error {
        RenameError::NoClass => {
            wrong(error.to_string()).hint(format!("There are {}.", known.join(", ")))
        }
        error => wrong(error.to_string()),
    })
}
