//! The skeleton of a classic TIFF: how many pages it has and where their pixels end. The decoder
//! stops once it has enough pixels and does not miss bytes that a cut took behind them.

use std::io::{self, Read};
use std::ops::Range;

use flate2::read::ZlibDecoder;

/// Directories followed at most: a chain that leads back into itself ends here.
const MOST_PAGES: u32 = 10_000;

/// Offsets and lengths of the strips, and of the tiles (TIFF 6.0, tags 273 and 279, 324 and 325).
const EXTENTS: [(u64, u64); 2] = [(273, 279), (324, 325)];

/// How the pixels are packed (tag 259): the two numbers that stand for deflate (TIFF Technical Note
/// 2, and the one that was used before it).
const COMPRESSION: u64 = 259;
const DEFLATE: [u64; 2] = [8, 32946];

/// What following the directories told.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct TiffLayout {
    /// The number of pages.
    pub pages: u32,
    /// Where the file holds pixels packed with deflate.
    pub deflated: Vec<Range<usize>>,
}

/// Follows the directories of a TIFF to the ends of everything they point at; nothing when the file
/// ends before.
pub(super) fn skeleton(bytes: &[u8]) -> Option<TiffLayout> {
    let file = Numbers { bytes, little: bytes.starts_with(b"II") };
    if file.at(2, 2)? != 42 {
        return Some(TiffLayout { pages: 1, deflated: Vec::new() }); // BigTIFF has another skeleton
    }
    let mut deflated = Vec::new();
    let mut pages = 0;
    let mut directory = file.at(4, 4)?;
    while directory != 0 && pages < MOST_PAGES {
        let entries = file.at(directory, 2)?;
        pages += 1;
        let fields = (0..entries).map(|n| file.field(directory + 2 + n * 12));
        let fields = fields.collect::<Option<Vec<Field>>>()?;
        let values = |tag| {
            // A type without a size takes no space, however many values it claims to have.
            let field = fields.iter().find(|field| field.tag == tag && field.size > 0);
            field.map_or(Some(Vec::new()), |field| file.values(field))
        };
        let is_deflated = values(COMPRESSION)?.first().is_some_and(|kind| DEFLATE.contains(kind));
        for (offsets, lengths) in EXTENTS {
            for (offset, length) in values(offsets)?.into_iter().zip(values(lengths)?) {
                file.holds(offset, length)?;
                if is_deflated {
                    deflated.push(offset as usize..(offset + length) as usize);
                }
            }
        }
        directory = file.at(directory + 2 + entries * 12, 4)?;
    }
    Some(TiffLayout { pages: pages.max(1), deflated })
}

/// Whether the sums at the ends of packed pixels are right. The decoder stops once it has enough
/// pixels and does not look at them. No more than `most_bytes` are unpacked.
pub(super) fn sums_are_right(bytes: &[u8], deflated: &[Range<usize>], most_bytes: u64) -> bool {
    let mut left = most_bytes;
    for stretch in deflated {
        let unpacked = ZlibDecoder::new(&bytes[stretch.clone()]).take(left);
        match io::copy(&mut { unpacked }, &mut io::sink()) {
            Ok(count) => left -= count,
            Err(_) => return false,
        }
    }
    true
}

/// Bytes of one value by the type of its field (TIFF 6.0, section 2); 0 for types that are unknown.
const VALUE_BYTES: [u64; 14] = [0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8, 4];

/// Where the values of a field are.
struct Field {
    tag: u64,
    size: u64,
    count: u64,
    start: u64,
}

struct Numbers<'a> {
    bytes: &'a [u8],
    little: bool,
}

impl Numbers<'_> {
    /// The number of `length` bytes at `offset`.
    fn at(&self, offset: u64, length: u64) -> Option<u64> {
        let start = usize::try_from(offset).ok()?;
        let raw = self.bytes.get(start..start.checked_add(length as usize)?)?.iter();
        let append = |number: u64, byte: &u8| number << 8 | u64::from(*byte);
        Some(if self.little { raw.rev().fold(0, append) } else { raw.fold(0, append) })
    }

    /// Whether `length` bytes at `offset` are there.
    fn holds(&self, offset: u64, length: u64) -> Option<()> {
        (offset.checked_add(length)? <= self.bytes.len() as u64).then_some(())
    }

    /// The field at `offset` of a directory, its values checked to be there.
    fn field(&self, offset: u64) -> Option<Field> {
        let (tag, kind) = (self.at(offset, 2)?, self.at(offset + 2, 2)?);
        let size = VALUE_BYTES.get(kind as usize).copied().unwrap_or(0);
        let count = self.at(offset + 4, 4)?;
        // Up to four bytes of values stand in the field itself.
        let start = if count * size <= 4 { offset + 8 } else { self.at(offset + 8, 4)? };
        self.holds(start, count * size)?;
        Some(Field { tag, size, count, start })
    }

    /// The values of a field of whole numbers.
    fn values(&self, field: &Field) -> Option<Vec<u64>> {
        (0..field.count).map(|n| self.at(field.start + n * field.size, field.size)).collect()
    }
}
