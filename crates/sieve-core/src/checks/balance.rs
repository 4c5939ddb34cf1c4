//! What does a class count hide?

use super::{counted, percent};
use crate::balance::{ASSUMED_ACCURACY, Association, Balance, ClassCount, HeldOut};
use crate::finding::{Code, Finding, Severity};
use crate::limits::FindingLimits;

/// Classes that only look filled, splits that cannot carry a verdict, and classes that can be known
/// by something beside their content.
pub fn balance(balance: &Balance, limits: &FindingLimits) -> Vec<Finding> {
    let mut findings: Vec<Finding> =
        balance.classes.iter().filter_map(|class| thin(class, limits)).collect();
    let too_small = balance.held_out.iter().filter(|split| split.is_too_small);
    findings.extend(too_small.map(|split| small(split, limits)));
    findings.extend(balance.associations.iter().flat_map(associations));
    findings
}

fn thin(class: &ClassCount, limits: &FindingLimits) -> Option<Finding> {
    let is_thin = |images: u64| (images as f64) < limits.thin_class;
    if is_thin(class.images) || !is_thin(class.independent) {
        return None;
    }
    let message = format!(
        "{:?} has {}, but only {}; the minimum is {}",
        class.class,
        counted(class.images, "image", "images"),
        counted(class.independent, "independent one", "independent ones"),
        limits.thin_class
    );
    Some(
        Finding::new(Code::ThinAfterDuplicates, message)
            .about(Some(&class.class), None)
            .evidence("images", class.images)
            .evidence("independent", class.independent)
            .evidence("shortfall", class.shortfall_independent)
            .evidence("limit", limits.thin_class),
    )
}

fn small(split: &HeldOut, limits: &FindingLimits) -> Finding {
    let open = split.independent_interval;
    let message = format!(
        "{}: a measured accuracy of {:.0}% on its {} is compatible with {} to {}",
        split.split,
        ASSUMED_ACCURACY * 100.0,
        counted(split.independent, "independent image", "independent images"),
        percent(open.low),
        percent(open.high),
    );
    Finding::new(Code::SplitTooSmall, message)
        .about(None, Some(&split.split))
        .evidence("images", split.images)
        .evidence("independent", split.independent)
        .evidence("accuracy", ASSUMED_ACCURACY)
        .evidence("accuracy_lower_bound", open.low)
        .evidence("accuracy_upper_bound", open.high)
        .evidence("limit", limits.difference)
}

/// Difference between the share in a class and elsewhere from which an association is a warning: telling the class from
/// the others by the value alone is then right nine times in ten, of as many images of both.
const SHORTCUT: f64 = 0.8;

fn associations(association: &Association) -> Vec<Finding> {
    let apart = association.residuals.iter().filter(|residual| residual.stands_out);
    let reported = apart.map(|residual| {
        let value = match association.is_look {
            true => residual.value.clone(),
            false => format!("{:?}", residual.value),
        };
        let message = format!(
            "{:?} by {}: {} in {} of the class, in {} elsewhere",
            residual.class,
            association.fact,
            value,
            percent(residual.share),
            percent(residual.share_elsewhere),
        );
        let finding = Finding::new(Code::ClassTiedToMetadata, message);
        let is_shortcut = residual.share - residual.share_elsewhere >= SHORTCUT;
        let finding = if is_shortcut { finding.severity(Severity::Warning) } else { finding };
        finding
            .about(Some(&residual.class), None)
            .evidence("fact", association.fact)
            .evidence("metadata_value", residual.value.as_str())
            .evidence("share", residual.share)
            .evidence("share_elsewhere", residual.share_elsewhere)
            .evidence("p_corrected", residual.p_corrected)
            .evidence("cramers_v", association.test.cramers_v)
    });
    reported.collect()
}
