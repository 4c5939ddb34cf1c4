//! Settings that are written in the same words in the file and on the command line.

use sieve_core::collection::{SplitFolders, split_of_name};

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
