//! `report`: everything on one page.

use std::ffi::OsString;

use sieve_core::appearance::Source;
use sieve_core::audit;
use sieve_core::catalog::Catalog;
use sieve_core::coverage::coverage;
use sieve_core::duplicates::{CollectionRef, DuplicateReport};
use sieve_core::outliers::outliers;
use sieve_core::repair::RepairRequest;
use sieve_core::shortcuts::{Shortcuts, shortcuts};
use sieve_core::splitting::{self, Assignment, Request};

use super::finding_policy::FindingPolicy;
use super::propose::{Searched, proposal};
use super::{Answer, Output, collection, photograph, preview, sheet_images, thumbnails};
use crate::args::ReportArgs;
use crate::config::CollectionConfig;
use crate::console;
use crate::failure::Failure;
use crate::present::repair::plan::Planned;
use crate::present::report::{self as present, Painted, PolicyShown, Report, WrittenReport};
use crate::present::sheet;
use crate::present::shortcuts::{self as background, ShortcutReport};
use crate::present::{Reply, absolute_collection_words, command_line, web};
use crate::progress::TerminalProgress;
use crate::requests::{PreviewRequest, ReportRequest};
use crate::writing::NewFile;

/// Columns of what policies say.
const POLICY_COLUMNS: usize = 118;

/// Answers `report`.
pub fn run(args: &ReportArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    web::refuse_other_formats("a report", &args.out)?;
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let judge = FindingPolicy::new(&args.judging, &config)?;
    config.refuse_inside(&args.out)?;
    let file = NewFile::create(&args.out)?;
    let previews: Vec<PreviewRequest> =
        args.policies.iter().map(|policy| PreviewRequest::of(policy, args.seed)).collect();
    let policies: Vec<_> = previews.iter().map(preview::policies).collect::<Result<_, _>>()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    let reach = args.judging.reach;
    collection::search_in(&config, &measured, reach, progress, |catalog, found| {
        if found.images.is_empty() {
            return Err(collection::without_images(&config, &catalog.collection));
        }
        let limits = &judge.limits.values;
        let mut audit = audit::audit(catalog, found, limits, &[]);
        let thumbnails = thumbnails::of_search(&config, &measured, found, progress)?;
        let ties = &audit.balance.associations;
        let shortcuts = shortcuts(found, &thumbnails, None, ties, progress)?;
        audit.add_shortcuts(&shortcuts, limits);
        let audit = audit;
        let source = Source::Thumbnails(&thumbnails);
        let outliers = outliers(found, &source, progress)?;
        let coverage = coverage(found, &source, None, limits, args.seed, progress)?;
        let mut findings = audit.findings.clone();
        let suppressed = judge.suppress(&mut findings);
        let searched = Searched { config: &config, catalog, found, audit: &audit };
        let repairs = RepairRequest::usual(args.seed);
        let proposed = proposal(&repairs, &searched, progress)?;
        let planned = Planned {
            out: None,
            config: &config,
            catalog,
            found,
            request: &repairs,
            proposed: &proposed,
        };
        let split_request = Request { seed: args.seed, ..Request::default() };
        let split = usual_split(catalog, found, &split_request);
        let mut album = web::ImageRegistry::default();
        let paths: std::collections::HashMap<_, _> =
            catalog.records.iter().enumerate().map(|(at, record)| (&record.path, at)).collect();
        for proposal in &proposed.proposals {
            album.add(paths[&proposal.row.path], true);
        }
        let cases =
            present::cases(catalog, found, &findings, &mut album, args.per_class, args.seed);
        let mut misleading = present::misleading(found, &outliers, &coverage, &mut album);
        if shortcuts.classes.iter().any(|class| class.is_border(limits)) {
            let known = shortcuts.classes.into_iter().filter(|class| class.is_border(limits));
            let answer = ShortcutReport {
                all: true,
                config: &config,
                catalog,
                found,
                thumbnails: &thumbnails,
                limits,
                shortcuts: &Shortcuts { classes: known.collect(), excluded: Vec::new() },
                findings: &[],
                suppressed: &[],
                judging: judge.settings(found.reach),
                sheet: None,
            };
            let read_limits = config.read_limits();
            let side =
                [CollectionRef { catalog, store: measured.1.as_ref(), limits: &read_limits }];
            let mut rows = sheet_images::fill(background::rows(&answer), &side, progress)?;
            background::mask(&mut rows);
            let painted = sheet::paint_rows(&background::title(&answer), &rows);
            misleading.shortcuts = Some(Painted::new(&painted));
        }
        photograph::take(&config, catalog, &mut album, progress)?;
        let shown = previews.iter().zip(&policies).map(|(request, policies)| {
            let (config, kept) = (&config, &args.catalog);
            policy(&preview::PolicyTrial { request, config, kept, policies, limits, progress })
        });
        let shown: Vec<PolicyShown> = shown.collect::<Result<_, _>>()?;
        let request = ReportRequest::from(args);
        let report = Report {
            request: &request,
            config: &config,
            folder: crate::writing::parent(&args.out).to_owned(),
            catalog,
            found,
            audit: &audit,
            findings: &findings,
            suppressed: &suppressed,
            planned: &planned,
            split: split.as_ref().map(|assignment| (&split_request, assignment)),
            policies: &shown,
            album: &album,
            cases: &cases,
            misleading: &misleading,
        };
        let page = present::page(&report, &limits.values())?;
        file.write(page.as_bytes())?;
        let (bytes, exit) = (page.len() as u64, judge.exit(&findings));
        let judging = judge.settings(found.reach);
        let written = WrittenReport { report: &report, bytes, judging };
        let output = Output::of(&written, args.format);
        Ok(Answer { output, exit })
    })
}

/// How a collection without splits would be split; none where it has them, or cannot be.
fn usual_split<'a>(
    catalog: &'a Catalog,
    found: &DuplicateReport<'a>,
    request: &Request,
) -> Option<Assignment<'a>> {
    let is_split = !catalog.collection.splits.is_empty();
    let assignment = (!is_split).then(|| splitting::assign(catalog, found, request).ok())??;
    (!assignment.images.is_empty()).then_some(assignment)
}

/// What a policy does, as `preview` says and shows it.
fn policy(trial: &preview::PolicyTrial<'_>) -> Result<PolicyShown, Failure> {
    preview::shown(trial, true, |preview, painted| {
        let text = preview.text();
        let text = console::lay_out(&text, Some(POLICY_COLUMNS));
        let painted = painted.expect("a sheet was asked for");
        let mut words: Vec<OsString> = vec!["mint-sieve".into(), "preview".into()];
        words.extend(absolute_collection_words(preview.config));
        words.extend(["--policy".into(), trial.request.policies[0].clone().into_os_string()]);
        words.extend(["--out".into(), "preview.png".into()]);
        Ok(PolicyShown {
            name: console::safe(&preview.policies[0].name),
            command: console::safe(&command_line(&words)),
            text: anstream::adapter::strip_str(&text).to_string(),
            sheet: web::base64(&web::jpeg(painted)),
            width_px: painted.width_px,
            height_px: painted.height_px,
        })
    })
}
