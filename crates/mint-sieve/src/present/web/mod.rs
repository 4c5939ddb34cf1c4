//! WEB: what all pages are made of: one look, pictures inside of them, addresses of files, and what may run.

mod addresses;
mod allowed;
mod pictures;

pub use addresses::Addresses;
pub use allowed::source_of_page;
pub use pictures::{base64, jpeg};

/// Colours, letters and space of all pages.
pub const LOOK: &str = include_str!("look.css");
