//! `audit --format csv`.

use super::Audited;
use crate::present::table::written;

/// One row for each image of each finding; a finding without images has one row.
pub fn csv(answer: &Audited<'_>) -> String {
    let head = ["finding", "code", "severity", "class", "split", "path", "says", "remedy"];
    let mut rows = Vec::new();
    for (number, finding) in (1..).zip(&answer.audit.findings) {
        let nothing = [String::new()];
        let images = if finding.images.is_empty() { &nothing[..] } else { &finding.images };
        for image in images {
            rows.push([
                number.to_string(),
                finding.code.as_str().to_owned(),
                finding.severity.as_str().to_owned(),
                finding.class.clone().unwrap_or_default(),
                finding.split.clone().unwrap_or_default(),
                image.clone(),
                finding.message.clone(),
                finding.remedy.to_owned(),
            ]);
        }
    }
    written(&head, rows)
}
