//! The folders of a split: `split/class/picture`.

use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use sieve_core::measuring::Digest;
use sieve_core::progress::Watch;
use sieve_core::splitting::{Assigned, Assignment};

use crate::failure::{Exit, Failure};

/// How pictures come into the tree.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub enum Link {
    /// As copies
    #[default]
    Copy,
    /// As hard links: no space is used, the same file system is needed
    Hard,
    /// As symbolic links to where the pictures are
    Soft,
}

/// Writes every picture of `assignment` below `to` as `part/class/picture`, each as it was measured.
pub fn write_tree(
    root: &Path,
    assignment: &Assignment<'_>,
    parts: &[String],
    to: &Path,
    link: Link,
    watch: &dyn Watch,
) -> Result<(), Failure> {
    watch.begin("writing pictures", Some(assignment.images.len() as u64));
    let absolute = root.canonicalize().map_err(|error| failed(root, &error))?;
    // Folders first, one thread: the files then only need their parents.
    for part in parts {
        make_folder(&to.join(part))?;
    }
    for image in &assignment.images {
        make_folder(target(to, parts, image).parent().unwrap_or(to))?;
    }
    assignment.images.par_iter().try_for_each(|image| {
        if watch.stopped() {
            return Err(sieve_core::Error::Interrupted.into());
        }
        let source = absolute.join(image.record.path.native());
        let target = target(to, parts, image);
        match link {
            Link::Copy => copy(&source, &target, image)?,
            Link::Hard => hard_link(&source, &target, image)?,
            Link::Soft => soft_link(&source, &target).map_err(|error| failed(&target, &error))?,
        }
        watch.advance(1);
        Ok(())
    })
}

fn target(to: &Path, parts: &[String], image: &Assigned<'_>) -> PathBuf {
    to.join(&parts[image.part]).join(image.record.path.native())
}

fn make_folder(folder: &Path) -> Result<(), Failure> {
    fs::create_dir_all(folder).map_err(|error| failed(folder, &error))
}

/// Copies what was measured, or nothing.
fn copy(source: &Path, target: &Path, image: &Assigned<'_>) -> Result<(), Failure> {
    let bytes = fs::read(source).map_err(|error| failed(source, &error))?;
    if Digest::of(&bytes) != image.digest {
        return Err(changed(image));
    }
    fs::write(target, &bytes).map_err(|error| failed(target, &error))?;
    // When a picture was taken is often known by its file's time alone.
    if let Ok(modified) = fs::metadata(source).and_then(|facts| facts.modified())
        && let Ok(file) = fs::File::options().write(true).open(target)
        && let Err(error) = file.set_modified(modified)
    {
        tracing::debug!(path = image.record.path.as_str(), %error, "time not kept");
    }
    Ok(())
}

fn hard_link(source: &Path, target: &Path, image: &Assigned<'_>) -> Result<(), Failure> {
    let bytes = fs::read(source).map_err(|error| failed(source, &error))?;
    if Digest::of(&bytes) != image.digest {
        return Err(changed(image));
    }
    // A link to a link would be a soft one.
    let source = source.canonicalize().map_err(|error| failed(source, &error))?;
    fs::hard_link(&source, target).map_err(|error| match error.kind() {
        ErrorKind::CrossesDevices => failed(target, &error)
            .hint("Hard links need the pictures on the same disk. Use --link soft or copies."),
        _ => failed(target, &error),
    })
}

#[cfg(unix)]
fn soft_link(source: &Path, target: &Path) -> std::io::Result<()> {
    std::os::unix::fs::symlink(source, target)
}

#[cfg(windows)]
fn soft_link(source: &Path, target: &Path) -> std::io::Result<()> {
    std::os::windows::fs::symlink_file(source, target)
}

fn changed(image: &Assigned<'_>) -> Failure {
    let message = format!("{} changed while it was being split", image.record.path);
    Failure {
        exit: Exit::InputOutput,
        message,
        hint: Some("Nothing was kept. Run it again.".into()),
    }
}

fn failed(path: &Path, error: &std::io::Error) -> Failure {
    Failure::output(format!("{}: {error}", path.display()))
}
