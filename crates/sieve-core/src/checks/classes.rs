//! Are the classes filled, and of sizes that go together?

use super::counted;
use crate::collection::{Collection, composed};
use crate::finding::{Code, Finding};
use crate::inventory::Inventory;
use crate::limits::FindingLimits;

/// Findings about the sizes of classes. Splits count together, but for empty folders.
pub fn classes(
    collection: &Collection,
    inventory: &Inventory,
    limits: &FindingLimits,
) -> Vec<Finding> {
    let mut findings = empty(collection, inventory);
    let sizes: Vec<(&String, u64)> =
        inventory.classes.iter().map(|class| (class, inventory.of_class(class))).collect();
    let filled: Vec<(&String, u64)> = sizes.into_iter().filter(|&(_, images)| images > 0).collect();
    let mut thinnest_first = filled.clone();
    thinnest_first.sort_by_key(|&(_, images)| images);
    for (class, images) in thinnest_first {
        if images == 1 {
            let finding = Finding::new(Code::SingleImageClass, format!("{class:?} has 1 image"));
            findings.push(finding.about(Some(class), None).evidence("images", images));
        } else if (images as f64) < limits.thin_class {
            let limit = limits.thin_class;
            let lacking = limit.ceil() as u64 - images;
            let message = format!(
                "{class:?} has {}; the minimum is {limit}",
                counted(images, "image", "images")
            );
            findings.push(
                Finding::new(Code::ThinClass, message)
                    .about(Some(class), None)
                    .evidence("images", images)
                    .evidence("shortfall", lacking)
                    .evidence("limit", limit),
            );
        }
    }
    findings.extend(imbalance(&filled, limits));
    findings
}

/// A class of which a folder could not be listed need not be empty: that folder is reported as unreadable.
fn empty(collection: &Collection, inventory: &Inventory) -> Vec<Finding> {
    let may_hold_more = |class: &str| {
        let unlisted = collection.unlistable.iter();
        unlisted.flat_map(|(folder, _)| folder.parts()).any(|part| composed(part) == class)
    };
    inventory
        .counts
        .iter()
        .filter(|count| count.images == 0)
        .filter(|count| !count.class.as_deref().is_some_and(may_hold_more))
        .map(|count| {
            let class = count.class.as_deref().unwrap_or_default();
            let place = count.split.as_ref().map_or(String::new(), |split| format!(" in {split}"));
            Finding::new(Code::EmptyClass, format!("{class:?}{place} contains no readable image"))
                .about(count.class.as_deref(), count.split.as_deref())
        })
        .collect()
}

fn imbalance(sizes: &[(&String, u64)], limits: &FindingLimits) -> Option<Finding> {
    let &(smallest, least) = sizes.iter().min_by_key(|(_, images)| *images)?;
    // The first of equals, as for the smallest.
    let &(largest, most) = sizes.iter().rev().max_by_key(|(_, images)| *images)?;
    let ratio = most as f64 / least as f64;
    if ratio <= limits.imbalance {
        return None;
    }
    let message = format!(
        "{largest:?} has {ratio:.1}x the images of {smallest:?} ({most} and {least}); the limit is {}x",
        limits.imbalance
    );
    Some(
        Finding::new(Code::ClassImbalance, message)
            .evidence("largest_class", largest.as_str())
            .evidence("largest_images", most)
            .evidence("smallest_class", smallest.as_str())
            .evidence("smallest_images", least)
            .evidence("ratio", ratio)
            .evidence("limit", limits.imbalance),
    )
}
