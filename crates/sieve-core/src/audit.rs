//! AUDIT: every check over one catalog.

use crate::catalog::Catalog;
use crate::checks;
use crate::finding::{Finding, Severity};
use crate::inventory::{Inventory, inventory};
use crate::limits::FindingLimits;

/// What is in a collection and what is wrong with it.
#[derive(Clone, Debug, PartialEq)]
pub struct Audit {
    /// What is there.
    pub inventory: Inventory,
    /// What is wrong, worst first; then by code, then by path. Thin classes: the thinnest first.
    pub findings: Vec<Finding>,
}

impl Audit {
    /// The number of findings of `severity`.
    pub fn count(&self, severity: Severity) -> usize {
        self.findings.iter().filter(|finding| finding.severity == severity).count()
    }
}

/// Runs every check over `catalog`.
pub fn audit(catalog: &Catalog, limits: &FindingLimits) -> Audit {
    let inventory = inventory(catalog);
    let mut findings = checks::integrity(catalog);
    findings.extend(checks::placement(catalog));
    findings.extend(checks::classes(&inventory, limits));
    findings.extend(checks::spellings(&catalog.collection));
    findings.extend(checks::copies(catalog));
    // Stable: findings without a path stay in the order of their check, worst first.
    findings.sort_by(|a, b| {
        let key = |finding: &Finding| (finding.severity, finding.code);
        key(a).cmp(&key(b)).then_with(|| a.images.cmp(&b.images))
    });
    Audit { inventory, findings }
}
