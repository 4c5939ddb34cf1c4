//! Mint Sieve: audits, splits and previews image collections before a model is trained on them.

mod args;
mod commands;
mod failure;
mod logging;
mod present;
mod progress;
mod settings;
mod writing;

use std::io::Write;
use std::process::ExitCode;

use clap::Parser;

use crate::failure::{Exit, Failure};
use crate::progress::Progress;

fn main() -> ExitCode {
    let cli = args::Cli::parse();
    logging::start(cli.verbose);
    let progress = Progress::stopping_on_interrupt();
    let outcome = start_threads(cli.threads).and_then(|()| commands::run(cli.command, &progress));
    progress.end();
    match outcome {
        Ok(answer) => print(&answer.text, answer.exit),
        Err(failure) => {
            let _ = anstream::stderr().write_all(present::failure(&failure).as_bytes());
            failure.exit.into()
        }
    }
}

/// Writes the answer. A reader that has seen enough (`| head`) is no failure.
fn print(text: &str, exit: Exit) -> ExitCode {
    let mut out = anstream::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => Exit::InputOutput.into(),
        _ => exit.into(),
    }
}

fn start_threads(threads: Option<usize>) -> Result<(), Failure> {
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads.unwrap_or(0));
    pool.build_global().map_err(|error| Failure::output(format!("no threads: {error}")))
}
