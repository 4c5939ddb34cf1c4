//! `demo`: a painted collection, and the whole job on it.

use std::fs;
use std::io::Write;
use std::path::Path;

use herb_shed::collection::{Arrangement, plan, write};
use herb_shed::faults::{Fault, Planted, write_table};
use sieve_core::io_reason;
use sieve_core::progress::Progress;

use super::{Answer, Output};
use crate::args::{Cli, DemoArgs};
use crate::console::{self, heading};
use crate::failure::Failure;
use crate::policy_file;
use crate::present::command_line;
use crate::progress::TerminalProgress;
use crate::writing::NewFolder;

/// Answers `demo`. What each command says is printed as soon as it is known.
pub fn run(args: &DemoArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    if args.bucket && cfg!(not(feature = "bucket")) {
        return Err(Failure::call("this build reads no object storage".to_owned())
            .hint("Build it with --features bucket."));
    }
    let folder = &args.folder;
    let (painted, planted) = paint(args, progress)?;
    let at = |name: &str| folder.join(name).to_string_lossy().into_owned();
    say(&format!(
        "{}\nPainted {painted} files in {}. The planted faults are listed in\n{}.\n",
        heading("A herb-drying shed photographs single leaves on trays before they are sorted."),
        at("collection"),
        at("planted.csv"),
    ));

    let (collection, splits) = (at("collection"), at("splits"));
    let seed = args.seed.to_string();
    let step = |words: &[&str]| run_step(words, progress);
    #[cfg(feature = "bucket")]
    if args.bucket {
        return in_bucket(args, &at, &step);
    }
    step(&["audit", &collection])?;
    step(&["balance", &collection, "--batch", "32"])?;
    step(&["outliers", &collection, "--top", "12", "--sheet", &at("outliers.png")])?;
    step(&["shortcuts", &collection, "--sheet", &at("shortcuts.png")])?;
    step(&["coverage", &collection, "--sheet", &at("coverage.png")])?;
    step(&["report", &collection, "--seed", &seed, "--out", &at("report.html")])?;
    let (plan, repaired) = (at("plan.csv"), at("repaired"));
    step(&["propose", &collection, "--drop-code", DROPPED, "--out", &plan])?;
    decide(args, &planted)?;
    step(&["apply", &plan, "--to", &repaired])?;
    let trained_on = if args.pre_split {
        repaired
    } else {
        step(&["split", &repaired, "--seed", &seed, "--to", &splits])?;
        splits
    };
    step(&["leakage", &trained_on])?;
    for (name, _) in policy_file::EXAMPLES {
        let (policy, out) =
            (at(&format!("policies/{name}.toml")), at(&format!("preview-{name}.png")));
        step(&["preview", &trained_on, "--policy", &policy, "--seed", &seed, "--out", &out])?;
    }
    if !args.pre_split {
        step(&["pack", &trained_on, "--to", &at("pack"), "--as", "zip", "--example"])?;
    }
    Ok(Answer::done(Output::People(written(args))))
}

/// The name of the bucket that the collection is put into.
#[cfg(feature = "bucket")]
const BUCKET: &str = "herb-shed";

/// Puts the collection into a bucket on loopback and works on it there.
#[cfg(feature = "bucket")]
fn in_bucket(
    args: &DemoArgs,
    at: &dyn Fn(&str) -> String,
    step: &dyn Fn(&[&str]) -> Result<(), Failure>,
) -> Result<Answer, Failure> {
    let failed =
        |error: std::io::Error| Failure::output(format!("no bucket: {}", io_reason(&error)));
    let server = shed_bucket::Server::start(BUCKET, None, shed_bucket::Faults::default());
    let server = server.map_err(failed)?;
    let stored = server.put_folder(&args.folder.join("collection"), "collection");
    let stored = stored.map_err(failed)?;
    let collection = format!("s3://{BUCKET}/collection");
    say(&format!("Put {stored} objects into {collection}, served at {}.\n", server.endpoint()));
    let reached = ["--endpoint", &server.endpoint(), "--anonymous"].map(str::to_owned);
    let here = |words: &[&str]| {
        let words: Vec<&str> =
            words.iter().copied().chain(reached.iter().map(String::as_str)).collect();
        step(&words)
    };
    let seed = args.seed.to_string();
    here(&["audit", &collection])?;
    let (splits, pack) = (format!("s3://{BUCKET}/splits"), format!("s3://{BUCKET}/pack"));
    here(&["split", &collection, "--seed", &seed, "--to", &splits])?;
    here(&["pack", &splits, "--as", "shards", "--to", &pack])?;
    let (requests, objects) = (server.requests(), server.objects().len() as u64);
    Ok(Answer::done(Output::People(format!(
        "\n{} {} listing pages, {} objects that were read and {} that were written.\n\
         It is gone now; {} keeps the painted collection.\n",
        heading("The bucket answered:"),
        requests.lists,
        requests.gets,
        objects - stored,
        at("collection"),
    ))))
}

/// Paints the collection and what goes with it; all of it appears at once.
fn paint(args: &DemoArgs, progress: &TerminalProgress) -> Result<(usize, Vec<Planted>), Failure> {
    let arrangement = if args.pre_split { Arrangement::Splits } else { Arrangement::Classes };
    let target = NewFolder::create(&args.folder)?;
    let plan = plan(arrangement, args.seed);
    progress.begin("painting", Some(plan.files.len() as u64));
    let painted = || {
        progress.advance(1);
        !progress.stopped()
    };
    let folder = target.root().path();
    let failed = |error: std::io::Error| match error.kind() {
        std::io::ErrorKind::Interrupted => Failure::from(sieve_core::Error::Interrupted),
        _ => Failure::output(format!(
            "cannot write {}: {}",
            args.folder.display(),
            io_reason(&error)
        )),
    };
    write(&folder.join("collection"), &plan, &painted).map_err(failed)?;
    write_table(&folder.join("planted.csv"), &plan.planted).map_err(failed)?;
    write_policies(&folder.join("policies")).map_err(failed)?;
    target.keep()?;
    progress.end();
    Ok((plan.files.len(), plan.planted))
}

/// What nobody could use is dropped beside what every plan drops.
const DROPPED: &str = "stray-file,too-dark,washed-out,soft-focus";

/// Decides what the plan leaves to a person: what was planted says which is right.
fn decide(args: &DemoArgs, planted: &[Planted]) -> Result<(), Failure> {
    let file = args.folder.join("plan.csv");
    let failed = |error: std::io::Error| {
        Failure::output(format!("cannot write {}: {}", file.display(), io_reason(&error)))
    };
    let mut text = fs::read_to_string(&file).map_err(failed)?;
    let mut decided = Vec::new();
    let mut put = |path: &str, action: &str, to: &str| {
        let lines = text.lines().map(|line| match line.strip_prefix(&format!("{path},decide,")) {
            // The class that it has now is empty, and the one that it gets follows.
            Some(rest) if !to.is_empty() => {
                format!("{path},{action},,{to}{}", rest.strip_prefix(',').unwrap_or(rest))
            }
            Some(rest) => format!("{path},{action},{rest}"),
            None => line.to_owned(),
        });
        let changed: String = lines.map(|line| line + "\n").collect();
        if changed != text {
            decided.push(format!("  {path}: {action} {to}").trim_end().to_owned());
            text = changed;
        }
    };
    for planted in planted {
        match planted.fault {
            Fault::LabelConflict => {
                put(&planted.path, "drop", "");
                put(&planted.partner, "keep", "");
            }
            Fault::OutsideClass => {
                let class = planted.note.split(' ').nth(1).unwrap_or_default();
                put(&planted.path, "relabel", class);
            }
            _ => {}
        }
    }
    fs::write(&file, &text).map_err(failed)?;
    say(&format!(
        "\n{}\n{}\n",
        heading("Some rows need a human decision, made here by editing the plan:"),
        decided.join("\n")
    ));
    Ok(())
}

fn write_policies(folder: &Path) -> std::io::Result<()> {
    fs::create_dir(folder)?;
    for (name, text) in policy_file::EXAMPLES {
        fs::write(folder.join(format!("{name}.toml")), text)?;
    }
    Ok(())
}

/// Prints a command as a person would type it, runs it, and prints what it says.
fn run_step(words: &[&str], progress: &TerminalProgress) -> Result<(), Failure> {
    let words: Vec<&str> = std::iter::once("mint-sieve").chain(words.iter().copied()).collect();
    say(&format!("\n{}\n\n", heading(&format!("$ {}", command_line(&words)))));
    let cli = Cli::parse_from(&words).expect("the demo types its commands right");
    let answer = super::run(&cli.command, progress)?;
    progress.end();
    if let Output::People(text) = answer.output {
        say(&text);
    }
    Ok(())
}

/// Prints at once. A reader that has seen enough is no failure: the files are still written.
fn say(text: &str) {
    let text = console::lay_out(text, console::width());
    let mut out = anstream::stdout().lock();
    let _ = out.write_all(text.as_bytes()).and_then(|()| out.flush());
}

fn written(args: &DemoArgs) -> String {
    let mut names = vec![
        ("collection/", "the painted images"),
        ("planted.csv", "the planted faults, to compare with the audit"),
        ("policies/", "two augmentation policies to edit and try"),
    ];
    names.push(("report.html", "the HTML report with keep, drop and relabel buttons"));
    names.push(("plan.csv", "the proposed repairs, with the decisions filled in"));
    names.push(("repaired/", "the repaired collection"));
    if !args.pre_split {
        names.push(("splits/", "train, validation and test, with split.csv"));
    }
    names.push(("preview-gentle.png", "a policy that produces plausible photos"));
    names.push(("preview-harsh.png", "one that produces images that never occur"));
    if !args.pre_split {
        names.push(("pack/", "the splits, packed for a training run, with a data sheet"));
    }
    let folder = args.folder.to_string_lossy();
    let folder = folder.trim_end_matches('/');
    let mut text = format!("\n{}\n", heading(&format!("Written to {folder}/")));
    for (name, what) in names {
        text.push_str(&format!("  {name:<20}{what}\n"));
    }
    text + &format!(
        "\n{} {folder}/report.html in a browser, then {folder}/preview-gentle.png beside\n\
         {folder}/preview-harsh.png.\n",
        heading("Open first:"),
    )
}
