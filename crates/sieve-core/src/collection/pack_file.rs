//! The file that says how a pack is packed, so that it can be read back.

use serde::{Deserialize, Serialize};

use crate::files::InsidePath;

/// The name of that file.
pub const PACK_FILE: &str = "pack.json";
/// Its schema.
const SCHEMA: &str = "mint-sieve/pack/1";

/// How images are packed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// Files in folders of splits and classes.
    #[default]
    Tree,
    /// A ZIP archive for each split.
    Zip,
    /// A tar archive for each split.
    Tar,
    /// Tar archives of about one size, with images in random order.
    Shards,
    /// Arrays of NumPy: frames and labels.
    Npy,
    /// A Parquet file for each split, with the bytes of images in a column.
    Parquet,
    /// An Arrow IPC file for each split, with the same columns.
    Arrow,
}

impl Form {
    /// Every form.
    pub const ALL: [Form; 7] =
        [Form::Tree, Form::Zip, Form::Tar, Form::Shards, Form::Npy, Form::Parquet, Form::Arrow];

    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Form::Tree => "tree",
            Form::Zip => "zip",
            Form::Tar => "tar",
            Form::Shards => "shards",
            Form::Npy => "npy",
            Form::Parquet => "parquet",
            Form::Arrow => "arrow",
        }
    }
}

/// What [`PACK_FILE`] says.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PackFile {
    /// Which kind of file this is.
    pub schema: String,
    /// The version of the program that wrote it.
    pub version: String,
    /// How images are packed.
    pub form: Form,
    /// The seed of the order of images.
    pub seed: u64,
    /// The frame that images were resized to, in words; none for the original files.
    pub frame: Option<String>,
    /// The splits, in their order.
    pub splits: Vec<PackedSplit>,
}

/// A split of a pack.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PackedSplit {
    /// Its name.
    pub split: String,
    /// Its images.
    pub images: u64,
    /// The name of its manifest.
    pub manifest: String,
    /// The files that hold its images; empty for a tree.
    pub files: Vec<ContainerFile>,
}

/// A file that holds images.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ContainerFile {
    /// Its name.
    pub file: String,
    /// Images in it.
    pub images: u64,
}

impl PackFile {
    /// What is said of a pack that is being written.
    pub fn new(version: &str, form: Form, seed: u64, frame: Option<String>) -> Self {
        let (schema, version) = (SCHEMA.to_owned(), version.to_owned());
        PackFile { schema, version, form, seed, frame, splits: Vec::new() }
    }

    /// Reads what somebody wrote; the names in it are names of files directly in the pack.
    ///
    /// # Errors
    ///
    /// What is wrong with it, as the end of a sentence.
    pub fn parse(text: &str) -> Result<Self, String> {
        let pack: PackFile = serde_json::from_str(text).map_err(|error| error.to_string())?;
        if pack.schema != SCHEMA {
            return Err(format!("its schema is {:?}; expected {SCHEMA:?}", pack.schema));
        }
        for split in &pack.splits {
            let files = split.files.iter().map(|file| &file.file).chain([&split.manifest]);
            for file in files {
                InsidePath::of_name(file)
                    .map_err(|why| format!("{file:?} is no name of a file in it: {why}"))?;
            }
        }
        Ok(pack)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pack_names_files_directly_in_it_and_nothing_else() {
        let mut pack = PackFile::new("1", Form::Shards, 7, Some("8x8:cover".to_owned()));
        let files = vec![ContainerFile { file: "train-00000.tar".to_owned(), images: 3 }];
        let (split, manifest) = ("train".to_owned(), "train-manifest.csv".to_owned());
        pack.splits.push(PackedSplit { split, images: 3, manifest, files });
        let text = serde_json::to_string(&pack).unwrap();
        assert_eq!(PackFile::parse(&text).as_ref(), Ok(&pack));
        for (what, instead) in [
            ("mint-sieve/pack/1", "mint-sieve/pack/9"),
            ("train-00000.tar", "../train.tar"),
            ("train-00000.tar", "/etc/passwd"),
            ("train-00000.tar", ".."),
            ("train-00000.tar", "a/b.tar"),
            ("train-manifest.csv", ""),
            ("shards", "sharts"),
            ("\"images\":3", "\"images\":-3"),
        ] {
            assert!(PackFile::parse(&text.replacen(what, instead, 1)).is_err(), "{instead}");
        }
        assert!(Form::ALL.iter().all(|form| {
            serde_json::to_value(form).is_ok_and(|written| written == form.name())
        }));
    }
}
