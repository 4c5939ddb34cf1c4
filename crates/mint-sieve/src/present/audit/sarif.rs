//! `audit --format sarif`: the Static Analysis Results Interchange Format 2.1.0 (OASIS, 2020), which
//! code hosts read.

use std::collections::BTreeMap;

use serde::Serialize;
use sieve_core::finding::{Code, Evidence, Finding, Severity};

use super::Audited;
use crate::present::in_json;

#[derive(Serialize)]
struct Log<'a> {
    version: &'static str,
    runs: [Run<'a>; 1],
}

#[derive(Serialize)]
struct Run<'a> {
    tool: Tool,
    results: Vec<ResultOf<'a>>,
}

#[derive(Serialize)]
struct Tool {
    driver: Driver,
}

#[derive(Serialize)]
struct Driver {
    name: &'static str,
    version: &'static str,
    rules: Vec<Rule>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Rule {
    id: &'static str,
    short_description: Message<'static>,
    help: Message<'static>,
    default_configuration: Configuration,
}

#[derive(Serialize)]
struct Configuration {
    level: &'static str,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct ResultOf<'a> {
    rule_id: &'static str,
    rule_index: usize,
    level: &'static str,
    message: Message<'a>,
    locations: Vec<Location>,
    properties: &'a BTreeMap<&'static str, Evidence>,
}

#[derive(Serialize)]
struct Message<'a> {
    text: &'a str,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Location {
    physical_location: Physical,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Physical {
    artifact_location: Artifact,
}

/// Its path below the root of the collection, as a URI reference (RFC 3986).
#[derive(Serialize)]
struct Artifact {
    uri: String,
}

/// The whole log.
pub fn sarif(answer: &Audited<'_>) -> String {
    let rule = |code: &Code| Rule {
        id: code.as_str(),
        short_description: Message { text: code.title() },
        help: Message { text: code.remedy() },
        default_configuration: Configuration { level: level(code.severity()) },
    };
    let results = answer.audit.findings.iter().map(result);
    let driver = Driver {
        name: "Mint Sieve",
        version: env!("CARGO_PKG_VERSION"),
        rules: Code::ALL.iter().map(rule).collect(),
    };
    let log =
        Log { version: "2.1.0", runs: [Run { tool: Tool { driver }, results: results.collect() }] };
    in_json(&log)
}

fn result(finding: &Finding) -> ResultOf<'_> {
    let location = |path: &String| Location {
        physical_location: Physical { artifact_location: Artifact { uri: uri(path) } },
    };
    ResultOf {
        rule_id: finding.code.as_str(),
        rule_index: Code::ALL.iter().position(|code| *code == finding.code).unwrap_or(0),
        level: level(finding.severity),
        message: Message { text: &finding.message },
        locations: finding.images.iter().map(location).collect(),
        properties: &finding.evidence,
    }
}

/// The three levels have the names of our severities.
fn level(severity: Severity) -> &'static str {
    severity.as_str()
}

/// A relative path as a URI reference: whatever is not unreserved is escaped.
fn uri(path: &str) -> String {
    let mut uri = String::with_capacity(path.len());
    for byte in path.bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte) {
            uri.push(char::from(byte));
        } else {
            uri.push_str(&format!("%{byte:02X}"));
        }
    }
    uri
}
