//! The bytes of an archive as they were before it was packed.

use std::fs::File;
use std::io::{self, BufReader, Read};

use flate2::read::MultiGzDecoder;
use ruzstd::decoding::StreamingDecoder;

/// How a tar archive is packed as a whole.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::collection) enum Compression {
    Gzip,
    Zstandard,
}

/// Unpacks `file` while it is read.
pub(super) fn unpacked(file: File, packing: Compression) -> io::Result<Box<dyn Read + Send>> {
    let file = BufReader::with_capacity(1 << 18, file);
    Ok(match packing {
        Compression::Gzip => Box::new(MultiGzDecoder::new(file)),
        Compression::Zstandard => Box::new(Frames { rest: Some(file), frame: None }),
    })
}

/// Zstandard files may be several frames, one after the other (RFC 8878, section 3).
struct Frames {
    rest: Option<BufReader<File>>,
    frame: Option<StreamingDecoder<BufReader<File>, ruzstd::decoding::FrameDecoder>>,
}

impl Read for Frames {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        if into.is_empty() {
            return Ok(0);
        }
        loop {
            if let Some(frame) = &mut self.frame {
                let count = frame.read(into)?;
                if count > 0 {
                    return Ok(count);
                }
                self.rest = self.frame.take().map(StreamingDecoder::into_inner);
            }
            let Some(mut rest) = self.rest.take() else { return Ok(0) };
            if io::BufRead::fill_buf(&mut rest)?.is_empty() {
                return Ok(0);
            }
            self.frame = Some(StreamingDecoder::new(rest).map_err(io::Error::other)?);
        }
    }
}
