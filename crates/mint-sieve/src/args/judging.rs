//! Options for findings: which are reported, and what they do to the exit status.

use clap::{Args, ValueEnum};
use sieve_core::finding::{Code, Severity};

use super::Reach;

/// The heading of these options in `--help`.
const JUDGING: &str = "Findings";

/// Options of every command that reports findings.
#[derive(Clone, Debug, Args)]
pub struct JudgingArgs {
    /// Exit with status 1 when a finding is at least this severe
    #[arg(long, display_order = 40, value_name = "SEVERITY", help_heading = JUDGING)]
    pub fail_on: Option<Level>,
    /// Report only these findings
    #[arg(long, display_order = 41, value_name = "CODE,...", help_heading = JUDGING)]
    #[arg(value_delimiter = ',', value_parser = code)]
    pub only: Vec<Code>,
    /// Do not report these findings
    #[arg(long, display_order = 42, value_name = "CODE,...", help_heading = JUDGING)]
    #[arg(value_delimiter = ',', value_parser = code)]
    pub suppress: Vec<Code>,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", display_order = 43, value_name = "NAME=VALUE", help_heading = JUDGING)]
    pub limits: Vec<String>,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, display_order = 44, value_enum, help_heading = JUDGING)]
    pub reach: Option<Reach>,
}

pub(super) fn code(text: &str) -> Result<Code, String> {
    Code::parse(text)
}

/// How severe a finding is.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub enum Level {
    Error,
    Warning,
    Note,
}

impl From<Level> for Severity {
    fn from(level: Level) -> Self {
        match level {
            Level::Error => Severity::Error,
            Level::Warning => Severity::Warning,
            Level::Note => Severity::Note,
        }
    }
}
