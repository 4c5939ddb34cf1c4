//! A folder that is held open. Everything below it is reached from it, name by name, and no symbolic link is followed on
//! the way: whatever somebody else does to the names meanwhile, nothing outside is read, written, moved or removed.
//!
//! On Unix the operations are those that take the handle of a folder. Elsewhere each part of a path is looked at before it
//! is used, which leaves a moment in between.

#[cfg(any(not(unix), test))]
mod portable;
#[cfg(unix)]
mod unix;

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use super::InsidePath;

#[cfg(not(unix))]
use portable::Folder;
#[cfg(unix)]
use unix::Folder;

/// What something in a folder is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FileKind {
    /// A regular file.
    File,
    /// A folder.
    Folder,
    /// A symbolic link.
    Link,
    /// A pipe, socket or device.
    Other,
}

/// What the system knows of something in a folder; of a symbolic link, about the link.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FileFacts {
    /// What it is.
    pub kind: FileKind,
    /// Size in bytes.
    pub size_bytes: u64,
    /// The number of its file system; 0 where there is none.
    pub device: u64,
    /// Its number on that file system; 0 where there is none.
    pub inode: u64,
    /// When its content was last changed, in nanoseconds since 1970.
    pub modified_ns: i64,
    /// When its inode was last changed, in nanoseconds since 1970; 0 where there is no such time.
    pub changed_ns: i64,
}

impl FileFacts {
    /// What tells that the file is unchanged.
    pub fn stamp(&self) -> super::Stamp {
        super::Stamp {
            size_bytes: self.size_bytes,
            modified_ns: self.modified_ns,
            changed_ns: self.changed_ns,
        }
    }
}

/// An open folder.
#[derive(Debug)]
pub struct Root {
    folder: Folder,
    path: PathBuf,
}

impl Root {
    /// Opens the folder at `path`, which may itself be a symbolic link.
    ///
    /// # Errors
    ///
    /// When there is no folder, or it may not be opened.
    pub fn open(path: &Path) -> io::Result<Self> {
        Ok(Root { folder: Folder::open(path)?, path: path.to_owned() })
    }

    /// Where it was when it was opened, for messages.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Opens a folder below this one.
    ///
    /// # Errors
    ///
    /// When there is none, or a symbolic link is on the way.
    pub fn folder(&self, path: &InsidePath) -> io::Result<Root> {
        Ok(Root { folder: self.folder.folder(path)?, path: self.path.join(path.as_path()) })
    }

    /// What the system knows of the folder itself.
    ///
    /// # Errors
    ///
    /// When the system does not tell.
    pub fn own_facts(&self) -> io::Result<FileFacts> {
        self.folder.own_facts()
    }

    /// What the system knows of `path`.
    ///
    /// # Errors
    ///
    /// When nothing is there, or a symbolic link is on the way.
    pub fn facts(&self, path: &InsidePath) -> io::Result<FileFacts> {
        self.folder.facts(path)
    }

    /// Opens a regular file for reading.
    ///
    /// # Errors
    ///
    /// When there is none, something else is there, or a symbolic link is on the way or at the end of it.
    pub fn read(&self, path: &InsidePath) -> io::Result<File> {
        self.folder.read(path)
    }

    /// Opens a regular file for reading and writing.
    ///
    /// # Errors
    ///
    /// As [`Root::read`].
    pub fn edit(&self, path: &InsidePath) -> io::Result<File> {
        self.folder.edit(path)
    }

    /// Makes a file, in a folder that is there.
    ///
    /// # Errors
    ///
    /// When anything has that name.
    pub fn create(&self, path: &InsidePath) -> io::Result<File> {
        self.folder.create(path)
    }

    /// Makes a folder, in a folder that is there.
    ///
    /// # Errors
    ///
    /// When anything has that name.
    pub fn create_folder(&self, path: &InsidePath) -> io::Result<()> {
        self.folder.create_folder(path)
    }

    /// Makes a folder and those around it, as far as they are not there.
    ///
    /// # Errors
    ///
    /// When something else than a folder has one of the names.
    pub fn create_folders(&self, path: &InsidePath) -> io::Result<()> {
        match self.create_folder(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                if let Some(parent) = path.parent() {
                    self.create_folders(&parent)?;
                }
                self.existing_folder(path, self.create_folder(path))
            }
            made => self.existing_folder(path, made),
        }
    }

    fn existing_folder(&self, path: &InsidePath, made: io::Result<()>) -> io::Result<()> {
        match made {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                match self.facts(path)?.kind {
                    FileKind::Folder => Ok(()),
                    _ => Err(io::ErrorKind::NotADirectory.into()),
                }
            }
            made => made,
        }
    }

    /// Gives what is at `from` the name `to`, in a folder that is there, and never replaces anything.
    ///
    /// # Errors
    ///
    /// [`io::ErrorKind::AlreadyExists`] when anything has that name.
    pub fn rename_new(&self, from: &InsidePath, to: &InsidePath) -> io::Result<()> {
        self.folder.rename_new(from, &self.folder, to)
    }

    /// The same from this folder into another one.
    ///
    /// # Errors
    ///
    /// As [`Root::rename_new`].
    pub fn rename_into(&self, from: &InsidePath, other: &Root, to: &InsidePath) -> io::Result<()> {
        self.folder.rename_new(from, &other.folder, to)
    }

    /// Gives the folder at `from` the name `to` in another root, where an empty folder may have it.
    ///
    /// # Errors
    ///
    /// [`io::ErrorKind::DirectoryNotEmpty`] or [`io::ErrorKind::AlreadyExists`] when anything else has it.
    pub fn rename_over_empty(
        &self,
        from: &InsidePath,
        other: &Root,
        to: &InsidePath,
    ) -> io::Result<()> {
        if self.facts(from)?.kind != FileKind::Folder {
            return Err(io::ErrorKind::NotADirectory.into());
        }
        self.folder.rename_folder(from, &other.folder, to)
    }

    /// Gives the regular file at `from` a second name in another root.
    ///
    /// # Errors
    ///
    /// When anything has that name, or the file is on another file system.
    pub fn link_into(&self, from: &InsidePath, other: &Root, to: &InsidePath) -> io::Result<()> {
        self.folder.link_into(from, &other.folder, to)
    }

    /// Makes a symbolic link to `target`, which is not looked at.
    ///
    /// # Errors
    ///
    /// When anything has that name.
    pub fn create_link(&self, target: &Path, path: &InsidePath) -> io::Result<()> {
        self.folder.create_link(target, path)
    }

    /// What a symbolic link leads to, as it is stored in it.
    ///
    /// # Errors
    ///
    /// When there is no link.
    pub fn link_target(&self, path: &InsidePath) -> io::Result<PathBuf> {
        self.folder.link_target(path)
    }

    /// Removes the name of something that is no folder.
    ///
    /// # Errors
    ///
    /// When nothing has it.
    pub fn remove_file(&self, path: &InsidePath) -> io::Result<()> {
        self.folder.remove_file(path)
    }

    /// Removes an empty folder.
    ///
    /// # Errors
    ///
    /// [`io::ErrorKind::DirectoryNotEmpty`] when something is in it.
    pub fn remove_folder(&self, path: &InsidePath) -> io::Result<()> {
        self.folder.remove_folder(path)
    }

    /// Removes a folder and everything below it; symbolic links in it are removed, not followed.
    ///
    /// # Errors
    ///
    /// At the first thing that cannot be removed.
    pub fn remove_tree(&self, path: &InsidePath) -> io::Result<()> {
        let folder = self.folder(path)?;
        for (name, kind) in folder.entries()? {
            match kind {
                FileKind::Folder => folder.remove_tree(&name)?,
                _ => folder.remove_file(&name)?,
            }
        }
        self.remove_folder(path)
    }

    /// What is in this folder, in the order of names.
    ///
    /// # Errors
    ///
    /// When it cannot be listed.
    pub fn entries(&self) -> io::Result<Vec<(InsidePath, FileKind)>> {
        let mut entries = self.folder.entries()?;
        entries.sort_by(|(a, _), (b, _)| a.cmp(b));
        Ok(entries)
    }

    /// Whether nothing is in this folder.
    ///
    /// # Errors
    ///
    /// When it cannot be listed.
    pub fn is_empty(&self) -> io::Result<bool> {
        Ok(self.folder.entries()?.is_empty())
    }

    /// Opens the folder itself as a file: to lock it, or to set its times.
    ///
    /// # Errors
    ///
    /// When the system does not open folders.
    pub fn as_file(&self) -> io::Result<File> {
        self.folder.as_file()
    }
}

#[cfg(test)]
mod tests {
    use std::fs;
    use std::io::{ErrorKind, Read, Write};

    use super::*;

    fn inside(path: &str) -> InsidePath {
        InsidePath::new(Path::new(path)).unwrap()
    }

    /// The same calls on both ways to reach files.
    macro_rules! on_every_folder {
        ($name:ident, $folder:ty) => {
            #[test]
            fn $name() {
                let all = tempfile::tempdir().unwrap();
                let outside = all.path().join("outside");
                fs::create_dir_all(outside.join("inner")).unwrap();
                fs::write(outside.join("secret"), "secret").unwrap();
                let base = all.path().join("root");
                fs::create_dir_all(base.join("bay")).unwrap();
                let root = <$folder>::open(&base).unwrap();
                let before = fs::read_dir(&outside).unwrap().count();

                root.create(&inside("bay/a")).unwrap().write_all(b"leaf").unwrap();
                let taken = root.create(&inside("bay/a")).unwrap_err();
                assert_eq!(taken.kind(), ErrorKind::AlreadyExists);
                let mut text = String::new();
                root.read(&inside("bay/a")).unwrap().read_to_string(&mut text).unwrap();
                assert_eq!(text, "leaf");
                assert_eq!(root.facts(&inside("bay/a")).unwrap().size_bytes, 4);
                root.create_folder(&inside("bay/deep")).unwrap();
                assert_eq!(root.folder(&inside("bay")).unwrap().entries().unwrap().len(), 2);

                // Nothing is replaced.
                root.create(&inside("bay/b")).unwrap();
                let taken = root.rename_new(&inside("bay/a"), &root, &inside("bay/b"));
                assert_eq!(taken.unwrap_err().kind(), ErrorKind::AlreadyExists);
                root.rename_new(&inside("bay/a"), &root, &inside("bay/deep/c")).unwrap();
                assert_eq!(fs::read(base.join("bay/deep/c")).unwrap(), b"leaf");
                let full = root.remove_folder(&inside("bay/deep")).unwrap_err();
                assert_eq!(full.kind(), ErrorKind::DirectoryNotEmpty);
                root.link_into(&inside("bay/deep/c"), &root, &inside("c")).unwrap();
                root.create_folder(&inside("empty")).unwrap();
                root.rename_folder(&inside("bay/deep"), &root, &inside("empty")).unwrap();
                assert!(base.join("empty/c").exists());

                #[cfg(unix)]
                {
                    root.create_link(&outside, &inside("way")).unwrap();
                    root.create_link(&outside.join("secret"), &inside("file")).unwrap();
                    assert_eq!(root.facts(&inside("way")).unwrap().kind, FileKind::Link);
                    assert_eq!(root.link_target(&inside("way")).unwrap(), outside);
                    assert!(root.read(&inside("way/secret")).is_err());
                    assert!(root.read(&inside("file")).is_err());
                    assert!(root.facts(&inside("way/secret")).is_err());
                    assert!(root.create(&inside("way/new")).is_err());
                    assert!(root.create(&inside("file")).is_err());
                    assert!(root.create_folder(&inside("way/new")).is_err());
                    assert!(root.rename_new(&inside("c"), &root, &inside("way/c")).is_err());
                    assert!(root.rename_new(&inside("way/secret"), &root, &inside("s")).is_err());
                    assert!(root.link_into(&inside("way/secret"), &root, &inside("s")).is_err());
                    assert!(root.link_into(&inside("file"), &root, &inside("s")).is_err());
                    assert!(root.remove_file(&inside("way/secret")).is_err());
                    assert!(root.remove_folder(&inside("way/inner")).is_err());
                    assert!(root.folder(&inside("way")).is_err());
                    let over = root.rename_folder(&inside("empty"), &root, &inside("way"));
                    assert!(over.is_err());
                    // A link is removed, not what it leads to.
                    root.remove_file(&inside("file")).unwrap();
                    // A pipe does not block.
                    let pipe = base.join("pipe");
                    let made = std::process::Command::new("mkfifo").arg(&pipe).status();
                    if made.is_ok_and(|status| status.success()) {
                        assert!(root.read(&inside("pipe")).is_err());
                    }
                }
                assert_eq!(fs::read(outside.join("secret")).unwrap(), b"secret");
                assert_eq!(fs::read_dir(&outside).unwrap().count(), before);
            }
        };
    }

    #[cfg(unix)]
    on_every_folder!(handles_reach_nothing_outside, super::unix::Folder);
    on_every_folder!(names_reach_nothing_outside, super::portable::Folder);
    #[cfg(unix)]
    on_every_folder!(handles_without_openat2_reach_nothing_outside, StepByStep);

    /// As on a system that opens one name at a time only.
    #[cfg(unix)]
    struct StepByStep;

    #[cfg(unix)]
    impl StepByStep {
        fn open(path: &Path) -> io::Result<super::unix::Folder> {
            super::unix::Folder::open(path).map(super::unix::Folder::step_by_step)
        }
    }

    #[test]
    fn trees_are_made_and_removed_without_following_links() {
        let all = tempfile::tempdir().unwrap();
        let outside = all.path().join("outside");
        fs::create_dir(&outside).unwrap();
        fs::write(outside.join("kept"), "").unwrap();
        let root = Root::open(all.path()).unwrap();
        root.create_folders(&inside("a/b/c")).unwrap();
        root.create_folders(&inside("a/b")).unwrap();
        root.create(&inside("a/b/file")).unwrap();
        let error = root.create_folders(&inside("a/b/file/d")).unwrap_err();
        assert_eq!(error.kind(), ErrorKind::NotADirectory);
        #[cfg(unix)]
        root.create_link(&outside, &inside("a/b/c/link")).unwrap();
        root.remove_tree(&inside("a")).unwrap();
        assert!(!all.path().join("a").exists() && outside.join("kept").exists());
    }
}
