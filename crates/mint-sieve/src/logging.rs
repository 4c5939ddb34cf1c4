//! `--verbose`: what the library tells of its work, on standard error.

use std::io::IsTerminal;

use tracing::level_filters::LevelFilter;

/// Starts logging: nothing, at 1 what was decided, from 2 on every detail.
pub fn start(verbose: u8) {
    let level = match verbose {
        0 => LevelFilter::OFF,
        1 => LevelFilter::DEBUG,
        _ => LevelFilter::TRACE,
    };
    let colours = std::io::stderr().is_terminal() && std::env::var_os("NO_COLOR").is_none();
    tracing_subscriber::fmt()
        .with_max_level(level)
        .with_writer(std::io::stderr)
        .with_ansi(colours)
        .without_time()
        .init();
}
