//! What is said of how a collection was read, and which option or command reads it otherwise.

use std::ffi::OsString;

use sieve_core::collection::{Alternative, DepthReason, LabelTable, Remark, Root};

use super::next::command_line;
use crate::config::CollectionConfig;
use crate::console::safe;
use crate::settings::{columns_in_words, depth_in_words, splits_in_words};

/// What was decided, and why.
pub fn sentence(remark: &Remark) -> String {
    match remark {
        Remark::OnlyFolder { folder } => {
            format!("{folder:?} is the only folder, so the folders inside it are read")
        }
        Remark::SplitNamesAreClasses { folders, pattern } => {
            let taken = match folders[..] {
                [_] => "is treated as a class, not as a split",
                _ => "are treated as classes, not as splits",
            };
            let named = if pattern.is_some() { "; the files are named by class" } else { "" };
            format!("{} {taken}{named}", quoted(folders))
        }
        Remark::OtherSplits { folders } => match folders[..] {
            [_] => format!("{} is treated as a separate split", quoted(folders)),
            _ => format!("{} are treated as separate splits", quoted(folders)),
        },
        Remark::Unlabelled { folders } => {
            let have = if folders.len() == 1 { "has" } else { "have" };
            format!("{} {have} no class folders, so the images are unlabelled", quoted(folders))
        }
        Remark::InnermostClasses(reason) => {
            format!("the innermost folders are treated as classes: {}", because(*reason))
        }
        Remark::OuterClasses(reason) => {
            format!("the outer folders are treated as classes: {}", because(*reason))
        }
        Remark::NoClassFolders { .. } => {
            "there are no class folders; classes may be in the file names".to_owned()
        }
        Remark::TableAmongImages(LabelTable { file, columns, .. }) => format!(
            "{file} is a table of these images with the columns {} and {}",
            columns.path, columns.class
        ),
        Remark::TableInArchive { file } => {
            format!("labels come from the table {file} in the archive")
        }
        Remark::NoFileOfTable => {
            "none of the table's files exist; its paths may be relative to another folder"
                .to_owned()
        }
        Remark::NamesMatched { pattern, matched, all, first_not } => {
            let first = first_not.as_ref();
            let first = first.map(|path| format!("; the first mismatch: {path}"));
            format!("{pattern} matches {matched} of {all} names{}", first.unwrap_or_default())
        }
        Remark::LinkInside { link, target } => {
            let target = if target.as_str().is_empty() { "." } else { target.as_str() };
            format!("{link} links to {target}, so its target is counted twice")
        }
        Remark::MoreLinksInside(more) => {
            format!("{more} more links lead into the collection itself")
        }
        Remark::NotInSplitTable(1) => {
            "1 file in a class is not in the split table, so it is in no split".to_owned()
        }
        Remark::NotInSplitTable(files) => {
            format!("{files} files in a class are not in the split table, so they are in no split")
        }
        Remark::SplitRowsUnused(1) => {
            "1 row of the split table names a file that does not exist".to_owned()
        }
        Remark::SplitRowsUnused(rows) => {
            format!("{rows} rows of the split table name files that do not exist")
        }
        Remark::SplitRowsContradicted(1) => {
            "1 row of the split table puts a file into a second split; the first counts".to_owned()
        }
        Remark::SplitRowsContradicted(rows) => format!(
            "{rows} rows of the split table put files into a second split; the first counts"
        ),
        Remark::SplitRowsRelabelled(1) => {
            "1 row of the split table names another class than the folder; the folder counts"
                .to_owned()
        }
        Remark::SplitRowsRelabelled(rows) => format!(
            "{rows} rows of the split table name another class than the folder; the folder counts"
        ),
    }
}

fn because(reason: DepthReason) -> &'static str {
    match reason {
        DepthReason::InnerWithoutLetters => "the inner names have no letters",
        DepthReason::OuterWithoutLetters => "the outer names have no letters",
        DepthReason::InnerRepeated => "inner names recur in several outer folders",
        DepthReason::InnerUnique => "each inner name is different",
    }
}

fn quoted(names: &[String]) -> String {
    names.iter().map(|name| format!("{name:?}")).collect::<Vec<_>>().join(", ")
}

/// The option that reads the collection otherwise; none where that takes another collection.
pub fn option(alternative: &Alternative) -> Option<String> {
    Some(match alternative {
        Alternative::ClassDepth(to) => format!("--class-depth {}", depth_in_words(*to)),
        Alternative::Splits(folders) => format!("--splits {}", splits_in_words(folders)),
        Alternative::LabelFrom(pattern) => format!("--label-from '{pattern}'"),
        Alternative::Pictures => "--images FOLDER".to_owned(),
        Alternative::Table(_) => return None,
    })
}

/// A remark on one line, with the way to read otherwise.
pub fn line(remark: &Remark, config: &CollectionConfig, command: &str) -> String {
    let other = match remark.alternative() {
        None => String::new(),
        Some(Alternative::Table(table)) => {
            format!(" (to use it: {})", command_line(&by_table(&table, config, command)))
        }
        Some(other) => {
            let option = option(&other).unwrap_or_default();
            format!(" (to read it differently: {})", safe(&option))
        }
    };
    format!("{}{other}", safe(&sentence(remark)))
}

/// The words of a command that reads the labels of a collection from a table in it.
fn by_table(table: &LabelTable, config: &CollectionConfig, command: &str) -> Vec<OsString> {
    let root = config.roots.iter().find(|root| root.path.join(table.file.native()).is_file());
    let root = root.unwrap_or(&config.roots[0]);
    let mut words: Vec<OsString> = vec!["mint-sieve".into(), command.into()];
    let file = Root { path: root.path.join(table.file.native()), ..root.clone() };
    words.push(file.to_word());
    let columns = columns_in_words(&table.columns);
    if !columns.is_empty() {
        words.extend(["--columns".into(), columns.into()]);
    }
    if table.images != table.file.folder() {
        words.extend(["--images".into(), root.path.join(&table.images).into_os_string()]);
    }
    words
}

#[cfg(test)]
mod tests {
    use sieve_core::collection::{ClassDepth, Columns};
    use sieve_core::files::RelPath;

    use super::*;
    use crate::args::Cli;

    #[test]
    fn every_remark_is_a_sentence_and_its_option_can_be_typed() {
        let path = |text: &str| RelPath::new(text.as_ref());
        let names =
            |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>();
        let table = LabelTable {
            file: path("labels.csv"),
            columns: Columns { class: "herb".into(), ..Columns::default() },
            images: String::new(),
        };
        let remarks = [
            Remark::OnlyFolder { folder: "herbs".into() },
            Remark::SplitNamesAreClasses { folders: names(&["train"]), pattern: None },
            Remark::SplitNamesAreClasses {
                folders: names(&["train", "test"]),
                pattern: Some("{split}/{class}_{n}.jpg".into()),
            },
            Remark::OtherSplits { folders: names(&["old"]) },
            Remark::OtherSplits { folders: names(&["old", "new"]) },
            Remark::Unlabelled { folders: names(&["later"]) },
            Remark::InnermostClasses(DepthReason::InnerUnique),
            Remark::InnermostClasses(DepthReason::OuterWithoutLetters),
            Remark::OuterClasses(DepthReason::InnerRepeated),
            Remark::OuterClasses(DepthReason::InnerWithoutLetters),
            Remark::NoClassFolders { pattern: "{class}_{n}.jpg".into() },
            Remark::TableAmongImages(table),
            Remark::TableInArchive { file: path("labels.csv") },
            Remark::NoFileOfTable,
            Remark::NamesMatched {
                pattern: "{class}_{n}.jpg".into(),
                matched: 3,
                all: 4,
                first_not: Some(path("x.jpg")),
            },
            Remark::LinkInside { link: path("a"), target: path("") },
            Remark::MoreLinksInside(4),
            Remark::NotInSplitTable(1),
            Remark::NotInSplitTable(2),
            Remark::SplitRowsUnused(2),
            Remark::SplitRowsContradicted(2),
            Remark::SplitRowsRelabelled(2),
        ];
        let mut said: Vec<String> = Vec::new();
        for remark in &remarks {
            let sentence = sentence(remark);
            assert!(!sentence.is_empty() && !sentence.contains("  "), "{sentence}");
            let Some(option) = remark.alternative().as_ref().and_then(option) else { continue };
            let words = option.split_whitespace().map(|word| word.trim_matches('\''));
            let typed = ["mint-sieve", "audit", "herbs"].into_iter().chain(words);
            assert!(Cli::parse_from(typed).is_ok(), "{option}");
            said.push(option);
        }
        said.dedup();
        insta::assert_snapshot!(said.join("\n"), @r"
        --class-depth 1
        --splits train
        --label-from '{split}/{class}_{n}.jpg'
        --splits none
        --class-depth 1
        --class-depth innermost
        --label-from '{class}_{n}.jpg'
        --class-depth 1
        --images FOLDER
        ");
        assert_eq!(depth_in_words(ClassDepth::Folders(3)), "3");
    }
}
