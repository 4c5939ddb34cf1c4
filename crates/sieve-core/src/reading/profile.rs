//! The names of embedded colour profiles (ICC.1:2022). They are noted, not applied.

/// Bytes before the table of tags.
const HEADER_BYTES: usize = 128;

/// What the profile in `icc` calls itself, or `unnamed`.
pub(super) fn name(icc: &[u8]) -> Box<str> {
    described(icc).filter(|name| !name.is_empty()).unwrap_or_else(|| "unnamed".into())
}

/// The text of the tag `desc` (ICC.1:2022, 9.2.41; its type in version 2 profiles is ICC.1:2001,
/// 6.5.17).
fn described(icc: &[u8]) -> Option<Box<str>> {
    let count = number(icc, HEADER_BYTES)?.min(200);
    let tags = (0..count).map(|index| HEADER_BYTES + 4 + index * 12);
    let tag = tags.into_iter().find(|&at| icc.get(at..at + 4) == Some(b"desc"))?;
    let (start, size) = (number(icc, tag + 4)?, number(icc, tag + 8)?);
    let data = icc.get(start..start.checked_add(size)?)?;
    let text = match data.get(..4)? {
        b"desc" => {
            let length = number(data, 8)?;
            String::from_utf8_lossy(data.get(12..12_usize.checked_add(length)?)?).into_owned()
        }
        b"mluc" => {
            // The first of the translations.
            let (length, start) = (number(data, 20)?, number(data, 24)?);
            let letters = data.get(start..start.checked_add(length)?)?.chunks_exact(2);
            let letters: Vec<u16> = letters.map(|c| u16::from_be_bytes([c[0], c[1]])).collect();
            String::from_utf16_lossy(&letters)
        }
        _ => return None,
    };
    let text: String = text.chars().filter(|c| !c.is_control()).take(80).collect();
    Some(text.trim().into())
}

fn number(bytes: &[u8], at: usize) -> Option<usize> {
    Some(u32::from_be_bytes(bytes.get(at..at + 4)?.try_into().ok()?) as usize)
}

#[cfg(test)]
mod tests {
    use super::name;

    /// A profile whose only tag is `data`.
    fn profile(data: &[u8]) -> Vec<u8> {
        let mut icc = vec![0; 128];
        icc.extend(1u32.to_be_bytes());
        icc.extend(b"desc");
        icc.extend(144u32.to_be_bytes());
        icc.extend((data.len() as u32).to_be_bytes());
        icc.extend(data);
        icc
    }

    #[test]
    fn both_kinds_of_names_are_read_and_rubbish_has_none() {
        let old = [&b"desc\0\0\0\0\0\0\0\x05"[..], b"Shed\0"].concat();
        assert_eq!(&*name(&profile(&old)), "Shed");
        let head = b"mluc\0\0\0\0\0\0\0\x01\0\0\0\x0cenUS\0\0\0\x08\0\0\0\x1c";
        let new = [&head[..], b"\0S\0h\0e\0d"].concat();
        assert_eq!(&*name(&profile(&new)), "Shed");
        for cut in 0..new.len() {
            assert_eq!(&*name(&profile(&new[..cut])), "unnamed", "{cut}");
        }
        assert_eq!(&*name(b""), "unnamed");
    }
}
