//! The limits of findings: defaults, then the file, then the command line.

use std::collections::BTreeMap;

use sieve_core::limits::{FindingLimits, LIMITS};
use sieve_core::suggest;

use super::Settings;
use crate::failure::Failure;

/// Where the value of a limit came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// The program.
    Default,
    /// `mint-sieve.toml`.
    File,
    /// `--limit`.
    CommandLine,
}

/// All limits as they are in force.
pub struct SetLimits {
    /// Their values.
    pub values: FindingLimits,
    origins: BTreeMap<&'static str, Origin>,
}

impl SetLimits {
    /// Lays what the file says over the defaults, and `words` (`NAME=VALUE`) over both.
    pub fn new(settings: &Settings, words: &[String]) -> Result<Self, Failure> {
        let mut limits = SetLimits { values: FindingLimits::default(), origins: BTreeMap::new() };
        let file = settings.file.as_ref().map_or(String::new(), |file| file.display().to_string());
        for (name, &value) in &settings.limits {
            limits.set(&format!("{file}: {name}"), name, value, Origin::File)?;
        }
        for word in words {
            let place = format!("--limit {word}");
            let (name, value) = word.split_once('=').ok_or_else(|| {
                Failure::call(format!("{place}: expected NAME=VALUE, for example thin-class=30"))
            })?;
            limits.set(&place, name, value.parse().unwrap_or(f64::NAN), Origin::CommandLine)?;
        }
        Ok(limits)
    }

    /// Where the value of a limit came from.
    pub fn origin(&self, name: &str) -> Origin {
        self.origins.get(name).copied().unwrap_or(Origin::Default)
    }

    fn set(&mut self, place: &str, name: &str, value: f64, from: Origin) -> Result<(), Failure> {
        let Some(known) = LIMITS.iter().find(|known| known.name == name) else {
            let near = suggest::word(name, LIMITS.iter().map(|limit| limit.name));
            let hint = near.map(|near| format!("Did you mean {near}?"));
            return Err(Failure::call(format!("{place}: there is no limit {name:?}"))
                .hint(hint.unwrap_or_else(|| "`mint-sieve limits` lists them.".to_owned())));
        };
        if !(value.is_finite() && (0.0..=known.most).contains(&value)) {
            // What no limit reaches is no bound to tell of.
            let range =
                if known.most < 1e9 { format!("to {}", known.most) } else { "upward".into() };
            let expected = format!("expected a number from 0 {range} ({})", known.unit);
            return Err(Failure::call(format!("{place}: {expected}")));
        }
        self.values.set(known.name, value);
        self.origins.insert(known.name, from);
        Ok(())
    }
}
