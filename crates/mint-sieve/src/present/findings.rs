//! Findings for people: grouped by their code, worst first, the first few named.

use std::fmt::Write;

use sieve_core::finding::{Code, Finding, Severity};

use super::style::{FAINT, HEADING, of_severity};
use super::{counted, heading, safe};
use crate::commands::Excused;

/// What stands before the lines under a severity.
const INDENT: &str = "         ";
/// Names of one finding's images that are shown without `--all`.
const MOST_IMAGES: usize = 3;

/// Findings of one code that are shown without `--all`: the worse, the more.
fn most(severity: Severity) -> usize {
    match severity {
        Severity::Error => 3,
        Severity::Warning => 2,
        Severity::Note => 1,
    }
}

/// The findings with their number. `also` gives lines that stand above those of a code.
pub fn list(findings: &[Finding], all: bool, also: impl Fn(Code) -> Vec<String>) -> String {
    let count = |severity: Severity| {
        findings.iter().filter(|finding| finding.severity == severity).count() as u64
    };
    let counts: Vec<String> = Severity::ALL
        .into_iter()
        .filter(|&severity| count(severity) > 0)
        .map(|severity| {
            let many = format!("{}s", severity.as_str());
            let counted = counted(count(severity), severity.as_str(), &many);
            let style = of_severity(severity);
            format!("{style}{counted}{style:#}")
        })
        .collect();
    if counts.is_empty() {
        return format!("\n{}\n", heading("Nothing to complain of."));
    }
    let mut text = format!("\n{HEADING}Findings:{HEADING:#} {}\n", counts.join(", "));
    for severity in findings.chunk_by(|a, b| a.severity == b.severity) {
        text.push('\n');
        for group in severity.chunk_by(|a, b| a.code == b.code) {
            text.push_str(&of_code(group, all, &also(group[0].code)));
        }
    }
    text
}

/// All findings of one code and severity: what they have in common, the first of them, the remedy.
fn of_code(group: &[Finding], all: bool, also: &[String]) -> String {
    let Finding { code, severity, .. } = group[0];
    let style = of_severity(severity);
    let number = group.len();
    let number = if number > 1 { format!(" ({number})") } else { String::new() };
    let mut text = format!(
        "{style}{:<7}{style:#}  {HEADING}{}{HEADING:#}{number}: {}\n",
        severity.as_str(),
        code.as_str(),
        code.title(),
    );
    for line in also {
        let _ = writeln!(text, "{INDENT}{}", safe(line));
    }
    let shown = if all { group.len() } else { most(severity) };
    let is_brief = severity == Severity::Note && !all;
    for finding in group.iter().take(shown) {
        let _ = writeln!(text, "{INDENT}  {}", safe(&finding.says));
        if !is_brief && !names_itself(finding, all) {
            let names = finding.images.iter().take(if all { usize::MAX } else { MOST_IMAGES });
            for name in names {
                let _ = writeln!(text, "{INDENT}    {}", safe(name));
            }
            if !all && finding.images.len() > MOST_IMAGES {
                let more = finding.images.len() - MOST_IMAGES;
                let _ = writeln!(text, "{INDENT}    ... {more} more (--all)");
            }
        }
    }
    if group.len() > shown {
        let _ = writeln!(text, "{INDENT}  ... {} more (--all)", group.len() - shown);
    }
    if !is_brief {
        let _ = writeln!(text, "{INDENT}{FAINT}{}{FAINT:#}", code.remedy());
    }
    text
}

/// Whether the sentence of a finding names its images already: all of them where all are wanted.
fn names_itself(finding: &Finding, all: bool) -> bool {
    let mut images = finding.images.iter();
    let is_named = |image: &String| finding.says.contains(image.as_str());
    if all { images.all(is_named) } else { images.next().is_none_or(is_named) }
}

/// What `mint-sieve.toml` took out, and what of it is of no use.
pub fn excused(excused: &[Excused], file: Option<&std::path::Path>) -> String {
    let mut text = String::new();
    let Some(file) = file else { return text };
    for one in excused {
        let parts = [one.code, one.class.as_deref(), one.path.as_deref()];
        let what: Vec<&str> = parts.into_iter().flatten().collect();
        let _ = writeln!(
            text,
            "{FAINT}{} ignores {} by {}: {}{FAINT:#}",
            safe(&file.display().to_string()),
            counted(one.findings as u64, "finding", "findings"),
            safe(&what.join(", ")),
            safe(&one.reason)
        );
    }
    if text.is_empty() { text } else { format!("\n{text}") }
}
