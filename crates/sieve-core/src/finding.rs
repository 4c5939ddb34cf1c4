//! FINDINGS: one thing worth acting on, as a value.

use std::collections::BTreeMap;

use serde::{Serialize, Serializer};

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Training on this is wrong.
    Error,
    /// ImageMeasures before training.
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
        "Remove it from all splits but one: a score measured on the others is too good."
    GroupLeak "group-leak" Error
        "images of one group in more than one split"
        "Move the group into one split: the table says that its images belong together."
    Truncated "truncated" Error
        "the file ends before its image does"
        "Fetch the file again from where it came from, or remove it."
    Damaged "damaged" Error
        "parts of the image are lost"
        "Fetch the file again from where it came from, or remove it."
    Unreadable "unreadable" Error
        "cannot be read"
        "Check the permissions and the disk, or fetch the archive again; then run this again."
    MissingFile "missing-file" Error
        "a table names a file that is not there"
        "Fetch the file, correct its path in the table, or remove the row."
    EmptyFile "empty-file" Error
        "the file holds nothing"
        "Fetch the file again from where it came from, or remove it."
    NotAnImage "not-an-image" Error
        "named like an image, but something else"
        "Remove it, or fetch the image that should be here."
    BurstLeak "burst-leak" Warning
        "frames of one moment in more than one split"
        "Keep them in one split: a frame of a moment that was trained on tests nothing."
    ClassIndexMismatch "class-index-mismatch" Warning
        "the splits number their classes differently"
        "Give every split the same class folders, or load all splits with one list of classes."
    MissingClass "missing-class" Warning
        "a class that not every split has"
        "Add images of it to the other splits, or leave it out of all of them."
    SplitNotShuffled "split-not-shuffled" Warning
        "the splits follow each other in path order"
        "Split again, shuffled: what comes last in a list is often from another day or place."
    SplitDrift "split-drift" Warning
        "the splits differ more than chance explains"
        "Split again, shuffled and stratified, unless the difference is intended."
    SplitTooSmall "split-too-small" Warning
        "too few images for a verdict"
        "Hold out more images, or read nothing into smaller differences."
    UnsupportedFormat "unsupported-format" Warning
        "an image in a format that is not read here"
        "Convert it to JPEG or PNG; most training loaders do not read it either."
    RefusedEntry "refused-entry" Warning
        "not read: it leads out of the collection, is a link in an archive, or shares its bytes there"
        "Make the archive or table again, with paths below its root and files instead of links."
    OverLimit "over-limit" Warning
        "larger than the limits allow"
        "Scale it down, or raise the limit that it names if such an image belongs here."
    BrokenLink "broken-link" Warning
        "symbolic links that lead nowhere"
        "Restore the target of the link, or remove the link."
    MissingEnd "missing-end" Warning
        "the image is complete, but the end marker of the file is missing"
        "Save it again; strict readers refuse it."
    SuspectData "suspect-data" Warning
        "the image decodes, but the file holds data that does not belong"
        "ImageMeasures at the image; save it again if it is sound."
    WrongExtension "wrong-extension" Warning
        "the extension does not match the content"
        "Rename it: loaders that go by the extension fail on it or skip it."
    OutsideClass "outside-class" Warning
        "images that lie in no class folder"
        "Move them into the folder of their class, or out of the collection."
    ClassNamesAlike "class-names-alike" Warning
        "class names that may stand for one class"
        "If they are one class, move the images of one folder into the other."
    EmptyClass "empty-class" Warning
        "a class folder without a readable image"
        "Add images or remove the folder: it would become a class that is never predicted."
    SingleImageClass "single-image-class" Warning
        "a class with a single image"
        "Collect more images, merge the class, or leave it out: one image cannot be both trained on and tested."
    ThinClass "thin-class" Warning
        "too few images to learn from and to test on"
        "Collect more images, merge the class with a similar one, or leave it out."
    ThinAfterDuplicates "thin-after-duplicates" Warning
        "enough files, but too few different images"
        "Collect other images: copies and frames of one moment teach a model nothing new."
    ClassImbalance "class-imbalance" Warning
        "the largest class outweighs the smallest"
        "Cap the large class, collect more of the small one, or train with class weights."
    SameBytes "same-bytes" Warning
        "the same file more than once"
        "Keep one copy: more of them only give the image more weight."
    SameImage "same-image" Warning
        "the same image more than once: saved again, resized, rotated, bordered or cropped"
        "Keep one copy: more of them only give the image more weight."
    Blank "blank" Warning
        "a uniform image"
        "Remove it, unless empty images are a class of their own."
    TooDark "too-dark" Warning
        "much darker than the others"
        "ImageMeasures at it; remove it if nobody could tell its class."
    WashedOut "washed-out" Warning
        "hardly any contrast"
        "ImageMeasures at it; remove it if nobody could tell its class."
    SoftFocus "soft-focus" Warning
        "much softer than the others"
        "ImageMeasures at it; remove it if nobody could tell its class."
    Tiny "tiny" Warning
        "far smaller than the others"
        "Fetch the full image, or remove it: a model sees an enlarged thumbnail."
    AspectOutlier "aspect-outlier" Warning
        "another aspect ratio than the rest of its class"
        "ImageMeasures at it; crop it before a loader distorts it to the common shape."
    GreyAmongColour "grey-among-colour" Warning
        "a grey image among coloured ones"
        "ImageMeasures at it; a model may learn the lack of colour instead of the class."
    PossibleLeak "possible-leak" Note
        "images in different splits that may be copies"
        "ImageMeasures at them; if they are the same, remove one, or split again: split keeps them together."
    Burst "burst" Note
        "frames of one moment"
        "Keep them in one split."
    ClassTiedToMetadata "class-tied-to-metadata" Note
        "something besides content is tied to a class"
        "Vary it, or make sure that a model cannot see it: it would learn that instead of the content."
    MixedColours "mixed-colours" Note
        "grey and coloured images, or several colour modes"
        "Convert all to one mode when they are loaded."
    MixedSizes "mixed-sizes" Note
        "a few images of another size than nearly all"
        "Make sure that the loader resizes; find out where they come from."
    Transparent "transparent" Note
        "images with an alpha channel"
        "Flatten them on a background of your choice: loaders drop alpha and show what lies beneath."
    Animated "animated" Note
        "images with several frames"
        "Only the first frame is used, here and by most loaders."
    ExifOrientation "exif-orientation" Note
        "images that are upright only by their EXIF orientation"
        "Rotate the pixels, or make sure that the loader applies it: some show them on their side."
    TrailingBytes "trailing-bytes" Note
        "bytes follow the end of the image"
        "Nothing needs to be done; phones append clips and thumbnails like this."
    ListedTwice "listed-twice" Note
        "a table or archive lists the same file more than once"
        "Keep one row or entry of each name: only one was read, and the others may be other images."
    StrayFile "stray-file" Note
        "files that are not images"
        "Remove them if a loader fails on them."
    LinkNotFollowed "link-not-followed" Note
        "symbolic links that were not followed"
        "Follow links (follow-links) to read their targets."
    LinkLoop "link-loop" Note
        "symbolic links that form a loop"
        "Remove the link; its target was read in its own place."
    NotAFile "not-a-file" Note
        "pipes, sockets or devices"
        "Remove them from the collection."
    GeneratedTable "generated-table" Note
        "tables that mint-sieve wrote beside the images"
        "Keep them: they record which image went where, and what was made from what."
    Augmented "augmented" Note
        "images that were made from others"
        "They are variations: keep them in train, with the images that they were made from."
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
