//! What a file has besides its content: owner, rights, times and extended attributes, access lists among them.

use std::fs::File;
use std::io;

/// Gives `target` what `source` has, as far as the system permits: who copies files of others need not be allowed to give
/// them away, and not every file system stores everything.
///
/// # Errors
///
/// Only when `source` cannot be looked at.
#[cfg(unix)]
pub fn copy(source: &File, target: &File) -> io::Result<()> {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};

    use rustix::fs::{Gid, Timespec, Timestamps, Uid, fchown, futimens};

    let (from, to) = (source.metadata()?, target.metadata()?);
    let owner = (from.uid() != to.uid()).then(|| Uid::from_raw(from.uid()));
    let group = (from.gid() != to.gid()).then(|| Gid::from_raw(from.gid()));
    let is_own = (owner.is_none() && group.is_none()) || fchown(target, owner, group).is_ok();
    // With another owner a program that runs as its owner would be another program.
    let mode = from.mode() & if is_own { 0o7777 } else { 0o777 };
    if mode != to.mode() & 0o7777 {
        unkept("rights", target.set_permissions(PermissionsExt::from_mode(mode)));
    }
    #[cfg(target_os = "linux")]
    unkept("extended attributes", copy_extended(source, target).map_err(io::Error::from));
    // Last, since everything before changes them.
    let time =
        |seconds: i64, nanoseconds: i64| Timespec { tv_sec: seconds, tv_nsec: nanoseconds as _ };
    let times = Timestamps {
        last_access: time(from.atime(), from.atime_nsec()),
        last_modification: time(from.mtime(), from.mtime_nsec()),
    };
    unkept("times", futimens(target, &times).map_err(io::Error::from));
    Ok(())
}

/// The same where only times and the right to write are known.
#[cfg(not(unix))]
pub fn copy(source: &File, target: &File) -> io::Result<()> {
    let from = source.metadata()?;
    if let Ok(modified) = from.modified() {
        unkept("times", target.set_modified(modified));
    }
    unkept("rights", target.set_permissions(from.permissions()));
    Ok(())
}

#[cfg(target_os = "linux")]
fn copy_extended(source: &File, target: &File) -> rustix::io::Result<()> {
    use rustix::fs::{XattrFlags, fgetxattr, flistxattr, fsetxattr};

    // `XATTR_LIST_MAX` and `XATTR_SIZE_MAX` of Linux.
    const MOST_BYTES: usize = 1 << 16;
    let mut names = [0u8; 1024];
    let mut more = Vec::new();
    let names: &[u8] = match flistxattr(source, &mut names[..]) {
        Ok(length) => &names[..length],
        Err(rustix::io::Errno::RANGE) => {
            more.resize(MOST_BYTES, 0);
            let length = flistxattr(source, &mut more[..])?;
            &more[..length]
        }
        // The file system has none.
        Err(rustix::io::Errno::NOTSUP) => return Ok(()),
        Err(error) => return Err(error),
    };
    let mut failed = Ok(());
    for name in names.split(|&byte| byte == 0).filter(|name| !name.is_empty()) {
        let mut value = vec![0u8; MOST_BYTES];
        let copied = fgetxattr(source, name, &mut value[..])
            .and_then(|length| fsetxattr(target, name, &value[..length], XattrFlags::empty()));
        failed = failed.and(copied);
    }
    failed
}

/// What is not kept is no reason to fail.
fn unkept(what: &str, done: io::Result<()>) {
    if let Err(error) = done {
        tracing::debug!(what, %error, "not kept");
    }
}

/// Writes `bytes` into an empty file; with holes for its long stretches of zeros where `source` has holes itself.
pub fn write_like(source: Option<&File>, target: &mut File, bytes: &[u8]) -> io::Result<()> {
    use std::io::{Seek, SeekFrom, Write};
    /// The size of what file systems leave out.
    const BLOCK: usize = 4096;
    if !source.is_some_and(|source| has_holes(source, bytes.len())) {
        return target.write_all(bytes);
    }
    for block in bytes.chunks(BLOCK) {
        match block.iter().all(|&byte| byte == 0) {
            true => _ = target.seek(SeekFrom::Current(block.len() as i64))?,
            false => target.write_all(block)?,
        }
    }
    target.set_len(bytes.len() as u64)
}

#[cfg(unix)]
fn has_holes(file: &File, bytes: usize) -> bool {
    use std::os::unix::fs::MetadataExt;
    // Blocks of 512 bytes, whatever the file system uses.
    file.metadata().is_ok_and(|facts| facts.blocks().saturating_mul(512) < bytes as u64)
}

#[cfg(not(unix))]
fn has_holes(_: &File, _: usize) -> bool {
    false
}
