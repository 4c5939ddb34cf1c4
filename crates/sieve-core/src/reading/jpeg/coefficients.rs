//! What a JPEG file stores: the quantised cosine coefficients of each channel, before any of them becomes a pixel.

use super::*;
use crate::reading::Ground;

/// The coefficients of 8 x 8 blocks of one channel.
#[derive(Clone, Debug, PartialEq)]
pub struct JpegChannel {
    /// Samples of this channel for each of the image's columns and rows, at most 1: 1/2 where it is stored at half size.
    pub sampling: [f64; 2],
    /// Columns and rows of blocks.
    pub blocks: [usize; 2],
    /// The quantisation steps, in rows of eight, horizontal frequencies along a row; 1 to 65535.
    pub steps: [u16; 64],
    /// The quantised coefficients of the blocks, row-major, each in the order of `steps`.
    pub coefficients: Vec<[i16; 64]>,
}

/// What a baseline or progressive JPEG of 8 bits in grey or in YCbCr stores.
#[derive(Clone, Debug, PartialEq)]
pub struct JpegCoefficients {
    /// Columns, as they are stored.
    pub width_px: usize,
    /// Rows, as they are stored.
    pub height_px: usize,
    /// Luma, and blue and red chroma where there are colours.
    pub channels: Vec<JpegChannel>,
}

/// Reads the coefficients of a JPEG. None where the bytes are not a sound JPEG in grey or YCbCr, or need more than
/// `limits` allow.
pub fn jpeg_coefficients(bytes: &[u8], limits: &ReadLimits) -> Option<JpegCoefficients> {
    limits.admit_file(bytes.len() as u64).ok()?;
    let mut decoder = Decoder::new(bytes, limits);
    let outcome = catch_unwind(AssertUnwindSafe(|| decoder.coefficients(limits)));
    match outcome {
        Ok(read) => read,
        Err(payload) if payload.is::<Fatal>() => None,
        Err(other) => resume_unwind(other),
    }
}

impl Decoder<'_> {
    /// May unwind with a [`Fatal`].
    fn coefficients(&mut self, limits: &ReadLimits) -> Option<JpegCoefficients> {
        use J_COLOR_SPACE::*;
        // SAFETY: called once, in the order that the library's manual gives; `bytes` outlives the decoder.
        unsafe {
            let bytes = self.bytes;
            jpeg_mem_src(self.cinfo(), bytes.as_ptr(), bytes.len() as c_ulong);
            jpeg_read_header(self.cinfo(), 1);
        }
        let (width, height) = (self.seen().image_width, self.seen().image_height);
        let count = self.seen().num_components.max(1) as usize;
        limits.admit(width, height, count as u64).ok()?;
        let stored = self.seen().jpeg_color_space;
        if !matches!(stored, JCS_GRAYSCALE | JCS_YCbCr) {
            return None;
        }
        // However few its scans, all of it is held as coefficients, and copied.
        let request = DecodeRequest { output: Output::Pixels, ground: Ground::White };
        let _scans = self.admit_scans(limits, &request).ok()?;
        // SAFETY: behind the header this reads all scans; the arrays belong to the decoder and live as long as it does.
        let arrays = unsafe { jpeg_read_coefficients(self.cinfo()) };
        if arrays.is_null() || !self.called().warnings.is_clean() {
            return None;
        }
        let mut channels = Vec::with_capacity(count);
        for index in 0..count {
            // SAFETY: there are as many descriptions and arrays as channels, and each array has the rows and columns
            // of blocks that its description states; a row is copied before another one is asked for.
            unsafe {
                let channel = &*self.seen().comp_info.add(index);
                let (columns, rows) = (channel.width_in_blocks, channel.height_in_blocks);
                let table = channel.quant_table.as_ref()?;
                let most = (self.seen().max_h_samp_factor, self.seen().max_v_samp_factor);
                let sampling = [
                    f64::from(channel.h_samp_factor) / f64::from(most.0),
                    f64::from(channel.v_samp_factor) / f64::from(most.1),
                ];
                let steps = table.quantval;
                let mut coefficients = Vec::new();
                coefficients.try_reserve_exact(columns as usize * rows as usize).ok()?;
                let array = *arrays.add(index);
                let access = (*self.seen().common.mem).access_virt_barray?;
                for row in 0..rows {
                    let common = &mut self.cinfo().common;
                    let line = access(common, array, row, 1, 0);
                    coefficients
                        .extend_from_slice(std::slice::from_raw_parts(*line, columns as usize));
                }
                let blocks = [columns as usize, rows as usize];
                channels.push(JpegChannel { sampling, blocks, steps, coefficients });
            }
        }
        let (width_px, height_px) = (width as usize, height as usize);
        Some(JpegCoefficients { width_px, height_px, channels })
    }
}

impl Warnings {
    fn is_clean(&self) -> bool {
        self.end_of_file + self.scan_too_short + self.bad_data == 0
    }
}
