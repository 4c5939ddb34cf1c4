//! The faults that are planted on purpose, and the table that lists them.

use std::path::Path;

/// What is wrong with a file or class of the demo collection.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fault {
    /// The same file twice.
    SameBytes,
    /// The same image in another container, or with other metadata.
    SamePixels,
    /// The same image saved again at lower quality.
    Resaved,
    /// The same image, smaller.
    Resized,
    /// The same image without a tenth of its area.
    Cropped,
    /// The same image, mirrored.
    Mirrored,
    /// The same image, turned by its EXIF orientation alone.
    Turned,
    /// The same file under two classes.
    LabelConflict,
    /// Frames of one moment.
    Burst,
    /// A file that ends before its image does.
    Truncated,
    /// A file without a byte.
    EmptyFile,
    /// A text with the name of an image.
    NotAnImage,
    /// An image with the name of another format.
    WrongExtension,
    /// A file that is no image and does not claim to be one.
    StrayFile,
    /// An image beside the class folders.
    OutsideClass,
    /// A class folder without an image.
    EmptyClass,
    /// Two spellings of one class.
    ClassNamesAlike,
    /// A class with too few images.
    ThinClass,
    /// A class that drowns another.
    ClassImbalance,
    /// A class that is recognised by its tray.
    Shortcut,
    /// An image of something else than its class.
    UnlikeClass,
    /// An image taken in the dark.
    Dark,
    /// An image without contrast.
    WashedOut,
    /// An image out of focus.
    Blurred,
    /// The same image in two splits.
    SplitLeak,
}

impl Fault {
    /// The fault as it stands in the table.
    pub fn name(self) -> &'static str {
        match self {
            Fault::SameBytes => "same-bytes",
            Fault::SamePixels => "same-pixels",
            Fault::Resaved => "resaved",
            Fault::Resized => "resized",
            Fault::Cropped => "cropped",
            Fault::Mirrored => "mirrored",
            Fault::Turned => "turned",
            Fault::LabelConflict => "label-conflict",
            Fault::Burst => "burst",
            Fault::Truncated => "truncated",
            Fault::EmptyFile => "empty-file",
            Fault::NotAnImage => "not-an-image",
            Fault::WrongExtension => "wrong-extension",
            Fault::StrayFile => "stray-file",
            Fault::OutsideClass => "outside-class",
            Fault::EmptyClass => "empty-class",
            Fault::ClassNamesAlike => "class-names-alike",
            Fault::ThinClass => "thin-class",
            Fault::ClassImbalance => "class-imbalance",
            Fault::Shortcut => "shortcut",
            Fault::UnlikeClass => "unlike-class",
            Fault::Dark => "dark",
            Fault::WashedOut => "washed-out",
            Fault::Blurred => "blurred",
            Fault::SplitLeak => "split-leak",
        }
    }
}

/// One planted fault.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Planted {
    /// The file, or the folder of the class, relative to the collection's root.
    pub path: String,
    /// What is wrong with it.
    pub fault: Fault,
    /// The file or class that it belongs together with; empty where there is none.
    pub partner: String,
    /// What was done, for people.
    pub note: String,
}

/// Writes the table of faults: CSV with the columns path, fault, partner, note.
///
/// # Errors
///
/// When `file` cannot be written.
pub fn write_table(file: &Path, planted: &[Planted]) -> std::io::Result<()> {
    let mut table = csv::Writer::from_path(file)?;
    table.write_record(["path", "fault", "partner", "note"])?;
    for fault in planted {
        table.write_record([&fault.path, fault.fault.name(), &fault.partner, &fault.note])?;
    }
    table.flush()
}
