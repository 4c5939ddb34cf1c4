//! What does a class count hide?

use super::{counted, percent};
use crate::balance::{ASSUMED_ACCURACY, Association, Balance, ClassCount, HeldOut};
use crate::finding::{Code, Finding};
use crate::limits::FindingLimits;

/// Classes that only look filled, splits that cannot carry a verdict, and classes that can be known
/// by something beside their content.
pub fn balance(balance: &Balance, limits: &FindingLimits) -> Vec<Finding> {
    let mut findings: Vec<Finding> =
        balance.classes.iter().filter_map(|class| thin(class, limits)).collect();
    let too_small = balance.held_out.iter().filter(|split| split.is_too_small);
    findings.extend(too_small.map(|split| small(split, limits)));
    findings.extend(associations(balance));
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

/// The share of a class, and the share of all others, from which on and below which a value of the metadata gives the class
/// away: nine of ten images are known by it, and of twenty others less than one is taken for the class.
const NEARLY_ALL: f64 = 0.9;
/// See [`NEARLY_ALL`].
const HARDLY_ANY: f64 = 0.05;

/// Classes that are tied to metadata or measures.
pub fn associations(balance: &Balance) -> Vec<Finding> {
    balance.associations.iter().flat_map(of_association).collect()
}

fn of_association(association: &Association) -> Vec<Finding> {
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
        // A measure of the image may be content: what is dark may be dark.
        let is_shortcut = !association.is_look
            && residual.share >= NEARLY_ALL
            && residual.share_elsewhere < HARDLY_ANY;
        let code = if is_shortcut { Code::MetadataShortcut } else { Code::ClassTiedToMetadata };
        Finding::new(code, message)
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
