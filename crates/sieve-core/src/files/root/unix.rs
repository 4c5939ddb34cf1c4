//! Folders as handles of the system.

use std::ffi::OsStr;
use std::fs::File;
use std::io;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use rustix::fs::{self, AtFlags, Dir, FileType, Mode, OFlags, Stat};

use super::{FileFacts, FileKind};
use crate::files::InsidePath;

/// What opens a folder only to reach what is below it.
const FOLDER: OFlags = OFlags::DIRECTORY.union(OFlags::CLOEXEC).union(OFlags::NOFOLLOW);
/// What opens a file: a pipe or a terminal must neither block nor take control.
const FILE: OFlags =
    OFlags::CLOEXEC.union(OFlags::NOFOLLOW).union(OFlags::NONBLOCK).union(OFlags::NOCTTY);
/// As any other new file or folder; the system takes away what the user's mask forbids.
const NEW_FILE: Mode = Mode::from_raw_mode(0o666);
const NEW_FOLDER: Mode = Mode::from_raw_mode(0o777);

/// The handle of a folder.
#[derive(Debug)]
pub struct Folder {
    handle: OwnedFd,
    /// Whether every name is opened by itself, as on systems without `openat2`.
    is_step_by_step: bool,
}

impl Folder {
    pub fn open(path: &Path) -> io::Result<Self> {
        let flags = OFlags::DIRECTORY | OFlags::CLOEXEC;
        let handle = fs::open(path, flags, Mode::empty())?;
        Ok(Folder { handle, is_step_by_step: !cfg!(target_os = "linux") })
    }

    #[cfg(test)]
    pub fn step_by_step(self) -> Self {
        Folder { is_step_by_step: true, ..self }
    }

    /// Opens what is at `path` without following any link.
    fn beneath(&self, path: &Path, flags: OFlags, mode: Mode) -> io::Result<OwnedFd> {
        #[cfg(target_os = "linux")]
        if !self.is_step_by_step {
            use fs::ResolveFlags;
            use rustix::io::Errno;
            let resolve =
                ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
            match fs::openat2(&self.handle, path, flags, mode, resolve) {
                // Kernels before 5.6, sandboxes that forbid the call, and a rename at the same moment.
                Err(Errno::NOSYS | Errno::PERM | Errno::AGAIN) => {}
                opened => return Ok(opened?),
            }
        }
        let mut folder: Option<OwnedFd> = None;
        let mut names = path.iter().peekable();
        while let Some(name) = names.next() {
            let at = folder.as_ref().map_or(self.handle.as_fd(), AsFd::as_fd);
            let opened = match names.peek() {
                Some(_) => fs::openat(at, name, FOLDER, Mode::empty())?,
                None => return Ok(fs::openat(at, name, flags | OFlags::NOFOLLOW, mode)?),
            };
            folder = Some(opened);
        }
        Err(io::ErrorKind::InvalidInput.into())
    }

    /// The folder that holds `path`; none where that is this folder.
    fn parent(&self, path: &InsidePath) -> io::Result<Option<OwnedFd>> {
        let parent = path.as_path().parent().filter(|parent| !parent.as_os_str().is_empty());
        parent.map(|parent| self.beneath(parent, FOLDER, Mode::empty())).transpose()
    }

    /// Does `work` with the folder that holds `path` and the name in it.
    fn at<T>(
        &self,
        path: &InsidePath,
        work: impl FnOnce(std::os::fd::BorrowedFd<'_>, &OsStr) -> rustix::io::Result<T>,
    ) -> io::Result<T> {
        let parent = self.parent(path)?;
        let folder = parent.as_ref().map_or(self.handle.as_fd(), AsFd::as_fd);
        Ok(work(folder, path.file_name())?)
    }

    pub fn folder(&self, path: &InsidePath) -> io::Result<Folder> {
        let handle = self.beneath(path.as_path(), FOLDER, Mode::empty())?;
        Ok(Folder { handle, ..*self })
    }

    pub fn own_facts(&self) -> io::Result<FileFacts> {
        Ok(facts(&fs::fstat(&self.handle)?))
    }

    pub fn facts(&self, path: &InsidePath) -> io::Result<FileFacts> {
        let found =
            self.at(path, |folder, name| fs::statat(folder, name, AtFlags::SYMLINK_NOFOLLOW))?;
        Ok(facts(&found))
    }

    pub fn read(&self, path: &InsidePath) -> io::Result<File> {
        self.regular(path, OFlags::RDONLY)
    }

    pub fn edit(&self, path: &InsidePath) -> io::Result<File> {
        self.regular(path, OFlags::RDWR)
    }

    fn regular(&self, path: &InsidePath, flags: OFlags) -> io::Result<File> {
        let opened = self.beneath(path.as_path(), FILE | flags, Mode::empty())?;
        match FileType::from_raw_mode(fs::fstat(&opened)?.st_mode) {
            FileType::RegularFile => Ok(opened.into()),
            FileType::Directory => Err(io::ErrorKind::IsADirectory.into()),
            _ => Err(io::Error::other("it is not a regular file")),
        }
    }

    pub fn create(&self, path: &InsidePath) -> io::Result<File> {
        let flags = OFlags::RDWR | OFlags::CREATE | OFlags::EXCL | OFlags::CLOEXEC;
        Ok(self.beneath(path.as_path(), flags, NEW_FILE)?.into())
    }

    pub fn create_folder(&self, path: &InsidePath) -> io::Result<()> {
        self.at(path, |folder, name| fs::mkdirat(folder, name, NEW_FOLDER))
    }

    pub fn create_link(&self, target: &Path, path: &InsidePath) -> io::Result<()> {
        self.at(path, |folder, name| fs::symlinkat(target, folder, name))
    }

    pub fn link_target(&self, path: &InsidePath) -> io::Result<PathBuf> {
        let target = self.at(path, |folder, name| fs::readlinkat(folder, name, Vec::new()))?;
        Ok(PathBuf::from(OsStr::from_bytes(target.as_bytes())))
    }

    pub fn rename_new(&self, from: &InsidePath, other: &Folder, to: &InsidePath) -> io::Result<()> {
        self.at(from, |from_folder, from| {
            // What opening reports of the other path is an error of the system, too.
            let renamed = other.at(to, |to_folder, to| {
                #[cfg(any(target_os = "linux", target_vendor = "apple"))]
                {
                    use rustix::io::Errno;
                    let flags = fs::RenameFlags::NOREPLACE;
                    match fs::renameat_with(from_folder, from, to_folder, to, flags) {
                        // File systems that cannot: NFS, some of FUSE; and kernels before 3.15.
                        Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {}
                        renamed => return renamed,
                    }
                }
                let found = fs::statat(from_folder, from, AtFlags::SYMLINK_NOFOLLOW)?;
                if FileType::from_raw_mode(found.st_mode) == FileType::Directory {
                    // Folders have no second name. Making the target first takes the name, and an empty folder
                    // is all that a rename replaces.
                    fs::mkdirat(to_folder, to, NEW_FOLDER)?;
                    return fs::renameat(from_folder, from, to_folder, to);
                }
                fs::linkat(from_folder, from, to_folder, to, AtFlags::empty())?;
                fs::unlinkat(from_folder, from, AtFlags::empty())
            });
            Ok(renamed)
        })?
    }

    pub fn rename_folder(
        &self,
        from: &InsidePath,
        other: &Folder,
        to: &InsidePath,
    ) -> io::Result<()> {
        self.at(from, |from_folder, from| {
            Ok(other.at(to, |to_folder, to| fs::renameat(from_folder, from, to_folder, to)))
        })?
    }

    pub fn link_into(&self, from: &InsidePath, other: &Folder, to: &InsidePath) -> io::Result<()> {
        self.at(from, |from_folder, from| {
            let found = fs::statat(from_folder, from, AtFlags::SYMLINK_NOFOLLOW)?;
            if FileType::from_raw_mode(found.st_mode) != FileType::RegularFile {
                return Ok(Err(io::Error::other("it is not a regular file")));
            }
            Ok(other.at(to, |to_folder, to| {
                fs::linkat(from_folder, from, to_folder, to, AtFlags::empty())
            }))
        })?
    }

    pub fn remove_file(&self, path: &InsidePath) -> io::Result<()> {
        self.at(path, |folder, name| fs::unlinkat(folder, name, AtFlags::empty()))
    }

    pub fn remove_folder(&self, path: &InsidePath) -> io::Result<()> {
        self.at(path, |folder, name| fs::unlinkat(folder, name, AtFlags::REMOVEDIR))
    }

    pub fn entries(&self) -> io::Result<Vec<(InsidePath, FileKind)>> {
        let mut entries = Vec::new();
        for entry in Dir::read_from(&self.handle)? {
            let entry = entry?;
            let name = OsStr::from_bytes(entry.file_name().to_bytes());
            // `.` and `..` are no names of anything in it.
            let Ok(path) = InsidePath::of_name(name) else { continue };
            let kind = match entry.file_type() {
                FileType::Unknown => self.facts(&path)?.kind,
                known => kind(known),
            };
            entries.push((path, kind));
        }
        Ok(entries)
    }

    pub fn as_file(&self) -> io::Result<File> {
        let flags = OFlags::DIRECTORY | OFlags::CLOEXEC | OFlags::RDONLY;
        Ok(fs::openat(&self.handle, ".", flags, Mode::empty())?.into())
    }
}

fn kind(file_type: FileType) -> FileKind {
    match file_type {
        FileType::RegularFile => FileKind::File,
        FileType::Directory => FileKind::Folder,
        FileType::Symlink => FileKind::Link,
        _ => FileKind::Other,
    }
}

#[allow(clippy::unnecessary_cast)] // the widths differ between systems
fn facts(found: &Stat) -> FileFacts {
    let time = |seconds: i64, nanoseconds: i64| {
        seconds.saturating_mul(1_000_000_000).saturating_add(nanoseconds)
    };
    FileFacts {
        kind: kind(FileType::from_raw_mode(found.st_mode)),
        size_bytes: found.st_size as u64,
        device: found.st_dev as u64,
        inode: found.st_ino as u64,
        modified_ns: time(found.st_mtime as i64, found.st_mtime_nsec as i64),
        changed_ns: time(found.st_ctime as i64, found.st_ctime_nsec as i64),
    }
}
