//! CONFIGURATION: how one collection is read and judged: what was typed, over what its settings file says, over the
//! defaults. What was typed stays what it was.

use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use sieve_core::collection::{
    ClassDepth, Columns, LayoutOptions, Pattern, Request, Root, SplitFolders,
};
use sieve_core::objects::{ListedStores, ObjectStores};
use sieve_core::reading::{MemoryBudget, ReadLimits};

use crate::args::ReadingArgs;
use crate::failure::Failure;
use crate::object_storage::Access;
use crate::settings::Settings;
use crate::{machine, object_storage, progress, writing};

/// All that decides how a collection is read.
pub struct CollectionConfig {
    /// Where it is.
    pub roots: Vec<Root>,
    /// Which folders are splits; none where nobody said.
    pub splits: Option<SplitFolders>,
    /// Which folders are classes; none where nobody said.
    pub class_depth: Option<ClassDepth>,
    /// The pattern that the names of files hold labels by.
    pub label_from: Option<Pattern>,
    /// What a table's columns are called, where not as usual.
    pub columns: Option<Columns>,
    /// The folder that a table's paths begin at.
    pub images: Option<PathBuf>,
    /// The table that says which file is in which split.
    pub splits_from: Option<PathBuf>,
    /// Whether links are followed.
    pub follow_links: bool,
    /// What one image may cost, in the units of `READ_LIMITS`.
    pub limit_units: [u64; 4],
    /// The settings file that was named.
    pub named_settings: Option<PathBuf>,
    /// What the settings file says.
    pub settings: Settings,
    /// How buckets are reached.
    pub access: Access,
    /// The file that lists the bucket.
    pub listing: Option<PathBuf>,
    memory: MemoryBudget,
}

impl CollectionConfig {
    /// The configuration of the collection at `roots`; fails when its settings file is wrong.
    pub fn resolve(roots: &[Root], typed: &ReadingArgs) -> Result<Self, Failure> {
        let settings = Settings::load(roots, typed.config.as_deref())?;
        Ok(CollectionConfig {
            roots: roots.to_vec(),
            splits: typed.splits.clone().or_else(|| settings.splits.clone()),
            class_depth: typed.class_depth,
            label_from: typed.label_from.clone(),
            columns: typed.columns.clone(),
            images: typed.images.clone(),
            splits_from: typed.splits_from.clone(),
            follow_links: typed.follow_links,
            limit_units: [typed.max_megapixels, typed.max_decoded, typed.max_file, typed.max_work],
            named_settings: typed.config.clone(),
            settings,
            access: typed.buckets.access(),
            listing: None,
            memory: memory_of_the_run(typed.max_memory),
        })
    }

    /// What one image may cost.
    pub fn read_limits(&self) -> ReadLimits {
        ReadLimits {
            memory: self.memory.clone(),
            stopped: progress::is_stopped,
            ..ReadLimits::of_units(self.limit_units)
        }
    }

    /// How buckets are reached and listed.
    fn stores(&self) -> Option<Arc<dyn ObjectStores>> {
        let stores = object_storage::stores(&self.access)?;
        Some(match &self.listing {
            Some(listing) => Arc::new(ListedStores { stores, listing: listing.clone() }),
            None => stores,
        })
    }

    /// What the core is asked for.
    pub fn request(&self) -> Request {
        Request {
            roots: self.roots.clone(),
            buckets: self.stores(),
            follow_links: self.follow_links,
            options: LayoutOptions {
                splits: self.splits.clone().unwrap_or_default(),
                class_depth: self.class_depth,
                label_from: self.label_from.clone(),
                columns: self.columns.clone().unwrap_or_default(),
                images: self.images.clone(),
            },
        }
    }

    /// Refuses an output inside of the collection: it is only read.
    pub fn refuse_inside(&self, output: &Path) -> Result<(), Failure> {
        let roots = self.roots.iter().map(|root| root.path.as_path());
        roots
            .chain(self.images.as_deref())
            .try_for_each(|root| writing::refuse_inside(root, output))
    }
}

/// One for all collections of a run: they are read by the same threads.
fn memory_of_the_run(most_mib: Option<u64>) -> MemoryBudget {
    static MEMORY: OnceLock<MemoryBudget> = OnceLock::new();
    let most_mib = most_mib.unwrap_or_else(machine::image_memory_mib);
    MEMORY.get_or_init(|| MemoryBudget::new(most_mib.saturating_mul(1 << 20))).clone()
}
