//! `pack`: what a training run is handed.

use std::collections::{BTreeMap, HashSet};
use std::io::Write;
use std::path::Path;

use sieve_core::audit::{self, Audit};
use sieve_core::augment::Fill;
use sieve_core::balance::DEFAULT_BETA;
use sieve_core::bounded_read::{self, MOST_TABLE_BYTES};
use sieve_core::catalog::Catalog;
use sieve_core::collection::CLASS_INDEX;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::{InsidePath, Root, UsedPaths};
use sieve_core::finding::{Finding, Severity};
use sieve_core::io_reason;
use sieve_core::pack::{
    CHECKSUMS, ClassIndex, Form, Numbers, PACK_FILE, PackFile, PackedSplit, Sha256Sum,
    checksum_lines,
};
use sieve_core::repair::{Action, Plan};
use sieve_core::shortcuts::shortcuts;
use sieve_core::splitting::{Assigned, Conflicts, Placing, Request, eligible, places};
use sieve_core::suppression::Selection;

use super::preview::TRAIN;
use super::{Answer, Output, collection, refuse_linked_upload, thumbnails};
use crate::args::{Allowance, PackArgs};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::packing::{FrameRequest, ManifestFormat, PackedPart, Packing, Planned};
use crate::present::pack::{self as present, LeftOut, PackReport, WrittenFile};
use crate::present::{counted, sheet};
use crate::progress::TerminalProgress;
use crate::requests::PackRequest;
use crate::settings::SetLimits;
use crate::writing::{Link, NewFolder};
use crate::{packing, policy_file};

/// Answers `pack`.
pub fn run(args: &PackArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    config.refuse_inside(&args.to)?;
    refuse_linked_upload(&args.to, args.link)?;
    let request = PackRequest::from(args);
    let frame = frame(args)?;
    refuse_idle_options(args)?;
    let earlier = match &args.class_index {
        Some(file) => ClassIndex::read_order(file).map_err(|why| {
            Failure::input(format!("the class index {} cannot be used: {why}", file.display()))
        })?,
        None => Vec::new(),
    };
    refuse_undecided(args)?;
    // A place that cannot be written fails before the long work, not after it.
    let folder = NewFolder::create_anywhere(&args.to, &config.access)?;
    let limits = SetLimits::new(&config.settings, &[])?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    if measured.0.collection.splits.is_empty() {
        return Err(without_splits(&measured.0));
    }
    collection::search_in(&config, &measured, args.reach, progress, |catalog, found| {
        if found.images.is_empty() {
            return Err(collection::without_images(&config, &catalog.collection));
        }
        let mut audit = audit::audit(catalog, found, &limits.values, &[]);
        let thumbnails = thumbnails::of_search(&config, &measured, found, progress)?;
        let ties = &audit.balance.associations;
        let shortcuts = shortcuts(found, &thumbnails, None, ties, progress)?;
        audit.add_shortcuts(&shortcuts, &limits.values);
        drop(thumbnails);
        let suppressions = config.settings.suppressions.clone();
        let suppressed =
            Selection { suppressions, ..Selection::default() }.apply(&mut audit.findings);
        refuse_errors(args, catalog, &audit)?;
        let plan = PackPlan::new(args, catalog, found, &earlier, frame.as_ref())?;
        let packing = Packing {
            collection: &catalog.collection,
            limits: config.read_limits(),
            form: args.form,
            link: args.link,
            frame: frame.clone(),
            channels_first: args.channels_first,
            shard_bytes: args.shard_size,
            seed: args.seed,
            png: sheet::png,
        };
        let parts = plan.pack(&packing, !args.no_statistics, folder.root(), progress)?;
        if args.link == Link::Hard && args.form == Form::Tree && frame.is_none() {
            let records = plan.parts.iter().flatten().map(|image| image.record);
            let store = measured.1.as_ref();
            collection::keep_linked(store, &catalog.collection, records, &config.read_limits());
        }
        let channels = parts[plan.training].channels;
        let channels = channels.as_ref().and_then(sieve_core::pack::ChannelSums::statistics);
        let numbers = Numbers::new(&plan.index, plan.training, channels, DEFAULT_BETA, args.batch);
        let mut report = PackReport {
            request: &request,
            frame: frame.as_ref().map(FrameRequest::frame),
            config: &config,
            catalog,
            found,
            audit: &audit,
            suppressed: &suppressed,
            index: &plan.index,
            earlier: &earlier,
            parts: &parts,
            numbers: &numbers,
            left_out: &plan.left_out,
            day: present::today(),
            files: Vec::new(),
        };
        report.files = write_documents(&report, args.example, folder.root(), progress)?;
        folder.keep_anywhere(progress)?;
        progress.end();
        Ok(Answer::done(Output::of(&report, args.format)))
    })
}

/// The frame that images are resized to.
fn frame(args: &PackArgs) -> Result<Option<FrameRequest>, Failure> {
    let Some(text) = &args.frame else {
        return match args.form {
            Form::Npy => Err(Failure::call("arrays need images of one size")
                .hint("Add --frame WIDTHxHEIGHT, for example --frame 64x64.")),
            _ => Ok(None),
        };
    };
    let is_frame = text.as_bytes().first().is_some_and(u8::is_ascii_digit);
    if is_frame && !Path::new(text).exists() {
        let frame = text.parse().map_err(|why| Failure::call(format!("--frame {text}: {why}")))?;
        return Ok(Some(FrameRequest::new(frame, Fill::Mirror, args.encoding)));
    }
    let policy = policy_file::read(Path::new(text))?.policy;
    Ok(Some(FrameRequest::new(policy.frame, policy.fill, args.encoding)))
}

/// Refuses options that would do nothing, and what this build cannot do.
fn refuse_idle_options(args: &PackArgs) -> Result<(), Failure> {
    let is_parquet = args.form == Form::Parquet || args.manifest == ManifestFormat::Parquet;
    let missing = match () {
        () if is_parquet && !cfg!(feature = "parquet") => Some(("Parquet", "parquet")),
        () if args.form == Form::Arrow && !cfg!(feature = "arrow") => Some(("Arrow", "arrow")),
        () => None,
    };
    if let Some((what, feature)) = missing {
        return Err(Failure::call(format!("this build does not write {what}"))
            .hint(format!("Build with --features {feature}, or choose another form.")));
    }
    if args.link == Link::Soft {
        return Err(Failure::call("a pack of symbolic links would hold no images")
            .hint("Use --link hard, or omit --link to write copies."));
    }
    let is_tree = args.form == Form::Tree;
    if args.link != Link::Copy && (!is_tree || args.frame.is_some()) {
        return Err(Failure::call("--link applies to the original files of a tree only")
            .hint("Omit --link, or use --as tree without --frame."));
    }
    if args.channels_first && args.form != Form::Npy {
        return Err(Failure::call("--channels-first applies to arrays only")
            .hint("Add --as npy, or omit --channels-first."));
    }
    Ok(())
}

/// Refuses to pack while somebody still has to decide about rows of a plan.
fn refuse_undecided(args: &PackArgs) -> Result<(), Failure> {
    let Some(file) = &args.plan else { return Ok(()) };
    let shown = file.display();
    let bytes = bounded_read::read(file, MOST_TABLE_BYTES)
        .map_err(|reason| Failure::input(format!("cannot read the plan {shown}: {reason}")))?;
    let plan = Plan::parse(&bytes).map_err(|wrong| {
        Failure::call(format!("the plan {shown} is not valid"))
            .details(wrong.problems)
            .hint("Nothing was written.")
    })?;
    let undecided = plan.rows.iter().filter(|(_, row)| row.action == Action::Decide).count() as u64;
    if undecided == 0 || args.allow.contains(&Allowance::Undecided) {
        return Ok(());
    }
    let rows = counted(undecided, "row", "rows");
    Err(Failure::call(format!("{rows} of the plan {shown} are not decided yet"))
        .hint("Nothing was written. Decide and apply them, or add --allow undecided."))
}

/// Refuses what training on is wrong, unless it is allowed by name. What is in no split is not packed, and does no harm.
fn refuse_errors(args: &PackArgs, catalog: &Catalog, audit: &Audit) -> Result<(), Failure> {
    let in_splits: HashSet<&str> = catalog
        .records
        .iter()
        .filter(|record| record.split().is_some())
        .map(|record| record.path.as_str())
        .collect();
    let mut refused: BTreeMap<&str, (u64, &str)> = BTreeMap::new();
    let matters = |finding: &&Finding| {
        let images = &finding.images;
        images.is_empty() || images.iter().any(|image| in_splits.contains(image.as_str()))
    };
    for finding in audit.findings.iter().filter(matters) {
        let is_allowed = args.allow.contains(&Allowance::Finding(finding.code));
        if finding.severity == Severity::Error && !is_allowed {
            let code = refused.entry(finding.code.as_str());
            code.or_insert((0, finding.code.title())).0 += 1;
        }
    }
    if refused.is_empty() {
        return Ok(());
    }
    let details = refused.iter().map(|(code, (count, title))| format!("{code} ({count}): {title}"));
    let codes: Vec<&str> = refused.keys().copied().collect();
    let count = counted(refused.values().map(|(count, _)| count).sum(), "error", "errors");
    Err(Failure::input(format!("the audit reports {count}"))
        .details(details.collect())
        .hint(format!(
            "Nothing was written. Repair them, or pack anyway with --allow {}: the data sheet then says so.",
            codes.join(",")
        )))
}

fn without_splits(catalog: &Catalog) -> Failure {
    let name = catalog.collection.name();
    Failure::call(format!("{name} is not split"))
        .hint("Split it first (mint-sieve split), or name its split table: --splits-from split.csv")
}

/// Why an image that is in no split is left out.
const UNSPLIT: &str = "unsplit";

/// What goes into a pack.
struct PackPlan<'a> {
    splits: Vec<String>,
    /// The split that is trained on.
    training: usize,
    index: ClassIndex,
    /// The images of each split, in the order of their places.
    parts: Vec<Vec<Planned<'a>>>,
    left_out: Vec<LeftOut>,
}

impl<'a> PackPlan<'a> {
    fn new(
        args: &PackArgs,
        catalog: &'a Catalog,
        found: &DuplicateReport<'_>,
        earlier: &[String],
        frame: Option<&FrameRequest>,
    ) -> Result<Self, Failure> {
        let splits = catalog.collection.splits.clone();
        let training = splits.iter().position(|split| split == TRAIN).unwrap_or(0);
        let conflicts = Conflicts::Keep;
        let grouping = Request { conflicts, ..Request::default() };
        let eligible = eligible(catalog, found, &grouping)
            .map_err(|error| Failure::call(error.to_string()))?;
        let mut left_out: Vec<LeftOut> = Vec::new();
        let mut leave_out = |reason: &'static str, path: &str, why: String| {
            left_out.push(LeftOut { reason, path: path.to_owned(), why });
        };
        for record in catalog.records.iter().filter(|record| record.image().is_some()) {
            let path = record.path.as_str();
            // A split leaves out images on purpose; one in a split folder without a class is lost by mistake.
            if record.split().is_none() {
                leave_out(UNSPLIT, path, "in no split".to_owned());
            } else if record.class().is_none() {
                leave_out(Allowance::Unassigned.name(), path, "no class".to_owned());
            }
        }
        let images: Vec<&Assigned<'a>> =
            eligible.images.iter().filter(|image| image.record.split().is_some()).collect();
        let placings: Vec<Placing<'_>> = images
            .iter()
            .map(|image| Placing {
                path: &image.record.path,
                class: image.class,
                part: image.record.split().unwrap_or_default(),
                split_folders: usize::from(image.record.place.base),
            })
            .collect();
        let mut placed: Vec<(InsidePath, &Assigned<'a>)> = Vec::new();
        for (image, place) in images.iter().zip(places(&placings)) {
            match place {
                Ok(place) => placed.push((place, image)),
                Err(why) => {
                    leave_out(Allowance::Unstorable.name(), image.record.path.as_str(), why);
                }
            }
        }
        if let Some(frame) = frame {
            let mut used = UsedPaths::default();
            placed.sort_by(|a, b| a.0.cmp(&b.0));
            for (place, _) in &mut placed {
                let framed = place.as_path().with_extension(frame.extension());
                if let Ok(framed) = InsidePath::new(&framed) {
                    *place = used.take_numbered(framed);
                }
            }
        }
        placed.sort_by(|a, b| a.0.cmp(&b.0));
        refuse_left_out(args, &left_out)?;
        let split_of = |image: &Assigned<'_>| {
            let own = image.record.split();
            splits.iter().position(|split| Some(split.as_str()) == own).unwrap_or(0)
        };
        let counted = placed.iter().map(|(_, image)| (image.class, split_of(image)));
        let index = ClassIndex::new(&splits, counted, earlier);
        let numbers = index.numbers();
        let mut parts: Vec<Vec<Planned<'a>>> = splits.iter().map(|_| Vec::new()).collect();
        for (place, image) in placed {
            parts[split_of(image)].push(Planned {
                record: image.record,
                measured: image.measured,
                class: image.class,
                class_index: numbers[image.class],
                place,
                group: image.group.to_string(),
            });
        }
        Ok(PackPlan { splits, training, index, parts, left_out })
    }

    /// Packs all splits.
    fn pack(
        &self,
        packing: &Packing<'_>,
        with_channels: bool,
        to: &Root,
        progress: &TerminalProgress,
    ) -> Result<Vec<PackedPart>, Failure> {
        use sieve_core::progress::Progress;
        let bytes = self.parts.iter().flatten().map(|image| image.record.size_bytes).sum();
        progress.begin_bytes("packing", bytes);
        let parts = self.splits.iter().zip(&self.parts).enumerate();
        let parts = parts.map(|(at, (split, images))| {
            packing.pack(split, images, with_channels && at == self.training, to, progress)
        });
        parts.collect()
    }
}

/// Refuses to leave out images, unless that is allowed.
fn refuse_left_out(args: &PackArgs, left_out: &[LeftOut]) -> Result<(), Failure> {
    const NAMED: usize = 5;
    for (allowance, what) in [
        (Allowance::Unassigned, "no class"),
        (Allowance::Unstorable, "a name that cannot be stored"),
    ] {
        let name = allowance.name();
        let these: Vec<&LeftOut> = left_out.iter().filter(|one| one.reason == name).collect();
        if these.is_empty() || args.allow.contains(&allowance) {
            continue;
        }
        let mut details: Vec<String> =
            these.iter().take(NAMED).map(|one| format!("{}: {}", one.path, one.why)).collect();
        if these.len() > NAMED {
            details.push(format!("... {} more", these.len() - NAMED));
        }
        let count = counted(these.len() as u64, "image has", "images have");
        return Err(Failure::input(format!("{count} {what}")).details(details).hint(format!(
            "Nothing was written. To leave them out of the pack, add --allow {name}."
        )));
    }
    Ok(())
}

/// Writes all but the images, the checksums last; returns what is in the pack.
fn write_documents(
    report: &PackReport<'_>,
    with_example: bool,
    to: &Root,
    progress: &TerminalProgress,
) -> Result<Vec<WrittenFile>, Failure> {
    use sieve_core::progress::Progress;
    let mut documents: Vec<(String, Vec<u8>)> = Vec::new();
    let mut pack = PackFile::new(
        env!("CARGO_PKG_VERSION"),
        report.request.form,
        report.request.seed,
        report.frame.map(|frame| frame.to_string()),
    );
    for (split, part) in report.index.splits.iter().zip(report.parts) {
        let extension = report.request.manifest.extension();
        let manifest = format!("{split}-manifest.{extension}");
        let rows = match report.request.manifest {
            ManifestFormat::Csv => sieve_core::pack::PackedImage::csv(&part.images),
            ManifestFormat::Jsonl => sieve_core::pack::PackedImage::json_lines(&part.images),
            ManifestFormat::Parquet => {
                packing::manifest(&part.images).map_err(|error| unwritten(&manifest, &error))?
            }
        };
        documents.push((manifest.clone(), rows));
        if report.request.form == Form::Shards {
            documents.push((format!("{split}-shards.csv"), present::shard_table(part)));
        }
        let (split, images) = (split.clone(), part.images.len() as u64);
        pack.splits.push(PackedSplit { split, images, manifest, files: part.files.clone() });
    }
    documents.push((PACK_FILE.to_owned(), present::json_bytes(&pack)));
    documents.push((CLASS_INDEX.to_owned(), report.index.csv()));
    documents.push(("class-index.json".to_owned(), present::class_index_json(report.index)));
    documents.push(("numbers.json".to_owned(), present::numbers_json(report.numbers)));
    documents.push(("DATASHEET.md".to_owned(), present::datasheet(report).into_bytes()));
    documents.push(("dataset.jsonld".to_owned(), present::json_ld(report)));
    if with_example {
        documents.push(("load_pack.py".to_owned(), present::example(report).into_bytes()));
    }
    let mut sums: Vec<(InsidePath, Sha256Sum)> = Vec::new();
    let mut files: Vec<WrittenFile> = Vec::new();
    for (name, bytes) in documents {
        let place = write(to, &name, &bytes)?;
        sums.push((place, Sha256Sum::of(&bytes)));
        files.push(WrittenFile { size_bytes: bytes.len() as u64, name });
    }
    progress.begin("computing checksums", None);
    for part in report.parts {
        sums.extend(part.checksums.iter().cloned());
        for container in &part.files {
            let place = InsidePath::of_name(&container.file)
                .map_err(|why| Failure::output(format!("{}: {why}", container.file)))?;
            let read = to.read(&place).and_then(Sha256Sum::of_reader);
            let (sum, size_bytes) = read.map_err(|error| unwritten(&container.file, &error))?;
            sums.push((place, sum));
            files.push(WrittenFile { name: container.file.clone(), size_bytes });
        }
    }
    let lines = checksum_lines(
        sums.iter().map(|(place, sum)| (place.as_path().as_os_str().as_encoded_bytes(), *sum)),
    );
    write(to, CHECKSUMS, &lines)?;
    files.push(WrittenFile { name: CHECKSUMS.to_owned(), size_bytes: lines.len() as u64 });
    files.sort_by(|a, b| a.name.cmp(&b.name));
    Ok(files)
}

fn write(to: &Root, name: &str, bytes: &[u8]) -> Result<InsidePath, Failure> {
    let place = InsidePath::of_name(name)
        .map_err(|why| Failure::output(format!("{name} cannot be the name of a file: {why}")))?;
    let written = to.create(&place).and_then(|mut file| file.write_all(bytes));
    written.map_err(|error| unwritten(name, &error))?;
    Ok(place)
}

fn unwritten(name: &str, error: &std::io::Error) -> Failure {
    Failure::output(format!("cannot write {name}: {}; nothing was written", io_reason(error)))
}
