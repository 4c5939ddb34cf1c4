//! A plan while rules add to it: what each file is to become, so that no rule works against another.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::Path;

use super::changes::{changes, is_generated_table, not_a_file};
use super::plan::{Action, Plan, Row};
use super::request::RepairRequest;
use super::rules::Rule;
use crate::audit::Audit;
use crate::catalog::Catalog;
use crate::csv_escape;
use crate::duplicates::DuplicateReport;
use crate::files::{InsidePath, RelPath, UsedPaths};
use crate::finding::Finding;
use crate::measuring::Digest;
use crate::record::Record;

/// What a plan is proposed for.
pub struct Subject<'a> {
    /// What is known of the collection.
    pub catalog: &'a Catalog,
    /// What was searched in it.
    pub found: &'a DuplicateReport<'a>,
    /// What is wrong with it.
    pub audit: &'a Audit,
    /// The findings that nobody has accepted.
    pub findings: &'a [Finding],
    /// The digests of files that are no images, as far as they could be read.
    pub digests: &'a HashMap<RelPath, Digest>,
}

/// One row of a plan, and what proposes it.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// The rule.
    pub rule: Rule,
    /// The row.
    pub row: Row,
}

/// What is proposed.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Proposed {
    /// What each rule proposes: groups together, all in the order of paths.
    pub proposals: Vec<Proposal>,
    /// Images of each class before, and after all but what is left to a person; empty classes too.
    pub classes: BTreeMap<String, (u64, u64)>,
    /// Classes that `RepairRequest::renames` gives no name to.
    pub unnamed: Vec<String>,
    /// Names of `RepairRequest::renames` that no class has.
    pub unused: Vec<String>,
    /// Rows that were left out because they could not be carried out, with the reason.
    pub withdrawn: Vec<(Row, String)>,
}

/// A plan while rules add to it.
pub(super) struct Draft<'a> {
    pub subject: &'a Subject<'a>,
    pub wishes: &'a RepairRequest,
    pub proposals: Vec<Proposal>,
    /// Files that go.
    gone: HashSet<&'a str>,
    /// Files that copies are dropped for, with these.
    kept: HashMap<&'a str, Vec<&'a str>>,
    /// Files that wait for a person.
    open: HashSet<&'a str>,
    /// Files for which something else than that is proposed.
    mended: HashSet<&'a str>,
    /// Classes that files get.
    classes: HashMap<&'a str, String>,
    pub records: HashMap<&'a str, &'a Record>,
    pub unnamed: Vec<String>,
    pub unused: Vec<String>,
    withdrawn: Vec<(Row, String)>,
    /// Every path of the collection, and the names that files get; filled when the first of these is looked for.
    used: Option<UsedPaths>,
    /// The names that were found free, by file and wanted name: another rule may ask again.
    given: HashMap<(&'a str, String), String>,
}

/// What a row says beside its file.
pub(super) struct RowReason {
    pub rule: Rule,
    pub group: String,
    pub reason: String,
    pub confidence: Option<f64>,
}

impl RowReason {
    pub fn new(rule: Rule, reason: impl Into<String>) -> Self {
        RowReason { rule, group: String::new(), reason: reason.into(), confidence: None }
    }
}

impl<'a> Draft<'a> {
    /// Nothing is proposed yet.
    pub fn new(subject: &'a Subject<'a>, wishes: &'a RepairRequest) -> Self {
        let records = subject.catalog.records.iter().map(|record| (record.path.as_str(), record));
        Draft {
            subject,
            wishes,
            proposals: Vec::new(),
            gone: HashSet::new(),
            kept: HashMap::new(),
            open: HashSet::new(),
            mended: HashSet::new(),
            classes: HashMap::new(),
            records: records.collect(),
            unnamed: Vec::new(),
            unused: Vec::new(),
            withdrawn: Vec::new(),
            used: None,
            given: HashMap::new(),
        }
    }

    /// Whether a file is still there to be dealt with.
    pub fn is_free(&self, record: &Record) -> bool {
        !self.gone.contains(record.path.as_str()) && !self.open.contains(record.path.as_str())
    }

    /// Whether a file is to be dropped.
    pub fn is_gone(&self, record: &Record) -> bool {
        self.gone.contains(record.path.as_str())
    }

    /// Whether nothing is to be dropped from the split of a file.
    pub fn is_protected(&self, record: &Record) -> bool {
        record.split().is_some_and(|split| self.wishes.protect.iter().any(|name| name == split))
    }

    /// The class that a file will have.
    pub fn class(&self, record: &'a Record) -> Option<&str> {
        self.classes.get(record.path.as_str()).map(String::as_str).or_else(|| record.class())
    }

    /// The images that stay, or that a person decides on, with their classes: in the order of paths.
    pub fn images(&self) -> impl Iterator<Item = (&'a Record, String)> {
        let catalog: &'a Catalog = self.subject.catalog;
        let staying = catalog.images().filter(|(record, _)| !self.is_gone(record));
        staying.filter_map(|(record, _)| Some((record, self.class(record)?.to_owned())))
    }

    /// The files of each class that could be moved, images or not.
    pub fn files(&self) -> impl Iterator<Item = (&'a Record, String)> {
        let catalog: &'a Catalog = self.subject.catalog;
        let files = catalog.records.iter().filter(|record| {
            not_a_file(record).is_none() && !is_generated_table(record) && !self.is_gone(record)
        });
        files.filter_map(|record| Some((record, self.class(record)?.to_owned())))
    }

    /// `name`, a cell of a plan, or the first free name like it in the folder of a file.
    pub fn free_name(&mut self, record: &'a Record, name: String) -> String {
        let key = (record.path.as_str(), name);
        if let Some(given) = self.given.get(&key) {
            return given.clone();
        }
        let free = self.take_name(record, key.1.clone());
        self.given.insert(key, free.clone());
        free
    }

    fn take_name(&mut self, record: &Record, name: String) -> String {
        let records = &self.subject.catalog.records;
        let used = self.used.get_or_insert_with(|| {
            let mut used = UsedPaths::default();
            records
                .iter()
                .filter_map(|record| InsidePath::new(record.path.native()).ok())
                .for_each(|path| {
                    used.take(&path);
                });
            used
        });
        let beside = |name: &str| {
            InsidePath::new(&record.path.native().with_file_name(csv_escape::path_of(name))).ok()
        };
        let (Some(wanted), Ok(own)) = (beside(&name), InsidePath::new(record.path.native())) else {
            return name;
        };
        // A file may get its own name in other letters.
        let mut itself = UsedPaths::default();
        itself.take(&own);
        if !itself.take(&wanted) {
            return name;
        }
        let free = used.take_numbered(wanted.clone());
        if free == wanted {
            return name;
        }
        csv_escape::of_path(&RelPath::new(Path::new(free.file_name())))
    }

    pub fn keep(&mut self, record: &'a Record, said: RowReason) {
        self.add(record, Action::Keep, String::new(), String::new(), said);
    }

    /// Whether copies of a file are dropped because it stays.
    pub fn is_kept(&self, record: &Record) -> bool {
        self.kept.contains_key(record.path.as_str())
    }

    /// Drops a copy of `stays`.
    pub fn drop_for(&mut self, record: &'a Record, stays: &'a Record, said: RowReason) {
        self.kept.entry(stays.path.as_str()).or_default().push(record.path.as_str());
        self.drop(record, said);
    }

    pub fn drop(&mut self, record: &'a Record, said: RowReason) {
        let from = record.class().unwrap_or_default().to_owned();
        self.gone.insert(record.path.as_str());
        // What goes needs no other repair, and nobody has to decide on it.
        if self.open.remove(record.path.as_str()) {
            self.proposals.retain(|proposal| {
                proposal.row.path != record.path || proposal.row.action != Action::Decide
            });
        }
        self.forget(
            record,
            &[Action::Keep, Action::Relabel, Action::Rename, Action::Rotate, Action::Convert],
        );
        self.add(record, Action::Drop, from, String::new(), said);
    }

    pub fn decide(&mut self, record: &'a Record, said: RowReason) {
        let from = record.class().unwrap_or_default().to_owned();
        self.open.insert(record.path.as_str());
        self.add(record, Action::Decide, from, String::new(), said);
    }

    /// A file that gets another class; a second time it goes from its first class to the last.
    pub fn relabel(&mut self, record: &'a Record, to: &str, said: RowReason) {
        let from = record.class().unwrap_or_default().to_owned();
        self.classes.insert(record.path.as_str(), to.to_owned());
        self.forget(record, &[Action::Relabel]);
        if from != to {
            self.add(record, Action::Relabel, from, to.to_owned(), said);
        }
    }

    /// Takes back what was proposed for a file.
    pub fn forget(&mut self, record: &Record, actions: &[Action]) {
        // Of most files nothing is known, and there may be very many.
        if self.mended.contains(record.path.as_str()) {
            self.proposals.retain(|proposal| {
                proposal.row.path != record.path || !actions.contains(&proposal.row.action)
            });
        }
    }

    /// Whether this is proposed for a file.
    pub fn has(&self, record: &Record, action: Action) -> bool {
        self.mended.contains(record.path.as_str())
            && self
                .proposals
                .iter()
                .any(|proposal| proposal.row.path == record.path && proposal.row.action == action)
    }

    pub fn add(
        &mut self,
        record: &'a Record,
        action: Action,
        from: String,
        to: String,
        said: RowReason,
    ) {
        let RowReason { rule, group, reason, confidence } = said;
        if !matches!(action, Action::Drop | Action::Decide) {
            self.mended.insert(record.path.as_str());
        }
        let path = record.path.clone();
        let digest = match record.image() {
            Some(measured) => Some(measured.digest),
            None => self.subject.digests.get(&path).copied(),
        };
        self.proposals.push(Proposal {
            rule,
            row: Row { path, action, from, to, group, reason, confidence, digest },
        });
    }

    /// Takes out every row that could not be carried out, as `apply` would judge it.
    pub fn withdraw_impossible(&mut self) {
        loop {
            let rows = (0u64..).zip(self.proposals.iter().map(|proposal| proposal.row.clone()));
            let plan = Plan { comments: Vec::new(), rows: rows.collect() };
            let refusals =
                changes(self.subject.catalog, &plan, self.subject.digests, true).refusals;
            if refusals.is_empty() {
                return;
            }
            let reasons: HashMap<u64, String> =
                refusals.into_iter().map(|refusal| (refusal.line, refusal.reason)).collect();
            for (number, proposal) in (0u64..).zip(std::mem::take(&mut self.proposals)) {
                let Some(reason) = reasons.get(&number) else {
                    self.proposals.push(proposal);
                    continue;
                };
                let row = proposal.row;
                match row.action {
                    Action::Drop => _ = self.gone.remove(row.path.as_str()),
                    Action::Relabel => _ = self.classes.remove(row.path.as_str()),
                    _ => {}
                }
                self.withdrawn.push((row, reason.clone()));
            }
            self.withdrawn.sort_by(|a, b| (&a.0.path, a.0.action).cmp(&(&b.0.path, b.0.action)));
        }
    }

    /// What came of it, in the order of the plan.
    pub fn finished(mut self) -> Proposed {
        let mut counts: BTreeMap<String, (u64, u64)> = BTreeMap::new();
        for class in self.subject.catalog.collection.classes() {
            counts.insert(class, (0, 0));
        }
        // What goes together with the copy that was to stay goes for the same reason as that.
        for (stays, copies) in &self.kept {
            if !self.gone.contains(stays) {
                continue;
            }
            let why = self.proposals.iter().find(|proposal| {
                proposal.row.path.as_str() == *stays && proposal.row.action == Action::Drop
            });
            let Some(why) = why.map(|proposal| proposal.row.reason.clone()) else { continue };
            let copies: HashSet<&str> = copies.iter().copied().collect();
            let rows = self.proposals.iter_mut().map(|proposal| &mut proposal.row);
            for row in rows.filter(|row| copies.contains(row.path.as_str())) {
                row.reason = format!("a copy of a file that is dropped as well: {why}");
            }
        }
        let catalog: &'a Catalog = self.subject.catalog;
        for (record, _) in catalog.images() {
            if let Some(class) = record.class() {
                counts.entry(class.to_owned()).or_default().0 += 1;
            }
            if let Some(class) = self.class(record).filter(|_| !self.is_gone(record)) {
                counts.entry(class.to_owned()).or_default().1 += 1;
            }
        }
        // A keep that nothing is dropped for any more tells nothing.
        let dropped: HashSet<String> = self
            .proposals
            .iter()
            .filter(|proposal| proposal.row.action != Action::Keep)
            .map(|proposal| proposal.row.group.clone())
            .collect();
        self.proposals.retain(|proposal| {
            proposal.row.action != Action::Keep || dropped.contains(&proposal.row.group)
        });
        let mut first: HashMap<String, RelPath> = HashMap::new();
        for Proposal { row, .. } in
            self.proposals.iter().filter(|proposal| !proposal.row.group.is_empty())
        {
            let known = first.entry(row.group.clone()).or_insert_with(|| row.path.clone());
            *known = known.min(&mut row.path.clone()).clone();
        }
        let key = |row: &Row| first.get(&row.group).unwrap_or(&row.path).clone();
        self.proposals.sort_by_cached_key(|proposal| {
            let row = &proposal.row;
            (key(row), row.group.clone(), row.action != Action::Keep, row.path.clone(), row.action)
        });
        Proposed {
            proposals: self.proposals,
            classes: counts,
            unnamed: self.unnamed,
            unused: self.unused,
            withdrawn: self.withdrawn,
        }
    }
}

/// The name of a group: what it is, and eight digits that depend on its first file alone, so that other groups do not
/// change it.
pub(super) fn group_name<'a>(what: &str, members: impl Iterator<Item = &'a Record>) -> String {
    let first = members.map(|record| &record.path).min();
    let bytes = first.map_or(&b""[..], |path| path.as_str().as_bytes());
    format!("{what}-{}", &Digest::of_bytes(bytes).to_string()[..8])
}
