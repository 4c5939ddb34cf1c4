//! How the collection of a plan is read, as the plan stores it.
//!
//! It is TOML in the comments at the head of the plan, one key a line below `[collection]`. A plan may come from anybody:
//! unknown keys are refused, and every value is checked as if it had been typed.

use std::path::{Path, PathBuf};

use serde::Deserialize;
use sieve_core::collection::Root;
use sieve_core::csv_escape::{of_path, path_of};
use sieve_core::files::RelPath;

use crate::args::ReadingArgs;
use crate::config::CollectionConfig;
use crate::settings::{
    class_depth, columns_in_words, columns_of_words, depth_in_words, split_folders,
    splits_in_words, toml_string,
};

/// The line that the stored request begins with.
const HEAD: &str = "[collection]";

/// The roots of a collection and the options by which it is read. Paths are absolute, and escaped as in a cell of a plan.
#[derive(Clone, Debug, Default, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ReadingRequest {
    roots: Vec<String>,
    splits: Option<String>,
    class_depth: Option<String>,
    label_from: Option<String>,
    columns: Option<String>,
    images: Option<String>,
    splits_from: Option<String>,
    config: Option<String>,
    #[serde(default)]
    follow_links: bool,
}

impl ReadingRequest {
    /// The request that reads a collection as `config` does, from any folder.
    pub fn new(config: &CollectionConfig) -> Self {
        let absolute = |path: &Path| path.canonicalize().unwrap_or_else(|_| path.to_owned());
        let cell = |path: &Path| of_path(&RelPath::new(path));
        let file = |path: &Option<PathBuf>| path.as_ref().map(|path| cell(&absolute(path)));
        let root = |root: &Root| {
            let root = Root { path: absolute(&root.path), ..root.clone() };
            cell(Path::new(&root.to_word()))
        };
        ReadingRequest {
            roots: config.roots.iter().map(root).collect(),
            splits: config.splits.as_ref().map(splits_in_words),
            class_depth: config.class_depth.map(depth_in_words),
            label_from: config.label_from.as_ref().map(ToString::to_string),
            columns: config.columns.as_ref().map(columns_in_words),
            images: file(&config.images),
            splits_from: file(&config.splits_from),
            config: file(&config.named_settings),
            follow_links: config.follow_links,
        }
    }

    /// The lines of TOML that say this.
    pub fn to_lines(&self) -> Vec<String> {
        let roots: Vec<String> = self.roots.iter().map(|root| toml_string(root)).collect();
        let mut lines = vec![HEAD.to_owned(), format!("roots = [{}]", roots.join(", "))];
        let options = [
            ("splits", &self.splits),
            ("class-depth", &self.class_depth),
            ("label-from", &self.label_from),
            ("columns", &self.columns),
            ("images", &self.images),
            ("splits-from", &self.splits_from),
            ("config", &self.config),
        ];
        lines.extend(options.into_iter().filter_map(|(name, value)| {
            value.as_ref().map(|value| format!("{name} = {}", toml_string(value)))
        }));
        if self.follow_links {
            lines.push("follow-links = true".to_owned());
        }
        lines
    }

    /// What the comments of a plan say; none where they do not say it, or not so that it can be used.
    pub fn of_comments(comments: &[String]) -> Option<Self> {
        let head = comments.iter().position(|comment| comment == HEAD)?;
        let request: Self = toml::from_str(&comments[head + 1..].join("\n")).ok()?;
        (!request.roots.is_empty()).then_some(request)
    }

    /// The roots and options, each checked as if it had been typed; none where one of them is not valid.
    pub fn typed(&self, usual: ReadingArgs) -> Option<(Vec<Root>, ReadingArgs)> {
        fn checked<T>(
            text: &Option<String>,
            parse: impl FnOnce(&str) -> Option<T>,
        ) -> Option<Option<T>> {
            match text {
                None => Some(None),
                Some(text) => parse(text).map(Some),
            }
        }
        let file = |cell: &Option<String>| cell.as_deref().map(path_of);
        let roots = self.roots.iter().map(|cell| Root::of_word(path_of(cell).as_os_str()));
        let reading = ReadingArgs {
            splits: checked(&self.splits, |text| split_folders(text).ok())?,
            class_depth: checked(&self.class_depth, |text| class_depth(text).ok())?,
            label_from: checked(&self.label_from, |text| text.parse().ok())?,
            columns: checked(&self.columns, |text| columns_of_words(text).ok())?,
            images: file(&self.images),
            splits_from: file(&self.splits_from),
            config: file(&self.config),
            follow_links: self.follow_links,
            ..usual
        };
        Some((roots.collect(), reading))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::{Cli, Command};

    fn reading(words: &[&str]) -> (Vec<Root>, ReadingArgs) {
        let words = [&["mint-sieve", "audit"][..], words].concat();
        let Command::Audit(args) = Cli::parse_from(words).unwrap().command else {
            panic!("another command");
        };
        (args.collection.roots, args.collection.reading)
    }

    #[test]
    fn a_plan_reads_its_collection_as_it_was_read() {
        let folder = tempfile::tempdir().unwrap();
        let table = folder.path().join("it's \"a\" table\u{202e}.csv");
        std::fs::write(&table, "path,class\n").unwrap();
        let table = table.canonicalize().unwrap();
        let words = [
            table.to_str().unwrap(),
            "--splits=train=fall,test",
            "--class-depth=2",
            "--columns=path=file,class=herb",
            "--follow-links",
        ];
        let (roots, args) = reading(&words);
        let config = CollectionConfig::resolve(&roots, &args).unwrap();
        let request = ReadingRequest::new(&config);
        let lines = request.to_lines();
        assert!(lines.iter().all(|line| !line.contains('\u{202e}') && !line.contains('\n')));
        let stored = ReadingRequest::of_comments(&lines).unwrap();
        assert_eq!(stored, request);
        let (again, read) = stored.typed(reading(&["x"]).1).unwrap();
        assert_eq!(again, roots);
        assert_eq!(format!("{read:?}"), format!("{args:?}"));
    }

    #[test]
    fn what_a_stranger_writes_is_not_believed() {
        let stored = |lines: &[&str]| {
            let lines: Vec<String> = lines.iter().map(|line| (*line).to_owned()).collect();
            ReadingRequest::of_comments(&lines)?.typed(reading(&["x"]).1)
        };
        assert!(stored(&["a plan", "[collection]", "roots = ['/photos']"]).is_some());
        let refused: [&[&str]; 6] = [
            &["roots = ['/photos']"],
            &["[collection]", "roots = []"],
            &["[collection]", "roots = ['/photos']", "in-place = true"],
            &["[collection]", "roots = ['/photos']", "class-depth = '1000'"],
            &["[collection]", "roots = ['/photos']", "columns = 'owner=x'"],
            &["[collection]", "roots = ['/photos']", "[more]"],
        ];
        for lines in refused {
            assert!(stored(lines).is_none(), "{lines:?}");
        }
    }
}
