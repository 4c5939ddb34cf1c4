//! Where an output is built before it gets its name: a folder beside its place, which knows itself again.
//!
//! A run that is killed leaves this folder behind. A later run removes it only if a symbolic link in it says that it is the
//! very folder that was made under this random name: its numbers on the file system cannot be those of a copy, of what was
//! unpacked from an archive, or of a folder that happens to be called like this. A link, since that appears at once with all
//! that it says; it leads nowhere and is never followed. The folder is locked while its run lives; the system takes the lock
//! away with the run, however that ends. A run that is killed before it could write the link leaves an empty folder: that
//! goes if its name is one that only this module gives, since nothing is lost with it.

use std::fs::{self, File};
use std::hash::{BuildHasher, RandomState};
use std::io;
use std::path::{Path, PathBuf};

use sieve_core::files::{FileKind, InsidePath, Root};
use sieve_core::measuring::Digest;

use crate::console::warn;

/// How the names of these folders begin; random digits follow, and then some that are computed from those.
const PREFIX: &str = ".mint-sieve-";
/// How many of the digits are random, and how many computed.
const RANDOM_DIGITS: usize = 10;
const CHECK_DIGITS: usize = 6;
/// How often another name is tried: where one is taken, or another run removed the folder before it was locked.
const TRIES: usize = 100;
/// The link that says which folder it was made for.
const OWNER: &str = "owner";
/// What becomes the output: a file or a folder.
const CONTENT: &str = "content";
/// What a database keeps beside it while it is written.
const BESIDE_CONTENT: [&str; 3] = ["content-journal", "content-shm", "content-wal"];

/// A folder of this run beside an output.
#[derive(Debug)]
pub struct Staging {
    /// The folder that the output comes into.
    parent: Root,
    /// The name of this one in it.
    name: InsidePath,
    folder: Root,
    /// Holds the lock; none where the file system knows no locks.
    _lock: Option<File>,
}

fn inside(name: &str) -> InsidePath {
    InsidePath::of_name(name).expect("a fixed name")
}

impl Staging {
    /// Makes a folder in `parent`, after removing what killed runs left there.
    pub fn create(parent: &Path) -> io::Result<Self> {
        let parent = Root::open(parent)?;
        sweep(&parent);
        for _ in 0..TRIES {
            let random = format!("{:016x}", RandomState::new().hash_one(std::process::id()));
            let name = named(&random[..RANDOM_DIGITS]);
            match parent.create_folder(&name) {
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => continue,
                made => made?,
            }
            match claim(&parent, &name) {
                Ok((folder, lock)) => return Ok(Staging { parent, name, folder, _lock: lock }),
                // Another run took it for a leftover while it was empty.
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => {
                    let _ = parent.remove_folder(&name);
                    return Err(error);
                }
            }
        }
        Err(io::ErrorKind::AlreadyExists.into())
    }

    /// Lets nobody but the user look into the folder.
    pub fn make_private(&self) -> io::Result<()> {
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            fs::set_permissions(self.folder.path(), fs::Permissions::from_mode(0o700))?;
        }
        Ok(())
    }

    /// Makes the file that becomes the output.
    pub fn create_file(&self) -> io::Result<File> {
        self.folder.create(&inside(CONTENT))
    }

    /// The path of that file, for what writes it by name.
    pub fn file_path(&self) -> PathBuf {
        self.folder.path().join(CONTENT)
    }

    /// Makes the folder that becomes the output.
    pub fn create_folder(&self) -> io::Result<Root> {
        self.folder.create_folder(&inside(CONTENT))?;
        self.folder.folder(&inside(CONTENT))
    }

    /// Gives the file its name beside this folder; fails where anything has it.
    pub fn publish_file(&self, name: &InsidePath) -> io::Result<()> {
        self.folder.rename_into(&inside(CONTENT), &self.parent, name)
    }

    /// Gives the folder its name, which an empty folder may have.
    pub fn publish_folder(&self, name: &InsidePath) -> io::Result<()> {
        self.folder.rename_over_empty(&inside(CONTENT), &self.parent, name)
    }
}

impl Drop for Staging {
    fn drop(&mut self) {
        if let Err(error) = remove(&self.parent, &self.name, &self.folder) {
            tracing::debug!(folder = %self.folder.path().display(), %error, "not removed");
        }
    }
}

/// Locks a new folder, and writes into it whose it is.
fn claim(parent: &Root, name: &InsidePath) -> io::Result<(Root, Option<File>)> {
    let folder = parent.folder(name)?;
    // Locked before it can be known again, so that no other run takes it for a leftover.
    let lock = match folder.as_file() {
        Ok(file) => match file.try_lock() {
            Ok(()) => Some(file),
            // By a run that is about to remove it.
            Err(fs::TryLockError::WouldBlock) => return Err(io::ErrorKind::NotFound.into()),
            Err(fs::TryLockError::Error(_)) => None,
        },
        Err(_) => None,
    };
    match identity(name, &folder) {
        Ok(identity) => folder.create_link(&identity, &inside(OWNER))?,
        // Where folders have no numbers nothing left behind is ever removed.
        Err(error) if error.kind() == io::ErrorKind::Unsupported => {}
        Err(error) => return Err(error),
    }
    Ok((folder, lock))
}

/// The name of a folder with these random digits.
fn named(random: &str) -> InsidePath {
    let check = Digest::of_bytes(format!("mint-sieve-staging/{random}").as_bytes()).to_string();
    inside(&format!("{PREFIX}{random}{}", &check[..CHECK_DIGITS]))
}

/// Whether a folder's name is one that `named` gives.
fn is_ours(name: &InsidePath) -> bool {
    let digits = name.as_path().to_str().and_then(|name| name.strip_prefix(PREFIX));
    digits
        .and_then(|digits| digits.get(..RANDOM_DIGITS))
        .is_some_and(|random| named(random) == *name)
}

/// The name of a folder and its numbers. Nobody can write that for a folder that is yet to be made by copying or unpacking.
fn identity(name: &InsidePath, folder: &Root) -> io::Result<PathBuf> {
    let own = folder.own_facts()?;
    if own.inode == 0 {
        return Err(io::ErrorKind::Unsupported.into());
    }
    let name = name.as_path().display();
    Ok(PathBuf::from(format!("mint-sieve-staging/{name}/{}/{}", own.device, own.inode)))
}

/// Removes what killed runs left in `parent`, and says so.
fn sweep(parent: &Root) {
    for (name, kind) in parent.entries().unwrap_or_default() {
        let is_named_so =
            name.as_path().as_os_str().as_encoded_bytes().starts_with(PREFIX.as_bytes());
        if is_named_so && kind == FileKind::Folder && removed(parent, &name).unwrap_or(false) {
            let left = parent.path().join(name.as_path());
            warn(&format!("removed {}, left over from an interrupted run", left.display()));
        }
    }
}

/// Removes the folder `name` if a run made it that no longer lives.
fn removed(parent: &Root, name: &InsidePath) -> io::Result<bool> {
    let folder = parent.folder(name)?;
    let entries = folder.entries()?;
    let is_leftover = if entries.is_empty() {
        is_ours(name)
    } else {
        let known = [OWNER, CONTENT].iter().chain(&BESIDE_CONTENT);
        let known: Vec<InsidePath> = known.map(|name| inside(name)).collect();
        entries.iter().all(|(name, _)| known.contains(name))
            && folder.link_target(&inside(OWNER))? == identity(name, &folder)?
    };
    if !is_leftover {
        return Ok(false);
    }
    // Held until the folder is gone.
    let lock = folder.as_file()?;
    match lock.try_lock() {
        Ok(()) => {}
        // Its run lives; or the file system knows no locks, and then nobody can tell.
        Err(fs::TryLockError::WouldBlock | fs::TryLockError::Error(_)) => return Ok(false),
    }
    match entries.is_empty() {
        true => parent.remove_folder(name)?,
        false => remove(parent, name, &folder)?,
    }
    Ok(true)
}

/// Removes the things that a run puts into such a folder, and the folder.
fn remove(parent: &Root, name: &InsidePath, folder: &Root) -> io::Result<()> {
    match folder.facts(&inside(CONTENT)).map(|facts| facts.kind) {
        Ok(FileKind::Folder) => folder.remove_tree(&inside(CONTENT))?,
        Ok(_) => folder.remove_file(&inside(CONTENT))?,
        Err(_) => {}
    }
    for name in BESIDE_CONTENT {
        let _ = folder.remove_file(&inside(name));
    }
    match folder.remove_file(&inside(OWNER)) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
        _ => parent.remove_folder(name),
    }
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    #[test]
    fn only_what_a_killed_run_made_is_removed() {
        let all = tempfile::tempdir().unwrap();
        let leftover = |parent: &Path| {
            let staging = Staging::create(parent).unwrap();
            staging.create_folder().unwrap().create(&inside("half")).unwrap();
            let path = staging.folder.path().to_owned();
            let parent = Root::open(parent).unwrap();
            let name = staging.name.clone();
            // As a kill leaves it: nothing is removed, the lock is gone.
            let Staging { .. } = &staging;
            let unlocked = std::mem::ManuallyDrop::new(staging);
            unlocked._lock.as_ref().unwrap().unlock().unwrap();
            (path, parent, name)
        };
        // Another one at work at the same time is left alone.
        let alive = Staging::create(all.path()).unwrap();
        let (left, parent, _) = leftover(all.path());
        sweep(&parent);
        assert!(!left.exists() && alive.folder.path().exists());
        // One that was killed before it said whose it is; and an empty folder of somebody else.
        let unsaid = named("0123456789");
        parent.create_folder(&unsaid).unwrap();
        fs::create_dir(all.path().join(".mint-sieve-0123456789000000")).unwrap();
        sweep(&parent);
        assert!(!all.path().join(unsaid.as_path()).exists());
        // Folders of the same kind of name, a copy with the same link, and one with more in it.
        for name in [".mint-sieve-config", ".mint-sieve-0123456789abcdef"] {
            fs::create_dir_all(all.path().join(name).join(CONTENT)).unwrap();
            let claim = format!("mint-sieve-staging/{name}/1/1");
            std::os::unix::fs::symlink(claim, all.path().join(name).join(OWNER)).unwrap();
        }
        fs::write(all.path().join(".mint-sieve-backup"), "a file").unwrap();
        let (left, _, name) = leftover(all.path());
        let copy = all.path().join("elsewhere");
        fs::create_dir(&copy).unwrap();
        let copy = copy.join(name.as_path());
        fs::create_dir(&copy).unwrap();
        let claim = fs::read_link(left.join(OWNER)).unwrap();
        std::os::unix::fs::symlink(claim, copy.join(OWNER)).unwrap();
        fs::create_dir(copy.join(CONTENT)).unwrap();
        sweep(&Root::open(copy.parent().unwrap()).unwrap());
        assert!(copy.join(CONTENT).exists());
        fs::write(left.join("notes"), "mine").unwrap();
        std::os::unix::fs::symlink(&copy, all.path().join(".mint-sieve-fedcba9876543210")).unwrap();
        sweep(&parent);
        assert!(left.join("notes").exists() && copy.join(CONTENT).exists());
        assert!(all.path().join(".mint-sieve-config").join(CONTENT).exists());
        assert!(all.path().join(".mint-sieve-backup").exists());
        drop(alive);
        let names = fs::read_dir(all.path()).unwrap().count();
        assert_eq!(names, 7, "its own folder went with it");
    }
}
