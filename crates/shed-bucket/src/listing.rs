//! Listings by pages (ListObjectsV2).

use std::collections::BTreeSet;
use std::fmt::Write;
use std::ops::Bound;

use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};

use crate::objects::{Object, Objects};

/// What a listing asks for.
#[derive(Debug, Default)]
pub(crate) struct ListRequest {
    pub prefix: String,
    pub delimiter: Option<String>,
    /// Where the page before ended.
    pub after: Option<String>,
    pub most: usize,
    /// Keys with percent signs for what XML cannot hold.
    pub is_encoded: bool,
    /// The last object of the page before is named once more.
    pub is_repeated: bool,
}

/// One page of a listing, as XML.
pub(crate) fn page(bucket: &str, objects: &Objects, request: &ListRequest) -> String {
    let begin = match &request.after {
        Some(after) if request.is_repeated => Bound::Included(after.clone()),
        Some(after) => Bound::Excluded(after.clone()),
        None => Bound::Included(request.prefix.clone()),
    };
    let here = objects
        .range((begin, Bound::Unbounded))
        .skip_while(|(key, _)| **key < request.prefix)
        .take_while(|(key, _)| key.starts_with(&request.prefix));
    let (mut named, mut folders): (Vec<(&String, &Object)>, BTreeSet<&str>) = Default::default();
    let (mut last, mut is_cut) = (None, false);
    for (key, object) in here {
        let folder = request.delimiter.as_ref().and_then(|delimiter| {
            let rest = &key[request.prefix.len()..];
            let end = rest.find(delimiter.as_str())? + delimiter.len();
            Some(&key[..request.prefix.len() + end])
        });
        if folder.is_some_and(|folder| folders.contains(folder)) {
            last = Some(key);
            continue;
        }
        if named.len() + folders.len() >= request.most {
            is_cut = true;
            break;
        }
        match folder {
            Some(folder) => {
                folders.insert(folder);
            }
            None => named.push((key, object)),
        }
        last = Some(key);
    }
    let written = |key: &str| match request.is_encoded {
        true => utf8_percent_encode(key, NON_ALPHANUMERIC).to_string(),
        false => key.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;"),
    };
    let mut xml = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <ListBucketResult xmlns=\"http://s3.amazonaws.com/doc/2006-03-01/\">\
         <Name>{bucket}</Name><Prefix>{}</Prefix><KeyCount>{}</KeyCount><MaxKeys>{}</MaxKeys>\
         <IsTruncated>{is_cut}</IsTruncated>",
        written(&request.prefix),
        named.len() + folders.len(),
        request.most,
    );
    if request.is_encoded {
        xml.push_str("<EncodingType>url</EncodingType>");
    }
    for (key, object) in named {
        let _ = write!(
            xml,
            "<Contents><Key>{}</Key><LastModified>{}</LastModified><ETag>{}</ETag><Size>{}</Size>\
             <StorageClass>STANDARD</StorageClass></Contents>",
            written(key),
            object.modified(),
            object.etag.replace('"', "&quot;"),
            object.bytes.len(),
        );
    }
    for folder in folders {
        let _ =
            write!(xml, "<CommonPrefixes><Prefix>{}</Prefix></CommonPrefixes>", written(folder));
    }
    if let (true, Some(last)) = (is_cut, last) {
        // Opaque to whoever asks: letters and digits only.
        let token: String = last.bytes().map(|byte| format!("{byte:02x}")).collect();
        let _ = write!(xml, "<NextContinuationToken>{token}</NextContinuationToken>");
    }
    xml + "</ListBucketResult>"
}

/// The key that a continuation token stands for.
pub(crate) fn key_of_token(token: &str) -> Option<String> {
    let digits = |at: usize| u8::from_str_radix(token.get(at..at + 2)?, 16).ok();
    let bytes: Option<Vec<u8>> = (0..token.len()).step_by(2).map(digits).collect();
    String::from_utf8(bytes?).ok()
}
