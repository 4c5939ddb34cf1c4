//! Which images `sheet` draws, and how.

use std::path::PathBuf;

use sieve_core::finding::Code;
use sieve_core::ordering::Order;

use crate::args::SheetArgs;

/// Which images `sheet` draws, and how.
#[derive(Clone, Debug)]
pub struct SheetRequest {
    /// The file; none if it is only shown.
    pub out: Option<PathBuf>,
    /// Images of each class; none for as many as fit.
    pub per_class: Option<u32>,
    /// Whether splits are kept apart.
    pub by_split: bool,
    /// The classes; none for all.
    pub classes: Vec<String>,
    /// Whether all images are drawn, page by page.
    pub all: bool,
    /// Codes of findings whose images are drawn.
    pub codes: Vec<Code>,
    /// A plan whose images are drawn.
    pub plan: Option<PathBuf>,
    /// Whether paths were read from standard input.
    pub by_paths: bool,
    /// The order of the images.
    pub order: Order,
    /// The seed of the random order.
    pub seed: u64,
    /// Whether each class has one row.
    pub side_by_side: bool,
    /// Whether the mean of each class is drawn.
    pub mean: bool,
    /// The page, from 1.
    pub page: u32,
    /// Width and height of a page in pixels.
    pub size_px: (u32, u32),
    /// Images in a row; none for as many as stay recognisable.
    pub across: Option<u32>,
    /// Whether thumbnails of the catalog are drawn.
    pub from_thumbnails: bool,
}

impl From<&SheetArgs> for SheetRequest {
    fn from(args: &SheetArgs) -> Self {
        SheetRequest {
            out: args.out.clone(),
            per_class: args.per_class,
            by_split: args.by_split,
            classes: args.classes.clone(),
            all: args.all,
            codes: args.codes.clone(),
            plan: args.plan.clone(),
            by_paths: args.paths,
            order: args.order,
            seed: args.seed,
            side_by_side: args.side_by_side,
            mean: args.mean,
            page: args.page,
            size_px: args.size,
            across: args.across,
            from_thumbnails: args.from_thumbnails,
        }
    }
}
