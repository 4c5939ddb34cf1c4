//! Writing the whole demo collection.

mod file;
mod plan;

use std::fs;
use std::io;
use std::path::Path;

use rayon::prelude::*;

pub use plan::{Arrangement, Plan, plan};

/// Writes the files of `plan` below `root`, which is made. `painted` is told of each file, from
/// many threads; when it answers false, no more are painted.
///
/// # Errors
///
/// When a file cannot be written, or one is there already; `Interrupted` when `painted` stopped it.
pub fn write(root: &Path, plan: &Plan, painted: &(dyn Fn() -> bool + Sync)) -> io::Result<()> {
    for folder in &plan.folders {
        fs::create_dir_all(root.join(folder))?;
    }
    plan.files.par_iter().try_for_each(|(path, content)| {
        let mut file = fs::File::create_new(root.join(path))?;
        io::Write::write_all(&mut file, &content.bytes())?;
        if painted() { Ok(()) } else { Err(io::ErrorKind::Interrupted.into()) }
    })
}
