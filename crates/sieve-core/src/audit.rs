//! AUDIT: every check over one catalog.

use crate::balance::{self, Balance};
use crate::catalog::Catalog;
use crate::checks;
use crate::duplicates::DuplicateReport;
use crate::finding::{Finding, Severity};
use crate::inventory::{Inventory, inventory};
use crate::leakage::{self, Leakage};
use crate::limits::FindingLimits;
use crate::shortcuts::Shortcuts;

/// What is in a collection and what is wrong with it.
#[derive(Clone, Debug, PartialEq)]
pub struct Audit {
    /// What is there.
    pub inventory: Inventory,
    /// How it is spread over classes and splits.
    pub balance: Balance,
    /// What is wrong between its splits.
    pub leakage: Leakage,
    /// What is wrong, worst first; then by code, then by path. Thin classes: the thinnest first.
    pub findings: Vec<Finding>,
}

impl Audit {
    /// The number of findings of `severity`.
    pub fn count(&self, severity: Severity) -> usize {
        self.findings.iter().filter(|finding| finding.severity == severity).count()
    }

    /// Adds the findings about classes that are known by their background. They need thumbnails, which the other checks do
    /// not.
    pub fn add_shortcuts(&mut self, shortcuts: &Shortcuts, limits: &FindingLimits) {
        self.findings.extend(checks::shortcuts(shortcuts, limits));
        worst_first(&mut self.findings);
    }
}

/// Runs every check over `catalog`, which was searched for `found`. Repairs of leaks spare the splits
/// in `protect`.
pub fn audit(
    catalog: &Catalog,
    found: &DuplicateReport<'_>,
    limits: &FindingLimits,
    protect: &[String],
) -> Audit {
    let inventory = inventory(catalog);
    let settings = balance::Settings::default();
    let balance = balance::balance(&inventory.classes, &inventory.splits, found, limits, &settings);
    let leakage = leakage::leakage(&catalog.collection, found, limits, protect);
    let mut findings = checks::integrity(catalog);
    findings.extend(checks::placement(catalog));
    findings.extend(checks::names(&catalog.collection, &inventory));
    findings.extend(checks::classes(&catalog.collection, &inventory, limits));
    findings.extend(checks::copies(found));
    findings.extend(checks::leakage(&leakage, found));
    findings.extend(checks::balance(&balance, limits));
    findings.extend(checks::images(catalog, limits));
    worst_first(&mut findings);
    Audit { inventory, balance, leakage, findings }
}

/// Puts the worst findings first, then sorts by code and by path. Stable: findings without a path
/// stay in the order of their check.
pub fn worst_first(findings: &mut [Finding]) {
    findings.sort_by(|a, b| {
        let key = |finding: &Finding| (finding.severity, finding.code);
        key(a).cmp(&key(b)).then_with(|| a.images.cmp(&b.images))
    });
}
