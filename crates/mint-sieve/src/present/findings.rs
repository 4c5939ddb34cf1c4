//! Findings for people: grouped by their code, worst first, the first few named.

use std::fmt::Write;

use sieve_core::finding::{Code, Finding, Severity};
use sieve_core::suppression::Suppressed;

use super::cells::listed;
use super::counted;
use crate::console::{FAINT, HEADING, of_severity};
use crate::console::{heading, safe};

/// What stands before the lines under a severity.
const INDENT: &str = "         ";
/// Names of one finding's images that are shown without `--all`.
const MOST_IMAGES: usize = 3;

/// Codes of warnings beyond which each is reported in one line.
const MANY_CODES: usize = 6;

/// How much is said of the findings of one code.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Extent {
    /// Every finding, every image, the remedy.
    All,
    /// The first few, some images, the remedy.
    Some(usize),
    /// The first, in place of what all have in common.
    Brief,
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
        return format!("\n{}\n", heading("No findings."));
    }
    let mut text = format!("\n{HEADING}Findings:{HEADING:#} {}\n", counts.join(", "));
    let mut is_cut = false;
    for severity in findings.chunk_by(|a, b| a.severity == b.severity) {
        text.push('\n');
        let codes = severity.chunk_by(|a, b| a.code == b.code);
        let extent = match severity[0].severity {
            _ if all => Extent::All,
            Severity::Error => Extent::Some(3),
            Severity::Warning if codes.clone().count() <= MANY_CODES => Extent::Some(2),
            Severity::Warning | Severity::Note => Extent::Brief,
        };
        is_cut |= extent == Extent::Brief;
        for group in codes {
            text.push_str(&of_code(group, extent, &also(group[0].code)));
        }
    }
    if is_cut {
        let _ = writeln!(text, "{FAINT}--all lists every finding with its remedy.{FAINT:#}");
    }
    text
}

/// All findings of one code and severity: what they have in common, the first of them, the remedy.
fn of_code(group: &[Finding], extent: Extent, also: &[String]) -> String {
    let Finding { code, severity, .. } = group[0];
    let style = of_severity(severity);
    let number = group.len();
    let number = if number > 1 { format!(" ({number})") } else { String::new() };
    let first = match (extent, group.len() - 1) {
        (Extent::Brief, 0) => safe(&group[0].message),
        // One line for all of them, unless they are few.
        (Extent::Brief, more @ 3..) => format!("{} ... {more} more", safe(&group[0].message)),
        (Extent::Brief, _) => safe(&group[0].message),
        _ => code.title().to_owned(),
    };
    let mut text = format!(
        "{style}{:<7}{style:#}  {HEADING}{}{HEADING:#}{number}: {first}\n",
        severity.as_str(),
        code.as_str(),
    );
    for line in also {
        let _ = writeln!(text, "{INDENT}{}", safe(line));
    }
    if extent == Extent::Brief {
        for finding in group[1..].iter().take(if group.len() > 3 { 0 } else { 2 }) {
            let _ = writeln!(text, "{INDENT}{}", safe(&finding.message));
        }
        return text;
    }
    let (shown, most_images) = match extent {
        Extent::Some(most) => (listed(group.len(), most), MOST_IMAGES),
        _ => (usize::MAX, usize::MAX),
    };
    for finding in group.iter().take(shown) {
        let _ = writeln!(text, "{INDENT}  {}", safe(&finding.message));
        if !names_itself(finding, extent == Extent::All) {
            let images = listed(finding.images.len(), most_images);
            for name in finding.images.iter().take(images) {
                let _ = writeln!(text, "{INDENT}    {}", safe(name));
            }
            if finding.images.len() > images {
                let more = finding.images.len() - images;
                let _ = writeln!(text, "{INDENT}    ... {more} more (--all)");
            }
        }
    }
    if group.len() > shown {
        let _ = writeln!(text, "{INDENT}  ... {} more (--all)", group.len() - shown);
    }
    let _ = writeln!(text, "{INDENT}{FAINT}{}{FAINT:#}", code.remedy());
    text
}

/// Whether the sentence of a finding names its images already: all of them where all are wanted.
fn names_itself(finding: &Finding, all: bool) -> bool {
    let mut images = finding.images.iter();
    let is_named = |image: &String| finding.message.contains(image.as_str());
    if all { images.all(is_named) } else { images.next().is_none_or(is_named) }
}

/// What `mint-sieve.toml` took out, and what of it is of no use.
pub fn suppressed(suppressed: &[Suppressed], file: Option<&std::path::Path>) -> String {
    let mut text = String::new();
    let Some(file) = file else { return text };
    for one in suppressed {
        let parts = [one.code, one.class.as_deref(), one.path.as_deref()];
        let what: Vec<&str> = parts.into_iter().flatten().collect();
        let _ = writeln!(
            text,
            "{FAINT}{} suppresses {} by {}: {}{FAINT:#}",
            safe(&file.display().to_string()),
            counted(one.findings as u64, "finding", "findings"),
            safe(&what.join(", ")),
            safe(&one.reason)
        );
    }
    if text.is_empty() { text } else { format!("\n{text}") }
}
