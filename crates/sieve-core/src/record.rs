//! RECORDS: what is known about one file of a collection.

use std::borrow::Cow;

use crate::collection::{Located, Locator, Place, split_of_name};
use crate::files::{RelPath, Stamp};
use crate::measuring::Measured;
use crate::reading::ReadError;

/// What is known about one file.
#[derive(Clone, Debug)]
pub struct Record {
    /// Its identity.
    pub path: RelPath,
    /// Its class and split.
    pub place: Place,
    /// Its size in bytes when it was read; for what was not opened, when it was listed.
    pub size_bytes: u64,
    /// An image, or why it was set aside.
    pub outcome: Outcome,
    /// Where its bytes are.
    pub at: Locator,
}

/// What became of one file.
#[derive(Clone, Debug)]
#[allow(clippy::large_enum_variant)] // nearly all are the large one
pub enum Outcome {
    /// An image to train on.
    Image(Measured),
    /// No image: why.
    SetAside(Reason),
}

/// Why a file was set aside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reason {
    /// It was meant as an image, and is none that can be used.
    ReadError(ReadError),
    /// It was not meant as an image; what it looks like, where that is known.
    Stray(Option<Cow<'static, str>>),
    /// A table that was written beside images that were split or made.
    GeneratedTable,
    /// A symbolic link that was not followed.
    Link,
    /// A symbolic link that leads nowhere, or to itself.
    BrokenLink,
    /// A symbolic link that leads back to a folder that holds it.
    LinkLoop,
    /// A pipe, socket or device.
    Special,
    /// It leads out of the collection, or is a link in an archive: why it is not read.
    Refused(Cow<'static, str>),
    /// A table names it, but it is not there.
    Missing,
}

impl Record {
    /// What was measured, if the file is an image.
    pub fn image(&self) -> Option<&Measured> {
        match &self.outcome {
            Outcome::Image(measured) => Some(measured),
            Outcome::SetAside(_) => None,
        }
    }

    /// The split, or none.
    pub fn split(&self) -> Option<&str> {
        self.place.split.as_deref()
    }

    /// Whether the file that has this stamp now is the one that was listed.
    pub fn is_still(&self, stamp: Stamp) -> bool {
        self.at.stamp == stamp
    }

    /// Where to read it.
    pub fn located(&self) -> Located<'_> {
        Located { path: &self.path, at: self.at }
    }

    /// The path, with the split before it where its first folder does not tell that.
    pub fn path_in_split(&self) -> String {
        let folder = self.path.parts().next().unwrap_or_default();
        match self.split() {
            Some(split) if split != folder && Some(split) != split_of_name(folder) => {
                format!("{split}: {}", self.path)
            }
            _ => self.path.to_string(),
        }
    }

    /// The class, or none.
    pub fn class(&self) -> Option<&str> {
        self.place.class()
    }
}
