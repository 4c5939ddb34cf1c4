//! How `pack` was requested, as its answer and the data sheet repeat it.

use std::path::PathBuf;

use sieve_core::pack::Form;

use crate::args::{Allowance, PackArgs};
use crate::packing::{Encoding, ManifestFormat};
use crate::writing::Link;

/// What decides the bytes of a pack, and where it goes.
#[derive(Clone, Debug)]
pub struct PackRequest {
    /// The new folder.
    pub to: PathBuf,
    /// How images are packed.
    pub form: Form,
    /// How files come into a tree.
    pub link: Link,
    /// The frame as it was typed.
    pub frame: Option<String>,
    /// How frames are stored.
    pub encoding: Encoding,
    /// Whether arrays have channels before rows.
    pub channels_first: bool,
    /// Bytes of a shard, at most.
    pub shard_bytes: u64,
    /// The seed of the order in shards.
    pub seed: u64,
    /// The earlier class index.
    pub class_index: Option<PathBuf>,
    /// The format of the manifests.
    pub manifest: ManifestFormat,
    /// Whether channel statistics are computed.
    pub has_statistics: bool,
    /// Images of a batch.
    pub batch: u64,
    /// What is packed all the same.
    pub allow: Vec<Allowance>,
}

impl From<&PackArgs> for PackRequest {
    fn from(args: &PackArgs) -> Self {
        let mut allow = args.allow.clone();
        allow.sort_unstable();
        allow.dedup();
        PackRequest {
            to: args.to.clone(),
            form: args.form,
            link: args.link,
            frame: args.frame.clone(),
            encoding: args.encoding,
            channels_first: args.channels_first,
            shard_bytes: args.shard_size,
            seed: args.seed,
            class_index: args.class_index.clone(),
            manifest: args.manifest,
            has_statistics: !args.no_statistics,
            batch: args.batch,
            allow,
        }
    }
}

impl PackRequest {
    /// The options that decide the bytes of the pack, as words of a command.
    pub fn words(&self) -> Vec<String> {
        let mut words = vec!["--as".to_owned(), self.form.name().to_owned()];
        let mut put = |option: &str, value: String| words.extend([option.to_owned(), value]);
        if let Some(frame) = &self.frame {
            put("--frame", frame.clone());
            if self.encoding == Encoding::Png {
                put("--encoding", "png".to_owned());
            }
        }
        if self.form == Form::Shards {
            put("--shard-size", format!("{}MB", self.shard_bytes as f64 / 1e6));
            put("--seed", self.seed.to_string());
        }
        if let Some(file) = &self.class_index {
            put("--class-index", file.display().to_string());
        }
        if self.manifest != ManifestFormat::Csv {
            put("--manifest", self.manifest.extension().to_owned());
        }
        put("--batch", self.batch.to_string());
        if !self.allow.is_empty() {
            let names: Vec<&str> = self.allow.iter().map(|one| one.name()).collect();
            put("--allow", names.join(","));
        }
        words.extend(self.channels_first.then(|| "--channels-first".to_owned()));
        words.extend((!self.has_statistics).then(|| "--no-statistics".to_owned()));
        words
    }
}
