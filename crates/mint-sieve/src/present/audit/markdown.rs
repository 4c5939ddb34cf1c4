//! `audit --format markdown`: a page for a wiki, a merge request, a code host.

use std::fmt::Write;

use sieve_core::finding::{Finding, Severity};

use super::Audited;
use crate::console::Align;
use crate::present::cells::{percent, visible};
use crate::present::counted;
use crate::present::table::{Table, markdown_text};

/// Findings of one code that are named.
const MOST: usize = 10;

/// The whole page.
pub fn markdown(answer: &Audited<'_>) -> String {
    let (inventory, audit) = (&answer.audit.inventory, answer.audit);
    let mut text = format!("# {}\n\n", markdown_text(&answer.catalog.collection.name()));
    let _ = writeln!(
        text,
        "{} = {} in {} + {} set aside; {}\n",
        counted(inventory.files, "file", "files"),
        counted(inventory.images, "image", "images"),
        counted(inventory.classes.len() as u64, "class", "classes"),
        inventory.set_aside,
        humansize::format_size(inventory.bytes, humansize::DECIMAL),
    );
    text.push_str(&classes(answer));
    let counts: Vec<String> = Severity::ALL
        .into_iter()
        .map(|severity| format!("{} {}", audit.count(severity), plural(severity)))
        .collect();
    let _ = writeln!(text, "## Findings: {}", counts.join(", "));
    for group in audit.findings.chunk_by(|a, b| (a.severity, a.code) == (b.severity, b.code)) {
        text.push_str(&of_code(group));
    }
    if audit.findings.is_empty() {
        text.push_str("\nNo findings.\n");
    }
    text
}

fn plural(severity: Severity) -> String {
    format!("{}s", severity.as_str())
}

fn classes(answer: &Audited<'_>) -> String {
    let (inventory, balance) = (&answer.audit.inventory, &answer.audit.balance);
    let mut head = vec!["class".to_owned()];
    head.extend(inventory.splits.iter().cloned());
    head.extend(["images", "share", "independent"].map(str::to_owned));
    let mut columns = vec![Align::Right; head.len()];
    columns[0] = Align::Left;
    let mut classes: Vec<_> = balance.classes.iter().collect();
    classes.sort_by_key(|class| std::cmp::Reverse(class.images));
    let rows = classes.into_iter().map(|class| {
        let mut row = vec![visible(&class.class)];
        row.extend(class.splits.iter().map(|split| split.images.to_string()));
        row.extend([class.images.to_string(), percent(class.share), class.independent.to_string()]);
        row
    });
    let rows = std::iter::once(head).chain(rows).collect();
    Table::new(&columns, rows).markdown() + "\n"
}

fn of_code(group: &[Finding]) -> String {
    let Finding { code, severity, remedy, .. } = &group[0];
    let mut text = format!(
        "\n### {}: {} ({})\n\n{}. {remedy}\n\n",
        severity.as_str(),
        code.as_str(),
        group.len(),
        capital(code.title()),
    );
    for finding in group.iter().take(MOST) {
        let _ = writeln!(text, "- {}", markdown_text(&finding.message));
    }
    if group.len() > MOST {
        let _ = writeln!(text, "- ... {} more", group.len() - MOST);
    }
    text
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}
