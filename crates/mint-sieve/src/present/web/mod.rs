//! WEB: what all pages are made of: one look, images inside of them, addresses of files, and what may run.

mod addresses;
mod allowed;
mod pictures;

pub use addresses::Addresses;
pub use allowed::source_of_page;
pub use pictures::{base64, jpeg};

use std::path::Path;

/// Whether a file of this name is a page for browsers.
pub fn is_page(out: &Path) -> bool {
    let ending = out.extension().map(|ending| ending.to_ascii_lowercase());
    ending.is_some_and(|ending| ending == "html" || ending == "htm")
}

/// Colours, letters and space of all pages.
pub const LOOK: &str = include_str!("look.css");
