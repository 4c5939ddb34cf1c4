//! Is a class known by its background?

use super::percent;
use crate::finding::{Code, Finding, Severity};
use crate::limits::FindingLimits;
use crate::shortcuts::{ClassShortcut, Recognised, Shortcuts};

/// Classes that a model can recognise without looking at their content: by background and colour a warning, by the border
/// alone a note, as it may be a rim, or a flag that fills the frame.
pub fn shortcuts(shortcuts: &Shortcuts, limits: &FindingLimits) -> Vec<Finding> {
    shortcuts.classes.iter().filter_map(|class| background(class, limits)).collect()
}

fn background(class: &ClassShortcut, limits: &FindingLimits) -> Option<Finding> {
    if !class.is_border(limits) {
        return None;
    }
    let images = |known: Recognised| {
        format!("{} of {} images ({})", known.images, class.images.len(), percent(known.share))
    };
    let is_background = class.is_background(limits);
    let also = match is_background {
        true => format!(", {} by their mean colour", images(class.colour)),
        false => format!("; by their mean colour only {}", percent(class.colour.share)),
    };
    let message = format!(
        "{:?}: {} are recognised by their border alone{also}",
        class.class,
        images(class.border)
    );
    let finding = Finding::new(Code::BackgroundShortcut, message);
    let finding = if is_background { finding } else { finding.severity(Severity::Note) };
    Some(
        finding
            .about(Some(&class.class), None)
            .evidence("border_share", class.border.share)
            .evidence("border_lower_bound", class.border.interval.low)
            .evidence("colour_share", class.colour.share)
            .evidence("colour_lower_bound", class.colour.interval.low)
            .evidence("limit", limits.background),
    )
}
