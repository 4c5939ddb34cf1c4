//! Settings that are written in the same words in the file and on the command line.

use crate::console::is_unseen;

use sieve_core::collection::{ClassDepth, Columns, SplitFolders, split_of_name};

/// The folders that are splits: `none`, or `NAME` and `SPLIT=NAME` with commas between.
pub fn split_folders(text: &str) -> Result<SplitFolders, String> {
    if text == "none" {
        return Ok(SplitFolders::None);
    }
    let folder = |word: &str| match word.split_once('=').unwrap_or((word, word)) {
        ("", _) | (_, "") => Err("expected NAME or SPLIT=NAME, or none".to_owned()),
        (split, folder) => {
            let split = split_of_name(split).unwrap_or(split);
            Ok((split.to_owned(), folder.to_owned()))
        }
    };
    Ok(SplitFolders::ByName(text.split(',').map(folder).collect::<Result<_, _>>()?))
}

/// The depth of the class folders: a number, or `innermost`.
pub fn class_depth(text: &str) -> Result<ClassDepth, String> {
    match text.parse() {
        Ok(depth @ 1..=100) => Ok(ClassDepth::Folders(depth)),
        _ if text == "innermost" => Ok(ClassDepth::Innermost),
        _ => Err("expected a whole number from 1 to 100, or innermost".to_owned()),
    }
}

/// Names of the columns of a table: `path=NAME`, `class=NAME` and so on, with commas between.
pub fn columns_of_words(text: &str) -> Result<Columns, String> {
    let mut columns = Columns::default();
    for word in text.split(',') {
        let (column, name) = word.split_once('=').unwrap_or((word, ""));
        let place = match column {
            "path" => &mut columns.path,
            "class" => &mut columns.class,
            "split" => &mut columns.split,
            "group" => &mut columns.group,
            _ => return Err("expected path=, class=, split= or group= and a name".to_owned()),
        };
        if name.is_empty() {
            return Err(format!("expected {column}=NAME"));
        }
        *place = name.to_owned();
    }
    Ok(columns)
}

/// Folders of splits as they are typed.
pub fn splits_in_words(folders: &SplitFolders) -> String {
    match folders {
        SplitFolders::None => "none".to_owned(),
        SplitFolders::ByName(named) => {
            let word = |(split, folder): &(String, String)| {
                if split == folder { folder.clone() } else { format!("{split}={folder}") }
            };
            named.iter().map(word).collect::<Vec<_>>().join(",")
        }
    }
}

/// The depth of classes as it is typed.
pub fn depth_in_words(depth: ClassDepth) -> String {
    match depth {
        ClassDepth::Folders(depth) => depth.to_string(),
        ClassDepth::Innermost => "innermost".to_owned(),
    }
}

/// The columns whose names are not the usual ones, as they are typed.
pub fn columns_in_words(columns: &Columns) -> String {
    let usual = Columns::default();
    let all = [
        ("path", &columns.path, usual.path),
        ("class", &columns.class, usual.class),
        ("split", &columns.split, usual.split),
        ("group", &columns.group, usual.group),
    ];
    let own = all.into_iter().filter(|(_, name, usual)| *name != usual);
    own.map(|(column, name, _)| format!("{column}={name}")).collect::<Vec<_>>().join(",")
}

/// `text` as a basic string of TOML, in which nothing is unseen.
pub fn toml_string(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            c if is_unseen(c) => match u32::from(c) {
                code @ ..=0xffff => out.push_str(&format!("\\u{code:04x}")),
                code => out.push_str(&format!("\\U{code:08x}")),
            },
            c => out.push(c),
        }
    }
    out + "\""
}
