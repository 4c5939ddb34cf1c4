//! WEB: what all pages are made of: one look, images inside of them, addresses of files, and what may run.

mod addresses;
mod allowed;
mod case;
mod data;
mod image_registry;
mod pictures;
mod templates;

pub use addresses::Addresses;
pub use allowed::source_of_page;
pub use case::Case;
pub use data::{Decisions, data};
pub use image_registry::{ImageRegistry, thumbnail};
pub use pictures::{base64, jpeg};
pub use templates::filled;
#[cfg(test)]
pub use templates::tests::unescaped;

use std::path::Path;

use crate::failure::Failure;

/// Whether a file of this name is a page for browsers.
pub fn is_page(out: &Path) -> bool {
    let ending = out.extension().map(|ending| ending.to_ascii_lowercase());
    ending.is_some_and(|ending| ending == "html" || ending == "htm")
}

/// Refuses a name, given with `--out`, under which browsers would not show `what` as a page.
pub fn refuse_other_formats(what: &str, out: &Path) -> Result<(), Failure> {
    if is_page(out) {
        return Ok(());
    }
    let message =
        format!("--out {}: {what} is a page; expected a name that ends in .html", out.display());
    let named = out.with_extension("html");
    Err(Failure::call(message).hint(format!("Did you mean {}?", named.display())))
}

/// Colours, letters and space of all pages.
pub const LOOK: &str = include_str!("look.css");

/// What pages add to that on which images are decided.
pub const DECISIONS_STYLE: &str = include_str!("decisions.css");

/// What such pages do.
pub const DECISIONS_SCRIPT: &str = include_str!("decisions.js");
