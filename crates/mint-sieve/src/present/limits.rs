//! The answer of `limits`.

use serde::Serialize;
use sieve_core::collection::SETTINGS_FILE;
use sieve_core::files::shown_name;
use sieve_core::limits::LIMITS;
use sieve_core::reading::READ_LIMITS;

use super::table::written;
use super::{Reply, TableReply, envelope, next_step};

use crate::console::FAINT;
use crate::console::{heading, safe};
use crate::settings::{Origin, SetLimits, Settings};

/// The limits in force, and where each comes from.
pub struct LimitList<'a> {
    /// The settings file.
    pub settings: &'a Settings,
    /// The values.
    pub limits: &'a SetLimits,
}

#[derive(Serialize)]
struct Body {
    limits: Vec<Limit>,
}

#[derive(Serialize)]
struct Limit {
    name: &'static str,
    value: f64,
    unit: &'static str,
    default: f64,
    from: String,
    why: &'static str,
}

#[derive(Serialize)]
struct Decided {
    config: Option<String>,
}

fn file(settings: &Settings) -> Option<String> {
    settings.file.as_ref().map(|file| shown_name(file.as_os_str()))
}

fn limits(settings: &Settings, set: &SetLimits) -> Vec<Limit> {
    let from = |name: &str| match set.origin(name) {
        Origin::Default => "default".to_owned(),
        Origin::File => file(settings).unwrap_or_default(),
        Origin::CommandLine => "command line".to_owned(),
    };
    let values = set.values.values();
    let limit = |(limit, (name, value)): (&sieve_core::limits::Limit, (&'static str, f64))| Limit {
        name,
        value,
        unit: limit.unit,
        default: limit.default,
        from: from(name),
        why: limit.why,
    };
    let reading = READ_LIMITS.iter().map(|limit| Limit {
        name: limit.name,
        value: limit.default as f64,
        unit: limit.unit,
        default: limit.default as f64,
        from: "default".to_owned(),
        why: limit.why,
    });
    LIMITS.iter().zip(values).map(limit).chain(reading).collect()
}

/// For people: each limit with its reason.
fn text(settings: &Settings, set: &SetLimits) -> String {
    let mut text = match file(settings) {
        Some(file) => format!("{}, as set in {}\n", heading("Limits"), safe(&file)),
        None => format!(
            "{}; there is no {SETTINGS_FILE} here or in a parent folder\n",
            heading("Limits")
        ),
    };
    for limit in limits(settings, set) {
        let from = match limit.from.as_str() {
            "default" => String::new(),
            from => format!(" ({}; default {})", safe(from), limit.default),
        };
        let name = format!("{:<14}", limit.name);
        text.push_str(&format!("\n{} {} {}{from}\n", heading(&name), limit.value, limit.unit));
        let why: Vec<&str> = limit.why.split_whitespace().collect();
        text.push_str(&format!("    {FAINT}{}{FAINT:#}\n", why.join(" ")));
    }
    let options: Vec<String> =
        READ_LIMITS.iter().map(|limit| format!("--{}", limit.name)).collect();
    text.push_str(&format!(
        "\nThe last {} are set by their own options: {}. Set the others with --limit NAME=VALUE or in {SETTINGS_FILE}.\n\n",
        options.len(),
        options.join(", ")
    ));
    text + &next_step(
        "try another value:",
        &["mint-sieve", "audit", "FOLDER", "--limit", "thin-class=50"],
    )
}

/// For programs.
fn json(settings: &Settings, set: &SetLimits) -> String {
    let body = Body { limits: limits(settings, set) };
    envelope("limits", Decided { config: file(settings) }, body)
}

/// One row a limit.
fn csv(settings: &Settings, set: &SetLimits) -> String {
    let rows = limits(settings, set).into_iter().map(|limit| {
        [
            limit.name.to_owned(),
            limit.value.to_string(),
            limit.unit.to_owned(),
            limit.default.to_string(),
            limit.from,
            limit.why.split_whitespace().collect::<Vec<_>>().join(" "),
        ]
    });
    written(&["name", "value", "unit", "default", "from", "why"], rows)
}

impl Reply for LimitList<'_> {
    fn text(&self) -> String {
        text(self.settings, self.limits)
    }

    fn json(&self) -> String {
        json(self.settings, self.limits)
    }
}

impl TableReply for LimitList<'_> {
    fn csv(&self) -> String {
        csv(self.settings, self.limits)
    }
}
