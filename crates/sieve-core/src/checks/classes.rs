//! Are the classes what they should be: named once, filled, and of sizes that go together?

use std::collections::{BTreeMap, BTreeSet};

use crate::collection::{Collection, composed};
use crate::finding::{Code, Finding};
use crate::inventory::Inventory;
use crate::limits::FindingLimits;

/// Classes whose name is written in several Unicode forms.
pub fn spellings(collection: &Collection) -> Vec<Finding> {
    let spelled = |(class, spellings): (&String, &Vec<String>)| {
        let forms = spellings.len();
        let says =
            format!("{class:?} is written in {forms} Unicode forms, and was taken as one class");
        Finding::new(Code::ClassNamesAlike, says)
            .of(Some(class), None)
            .evidence("classes", spellings.clone())
    };
    collection.spellings.iter().map(spelled).collect()
}

/// Findings about the classes of a collection. Splits count together, but for empty folders.
pub fn classes(inventory: &Inventory, limits: &FindingLimits) -> Vec<Finding> {
    let mut findings = empty(inventory);
    let sizes: Vec<(&String, u64)> =
        inventory.classes.iter().map(|class| (class, inventory.of_class(class))).collect();
    let filled: Vec<(&String, u64)> = sizes.into_iter().filter(|&(_, images)| images > 0).collect();
    let mut thinnest_first = filled.clone();
    thinnest_first.sort_by_key(|&(_, images)| images);
    for (class, images) in thinnest_first {
        if (images as f64) < limits.thin_class {
            let limit = limits.thin_class;
            let says = format!("{class:?} has {}; {limit} is the least", count(images));
            findings.push(
                Finding::new(Code::ThinClass, says)
                    .of(Some(class), None)
                    .evidence("images", images)
                    .evidence("limit", limit),
            );
        }
    }
    findings.extend(imbalance(&filled, limits));
    findings.extend(names_alike(&inventory.classes).into_iter().map(alike));
    findings
}

fn count(images: u64) -> String {
    if images == 1 { "1 image".to_owned() } else { format!("{images} images") }
}

fn empty(inventory: &Inventory) -> Vec<Finding> {
    let empty = inventory.counts.iter().filter(|count| count.images == 0);
    empty
        .map(|count| {
            let class = count.class.as_deref().unwrap_or_default();
            let place = count.split.as_ref().map_or(String::new(), |split| format!(" in {split}"));
            Finding::new(Code::EmptyClass, format!("{class:?}{place} holds no readable picture"))
                .of(count.class.as_deref(), count.split.as_deref())
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
    let says = format!(
        "{largest:?} has {ratio:.1} times the images of {smallest:?} ({most} and {least}); {} is \
         the limit",
        limits.imbalance
    );
    Some(
        Finding::new(Code::ClassImbalance, says)
            .evidence("largest_class", largest.as_str())
            .evidence("largest_images", most)
            .evidence("smallest_class", smallest.as_str())
            .evidence("smallest_images", least)
            .evidence("ratio", ratio)
            .evidence("limit", limits.imbalance),
    )
}

fn alike(names: Vec<&String>) -> Finding {
    let quoted: Vec<String> = names.iter().map(|name| format!("{name:?}")).collect();
    let says = format!("{} may be one class", quoted.join(" and "));
    let names: Vec<String> = names.into_iter().cloned().collect();
    Finding::new(Code::ClassNamesAlike, says).evidence("classes", names)
}

/// The names in `names` that stand for the same word, apart from case, spaces and Unicode form,
/// in groups of two and more.
pub(super) fn names_alike<'a>(names: impl IntoIterator<Item = &'a String>) -> Vec<Vec<&'a String>> {
    let mut groups: BTreeMap<String, BTreeSet<&String>> = BTreeMap::new();
    for name in names {
        let words: Vec<String> = composed(name).split_whitespace().map(str::to_lowercase).collect();
        groups.entry(words.join(" ")).or_default().insert(name);
    }
    let groups = groups.into_values().filter(|group| group.len() > 1);
    groups.map(|group| group.into_iter().collect()).collect()
}
