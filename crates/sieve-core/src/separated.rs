//! SEPARATED TABLES: the one way in which tables of cells are read, whatever a spreadsheet has made of them: a byte
//! order mark, CRLF, commas, semicolons or tabs between cells, quotes around them.

/// How lines that are no rows begin.
pub const COMMENT: char = '#';

/// The text of a table, without a byte order mark.
///
/// # Errors
///
/// Where it is not UTF-8, as the end of a sentence.
pub fn text_of(bytes: &[u8]) -> Result<&str, String> {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    std::str::from_utf8(bytes).map_err(|error| {
        format!("byte {} is not UTF-8; save it as CSV in UTF-8", error.valid_up_to())
    })
}

/// Reads the rows of a table, its head included. Rows may have different lengths.
pub fn reader(text: &str) -> csv::Reader<&[u8]> {
    csv::ReaderBuilder::new()
        .delimiter(delimiter(text))
        .flexible(true)
        .has_headers(false)
        .from_reader(text.as_bytes())
}

/// What stands between the cells: whatever makes the most columns of the head, which is the first line that is neither
/// empty nor a comment. Of equals the comma, so that a head of one word is CSV.
fn delimiter(text: &str) -> u8 {
    let is_head = |line: &&str| {
        let begin = line.trim_start_matches([' ', '"']);
        !begin.trim_end_matches([',', ';', '\t']).trim().is_empty() && !begin.starts_with(COMMENT)
    };
    let head = text.lines().find(is_head).unwrap_or_default();
    let count = |delimiter: &u8| head.bytes().filter(|byte| byte == delimiter).count();
    [b'\t', b';', b','].into_iter().max_by_key(count).unwrap_or(b',')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_separator_is_that_of_the_head() {
        let table = [
            ("path,class\na;b;c,bay\n", b','),
            ("# a; b; c; d\n\"# e;\"\n\npath;class\n\"a,b,c\";bay\n", b';'),
            (";;;\npath\tclass\n", b'\t'),
            ("path\na;b\n", b','),
            ("", b','),
        ];
        for (text, expected) in table {
            assert_eq!(delimiter(text), expected, "{text:?}");
        }
        assert_eq!(text_of(b"\xef\xbb\xbfpath"), Ok("path"));
        assert!(text_of(b"pa\xff").unwrap_err().contains("byte 2"));
    }
}
