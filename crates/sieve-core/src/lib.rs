//! What Mint Sieve knows about a folder-per-class image collection.
//!
//! What happens to your images, in order:
//!
//! 1. [`collection`] lists the files of a folder, archive or table and says which class and split
//!    each belongs to. Nothing is decoded.
//! 2. [`reading`] decodes one file's bytes, checked: limits first, then every byte of the image.
//! 3. [`measuring`] turns one file into what is worth remembering of it: digests, facts, measures,
//!    fingerprint, thumbnail.
//! 4. [`catalog`] holds one record per file, and [`store`] keeps them on disk, so that no file is
//!    read twice. Everything below reads only the catalog.
//! 5. [`inventory`] counts, [`duplicates`] groups copies, [`balance`] says how the images are
//!    spread, [`leakage`] what is wrong between splits; [`checks`] turn all of it into [`finding`]s,
//!    and [`audit`] runs them all.
//! 6. [`splitting`] assigns every image to train, validation or test.
//! 7. [`sampling`] picks images to look at; [`augment`] shows what a policy does to their pixels.
//! 8. [`trial`] trains a small [`learner`] to compare policies.
//! 9. [`pack`] computes what a training run is handed.
//! 10. [`review`] says what wrong predictions tell about the data.
//!
//! The library prints nothing, reads no arguments and no environment, and starts no thread pool
//! of its own: it works in whichever `rayon` pool it is called from. The same collection, settings
//! and seed give the same answer on any number of threads.
//!
//! ```no_run
//! use sieve_core::{audit, catalog, collection, duplicates, limits, progress};
//!
//! let request = collection::Request::at("herbs");
//! let collection = collection::open(&request, &collection::NoCache, &progress::NoProgress)?;
//! let catalog = catalog::measure(collection, &Default::default(), None, &progress::NoProgress)?;
//! let here = [duplicates::CollectionRef { catalog: &catalog, store: None, limits: &Default::default() }];
//! let found = duplicates::find(&here, &Default::default(), &progress::NoProgress)?;
//! let audit = audit::audit(&catalog, &found, &limits::FindingLimits::default(), &[]);
//! for finding in &audit.findings {
//!     println!("{}: {}", finding.code.as_str(), finding.message);
//! }
//! assert_eq!(audit.inventory.files, audit.inventory.images + audit.inventory.set_aside);
//! # Ok::<(), sieve_core::Error>(())
//! ```
#![deny(clippy::print_stdout, clippy::print_stderr)]

mod affine;
pub mod appearance;
pub mod attributes;
pub mod audit;
pub mod augment;
pub mod balance;
pub mod bounded_read;
pub mod catalog;
pub mod catalog_table;
pub mod checks;
pub mod collection;
pub mod confusion;
pub mod coverage;
pub mod csv_escape;
pub mod difference;
pub mod disjoint_sets;
pub mod duplicates;
mod error;
pub mod files;
pub mod finding;
pub mod independent;
pub mod inventory;
pub mod leakage;
pub mod learner;
pub mod likeness;
pub mod limits;
pub mod measuring;
pub mod numeric;
pub mod objects;
pub mod ordering;
pub mod outliers;
pub mod pack;
mod parquet_table;
pub mod progress;
pub mod reading;
pub mod record;
mod rect;
pub mod repair;
pub mod replay;
pub mod review;
pub mod sampling;
mod seeded_order;
pub mod separated;
pub mod shortcuts;
pub mod splitting;
pub mod statistics;
pub mod store;
pub mod suggest;
pub mod suppression;
pub mod trial;
pub mod vectors;

#[cfg(test)]
mod tests;

pub use error::{Error, io_reason};
