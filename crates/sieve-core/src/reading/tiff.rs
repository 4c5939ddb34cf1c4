//! The skeleton of a classic TIFF: how many pages it has and where their pixels end. The decoder
//! stops once it has enough pixels and does not miss bytes that a cut took behind them.

/// Directories followed at most: a chain that leads back into itself ends here.
const MOST_PAGES: u32 = 10_000;

/// Offsets and lengths of the strips, and of the tiles (TIFF 6.0, tags 273 and 279, 324 and 325).
const EXTENTS: [(u64, u64); 2] = [(273, 279), (324, 325)];

/// Follows the directories of a TIFF to the ends of everything they point at: the number of pages,
/// or nothing when the file ends before.
pub(super) fn pages(bytes: &[u8]) -> Option<u32> {
    let file = Numbers { bytes, little: bytes.starts_with(b"II") };
    if file.at(2, 2)? != 42 {
        return Some(1); // BigTIFF has another skeleton
    }
    let mut pages = 0;
    let mut directory = file.at(4, 4)?;
    while directory != 0 && pages < MOST_PAGES {
        let entries = file.at(directory, 2)?;
        pages += 1;
        for (offsets, lengths) in EXTENTS {
            let offsets = file.values(directory, entries, offsets)?;
            let lengths = file.values(directory, entries, lengths)?;
            for (offset, length) in offsets.into_iter().zip(lengths) {
                if offset.saturating_add(length) > bytes.len() as u64 {
                    return None;
                }
            }
        }
        directory = file.at(directory + 2 + entries * 12, 4)?;
    }
    Some(pages.max(1))
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

    /// The values of the field `tag` in a directory, none where it has no such field of whole
    /// numbers; nothing when the file ends before them.
    fn values(&self, directory: u64, entries: u64, tag: u64) -> Option<Vec<u64>> {
        for field in (0..entries).map(|n| directory + 2 + n * 12) {
            if self.at(field, 2)? != tag {
                continue;
            }
            let size = match self.at(field + 2, 2)? {
                3 => 2,
                4 => 4,
                _ => break,
            };
            let count = self.at(field + 4, 4)?;
            // Up to four bytes of values stand in the field itself.
            let start = if count * size <= 4 { field + 8 } else { self.at(field + 8, 4)? };
            return (0..count).map(|n| self.at(start + n * size, size)).collect();
        }
        Some(Vec::new())
    }
}
