//! What a person decides on: findings and groups with their images.

use std::collections::{BTreeMap, HashMap};

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::{DuplicateReport, Group, Member};
use sieve_core::finding::{Code, Evidence, Finding, Severity};
use sieve_core::ordering::{self, Order};

use crate::console::safe;
use crate::present::duplicates::Concern;
use crate::present::web::{Case, ImageRegistry};
use crate::present::{counted, visible};

/// Images of one case that are on the page; what has more is better dealt with by a rule.
const MOST_IMAGES: usize = 400;
/// Images of one case that have a thumbnail on the page; others are shown from the collection's folder.
const MOST_THUMBNAILS: usize = 48;
/// Groups on the page.
const MOST_GROUPS: usize = 3000;
/// Numbers and names that a finding shows beside its sentence.
const MOST_NAMES: usize = 6;

/// Findings of one code.
#[derive(Serialize)]
pub struct CodeSection {
    pub code: &'static str,
    pub title: &'static str,
    pub remedy: &'static str,
    /// Whether every case has one image at most, so that several fit side by side.
    pub is_grid: bool,
    pub cases: Vec<Case>,
}

/// Findings of one severity.
#[derive(Serialize)]
pub struct SeveritySection {
    pub severity: &'static str,
    pub heading: String,
    pub codes: Vec<CodeSection>,
}

/// Groups that are there for the same reason.
#[derive(Serialize)]
pub struct GroupSection {
    pub title: &'static str,
    pub cases: Vec<Case>,
}

/// A sample of one class.
#[derive(Serialize)]
pub struct Sample {
    pub class: String,
    pub count: String,
    pub images: String,
}

/// Everything on the page that shows images.
#[derive(Default)]
pub struct Cases {
    pub severities: Vec<SeveritySection>,
    pub concerns: Vec<GroupSection>,
    pub more_groups: usize,
    pub samples: Vec<Sample>,
}

/// Puts the images of findings, groups and samples into `album`, in this order.
pub fn cases(
    catalog: &Catalog,
    found: &DuplicateReport<'_>,
    findings: &[Finding],
    album: &mut ImageRegistry,
    per_class: u32,
    seed: u64,
) -> Cases {
    let numbers: HashMap<&str, usize> =
        catalog.records.iter().enumerate().map(|(at, one)| (one.path.as_str(), at)).collect();
    let severities = of_findings(findings, &numbers, &groups(found, &numbers), album);
    let (concerns, more_groups) = of_groups(found, &numbers, album);
    let samples = samples(catalog, album, per_class, seed);
    Cases { severities, concerns, more_groups, samples }
}

/// The number of each group that is shown, by its images.
fn groups(
    found: &DuplicateReport<'_>,
    numbers: &HashMap<&str, usize>,
) -> HashMap<Vec<usize>, usize> {
    let groups = found.groups.iter().take(MOST_GROUPS).enumerate();
    groups
        .map(|(index, group)| {
            let mut records = records(found, group, numbers);
            records.sort_unstable();
            (records, index + 1)
        })
        .collect()
}

fn records(
    found: &DuplicateReport<'_>,
    group: &Group,
    numbers: &HashMap<&str, usize>,
) -> Vec<usize> {
    let path = |image: u32| found.images[image as usize].record.path.as_str();
    group.members.iter().map(|member| numbers[path(member.image)]).collect()
}

/// Numbers on the page of the first images, and how many more there are.
fn put(album: &mut ImageRegistry, records: &[usize]) -> (Vec<u32>, usize) {
    let shown = &records[..records.len().min(MOST_IMAGES)];
    let numbers =
        shown.iter().enumerate().map(|(at, &record)| album.add(record, at < MOST_THUMBNAILS));
    (numbers.collect(), records.len() - shown.len())
}

fn listed(numbers: &[u32]) -> String {
    numbers.iter().map(u32::to_string).collect::<Vec<_>>().join(",")
}

fn of_findings(
    findings: &[Finding],
    numbers: &HashMap<&str, usize>,
    groups: &HashMap<Vec<usize>, usize>,
    album: &mut ImageRegistry,
) -> Vec<SeveritySection> {
    let mut severities = Vec::new();
    let mut next = 0;
    for severity in Severity::ALL {
        let of_it: Vec<&Finding> =
            findings.iter().filter(|finding| finding.severity == severity).collect();
        if of_it.is_empty() {
            continue;
        }
        let codes = of_it.chunk_by(|a, b| a.code == b.code).map(|group| {
            let code: Code = group[0].code;
            let cases = group.iter().map(|finding| {
                next += 1;
                let records: Vec<usize> = finding
                    .images
                    .iter()
                    .filter_map(|path| numbers.get(path.as_str()).copied())
                    .collect();
                let mut sorted = records.clone();
                sorted.sort_unstable();
                let group = groups.get(&sorted).copied();
                let (shown, more) = put(album, &records);
                let keep = match finding.evidence.get("keep") {
                    Some(Evidence::Text(path)) => numbers.get(path.as_str()),
                    _ => None,
                };
                Case {
                    id: format!("finding-{next}"),
                    title: safe(&finding.message),
                    evidence: evidence(&finding.evidence),
                    images: listed(&shown),
                    count: shown.len(),
                    more,
                    keep: keep.and_then(|&record| album.number(record)),
                    group,
                    ties: Vec::new(),
                }
            });
            let cases: Vec<Case> = cases.collect();
            let is_grid = cases.len() > 1 && cases.iter().all(|case| case.count <= 1);
            CodeSection {
                code: code.as_str(),
                title: code.title(),
                remedy: code.remedy(),
                is_grid,
                cases,
            }
        });
        let codes = codes.collect();
        let many = format!("{}s", severity.as_str());
        severities.push(SeveritySection {
            severity: severity.as_str(),
            heading: counted(of_it.len() as u64, severity.as_str(), &many),
            codes,
        });
    }
    severities
}

fn evidence(evidence: &BTreeMap<&'static str, Evidence>) -> Vec<(String, String)> {
    let written = |value: &Evidence| match value {
        Evidence::Count(count) => count.to_string(),
        Evidence::Number(number) => {
            let text = format!("{number:.3}");
            text.trim_end_matches('0').trim_end_matches('.').to_owned()
        }
        Evidence::Text(text) => safe(text),
        Evidence::Names(names) => {
            let shown: Vec<String> =
                names.iter().take(MOST_NAMES).map(|name| safe(&visible(name))).collect();
            let more = names.len().saturating_sub(MOST_NAMES);
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            shown.join(", ") + &more
        }
    };
    evidence
        .iter()
        .map(|(name, value)| (name.replace('_', " "), written(value)))
        .filter(|(_, value)| !value.is_empty())
        .collect()
}

fn of_groups(
    found: &DuplicateReport<'_>,
    numbers: &HashMap<&str, usize>,
    album: &mut ImageRegistry,
) -> (Vec<GroupSection>, usize) {
    let shown = &found.groups[..found.groups.len().min(MOST_GROUPS)];
    let mut concerns = Vec::new();
    for concern in Concern::ALL {
        let of_it: Vec<(usize, &Group)> = shown
            .iter()
            .enumerate()
            .filter(|(_, group)| Concern::new(group, true) == concern)
            .collect();
        if of_it.is_empty() {
            continue;
        }
        let cases = of_it.into_iter().map(|(index, group)| {
            let (images, more) = put(album, &records(found, group, numbers));
            let tie = |member: &Member| match member.kind {
                Some(kind) => {
                    format!("{}, {:.3}", kind.name(), member.score.unwrap_or(group.score))
                }
                None => String::new(),
            };
            Case {
                id: format!("group-{}", index + 1),
                title: format!("Group {}: {}, {:.3}", index + 1, group.kind.name(), group.score),
                evidence: Vec::new(),
                group: None,
                ties: group.members.iter().map(tie).take(images.len()).collect(),
                keep: images.first().copied(),
                images: listed(&images),
                count: images.len(),
                more,
            }
        });
        let cases = cases.collect();
        concerns.push(GroupSection { title: concern.title(), cases });
    }
    (concerns, found.groups.len() - shown.len())
}

/// Random images of each class.
fn samples(catalog: &Catalog, album: &mut ImageRegistry, per_class: u32, seed: u64) -> Vec<Sample> {
    if per_class == 0 {
        return Vec::new();
    }
    let shelves = ordering::shelves(catalog, Order::Random, seed, false, &[]);
    let sample = |((class, _), images): ((&str, Option<&str>), Vec<usize>)| {
        let shown = images.iter().take(per_class as usize).map(|&record| album.add(record, true));
        let shown: Vec<u32> = shown.collect();
        Sample {
            class: safe(&visible(class)),
            count: counted(images.len() as u64, "image", "images"),
            images: listed(&shown),
        }
    };
    shelves.into_iter().map(sample).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_and_names_are_written_for_people() {
        let names: Vec<String> = (0..9).map(|number| format!("class {number}")).collect();
        let finding = Finding::new(Code::ClassNamesAlike, "alike")
            .evidence("images", 12usize)
            .evidence("p_corrected", 0.25)
            .evidence("ratio", 3.0)
            .evidence("share", 0.123_456)
            .evidence("differ_by", "case\u{202e}")
            .evidence("classes", names)
            .evidence("partners", Vec::<String>::new());
        let reported = evidence(&finding.evidence);
        let reported: Vec<String> =
            reported.iter().map(|(name, value)| format!("{name}: {value}")).collect();
        assert_eq!(
            reported,
            [
                "classes: class 0, class 1, class 2, class 3, class 4, class 5 and 3 more",
                "differ by: case\\u{202e}",
                "images: 12",
                "p corrected: 0.25",
                "ratio: 3",
                "share: 0.123",
            ]
        );
    }

    #[test]
    fn of_very_many_images_the_first_are_shown_and_fewer_as_thumbnails() {
        let mut album = ImageRegistry::default();
        let records: Vec<usize> = (1000..2000).collect();
        let (shown, more) = put(&mut album, &records);
        assert_eq!((shown.len(), more), (MOST_IMAGES, 1000 - MOST_IMAGES));
        assert_eq!(album.wanted().len(), MOST_THUMBNAILS);
        // Another case of the same images adds none, and wants those that it begins with.
        let (again, more) = put(&mut album, &records[100..103]);
        assert_eq!((again, more), (vec![100, 101, 102], 0));
        assert_eq!(album.records.len(), MOST_IMAGES);
        assert_eq!(album.wanted().len(), MOST_THUMBNAILS + 3);
        assert_eq!(listed(&[3, 1, 20]), "3,1,20");
    }

    #[test]
    fn findings_stand_worst_first_by_their_codes_and_name_their_group() {
        let paths = ["a.jpg", "b.jpg", "c.jpg"];
        let numbers: HashMap<&str, usize> = paths.into_iter().zip(0..).collect();
        let groups = HashMap::from([(vec![0, 2], 7)]);
        let findings = [
            Finding::new(Code::LabelConflict, "a = c")
                .images(["c.jpg", "a.jpg"])
                .evidence("keep", "c.jpg"),
            Finding::new(Code::TooDark, "dark").images(["b.jpg"]),
            Finding::new(Code::TooDark, "dark too").images(["a.jpg"]),
            Finding::new(Code::MixedSizes, "sizes"),
        ];
        let mut album = ImageRegistry::default();
        let reported = of_findings(&findings, &numbers, &groups, &mut album);
        let headings: Vec<&str> = reported.iter().map(|one| one.heading.as_str()).collect();
        assert_eq!(headings, ["1 error", "2 warnings", "1 note"]);
        let conflict = &reported[0].codes[0].cases[0];
        assert_eq!(
            (conflict.group, conflict.images.as_str(), conflict.keep),
            (Some(7), "0,1", Some(0))
        );
        let dark = &reported[1].codes[0];
        assert_eq!((dark.code, dark.cases.len()), ("too-dark", 2));
        let ids: Vec<&str> = dark.cases.iter().map(|case| case.id.as_str()).collect();
        assert_eq!(ids, ["finding-2", "finding-3"]);
        assert_eq!((reported[2].codes[0].cases[0].count, album.records), (0, vec![2, 0, 1]));
    }
}
