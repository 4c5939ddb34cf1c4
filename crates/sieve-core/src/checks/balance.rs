//! What does a class count hide?

use super::{counted, percent};
use crate::balance::{ASSUMED_ACCURACY, Balance, ClassCount, HeldOut, Tie};
use crate::finding::{Code, Finding};
use crate::limits::FindingLimits;

/// Classes that only look filled, splits that cannot carry a verdict, and classes that can be told
/// by something beside their content.
pub fn balance(balance: &Balance, limits: &FindingLimits) -> Vec<Finding> {
    let mut findings: Vec<Finding> =
        balance.classes.iter().filter_map(|class| thin(class, limits)).collect();
    let too_small = balance.held_out.iter().filter(|split| split.is_too_small);
    findings.extend(too_small.map(|split| small(split, limits)));
    findings.extend(balance.ties.iter().flat_map(ties));
    findings
}

fn thin(class: &ClassCount, limits: &FindingLimits) -> Option<Finding> {
    let is_thin = |images: u64| (images as f64) < limits.thin_class;
    if is_thin(class.images) || !is_thin(class.independent) {
        return None;
    }
    let says = format!(
        "{:?} has {} of {}; {} is the least",
        class.class,
        counted(class.images, "image", "images"),
        counted(class.independent, "independent picture", "independent pictures"),
        limits.thin_class
    );
    Some(
        Finding::new(Code::ThinAfterDuplicates, says)
            .of(Some(&class.class), None)
            .evidence("images", class.images)
            .evidence("independent", class.independent)
            .evidence("lacking", class.lacking_independent)
            .evidence("limit", limits.thin_class),
    )
}

fn small(split: &HeldOut, limits: &FindingLimits) -> Finding {
    let open = split.independent_interval;
    let says = format!(
        "{}: {:.0} % right on its {} means anything from {} to {}",
        split.split,
        ASSUMED_ACCURACY * 100.0,
        counted(split.independent, "independent picture", "independent pictures"),
        percent(open.low),
        percent(open.high),
    );
    Finding::new(Code::SplitTooSmall, says)
        .of(None, Some(&split.split))
        .evidence("images", split.images)
        .evidence("independent", split.independent)
        .evidence("accuracy", ASSUMED_ACCURACY)
        .evidence("low", open.low)
        .evidence("high", open.high)
        .evidence("limit", limits.difference)
}

fn ties(tie: &Tie) -> Vec<Finding> {
    let apart = tie.departures.iter().filter(|departure| departure.stands_out);
    let told = apart.map(|departure| {
        let value = match tie.is_look {
            true => departure.value.clone(),
            false => format!("{:?}", departure.value),
        };
        let says = format!(
            "{:?} by its {}: {} in {} of it, in {} of the others",
            departure.class,
            tie.fact,
            value,
            percent(departure.share),
            percent(departure.share_elsewhere),
        );
        Finding::new(Code::FactTellsClass, says)
            .of(Some(&departure.class), None)
            .evidence("fact", tie.fact)
            .evidence("value", departure.value.as_str())
            .evidence("share", departure.share)
            .evidence("share_elsewhere", departure.share_elsewhere)
            .evidence("p_corrected", departure.p_corrected)
            .evidence("cramers_v", tie.association.cramers_v)
    });
    told.collect()
}
