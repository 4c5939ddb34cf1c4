//! Answers that are kept in the catalog: what was searched once is not searched again.
//!
//! An answer is found again by all that decides it, so that it is the one that a search from nothing would give: the
//! bytes of each image, its path, class and split, how far is looked, and the version of the method.

use serde::{Deserialize, Serialize};

use super::image_set::ImageRef;
use super::null_model::SimilarityThreshold;
use super::report::{Group, Pair};
use super::request::{Reach, Request};
use crate::measuring::{Digest, MEASURING_VERSION};
use crate::store::Store;

/// The version of the method: raised whenever the same images may give another answer.
const SEARCH_VERSION: u32 = 9;

/// What a search found, but for the images themselves. The fields are those of [`super::DuplicateReport`].
#[derive(Serialize, Deserialize)]
pub struct Answer {
    pub pairs: Vec<Pair>,
    pub groups: Vec<Group>,
    pub by_name: Vec<(u32, u32)>,
    pub level: Option<SimilarityThreshold>,
}

/// The digest of all that decides an answer.
pub fn key(images: &[ImageRef<'_>], request: &Request, reach: Reach) -> Digest {
    let mut hasher = blake3::Hasher::new();
    // Each text with its length, so that no two lists of texts are one.
    let mut put = |bytes: &[u8]| {
        hasher.update(&(bytes.len() as u64).to_le_bytes()).update(bytes);
    };
    put(&SEARCH_VERSION.to_le_bytes());
    put(&MEASURING_VERSION.to_le_bytes());
    put(reach.name().as_bytes());
    put(&[request.within as u8]);
    put(&(request.kinds.len() as u64).to_le_bytes());
    request.kinds.iter().for_each(|kind| put(kind.name().as_bytes()));
    for image in images {
        let record = image.record;
        put(&image.measured.digest.0);
        put(record.path.native_bytes());
        for name in [record.class(), record.split()] {
            put(&[u8::from(name.is_some())]);
            put(name.unwrap_or_default().as_bytes());
        }
    }
    Digest(*hasher.finalize().as_bytes())
}

/// The answer that `store` keeps by `key`.
pub fn hits(store: &Store, key: Digest) -> Option<Answer> {
    let answer = serde_json::from_slice(&store.answer(key)?).ok()?;
    tracing::debug!("the search was done before");
    Some(answer)
}

/// Keeps `answer` by `key`, if it can be kept.
pub fn keep(store: &Store, key: Digest, answer: &Answer) {
    match serde_json::to_vec(answer) {
        Ok(bytes) => store.keep_answer(key, &bytes),
        Err(error) => tracing::debug!(%error, "the search cannot be kept"),
    }
}
