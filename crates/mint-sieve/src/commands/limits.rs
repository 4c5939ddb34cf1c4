//! `limits`: what decides findings, and why.

use std::path::PathBuf;

use sieve_core::collection::Root;

use super::{Answer, Output};
use crate::args::LimitsArgs;
use crate::failure::Failure;
use crate::present::limits::LimitList;
use crate::settings::{SetLimits, Settings};

/// Answers `limits`.
pub fn run(args: &LimitsArgs) -> Result<Answer, Failure> {
    let here = Root { split: None, path: PathBuf::from(".") };
    let root = args.root.clone().unwrap_or(here);
    if !root.path.exists() {
        return Err(Failure::input(format!("there is no folder or file {}", root.path.display())));
    }
    let settings = Settings::load(&[root], args.config.as_deref())?;
    let limits = SetLimits::new(&settings, &args.limits)?;
    let answer = LimitList { settings: &settings, limits: &limits };
    Ok(Answer::done(Output::of_table(&answer, args.format)))
}
