//! The format of a file, from its first bytes.

use crate::files::RelPath;

/// An image format that is read here.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[allow(missing_docs)] // the names are the formats' own
pub enum Format {
    Jpeg,
    Png,
    WebP,
    Gif,
    Bmp,
    Tiff,
    Pnm,
    Qoi,
}

/// All that is to be said of a format: a new one is a variant of [`Format`], a row here, and a file that reads it, which
/// `read` of the parent module calls.
struct Entry {
    format: Format,
    /// The name people use.
    name: &'static str,
    /// The extensions that its files carry, lower case, the usual one first.
    extensions: &'static [&'static str],
    /// Whether a file that begins with these bytes is one: by the signature of the format's specification.
    is_signed: fn(&[u8]) -> bool,
}

/// In the order of [`Format`].
const FORMATS: [Entry; 8] = [
    Entry {
        format: Format::Jpeg,
        name: "JPEG",
        extensions: &["jpg", "jpeg", "jpe", "jfif", "mpo"],
        is_signed: |bytes| bytes.starts_with(b"\xff\xd8\xff"),
    },
    Entry {
        format: Format::Png,
        name: "PNG",
        extensions: &["png", "apng"],
        is_signed: |bytes| bytes.starts_with(b"\x89PNG\r\n\x1a\n"),
    },
    Entry {
        format: Format::WebP,
        name: "WebP",
        extensions: &["webp"],
        is_signed: |bytes| bytes.starts_with(b"RIFF") && bytes.get(8..12) == Some(b"WEBP"),
    },
    Entry {
        format: Format::Gif,
        name: "GIF",
        extensions: &["gif"],
        is_signed: |bytes| bytes.starts_with(b"GIF87a") || bytes.starts_with(b"GIF89a"),
    },
    Entry {
        format: Format::Bmp,
        name: "BMP",
        extensions: &["bmp", "dib"],
        is_signed: |bytes| bytes.starts_with(b"BM") && is_bitmap_header(bytes),
    },
    Entry { format: Format::Tiff, name: "TIFF", extensions: &["tif", "tiff"], is_signed: is_tiff },
    Entry {
        format: Format::Pnm,
        name: "PNM",
        extensions: &["ppm", "pgm", "pbm", "pnm", "pam"],
        is_signed: is_netpbm,
    },
    Entry {
        format: Format::Qoi,
        name: "QOI",
        extensions: &["qoi"],
        is_signed: |bytes| bytes.starts_with(b"qoif"),
    },
];

impl Format {
    /// Every format that is read here.
    pub const ALL: [Format; FORMATS.len()] = {
        let mut all = [Format::Jpeg; FORMATS.len()];
        let mut at = 0;
        while at < all.len() {
            assert!(
                FORMATS[at].format as usize == at,
                "the rows stand in the order of the variants"
            );
            all[at] = FORMATS[at].format;
            at += 1;
        }
        all
    };

    fn entry(self) -> &'static Entry {
        const ROWS: &[Entry] = &FORMATS;
        &ROWS[self as usize]
    }

    /// The name people use.
    pub fn name(self) -> &'static str {
        self.entry().name
    }

    /// The extensions that files of this format carry, lower case, the usual one first.
    pub fn extensions(self) -> &'static [&'static str] {
        self.entry().extensions
    }

    /// The format that files with `extension` (in any case, no dot) should have.
    pub fn of_extension(extension: &str) -> Option<Format> {
        let is_it = |known: &&str| known.eq_ignore_ascii_case(extension);
        Format::ALL.into_iter().find(|format| format.extensions().iter().any(is_it))
    }
}

/// What the first bytes of a file say it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Content {
    /// An image that can be read here.
    Image(Format),
    /// An image in a format that is not read here: its name.
    OtherImage(&'static str),
    /// Something else: what, where it is known.
    Other(Option<&'static str>),
}

/// Extensions of image formats that are not read here. A file that carries one was meant as a
/// image even when its content is something else.
const OTHER_PICTURE_EXTENSIONS: [&str; 18] = [
    "heic", "heif", "avif", "jxl", "jp2", "j2k", "jpx", "psd", "ico", "exr", "hdr", "tga", "dds",
    "svg", "cr2", "nef", "arw", "dng",
];

/// True when the name of a file says that it was meant to be an image.
pub(crate) fn is_image_name(path: &RelPath) -> bool {
    path.written_extension().is_some_and(|extension| {
        Format::of_extension(extension).is_some()
            || OTHER_PICTURE_EXTENSIONS.iter().any(|known| known.eq_ignore_ascii_case(extension))
    })
}

/// Tells what `bytes`, the beginning of a file, are. The signatures are those of the formats'
/// own specifications.
pub fn content(bytes: &[u8]) -> Content {
    let starts = |signature: &[u8]| bytes.starts_with(signature);
    let at =
        |offset: usize, text: &[u8]| bytes.get(offset..).is_some_and(|rest| rest.starts_with(text));
    let known = FORMATS.iter().find(|entry| (entry.is_signed)(bytes));
    if let Some(entry) = known {
        Content::Image(entry.format)
    } else if is_raw(bytes) {
        Content::OtherImage("Canon raw (CR2)")
    } else if at(4, b"ftyp") {
        iso_media(bytes)
    } else if starts(b"\xff\x0a") || starts(b"\0\0\0\x0cJXL \r\n\x87\n") {
        Content::OtherImage("JPEG XL")
    } else if starts(b"\0\0\0\x0cjP  \r\n\x87\n") || starts(b"\xff\x4f\xff\x51") {
        Content::OtherImage("JPEG 2000")
    } else if starts(b"8BPS") {
        Content::OtherImage("Photoshop document")
    } else if starts(b"\0\0\x01\0") && bytes.get(4).is_some_and(|&count| count > 0) && at(5, b"\0")
    {
        Content::OtherImage("icon (ICO)")
    } else if starts(b"\x76\x2f\x31\x01") {
        Content::OtherImage("OpenEXR")
    } else if starts(b"#?RADIANCE") {
        Content::OtherImage("Radiance HDR")
    } else if starts(b"DDS ") {
        Content::OtherImage("DDS texture")
    } else if is_svg(bytes) {
        Content::OtherImage("SVG drawing")
    } else {
        Content::Other(other(bytes))
    }
}

fn is_svg(bytes: &[u8]) -> bool {
    let start = String::from_utf8_lossy(&bytes[..bytes.len().min(1024)]).to_lowercase();
    let start = start.trim_start_matches('\u{feff}').trim_start();
    start.starts_with("<svg") || (start.starts_with("<?xml") && start.contains("<svg"))
}

/// A TIFF or BigTIFF. Some raw files begin like one.
fn is_tiff(bytes: &[u8]) -> bool {
    let marks: [&[u8]; 4] = [b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"];
    marks.iter().any(|mark| bytes.starts_with(mark)) && !is_raw(bytes)
}

fn is_raw(bytes: &[u8]) -> bool {
    bytes.starts_with(b"II*\0") && bytes.get(8..11) == Some(b"CR\x02")
}

/// BMP's signature is two letters that a text may begin with as well: ask for a header size that
/// exists (BITMAPCOREHEADER 12 to BITMAPV5HEADER 124) too.
fn is_bitmap_header(bytes: &[u8]) -> bool {
    let size = bytes.get(14..18).map(|size| u32::from_le_bytes(size.try_into().expect("4 bytes")));
    size.is_some_and(|size| (12..=124).contains(&size))
}

fn is_netpbm(bytes: &[u8]) -> bool {
    let [b'P', kind @ b'1'..=b'7', space, next, ..] = bytes else {
        return false;
    };
    let follows = match kind {
        // PAM's header is made of words.
        b'7' => next.is_ascii_uppercase() || *next == b'#',
        _ => next.is_ascii_digit() || next.is_ascii_whitespace() || *next == b'#',
    };
    space.is_ascii_whitespace() && follows
}

fn iso_media(bytes: &[u8]) -> Content {
    match bytes.get(8..12) {
        Some(b"avif" | b"avis") => Content::OtherImage("AVIF"),
        Some(b"heic" | b"heix" | b"hevc" | b"heim" | b"heis" | b"mif1" | b"msf1") => {
            Content::OtherImage("HEIC")
        }
        Some(b"crx ") => Content::OtherImage("Canon raw (CR3)"),
        _ => Content::Other(Some("a video")),
    }
}

fn other(bytes: &[u8]) -> Option<&'static str> {
    let start = &bytes[..bytes.len().min(1024)];
    let signatures: [(&[u8], &str); 8] = [
        (b"%PDF", "a PDF document"),
        (b"PK\x03\x04", "a ZIP archive"),
        (b"\x1f\x8b", "a gzip archive"),
        (b"\xd0\xcf\x11\xe0", "a thumbnail database or old office document"),
        (b"SQLite format 3\0", "a database"),
        (b"\x1a\x45\xdf\xa3", "a video"),
        (b"OggS", "a sound or video"),
        (b"\x7fELF", "a program"),
    ];
    if let Some((_, what)) = signatures.iter().find(|(signature, _)| start.starts_with(signature)) {
        return Some(what);
    }
    if start.iter().all(|&byte| byte == 0) {
        return Some("nothing but zero bytes");
    }
    // A cut may go through a letter of several bytes: only what is wrong before that counts.
    let text = match std::str::from_utf8(start) {
        Ok(text) => text,
        Err(error) if error.error_len().is_none() => {
            std::str::from_utf8(&start[..error.valid_up_to()]).expect("checked above")
        }
        Err(_) => return None,
    };
    if text.chars().any(|c| c.is_control() && !c.is_whitespace()) {
        return None;
    }
    let lower = text.trim_start().to_lowercase();
    if lower.starts_with("<!doctype html") || lower.starts_with("<html") {
        Some("a web page")
    } else {
        Some("text")
    }
}
