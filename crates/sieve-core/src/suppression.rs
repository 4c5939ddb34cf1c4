//! SUPPRESSION: findings that are not reported: those that nobody asked for, and those that somebody looked at and
//! accepts, with the reason.

use glob::{MatchOptions, Pattern};
use serde::Serialize;

use crate::finding::{Code, Evidence, Finding};

/// Findings that are not reported, and why. What is none holds for all.
#[derive(Clone, Debug)]
pub struct Suppression {
    /// Of this code.
    pub code: Option<Code>,
    /// About this class.
    pub class: Option<String>,
    /// About files below these paths only.
    pub paths: Option<Paths>,
    /// Why they are accepted.
    pub reason: String,
}

/// Paths by a pattern: `*` within a folder, `**` through folders.
#[derive(Clone, Debug)]
pub struct Paths {
    /// As it was written.
    pub pattern: String,
    matcher: Pattern,
}

impl Paths {
    /// The paths that `pattern` matches.
    ///
    /// # Errors
    ///
    /// What is wrong with the pattern.
    pub fn like(pattern: &str) -> Result<Self, String> {
        if pattern.contains(['{', '}']) {
            return Err("braces are not supported; write one entry per alternative".to_owned());
        }
        let matcher = Pattern::new(pattern).map_err(|error| error.msg.to_owned())?;
        Ok(Paths { pattern: pattern.to_owned(), matcher })
    }

    /// Whether the pattern matches a path relative to the root of the collection.
    fn matches(&self, path: &str) -> bool {
        let options = MatchOptions { require_literal_separator: true, ..MatchOptions::new() };
        self.matcher.matches_with(path, options)
    }
}

impl Suppression {
    /// Whether it holds for a finding. One about several files is suppressed only when all of them are:
    /// an image that is accepted does not suppress its copy elsewhere.
    pub fn covers(&self, finding: &Finding) -> bool {
        let of_code = self.code.is_none_or(|code| code == finding.code);
        let of_class = self.class.as_ref().is_none_or(|class| {
            finding.class.as_ref() == Some(class)
                || matches!(finding.evidence.get("classes"),
                    Some(Evidence::Names(names)) if finding.class.is_none() && names.contains(class))
        });
        let of_paths = self.paths.as_ref().is_none_or(|paths| {
            let images = &finding.images;
            !images.is_empty() && images.iter().all(|image| paths.matches(image))
        });
        of_code && of_class && of_paths
    }
}

/// Which findings are reported.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Those of these codes only; none for all.
    pub only: Vec<Code>,
    /// Not those of these codes.
    pub suppress: Vec<Code>,
    /// Not those that somebody accepts.
    pub suppressions: Vec<Suppression>,
}

/// How much a suppression took out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Suppressed {
    /// Of this code, or of any.
    pub code: Option<&'static str>,
    /// About this class, or about any.
    pub class: Option<String>,
    /// About files below these paths, or about any.
    pub path: Option<String>,
    /// Why.
    pub reason: String,
    /// How many; 0 when it is of no use any more.
    pub findings: usize,
}

impl Selection {
    /// Takes out of `findings` what is not reported, and says what was suppressed: one answer for each suppression, in their
    /// order. A finding that several cover counts for the first.
    pub fn apply(&self, findings: &mut Vec<Finding>) -> Vec<Suppressed> {
        findings.retain(|Finding { code, .. }| {
            (self.only.is_empty() || self.only.contains(code)) && !self.suppress.contains(code)
        });
        let mut taken = vec![0; self.suppressions.len()];
        findings.retain(|finding| {
            let by = self.suppressions.iter().position(|one| one.covers(finding));
            by.into_iter().for_each(|by| taken[by] += 1);
            by.is_none()
        });
        let reported = self.suppressions.iter().zip(taken).map(|(one, findings)| Suppressed {
            code: one.code.map(Code::as_str),
            class: one.class.clone(),
            path: one.paths.as_ref().map(|paths| paths.pattern.clone()),
            reason: one.reason.clone(),
            findings,
        });
        reported.collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn suppressions_cover_what_they_say_and_no_more() {
        let finding = |code, class, images: &[&str]| {
            Finding::new(code, "").about(class, None).images(images.iter().copied())
        };
        let suppression = |code, class: Option<&str>, paths: Option<&str>| Suppression {
            code,
            class: class.map(str::to_owned),
            paths: paths.map(|pattern| Paths::like(pattern).unwrap()),
            reason: String::new(),
        };
        let dark = finding(Code::TooDark, Some("sage"), &["sage/old/a.jpg"]);
        assert!(suppression(Some(Code::TooDark), None, None).covers(&dark));
        assert!(!suppression(Some(Code::Blank), None, None).covers(&dark));
        assert!(suppression(None, Some("sage"), Some("sage/**")).covers(&dark));
        assert!(!suppression(None, Some("bay"), None).covers(&dark));
        assert!(!suppression(None, None, Some("sage/*")).covers(&dark), "* stays in a folder");
        let leak = finding(Code::SplitLeak, None, &["sage/old/a.jpg", "sage/b.jpg"]);
        assert!(!suppression(None, None, Some("sage/old/*")).covers(&leak));
        let names = finding(Code::ClassNamesAlike, None, &[])
            .evidence("classes", vec!["bay".to_owned(), "Bay".to_owned()]);
        assert!(suppression(None, Some("Bay"), None).covers(&names));
        assert!(!suppression(None, None, Some("**")).covers(&names), "it is about no file");

        let mut all = vec![dark, leak.clone()];
        let suppressions = vec![
            suppression(None, Some("sage"), None),
            suppression(Some(Code::TooDark), None, None),
        ];
        let selection = Selection { suppressions, ..Selection::default() };
        let taken: Vec<usize> = selection.apply(&mut all).iter().map(|one| one.findings).collect();
        assert_eq!(taken, [1, 0]);
        assert_eq!(all, [leak]);
        let selection = Selection { suppress: vec![Code::SplitLeak], ..Selection::default() };
        assert!(selection.apply(&mut all).is_empty() && all.is_empty());
        assert!(Paths::like("a***").is_err());
        assert!(Paths::like("{a,b}").unwrap_err().contains("one entry per alternative"));
    }
}
