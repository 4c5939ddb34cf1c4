//! Listings, page by page.

use percent_encoding::percent_decode_str;
use serde::Deserialize;
use sieve_core::objects::ObjectFacts;

use super::connection::{Ask, Connection, text};
use super::retry::{Trouble, retried};

/// Pages of a listing, at most: a billion objects.
const MOST_PAGES: usize = 1_000_000;

/// A page, as a store writes it (ListObjectsV2).
#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct Page {
    #[serde(default)]
    contents: Vec<Content>,
    next_continuation_token: Option<String>,
    is_truncated: bool,
    /// Says that keys hold percent signs; servers may ignore that this was asked for.
    encoding_type: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct Content {
    key: String,
    size: u64,
    last_modified: String,
    #[serde(rename = "ETag", default)]
    etag: String,
}

/// Hands over every object whose key begins with `prefix`, until `take` returns false.
pub fn list(
    connection: &Connection,
    prefix: &str,
    take: &mut dyn FnMut(ObjectFacts) -> bool,
) -> Result<(), String> {
    let mut token: Option<String> = None;
    for _ in 0..MOST_PAGES {
        let page = retried(|| page(connection, prefix, token.as_deref()))?;
        let is_encoded = page.encoding_type.as_deref() == Some("url");
        for content in page.contents {
            let object = facts(content, is_encoded)?;
            // A store that names other keys is not believed.
            if object.key.starts_with(prefix) && !take(object) {
                return Ok(());
            }
        }
        match page.next_continuation_token {
            Some(next) if page.is_truncated && token.as_ref() != Some(&next) => token = Some(next),
            Some(_) if page.is_truncated => break,
            _ => return Ok(()),
        }
    }
    Err("its listing does not end".to_owned())
}

fn page(connection: &Connection, prefix: &str, token: Option<&str>) -> Result<Page, Trouble> {
    let mut query = vec![("encoding-type", "url"), ("list-type", "2"), ("prefix", prefix)];
    query.extend(token.map(|token| ("continuation-token", token)));
    query.sort_unstable();
    let answer = connection.send(&Ask { query: &query, ..Ask::default() }, Vec::new())?;
    let xml = text(answer)?;
    quick_xml::de::from_str(&xml)
        .map_err(|_| Trouble::Passing("its listing is not what S3 answers".to_owned()))
}

fn facts(content: Content, is_encoded: bool) -> Result<ObjectFacts, String> {
    let key = match is_encoded {
        true => percent_decode_str(&content.key.replace('+', " "))
            .decode_utf8()
            .map_err(|_| "a key is not UTF-8".to_owned())?
            .into_owned(),
        false => content.key,
    };
    let modified: Result<jiff::Timestamp, _> = content.last_modified.parse();
    let modified_ns =
        modified.map_or(0, |time| i64::try_from(time.as_nanosecond()).unwrap_or_default());
    Ok(ObjectFacts { key, size_bytes: content.size, modified_ns, etag: content.etag })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page(xml: &str) -> Result<(Vec<ObjectFacts>, Option<String>), String> {
        let page: Page = quick_xml::de::from_str(xml).map_err(|error| error.to_string())?;
        let is_encoded = page.encoding_type.as_deref() == Some("url");
        let objects: Result<Vec<_>, _> =
            page.contents.into_iter().map(|content| facts(content, is_encoded)).collect();
        Ok((objects?, page.next_continuation_token))
    }

    #[test]
    fn pages_are_read_as_stores_write_them() {
        let xml = "<?xml version=\"1.0\"?><ListBucketResult xmlns=\"http://s3.amazonaws.com/doc/2006-03-01/\">\
            <Name>shed</Name><Prefix>a</Prefix><IsTruncated>true</IsTruncated><EncodingType>url</EncodingType>\
            <NextContinuationToken>x&amp;y</NextContinuationToken>\
            <Contents><Key>a%2F%2Fb+c%2B%26.jpg</Key><LastModified>1970-01-01T00:00:01.500Z</LastModified>\
            <ETag>&quot;d41d&quot;</ETag><Size>12</Size><StorageClass>STANDARD</StorageClass></Contents>\
            <Contents><Key>a</Key><LastModified>soon</LastModified><Size>0</Size></Contents>\
            <CommonPrefixes><Prefix>b/</Prefix></CommonPrefixes></ListBucketResult>";
        let (objects, token) = page(xml).unwrap();
        assert_eq!(token.as_deref(), Some("x&y"));
        let first = ObjectFacts {
            key: "a//b c+&.jpg".to_owned(),
            size_bytes: 12,
            modified_ns: 1_500_000_000,
            etag: "\"d41d\"".to_owned(),
        };
        let second =
            ObjectFacts { key: "a".to_owned(), size_bytes: 0, modified_ns: 0, etag: String::new() };
        assert_eq!(objects, [first, second]);
        // Without that word percent signs are part of a key.
        let plain = xml.replace("<EncodingType>url</EncodingType>", "");
        assert_eq!(page(&plain).unwrap().0[0].key, "a%2F%2Fb+c%2B%26.jpg");
        let empty = "<ListBucketResult><IsTruncated>false</IsTruncated></ListBucketResult>";
        assert_eq!(page(empty).unwrap(), (Vec::new(), None));
        for wrong in [
            "",
            "<html/>",
            &xml[..xml.len() - 5],
            &xml.replace("<Size>12", "<Size>-12"),
            &xml.replace("a%2F%2Fb", "%FF"),
        ] {
            assert!(page(wrong).is_err(), "{wrong}");
        }
    }
}
