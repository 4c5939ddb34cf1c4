//! Images made ready to be written: read, checked, and resized where that is requested.

use sieve_core::collection::Located;
use sieve_core::measuring::Digest;
use sieve_core::pack::{ChannelSums, Form, Sha256Sum};
use sieve_core::progress::Progress;
use sieve_core::reading::{self, FileBytes, Pixels, ReadError};

use super::{Encoding, Packing, Planned};
use crate::failure::Failure;

/// An image that is ready to be written.
pub struct Prepared {
    /// Its place among the images of the split.
    pub image: usize,
    /// Its bytes; in arrays, its values.
    pub bytes: Vec<u8>,
    /// Their checksum.
    pub sha256: Sha256Sum,
    /// Columns and rows.
    pub size_px: (u32, u32),
    /// What its channels hold, where that was requested.
    pub channels: Option<ChannelSums>,
}

/// Reads the images of a window and makes them ready, on all threads.
pub fn prepare(
    packing: &Packing<'_>,
    images: &[Planned<'_>],
    window: &[usize],
    with_channels: bool,
    progress: &dyn Progress,
) -> Result<Vec<Prepared>, Failure> {
    let wanted: Vec<Located<'_>> = window.iter().map(|&at| images[at].record.located()).collect();
    let ready = packing.collection.visit(&wanted, &packing.limits, progress, |number, bytes| {
        let ready = one(packing, images, window[number], bytes, with_channels);
        progress.advance(images[window[number]].record.size_bytes);
        ready
    })?;
    ready.into_iter().collect()
}

fn one(
    packing: &Packing<'_>,
    images: &[Planned<'_>],
    at: usize,
    file: Result<FileBytes, ReadError>,
    with_channels: bool,
) -> Result<Prepared, Failure> {
    let image = &images[at];
    let path = &image.record.path;
    let FileBytes { bytes, stamp, .. } = file.map_err(|why| match why {
        ReadError::Unreadable(reason) => Failure::input(format!("cannot read {path}: {reason}")),
        _ => changed(path.as_str()),
    })?;
    // A file that has the stamp with which it was measured holds what was measured.
    let is_same = stamp.is_some_and(|stamp| image.record.is_still(stamp));
    if !is_same && Digest::of_bytes(&bytes) != image.measured.digest {
        return Err(changed(path.as_str()));
    }
    let decoded = |bytes: &[u8]| -> Result<Pixels, Failure> {
        let image = reading::decode(bytes, &packing.limits);
        image.map(|image| image.pixels).map_err(|_| changed(path.as_str()))
    };
    let Some(frame) = &packing.frame else {
        let channels = match with_channels {
            true => Some(ChannelSums::of(&decoded(&bytes)?.data)),
            false => None,
        };
        let facts = &image.measured.facts;
        let size_px = (facts.width_px, facts.height_px);
        return Ok(Prepared { image: at, sha256: Sha256Sum::of(&bytes), bytes, size_px, channels });
    };
    let fitted = frame.fitted(&bytes, &packing.limits).map_err(|_| changed(path.as_str()))?;
    let size_px = (fitted.width_px, fitted.height_px);
    let (bytes, seen) = match packing.form {
        Form::Npy if packing.channels_first => (planes(&fitted), fitted),
        Form::Npy => (fitted.data.clone(), fitted),
        _ => {
            let bytes = frame.encoded(&fitted, packing.png);
            // The model sees what the file gives back, which of a JPEG is not what was stored.
            let seen = match frame.encoding {
                Encoding::Jpeg if with_channels => decoded(&bytes)?,
                Encoding::Jpeg | Encoding::Png => fitted,
            };
            (bytes, seen)
        }
    };
    let channels = with_channels.then(|| ChannelSums::of(&seen.data));
    Ok(Prepared { image: at, sha256: Sha256Sum::of(&bytes), bytes, size_px, channels })
}

/// The red values of all pixels, then the green, then the blue ones.
fn planes(pixels: &Pixels) -> Vec<u8> {
    let channel = |at: usize| pixels.data.iter().skip(at).step_by(3).copied();
    (0..3).flat_map(channel).collect()
}

fn changed(path: &str) -> Failure {
    Failure::input(format!("{path} changed while it was being packed"))
        .hint("Nothing was written. Run the command again.")
}
