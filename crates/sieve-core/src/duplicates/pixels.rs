//! The same pixels in other files: saved again without loss, or with other metadata.

use std::collections::BTreeMap;

use super::hamming::union_near;
use super::image_set::ImageSet;
use crate::Error;
use crate::disjoint_sets::DisjointSets;
use crate::measuring::{Digest, Fingerprint};
use crate::progress::Progress;

/// NullModel by which the thumbnails of two images with the same pixels may differ: a JPEG is measured
/// at a smaller scale than the same image in a lossless file.
const LEVELS: u8 = 4;

/// Groups of those of `among` with the same pixels, each of two or more. The pixels of small images are
/// known by their digests; of the others, those of one size whose fingerprints meet and whose thumbnails are
/// nearly the same are decoded.
///
/// # Errors
///
/// When `progress` asks to stop. A file that cannot be read any more is left out.
pub fn same_pixels(
    prepared: &mut ImageSet<'_>,
    among: &[u32],
    progress: &dyn Progress,
) -> Result<Vec<Vec<u32>>, Error> {
    let mut digested: Vec<(Digest, u32)> = Vec::new();
    let mut by_size: BTreeMap<(u32, u32), Vec<u32>> = BTreeMap::new();
    for &index in among {
        let measured = prepared.images[index as usize].measured;
        if measured.is_small() {
            digested.extend(measured.small_pixels.map(|digest| (digest, index)));
            continue;
        }
        let facts = &measured.facts;
        by_size.entry((facts.width_px, facts.height_px)).or_default().push(index);
    }
    let mut sets: Vec<Vec<u32>> = Vec::new();
    for members in by_size.into_values().filter(|members| members.len() > 1) {
        let fingerprint = |&index: &u32| prepared.images[index as usize].measured.fingerprint;
        let fingerprints: Vec<Fingerprint> = members.iter().map(fingerprint).collect();
        let mut met = DisjointSets::new(members.len());
        union_near(&fingerprints, &mut met, progress)?;
        let named = |set: Vec<u32>| set.iter().map(|&at| members[at as usize]).collect();
        sets.extend(met.groups().into_iter().map(named));
    }
    prepared.load(&sets.concat(), progress)?;
    let mut suspects: Vec<u32> = Vec::new();
    for set in &sets {
        suspects.extend(set.iter().filter(|&&index| {
            let mut others = set.iter().filter(|&&other| other != index);
            others.any(|&other| prepared.looks.are_nearly(index, other, LEVELS))
        }));
    }
    if !suspects.is_empty() {
        progress.begin("comparing pixels", Some(suspects.len() as u64));
    }
    let digests = prepared
        .visit(&suspects, progress, |_, bytes, limits| Digest::of_image(bytes, limits).ok())?;
    let known = suspects.into_iter().zip(digests);
    digested.extend(known.filter_map(|(index, digest)| Some((digest?, index))));
    digested.sort_unstable();
    let same = digested.chunk_by(|a, b| a.0 == b.0).filter(|same| same.len() > 1);
    let members = same.map(|same| same.iter().map(|&(_, index)| index).collect());
    let mut groups: Vec<Vec<u32>> = members.collect();
    groups.sort_unstable();
    Ok(groups)
}
