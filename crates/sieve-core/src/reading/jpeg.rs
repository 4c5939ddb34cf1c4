//! JPEG through libjpeg-turbo's decoder, with an error manager of our own.
//!
//! The decoder repairs what it can and mentions the damage only as a warning. The warnings are what
//! we are after: they tell a file that was cut from one that is merely untidy.

mod coefficients;

pub use coefficients::{JpegChannel, JpegCoefficients, jpeg_coefficients};

use std::ffi::{CStr, c_int, c_uint, c_ulong, c_void};
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::ptr::NonNull;

use mozjpeg_sys::*;

use super::exif::{self, ExifFacts};
use super::memory::{MemoryPermit, no_memory, reserve, zeros};
use super::pixel_rows::{DecodeRequest, Output, Shape};
use super::{
    ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning, given_up,
    profile,
};

/// Marker codes: EXIF lives in APP1, a colour profile in APP2, Adobe's mark in APP14.
const APP1: c_int = 0xE1;
const APP2: c_int = 0xE2;
const APP14: c_int = 0xEE;

/// The decoder's smaller sizes, in eighths, that cost less than the full one.
const SCALES: [u32; 3] = [1, 2, 4];

/// How often the decoder warned of what.
#[derive(Debug, Default)]
struct Warnings {
    /// The data ended before the end mark.
    end_of_file: u32,
    /// A scan ended before all of its blocks were there.
    scan_too_short: u32,
    /// Codes that do not exist, or restart marks out of order.
    bad_data: u32,
    /// Bytes between segments that belong to none.
    extraneous: u32,
    /// Progressive scans in an order that makes no sense.
    odd_order: u32,
}

/// What the functions that the library calls back know and keep.
struct Called {
    warnings: Warnings,
    /// Scans that the work allowed for one image is enough for; set once its size is known.
    most_scans: c_int,
    stopped: fn() -> bool,
}

/// What the decoder said when it gave up.
struct Fatal {
    code: c_int,
    message: String,
}

/// All that C keeps pointers into, in one allocation that nothing moves.
///
/// Why this is sound, since no tool can run it (Miri runs no C): the allocation is made once, is only ever reached by the
/// pointer that making it gave, and is freed after C has let go of it. C stores pointers to three of its fields in
/// the first: they come from the same pointer, so none outlives or contradicts another. A reference to the first
/// field is made for one call into C and gone when that returns; what C calls back takes the way by `client_data`
/// to the whole, never by the smaller structure that it is given. Unwinding out of C is what "C-unwind" is for, and
/// leaves nothing but memory that `jpeg_destroy_decompress` frees.
struct State {
    cinfo: jpeg_decompress_struct,
    errors: jpeg_error_mgr,
    progress: jpeg_progress_mgr,
    called: Called,
}

/// One JPEG being decoded.
struct Decoder<'a> {
    state: NonNull<State>,
    bytes: &'a [u8],
}

/// Decodes `bytes`. For rows the image is scaled inside of the cosine transform, which still reads
/// every code of every scan.
pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let mut decoder = Decoder::new(bytes, limits);
    let outcome = catch_unwind(AssertUnwindSafe(|| decoder.run(limits, request)));
    outcome.unwrap_or_else(|payload| match payload.downcast::<Fatal>() {
        Ok(fatal) => Err(decoder.read_error(&fatal)),
        Err(other) => resume_unwind(other),
    })
}

impl<'a> Decoder<'a> {
    fn new(bytes: &'a [u8], limits: &ReadLimits) -> Self {
        let warnings = Warnings::default();
        let called = Called { warnings, most_scans: c_int::MAX, stopped: limits.stopped };
        // SAFETY: all-zero is a valid state of these C structures, which their own initialisers then fill.
        let state = unsafe {
            let (cinfo, errors) = (std::mem::zeroed(), std::mem::zeroed());
            State { cinfo, errors, progress: std::mem::zeroed(), called }
        };
        let state = NonNull::from(Box::leak(Box::new(state)));
        let at = state.as_ptr();
        // SAFETY: every pointer stored here leads into the allocation that `Self` keeps, see [`State`].
        unsafe {
            jpeg_std_error(&mut (*at).errors);
            (*at).errors.error_exit = Some(give_up);
            (*at).errors.emit_message = Some(take_warning);
            (*at).progress.progress_monitor = Some(go_on_or_stop);
            (*at).cinfo.common.err = &raw mut (*at).errors;
            // Kept by what comes next, which sets all else to zero and may already fail.
            (*at).cinfo.common.client_data = at.cast::<c_void>();
            jpeg_create_decompress(&raw mut (*at).cinfo);
            (*at).cinfo.common.progress = &raw mut (*at).progress;
        }
        Decoder { state, bytes }
    }

    /// The decoder's own structure, for one call into C or one look at a field: it must be gone before the next.
    fn cinfo(&mut self) -> &mut jpeg_decompress_struct {
        // SAFETY: see [`State`]; borrowed from `self`, so there is no other.
        unsafe { &mut (*self.state.as_ptr()).cinfo }
    }

    /// The same, to look only.
    fn seen(&self) -> &jpeg_decompress_struct {
        // SAFETY: as above; C runs only while `self` is borrowed mutably.
        unsafe { &self.state.as_ref().cinfo }
    }

    /// What the functions that C calls back have kept.
    fn called(&mut self) -> &mut Called {
        // SAFETY: as above; C runs only while `self` is borrowed mutably by another call.
        unsafe { &mut (*self.state.as_ptr()).called }
    }

    /// May unwind with a [`Fatal`].
    fn run(
        &mut self,
        limits: &ReadLimits,
        request: &mut DecodeRequest<'_>,
    ) -> Result<DecodedImage, ReadError> {
        // SAFETY: called once, in the order that the library's manual gives; `bytes` outlives the
        // decoder; row pointers point at buffers of at least the announced width.
        unsafe {
            let bytes = self.bytes;
            jpeg_mem_src(self.cinfo(), bytes.as_ptr(), bytes.len() as c_ulong);
            for marker in [APP1, APP2, APP14] {
                jpeg_save_markers(self.cinfo(), marker, 0xFFFF as c_uint);
            }
            jpeg_read_header(self.cinfo(), 1);
        }
        let (width, height) = (self.seen().image_width, self.seen().image_height);
        limits.admit(width, height, self.seen().num_components.max(1) as u64)?;
        let held = self.admit_scans(limits, request)?;
        let (colour, out) = self.colours()?;
        let markers = self.markers();
        let facts = Facts {
            format: Format::Jpeg,
            width_px: width,
            height_px: height,
            colour,
            bits: 8,
            frames: 1,
            orientation: markers.exif.orientation,
            profile: markers.profile,
            captured: markers.exif.captured,
            camera: markers.exif.camera,
        };
        self.cinfo().out_color_space = out;
        let mut pixels = Pixels::default();
        // SAFETY: see above.
        unsafe {
            if let Output::Rows { least_side_px, .. } = &request.output {
                let eighths = scale(width.min(height), *least_side_px);
                (self.cinfo().scale_num, self.cinfo().scale_denom) = (eighths, 8);
            }
            jpeg_start_decompress(self.cinfo());
            let begun = self.seen();
            let (columns, lines) = (begun.output_width, begun.output_height);
            let share = f64::from(begun.scale_num) / f64::from(begun.scale_denom);
            let mut row = zeros(columns as usize * begun.output_components as usize)?;
            let mut rgb = Vec::new();
            match &mut request.output {
                Output::Pixels => {
                    (pixels.width_px, pixels.height_px) = (width, height);
                    pixels.data = reserve(width as usize * height as usize * 3)?;
                }
                Output::Rows { rows, .. } => {
                    rows.begin(Shape {
                        columns,
                        rows: lines,
                        width: f64::from(width) * share,
                        height: f64::from(height) * share,
                    });
                }
            }
            while self.seen().output_scanline < lines {
                let mut pointers = [row.as_mut_ptr()];
                jpeg_read_scanlines(self.cinfo(), pointers.as_mut_ptr(), 1);
                match &mut request.output {
                    Output::Pixels => append_row(&mut pixels.data, &row, colour, markers.adobe),
                    Output::Rows { rows, .. } if colour == ColourMode::Rgb => rows.row(&row),
                    Output::Rows { rows, .. } => {
                        rgb.clear();
                        append_row(&mut rgb, &row, colour, markers.adobe);
                        rows.row(&rgb);
                    }
                }
            }
        }
        let all_scans = self.all_scans_came();
        // SAFETY: every row was read.
        unsafe { jpeg_finish_decompress(self.cinfo()) };
        let read_warnings = self.verdict(all_scans)?;
        Ok(DecodedImage { facts, read_warnings, pixels, held })
    }

    /// Refuses a file of more scans than the work for one image allows, and takes the memory that it needs: a
    /// image of several scans is held as coefficients until the last has come. To be asked behind the header.
    fn admit_scans(
        &mut self,
        limits: &ReadLimits,
        request: &DecodeRequest<'_>,
    ) -> Result<MemoryPermit, ReadError> {
        let (width, height) = (self.seen().image_width, self.seen().image_height);
        let pixels = u64::from(width) * u64::from(height);
        let mut needed = if matches!(request.output, Output::Pixels) { pixels * 3 } else { 0 };
        // SAFETY: behind the header the decoder is in the state that this may be asked in, and it keeps as many
        // descriptions of channels as it has channels.
        let (has_scans, channels) = unsafe {
            let channels = self.seen().num_components.max(0) as usize;
            let channels = std::slice::from_raw_parts(self.seen().comp_info, channels);
            (jpeg_has_multiple_scans(self.seen()) != 0, channels)
        };
        if has_scans {
            limits.admit_scans(width, height, scans(self.bytes).count)?;
            let blocks = channels.iter().map(|channel| {
                u64::from(channel.width_in_blocks) * u64::from(channel.height_in_blocks)
            });
            // 64 coefficients of two bytes.
            needed += blocks.sum::<u64>() * 128;
        }
        let most = limits.work_pixels / ReadLimits::scan_pixels(width, height);
        self.called().most_scans = c_int::try_from(most).unwrap_or(c_int::MAX).max(1);
        Ok(limits.memory.decode(needed))
    }

    /// How the colours are stored, and what to ask the decoder for.
    fn colours(&self) -> Result<(ColourMode, J_COLOR_SPACE), ReadError> {
        use J_COLOR_SPACE::*;
        match self.seen().jpeg_color_space {
            JCS_GRAYSCALE => Ok((ColourMode::Grey, JCS_GRAYSCALE)),
            JCS_YCbCr | JCS_RGB => Ok((ColourMode::Rgb, JCS_RGB)),
            JCS_CMYK | JCS_YCCK => Ok((ColourMode::Cmyk, JCS_CMYK)),
            _ => {
                let channels = self.seen().num_components;
                Err(ReadError::Unsupported(format!("JPEG with {channels} unnamed channels")))
            }
        }
    }

    fn markers(&self) -> Markers {
        let mut found = Markers::default();
        let mut next = self.seen().marker_list;
        // SAFETY: the list and its data belong to the decoder and live until it is destroyed.
        while let Some(marker) = unsafe { next.as_ref() } {
            let length = marker.data_length as usize;
            let data = unsafe { std::slice::from_raw_parts(marker.data, length) };
            match c_int::from(marker.marker) {
                APP1 => {
                    if let Some(block) = data.strip_prefix(b"Exif\0\0") {
                        found.exif = exif::facts(block);
                    }
                }
                APP2 => {
                    // A profile of several segments has its name in the first, number 1.
                    if let Some([1, _, icc @ ..]) = data.strip_prefix(b"ICC_PROFILE\0") {
                        found.profile = Some(profile::name(icc));
                    }
                }
                _ => found.adobe |= data.starts_with(b"Adobe"),
            }
            next = marker.next;
        }
        found
    }

    /// Whether every coefficient of a progressive image had its scan; none for other images. To be
    /// asked before the decoding is finished, which forgets it.
    fn all_scans_came(&self) -> Option<bool> {
        let channels = self.seen().num_components as usize;
        let bits = self.seen().coef_bits.cast::<c_int>();
        if bits.is_null() {
            return None;
        }
        // SAFETY: for progressive files the library keeps at least 64 numbers a channel here: the
        // lowest bit known so far of each coefficient, -1 before its first scan.
        let known = unsafe { std::slice::from_raw_parts(bits, channels * 64) };
        Some(known.iter().all(|&lowest_bit| lowest_bit == 0))
    }

    /// Judges an image of which every row was decoded.
    fn verdict(&self, all_scans: Option<bool>) -> Result<Vec<ReadWarning>, ReadError> {
        // SAFETY: see [`State`]; C does not run.
        let seen = unsafe { &self.state.as_ref().called.warnings };
        if seen.end_of_file > 0 {
            let channels = self.seen().num_components as usize;
            // Followed through the whole file, and only where the end is missing.
            let all_scans = all_scans.unwrap_or_else(|| scans(self.bytes).channels >= channels);
            if seen.scan_too_short > 0 || !all_scans {
                return Err(cut_short());
            }
            if seen.extraneous > 0 {
                return Err(damaged("no end marker, and other data in its place"));
            }
        }
        if seen.bad_data > 0 {
            return Err(damaged("the image data holds codes that do not exist"));
        }
        if seen.scan_too_short > 0 {
            return Err(damaged("part of the image data is missing"));
        }
        let mut read_warnings = Vec::new();
        if seen.end_of_file > 0 {
            // Half an end mark is a cut; a file that ends just before it has merely lost it.
            if self.bytes.ends_with(b"\xff") {
                return Err(cut_short());
            }
            read_warnings.push(ReadWarning::MissingEnd);
        } else {
            // SAFETY: the source manager lives as long as the decoder.
            let left = unsafe { (*self.seen().src).bytes_in_buffer } as u64;
            if left > 0 {
                read_warnings.push(ReadWarning::TrailingBytes(left));
            }
        }
        if seen.extraneous > 0 {
            read_warnings
                .push(ReadWarning::Suspect("bytes that belong to no segment were skipped".into()));
        }
        if seen.odd_order > 0 {
            read_warnings.push(ReadWarning::Suspect("the scans come in an invalid order".into()));
        }
        Ok(read_warnings)
    }

    /// Judges a file that the decoder gave up on.
    fn read_error(&mut self, fatal: &Fatal) -> ReadError {
        const NOT_READ_HERE: [J_MESSAGE_CODE; 6] = [
            JERR_ARITH_NOTIMPL,
            JERR_BAD_PRECISION,
            JERR_SOF_UNSUPPORTED,
            JERR_CONVERSION_NOTIMPL,
            JERR_CCIR601_NOTIMPL,
            JERR_FRACT_SAMPLE_NOTIMPL,
        ];
        if fatal.code == TOO_MANY_SCANS {
            let most = self.called().most_scans;
            ReadError::OverLimit(format!(
                "it has more than {most} scans, the limit for its size (max-work)"
            ))
        } else if fatal.code == STOPPED {
            given_up()
        } else if fatal.code == JERR_OUT_OF_MEMORY as c_int {
            no_memory()
        } else if NOT_READ_HERE.iter().any(|&code| code as c_int == fatal.code) {
            ReadError::Unsupported(format!("JPEG variety: {}", fatal.message))
        } else if self.called().warnings.end_of_file > 0 {
            cut_short()
        } else {
            damaged(&fatal.message)
        }
    }
}

impl Drop for Decoder<'_> {
    fn drop(&mut self) {
        // SAFETY: made by `new`; C lets go of all of it before it is freed, once.
        unsafe {
            jpeg_destroy_decompress(self.cinfo());
            drop(Box::from_raw(self.state.as_ptr()));
        }
    }
}

#[derive(Default)]
struct Markers {
    exif: ExifFacts,
    profile: Option<Box<str>>,
    adobe: bool,
}

/// The smallest scale, in eighths, that leaves the shorter of two sides at least `least_px` long.
fn scale(side_px: u32, least_px: u32) -> u32 {
    let leaves_enough =
        |eighths: &u32| u64::from(side_px) * u64::from(*eighths) >= u64::from(least_px) * 8;
    SCALES.into_iter().find(leaves_enough).unwrap_or(8)
}

fn cut_short() -> ReadError {
    ReadError::Truncated(Format::Jpeg, "the file ends before its image does".into())
}

fn damaged(what: &str) -> ReadError {
    ReadError::Damaged(Format::Jpeg, what.into())
}

fn append_row(data: &mut Vec<u8>, row: &[u8], colour: ColourMode, adobe: bool) {
    match colour {
        ColourMode::Grey => data.extend(row.iter().flat_map(|&value| [value; 3])),
        ColourMode::Cmyk => data.extend(row.chunks_exact(4).flat_map(|ink| {
            // Adobe's files hold light instead of ink: 255 is none.
            let light = |value: u8| if adobe { value } else { 255 - value };
            let black = light(ink[3]);
            [ink[0], ink[1], ink[2]].map(|value| multiply(light(value), black))
        })),
        _ => data.extend_from_slice(row),
    }
}

/// `a` times `b` where 255 stands for one, rounded to nearest.
fn multiply(a: u8, b: u8) -> u8 {
    ((u32::from(a) * u32::from(b) + 127) / 255) as u8
}

/// What the markers of a JPEG say of its scans.
#[derive(Default)]
struct Scans {
    /// How many there are.
    count: u64,
    /// How many channels they hold together.
    channels: usize,
}

/// Follows the markers of a JPEG from segment to segment; of the data of scans it looks for their ends.
fn scans(bytes: &[u8]) -> Scans {
    let mut scans = Scans::default();
    let mut at = 2;
    while let (Some(&mark), Some(&code)) = (bytes.get(at), bytes.get(at + 1)) {
        match (mark, code) {
            (0xFF, 0x00 | 0x01 | 0xD0..=0xD8 | 0xFF) => at += 1,
            (0xFF, 0xD9) => break,
            (0xFF, _) => {
                let Some(length) = bytes.get(at + 2..at + 4) else {
                    break;
                };
                if code == 0xDA {
                    scans.count += 1;
                    scans.channels += bytes.get(at + 4).map_or(0, |&count| usize::from(count));
                }
                at += 2 + usize::from(u16::from_be_bytes([length[0], length[1]]));
            }
            _ => at += bytes[at..].iter().position(|&byte| byte == 0xFF).unwrap_or(bytes.len()),
        }
    }
    scans
}

/// Our own codes beside the library's, which are positive.
const TOO_MANY_SCANS: c_int = -1;
const STOPPED: c_int = -2;

#[cold]
unsafe extern "C-unwind" fn give_up(cinfo: &mut jpeg_common_struct) {
    // SAFETY: `client_data` leads to the state that the decoder keeps; before it is set nothing fails.
    let errors = unsafe { &(*cinfo.client_data.cast::<State>()).errors };
    resume_unwind(Box::new(Fatal { code: errors.msg_code, message: message(errors) }));
}

/// What the library says, in its own words: the text of its table with the numbers, or the text, that it left.
fn message(errors: &jpeg_error_mgr) -> String {
    if !(1..=errors.last_jpeg_message).contains(&errors.msg_code) {
        return format!("error {}", errors.msg_code);
    }
    // SAFETY: the table has texts that end in zero for the codes up to the last.
    let text = unsafe {
        let text = *errors.jpeg_message_table.add(errors.msg_code as usize);
        CStr::from_ptr(text.cast()).to_string_lossy()
    };
    let words = errors.msg_parm._bindgen_data_;
    if let Some((before, after)) = text.split_once("%s") {
        let bytes: Vec<u8> = words.iter().flat_map(|word| word.to_ne_bytes()).collect();
        let bytes = bytes.split(|&byte| byte == 0).next().unwrap_or_default();
        return format!("{before}{}{after}", String::from_utf8_lossy(bytes));
    }
    // Numbers stand as `%d`, `%u` or `%ld`, in hexadecimal as `%02x`.
    let (mut message, mut words) = (String::new(), words.into_iter());
    let mut pieces = text.split('%');
    message.push_str(pieces.next().unwrap_or_default());
    for piece in pieces {
        let end = piece.find(|c: char| "duxc".contains(c)).map_or(piece.len(), |at| at + 1);
        let (kind, rest) = piece.split_at(end);
        let number = words.next().unwrap_or_default();
        message.push_str(&if kind.ends_with('x') {
            format!("{number:02x}")
        } else {
            number.cast_signed().to_string()
        });
        message.push_str(rest);
    }
    message
}

unsafe extern "C-unwind" fn take_warning(cinfo: &mut jpeg_common_struct, level: c_int) {
    if level >= 0 {
        return; // a trace message
    }
    // SAFETY: `client_data` leads to the state that the decoder keeps; nothing else looks at it while C runs.
    let (seen, code) = unsafe {
        let state = cinfo.client_data.cast::<State>();
        (&mut (*state).called.warnings, (*state).errors.msg_code)
    };
    match code as J_MESSAGE_CODE {
        JWRN_JPEG_EOF => seen.end_of_file += 1,
        JWRN_HIT_MARKER => seen.scan_too_short += 1,
        JWRN_HUFF_BAD_CODE | JWRN_MUST_RESYNC => seen.bad_data += 1,
        JWRN_EXTRANEOUS_DATA => seen.extraneous += 1,
        JWRN_BOGUS_PROGRESSION | JWRN_NOT_SEQUENTIAL => seen.odd_order += 1,
        _ => {}
    }
}

/// Called for every row of blocks that is read, and every row of pixels that is made.
unsafe extern "C-unwind" fn go_on_or_stop(cinfo: &mut jpeg_common_struct) {
    // SAFETY: as above.
    let (called, scan) = unsafe {
        let state = cinfo.client_data.cast::<State>();
        (&(*state).called, (*state).cinfo.input_scan_number)
    };
    let code = if (called.stopped)() {
        STOPPED
    } else if scan > called.most_scans {
        TOO_MANY_SCANS
    } else {
        return;
    };
    resume_unwind(Box::new(Fatal { code, message: String::new() }));
}
