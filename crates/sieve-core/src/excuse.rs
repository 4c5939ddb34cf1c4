//! EXCUSES: findings that somebody looked at and accepts, with the reason.

use globset::{Error, GlobBuilder, GlobMatcher};

use crate::finding::{Code, Evidence, Finding};

/// Findings that are not told, and why. What is none holds for all.
#[derive(Clone, Debug)]
pub struct Excuse {
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
    matcher: GlobMatcher,
}

impl Paths {
    /// The paths that `pattern` matches.
    ///
    /// # Errors
    ///
    /// What is wrong with the pattern.
    pub fn like(pattern: &str) -> Result<Self, String> {
        let glob = GlobBuilder::new(pattern).literal_separator(true).build();
        let glob = glob.map_err(|error: Error| error.kind().to_string())?;
        Ok(Paths { pattern: pattern.to_owned(), matcher: glob.compile_matcher() })
    }
}

impl Excuse {
    /// Whether it holds for a finding. One about several files is excused only when all of them are:
    /// a picture that is accepted does not excuse its copy elsewhere.
    pub fn covers(&self, finding: &Finding) -> bool {
        let of_code = self.code.is_none_or(|code| code == finding.code);
        let of_class = self.class.as_ref().is_none_or(|class| {
            finding.class.as_ref() == Some(class)
                || matches!(finding.evidence.get("classes"),
                    Some(Evidence::Names(names)) if finding.class.is_none() && names.contains(class))
        });
        let of_paths = self.paths.as_ref().is_none_or(|paths| {
            let images = &finding.images;
            !images.is_empty() && images.iter().all(|image| paths.matcher.is_match(image))
        });
        of_code && of_class && of_paths
    }
}

/// Takes out what `excuses` cover; how many findings each of them took, the first that covers one.
pub fn excuse(findings: &mut Vec<Finding>, excuses: &[Excuse]) -> Vec<usize> {
    let mut taken = vec![0; excuses.len()];
    findings.retain(|finding| {
        let by = excuses.iter().position(|excuse| excuse.covers(finding));
        by.into_iter().for_each(|by| taken[by] += 1);
        by.is_none()
    });
    taken
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn excuses_cover_what_they_say_and_no_more() {
        let finding = |code, class, images: &[&str]| {
            Finding::new(code, "").of(class, None).images(images.iter().copied())
        };
        let excuse_of = |code, class: Option<&str>, paths: Option<&str>| Excuse {
            code,
            class: class.map(str::to_owned),
            paths: paths.map(|pattern| Paths::like(pattern).unwrap()),
            reason: String::new(),
        };
        let dark = finding(Code::TooDark, Some("sage"), &["sage/old/a.jpg"]);
        assert!(excuse_of(Some(Code::TooDark), None, None).covers(&dark));
        assert!(!excuse_of(Some(Code::Blank), None, None).covers(&dark));
        assert!(excuse_of(None, Some("sage"), Some("sage/**")).covers(&dark));
        assert!(!excuse_of(None, Some("bay"), None).covers(&dark));
        assert!(!excuse_of(None, None, Some("sage/*")).covers(&dark), "* stays in a folder");
        let leak = finding(Code::SplitLeak, None, &["sage/old/a.jpg", "sage/b.jpg"]);
        assert!(!excuse_of(None, None, Some("sage/old/*")).covers(&leak));
        let names = finding(Code::ClassNamesAlike, None, &[])
            .evidence("classes", vec!["bay".to_owned(), "Bay".to_owned()]);
        assert!(excuse_of(None, Some("Bay"), None).covers(&names));
        assert!(!excuse_of(None, None, Some("**")).covers(&names), "it is about no file");

        let mut all = vec![dark, leak.clone()];
        let excuses =
            [excuse_of(None, Some("sage"), None), excuse_of(Some(Code::TooDark), None, None)];
        assert_eq!(excuse(&mut all, &excuses), [1, 0]);
        assert_eq!(all, [leak]);
        assert!(Paths::like("a{b").is_err());
    }
}
