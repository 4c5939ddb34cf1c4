//! Mint Sieve: audits, splits and previews image collections before a model is trained on them.

mod args;
mod commands;
mod config;
mod console;
mod failure;
mod logging;
mod machine;
mod object_storage;
mod packing;
mod policy_file;
mod present;
mod progress;
mod requests;
mod settings;
mod writing;

use std::io::{ErrorKind, IsTerminal, Write};
use std::process::ExitCode;

use crate::commands::Output;
use crate::failure::{Exit, Failure};
use crate::progress::TerminalProgress;

/// What to type first, for who typed nothing yet.
const NO_ARGS_HELP: &str = "\
Mint Sieve finds the problems of an image collection before a model is trained on it.

Start with the folder that holds your class folders:
  mint-sieve audit FOLDER

Or see every step on painted sample images:
  mint-sieve demo

All commands: mint-sieve --help
";

fn main() -> ExitCode {
    if std::env::args_os().len() <= 1 {
        eprint!("{NO_ARGS_HELP}");
        return Exit::Call.into();
    }
    let cli = args::Cli::parse_from(std::env::args_os()).unwrap_or_else(|error| error.exit());
    logging::start(cli.verbose);
    quiet_decoders();
    let progress = TerminalProgress::stopping_on_interrupt();
    let outcome = start_threads(cli.threads).and_then(|()| commands::run(&cli.command, &progress));
    progress.end();
    match outcome {
        Ok(answer) => match print(&answer.output) {
            Ok(()) => answer.exit.into(),
            Err(failure) => reported(&failure),
        },
        Err(failure) => reported(&failure),
    }
}

/// Says what went wrong; the status to exit with.
fn reported(failure: &Failure) -> ExitCode {
    let _ = anstream::stderr().write_all(console::failure(failure).as_bytes());
    failure.exit.into()
}

/// Writes the answer. A reader that has seen enough (`| head`) is no failure. What programs read goes out as it
/// is; only a table on a terminal shows what would steer it.
fn print(output: &Output) -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    let written = match output {
        Output::People(text) => {
            let text = console::lay_out(text, console::width());
            anstream::AutoStream::auto(&mut out).write_all(text.as_bytes())
        }
        Output::Csv(text) if out.is_terminal() => {
            out.write_all(console::safe_lines(text).as_bytes())
        }
        Output::Csv(text) | Output::Document(text) => out.write_all(text.as_bytes()),
    };
    match written.and_then(|()| out.flush()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            let reason = sieve_core::io_reason(&error);
            Err(Failure::output(format!("cannot write to standard output: {reason}"))
                .hint("The answer is incomplete; the files it names were written completely."))
        }
        _ => Ok(()),
    }
}

/// A decoder that panics has met a damaged file: that becomes a finding, and is no news of its own.
fn quiet_decoders() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if sieve_core::reading::is_decoding() {
            tracing::debug!(%panic, "a decoder gave up");
        } else {
            usual(panic);
        }
    }));
}

fn start_threads(threads: Option<usize>) -> Result<(), Failure> {
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads.unwrap_or(0));
    pool.build_global().map_err(|error| Failure::output(format!("no threads: {error}")))
}
