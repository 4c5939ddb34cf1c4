//! FINDINGS: one thing worth acting on, as a value.

use crate::suggest;
use std::collections::BTreeMap;

use serde::{Serialize, Serializer};

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Training on this is wrong.
    Error,
    /// To be looked at before training.
    Warning,
    /// Worth knowing.
    Note,
}

impl Severity {
    /// Every severity, worst first.
    pub const ALL: [Severity; 3] = [Severity::Error, Severity::Warning, Severity::Note];

    /// The word for one finding of this severity.
    pub fn as_str(self) -> &'static str {
        match self {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        }
    }
}

macro_rules! codes {
    ($($variant:ident $code:literal $severity:ident $title:literal $remedy:literal)*) => {
        /// The kind of a finding. Codes are stable; each is explained in the manual.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[allow(missing_docs)] // the titles say it
        pub enum Code { $($variant),* }

        impl Code {
            /// Every code, in the order in which findings are listed.
            pub const ALL: &'static [Code] = &[$(Code::$variant),*];

            /// The code that is written so.
            pub fn named(name: &str) -> Option<Code> {
                Code::ALL.iter().copied().find(|code| code.as_str() == name)
            }

            /// The code as it is written.
            pub fn as_str(self) -> &'static str {
                match self { $(Code::$variant => $code),* }
            }

            /// How much findings of this kind matter, if nothing is said of one.
            pub fn severity(self) -> Severity {
                match self { $(Code::$variant => Severity::$severity),* }
            }

            /// What findings of this kind have in common, in a few words.
            pub fn title(self) -> &'static str {
                match self { $(Code::$variant => $title),* }
            }

            /// What to do about it.
            pub fn remedy(self) -> &'static str {
                match self { $(Code::$variant => $remedy),* }
            }
        }
    };
}

codes! {
    LabelConflict "label-conflict" Error
        "the same image under more than one class"
        "Keep the copy whose class is right and remove the others."
    SplitLeak "split-leak" Error
        "the same image in more than one split"
        "Keep it in one split only: a score measured on the other is inflated."
    GroupLeak "group-leak" Error
        "images of one group in more than one split"
        "Move the group into one split: the table says that its images belong together."
    Truncated "truncated" Error
        "the file ends before its image does"
        "Download the file again or remove it."
    Damaged "damaged" Error
        "parts of the image are lost"
        "Download the file again or remove it."
    Unreadable "unreadable" Error
        "cannot be read"
        "Check the permissions and the disk, or download the archive again; then repeat the audit."
    MissingFile "missing-file" Error
        "a table names a file that does not exist"
        "Add the file, correct its path in the table, or remove the row."
    EmptyFile "empty-file" Error
        "the file is empty"
        "Download the file again or remove it."
    NotAnImage "not-an-image" Error
        "named like an image, but not an image"
        "Remove it, or add the image that should be here."
    BurstLeak "burst-leak" Warning
        "burst frames in more than one split"
        "Keep each burst in one split: test frames from a burst seen in training inflate the score."
    ClassIndexMismatch "class-index-mismatch" Warning
        "sorted class folders give different class indices in different splits"
        "Give every split the same class folders, or load all splits with one class list."
    MissingClass "missing-class" Warning
        "a class is missing from a split"
        "Add images of it to the other splits, or leave it out of all of them."
    SplitNotShuffled "split-not-shuffled" Warning
        "the splits were cut from an unshuffled list"
        "Split again with shuffling: the end of a list often comes from another day or place."
    SplitDrift "split-drift" Warning
        "the splits differ more than chance explains"
        "Split again with shuffling and stratification, unless the difference is intended."
    SplitTooSmall "split-too-small" Warning
        "split too small to measure accuracy reliably"
        "Hold out more images, or ignore differences smaller than the interval."
    UnsupportedFormat "unsupported-format" Warning
        "an image in a format that is not read here"
        "Convert it to JPEG or PNG; most training loaders do not read it either."
    RefusedEntry "refused-entry" Warning
        "rejected: it leads out of the collection, is a link in an archive, overlaps another entry, or has a key that is no path"
        "Recreate the archive or table with relative paths and with files instead of links."
    OverLimit "over-limit" Warning
        "larger than the limits allow"
        "Scale it down, or raise the limit named here if such images belong in the collection."
    BrokenLink "broken-link" Warning
        "symbolic links that lead nowhere"
        "Restore the target of the link, or remove the link."
    MissingEnd "missing-end" Warning
        "the image is complete, but the end marker of the file is missing"
        "Save it again; strict readers reject it."
    SuspectData "suspect-data" Warning
        "the image decodes, but the file contains unexpected data"
        "Check the image; save it again if it looks right."
    WrongExtension "wrong-extension" Warning
        "the extension does not match the content"
        "Rename it: loaders that rely on the extension fail on it or skip it."
    OutsideClass "outside-class" Warning
        "images that are not in a class folder"
        "Move them into the folder of their class, or out of the collection."
    ClassNamesAlike "class-names-alike" Warning
        "class names that probably mean the same class"
        "If they are one class, move the images of one folder into the other."
    EmptyClass "empty-class" Warning
        "a class folder without a readable image"
        "Add images or remove the folder: it would become a class that is never predicted."
    SingleImageClass "single-image-class" Warning
        "a class with a single image"
        "Collect more images, merge the class, or leave it out: one image cannot serve for both training and testing."
    ThinClass "thin-class" Warning
        "too few images to train and test on"
        "Collect more images, merge the class with a similar one, or leave it out."
    ThinAfterDuplicates "thin-after-duplicates" Warning
        "too few images once duplicates are counted once"
        "Collect new images: duplicates and burst frames add no information."
    ClassImbalance "class-imbalance" Warning
        "the largest class outweighs the smallest"
        "Cap the large class, collect more of the small one, or train with class weights."
    SameBytes "same-bytes" Warning
        "the same file more than once"
        "Keep one copy: the others only increase the weight of the image."
    SameImage "same-image" Warning
        "the same image more than once: saved again, resized, rotated, bordered or cropped"
        "Keep one copy: the others only increase the weight of the image."
    Blank "blank" Warning
        "a uniform image"
        "Remove it, unless empty images are a class of their own."
    TooDark "too-dark" Warning
        "much darker than the others"
        "Check it; remove it if its class cannot be recognised."
    WashedOut "washed-out" Warning
        "hardly any contrast"
        "Check it; remove it if its class cannot be recognised."
    SoftFocus "soft-focus" Warning
        "much softer than the others"
        "Check it; remove it if its class cannot be recognised."
    Tiny "tiny" Warning
        "far smaller than the others"
        "Get the full-size image, or remove it: a model sees an enlarged thumbnail."
    AspectOutlier "aspect-outlier" Warning
        "an unusual aspect ratio for its class"
        "Check it; crop it before a loader distorts it to a common shape."
    GreyAmongColour "grey-among-colour" Warning
        "a grey image among coloured ones"
        "Check it; a model may learn the missing colour instead of the class."
    PossibleLeak "possible-leak" Note
        "images in different splits that may be copies"
        "Check them; if they are the same, remove one, or split again: `split` keeps them together."
    Burst "burst" Note
        "burst frames"
        "Keep them in one split."
    BackgroundShortcut "background-shortcut" Warning
        "a class is recognised by its background"
        "Photograph it on other backgrounds, crop tighter, or test on other backgrounds than you train on."
    MetadataShortcut "metadata-shortcut" Warning
        "a class is recognised by a single value of its metadata"
        "Vary it, or make sure that a model cannot see it: it will learn the metadata instead of the content."
    ClassTiedToMetadata "class-tied-to-metadata" Note
        "a class is associated with metadata (possible shortcut)"
        "Vary it, or make sure that a model cannot see it: it could learn the metadata instead of the content."
    MixedColours "mixed-colours" Note
        "grey and coloured images, or several colour modes"
        "Convert all images to one mode when loading them."
    MixedSizes "mixed-sizes" Note
        "a few images differ in size from nearly all others"
        "Make sure that the loader resizes them, and find out where they come from."
    Transparent "transparent" Note
        "images with an alpha channel"
        "Flatten them onto a background of your choice: loaders drop alpha and reveal the colour beneath."
    Animated "animated" Note
        "images with several frames"
        "Only the first frame is used, here and by most loaders."
    ExifOrientation "exif-orientation" Note
        "images that rely on their EXIF orientation tag"
        "Rotate the pixels, or make sure that the loader applies the tag: some do not."
    TrailingBytes "trailing-bytes" Note
        "bytes follow the end of the image"
        "No action needed: phones append clips and thumbnails like this."
    ListedTwice "listed-twice" Note
        "a table or archive lists the same file more than once"
        "Keep one row or entry per name: only one was read, and the others may be different images."
    StrayFile "stray-file" Note
        "files that are not images"
        "Remove them if a loader fails on them."
    LinkNotFollowed "link-not-followed" Note
        "symbolic links that were not followed"
        "Follow links (follow-links) to read their targets."
    LinkLoop "link-loop" Note
        "symbolic links that form a loop"
        "Remove the link; its target was read at its own path."
    NotAFile "not-a-file" Note
        "pipes, sockets or devices"
        "Remove them from the collection."
    GeneratedTable "generated-table" Note
        "tables that mint-sieve wrote"
        "Keep them: they record where each image went and what it was made from."
    Augmented "augmented" Note
        "images that were made from other images"
        "Keep them in train, together with the images they were made from."
}

impl Code {
    /// The code of this name.
    ///
    /// # Errors
    ///
    /// That there is none, and the one that was probably meant.
    pub fn parse(name: &str) -> Result<Self, String> {
        Code::named(name).ok_or_else(|| {
            match suggest::word(name, Code::ALL.iter().map(|code| code.as_str())) {
                Some(near) => format!("there is no such code; did you mean {near}?"),
                None => "there is no such code; docs/findings.md lists them".to_owned(),
            }
        })
    }
}

impl Serialize for Code {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.as_str())
    }
}

/// One number or word that a finding rests on.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
pub enum Evidence {
    /// A number of things.
    Count(u64),
    /// A measured number or ratio.
    Number(f64),
    /// Words.
    Text(String),
    /// Names.
    Names(Vec<String>),
}

impl From<u64> for Evidence {
    fn from(count: u64) -> Self {
        Evidence::Count(count)
    }
}

impl From<usize> for Evidence {
    fn from(count: usize) -> Self {
        Evidence::Count(count as u64)
    }
}

impl From<f64> for Evidence {
    fn from(number: f64) -> Self {
        Evidence::Number(number)
    }
}

impl From<&str> for Evidence {
    fn from(text: &str) -> Self {
        Evidence::Text(text.to_owned())
    }
}

impl From<Vec<String>> for Evidence {
    fn from(names: Vec<String>) -> Self {
        Evidence::Names(names)
    }
}

/// One thing worth acting on.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Finding {
    /// Its kind.
    pub code: Code,
    /// How much it matters; mostly what its code says.
    pub severity: Severity,
    /// The class it concerns, where it is one.
    pub class: Option<String>,
    /// The split it concerns, where it is one.
    pub split: Option<String>,
    /// Paths of the files it concerns, sorted.
    pub images: Vec<String>,
    /// The numbers it rests on, by name.
    pub evidence: BTreeMap<&'static str, Evidence>,
    /// What to do about it.
    pub remedy: &'static str,
    /// The sentence for people.
    pub message: String,
}

impl Finding {
    /// A finding of `code` that says `message` and concerns nothing in particular yet.
    pub fn new(code: Code, message: impl Into<String>) -> Self {
        Finding {
            code,
            severity: code.severity(),
            class: None,
            split: None,
            images: Vec::new(),
            evidence: BTreeMap::new(),
            remedy: code.remedy(),
            message: message.into(),
        }
    }

    /// Matters this much, where that is not what its code says.
    pub fn severity(mut self, severity: Severity) -> Self {
        self.severity = severity;
        self
    }

    /// Concerns these files.
    pub fn images(mut self, images: impl IntoIterator<Item = impl ToString>) -> Self {
        self.images = images.into_iter().map(|image| image.to_string()).collect();
        self
    }

    /// Concerns this class and split.
    pub fn about(mut self, class: Option<&str>, split: Option<&str>) -> Self {
        self.class = class.map(str::to_owned);
        self.split = split.map(str::to_owned);
        self
    }

    /// Rests on this.
    pub fn evidence(mut self, name: &'static str, evidence: impl Into<Evidence>) -> Self {
        self.evidence.insert(name, evidence.into());
        self
    }
}
