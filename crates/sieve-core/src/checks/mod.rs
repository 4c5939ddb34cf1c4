//! CHECKS: what is known of a collection to findings. Each file is one subject; each function returns
//! the findings of its subject and nothing else.

mod balance;
mod classes;
mod copies;
mod images;
mod integrity;
mod leakage;
mod names;
mod placement;
mod shortcuts;
mod spelling;

pub use balance::{associations, balance};
pub use classes::classes;
pub use copies::copies;
pub use images::images;
pub use integrity::integrity;
pub use leakage::leakage;
pub use names::names;
pub use placement::placement;
pub use shortcuts::shortcuts;

#[cfg(test)]
mod tests;

/// A number with the word for what is counted.
fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}

/// A share as people read it.
fn percent(share: f64) -> String {
    let percent = share * 100.0;
    if percent > 0.0 && percent < 9.95 {
        format!("{percent:.1}%")
    } else {
        format!("{percent:.0}%")
    }
}
