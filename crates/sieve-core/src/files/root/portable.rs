//! Folders as paths, for systems whose standard library has no handles of folders: every part of a path is looked at
//! before it is used.

use std::fs::{self, File, Metadata};
use std::io;
use std::path::{Path, PathBuf};

use super::{FileFacts, FileKind};
use crate::files::{InsidePath, Stamp};

/// The place of a folder.
#[derive(Debug)]
pub struct Folder(PathBuf);

#[allow(dead_code)] // where handles are used, the tests call some of it only
impl Folder {
    pub fn open(path: &Path) -> io::Result<Self> {
        match fs::metadata(path)?.is_dir() {
            true => Ok(Folder(path.canonicalize()?)),
            false => Err(io::ErrorKind::NotADirectory.into()),
        }
    }

    /// The whole path, after making sure that the folders on the way are no links.
    fn whole(&self, path: &InsidePath) -> io::Result<PathBuf> {
        let mut whole = self.0.clone();
        let mut names = path.names().peekable();
        while let Some(name) = names.next() {
            whole.push(name);
            if names.peek().is_some() && !fs::symlink_metadata(&whole)?.is_dir() {
                return Err(io::ErrorKind::NotADirectory.into());
            }
        }
        Ok(whole)
    }

    /// The same of something that is there and is of this kind.
    fn of_kind(&self, path: &InsidePath, wanted: FileKind) -> io::Result<PathBuf> {
        let whole = self.whole(path)?;
        let found = kind(&fs::symlink_metadata(&whole)?);
        match found == wanted {
            true => Ok(whole),
            false => Err(io::Error::other("it is not a regular file or folder")),
        }
    }

    /// The same of something that is not there.
    fn free(&self, path: &InsidePath) -> io::Result<PathBuf> {
        let whole = self.whole(path)?;
        match fs::symlink_metadata(&whole) {
            Ok(_) => Err(io::ErrorKind::AlreadyExists.into()),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(whole),
            Err(error) => Err(error),
        }
    }

    pub fn folder(&self, path: &InsidePath) -> io::Result<Folder> {
        Ok(Folder(self.of_kind(path, FileKind::Folder)?))
    }

    pub fn own_facts(&self) -> io::Result<FileFacts> {
        Ok(facts(&fs::symlink_metadata(&self.0)?))
    }

    pub fn facts(&self, path: &InsidePath) -> io::Result<FileFacts> {
        Ok(facts(&fs::symlink_metadata(self.whole(path)?)?))
    }

    pub fn read(&self, path: &InsidePath) -> io::Result<File> {
        File::open(self.of_kind(path, FileKind::File)?)
    }

    pub fn edit(&self, path: &InsidePath) -> io::Result<File> {
        File::options().read(true).write(true).open(self.of_kind(path, FileKind::File)?)
    }

    pub fn create(&self, path: &InsidePath) -> io::Result<File> {
        File::options().read(true).write(true).create_new(true).open(self.whole(path)?)
    }

    pub fn create_folder(&self, path: &InsidePath) -> io::Result<()> {
        fs::create_dir(self.whole(path)?)
    }

    pub fn create_link(&self, target: &Path, path: &InsidePath) -> io::Result<()> {
        #[cfg(unix)]
        return std::os::unix::fs::symlink(target, self.free(path)?);
        #[cfg(windows)]
        return std::os::windows::fs::symlink_file(target, self.free(path)?);
        #[cfg(not(any(unix, windows)))]
        Err(io::ErrorKind::Unsupported.into())
    }

    pub fn link_target(&self, path: &InsidePath) -> io::Result<PathBuf> {
        fs::read_link(self.whole(path)?)
    }

    pub fn rename_new(&self, from: &InsidePath, other: &Folder, to: &InsidePath) -> io::Result<()> {
        fs::rename(self.whole(from)?, other.free(to)?)
    }

    pub fn rename_folder(
        &self,
        from: &InsidePath,
        other: &Folder,
        to: &InsidePath,
    ) -> io::Result<()> {
        let to = other.whole(to)?;
        match fs::symlink_metadata(&to) {
            Ok(facts) if facts.is_dir() => fs::remove_dir(&to)?,
            Ok(_) => return Err(io::ErrorKind::AlreadyExists.into()),
            Err(_) => {}
        }
        fs::rename(self.of_kind(from, FileKind::Folder)?, to)
    }

    pub fn link_into(&self, from: &InsidePath, other: &Folder, to: &InsidePath) -> io::Result<()> {
        fs::hard_link(self.of_kind(from, FileKind::File)?, other.free(to)?)
    }

    pub fn remove_file(&self, path: &InsidePath) -> io::Result<()> {
        fs::remove_file(self.whole(path)?)
    }

    pub fn remove_folder(&self, path: &InsidePath) -> io::Result<()> {
        fs::remove_dir(self.of_kind(path, FileKind::Folder)?)
    }

    pub fn entries(&self) -> io::Result<Vec<(InsidePath, FileKind)>> {
        let entry = |entry: io::Result<fs::DirEntry>| {
            let entry = entry?;
            let path =
                InsidePath::of_name(entry.file_name()).map_err(|_| io::ErrorKind::InvalidData)?;
            Ok((path, kind(&fs::symlink_metadata(entry.path())?)))
        };
        fs::read_dir(&self.0)?.map(entry).collect()
    }

    pub fn as_file(&self) -> io::Result<File> {
        File::open(&self.0)
    }
}

fn kind(facts: &Metadata) -> FileKind {
    match facts.file_type() {
        kind if kind.is_file() => FileKind::File,
        kind if kind.is_dir() => FileKind::Folder,
        kind if kind.is_symlink() => FileKind::Link,
        _ => FileKind::Other,
    }
}

fn facts(found: &Metadata) -> FileFacts {
    let Stamp { size_bytes, modified_ns, changed_ns } = Stamp::from_metadata(found);
    FileFacts { kind: kind(found), size_bytes, device: 0, inode: 0, modified_ns, changed_ns }
}
