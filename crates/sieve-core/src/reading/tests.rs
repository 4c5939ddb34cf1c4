//! Sound files, and files broken in every way that can be known.

use std::io::Cursor;
use std::time::Instant;

use herb_shed::encode::{self, Exif, Jpeg};
use herb_shed::paint::Picture as Painted;
use proptest::prelude::*;

use super::{
    ColourMode, Content, DecodedImage, Format, Pixels, ReadError, ReadLimits, ReadWarning, Rows,
    Shape, content, decode, decode_reduced, decode_rows, guarded,
};

const WIDTH: usize = 120;
const HEIGHT: usize = 90;

/// An image without repetition: no part of its data can be missed.
fn painted() -> Painted {
    let mut state = 1u32;
    let data = (0..WIDTH * HEIGHT * 3).map(|at| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let slope = at / 3 % WIDTH + at / (3 * WIDTH);
        (slope as u32 + (state >> 28)) as u8
    });
    Painted { width: WIDTH, height: HEIGHT, data: data.collect() }
}

fn pixels_of(painted: &Painted) -> Pixels {
    let (width_px, height_px) = (painted.width as u32, painted.height as u32);
    Pixels { width_px, height_px, data: painted.data.clone() }
}

fn gif(frames: u8) -> Vec<u8> {
    let mut file = Vec::new();
    let palette: Vec<u8> = (0..=255).flat_map(|level| [level; 3]).collect();
    let mut encoder =
        ::gif::Encoder::new(&mut file, WIDTH as u16, HEIGHT as u16, &palette).unwrap();
    for frame in 0..frames {
        let indices: Vec<u8> =
            painted().data.iter().step_by(3).map(|&value| value ^ frame).collect();
        let frame = ::gif::Frame::from_indexed_pixels(WIDTH as u16, HEIGHT as u16, indices, None);
        encoder.write_frame(&frame).unwrap();
    }
    drop(encoder);
    file
}

fn general(format: Format) -> Vec<u8> {
    let painted = painted();
    let (width, height) = (WIDTH as u32, HEIGHT as u32);
    match format {
        Format::Bmp => {
            // Rows from below, in blue, green, red; 120 pixels fill whole words.
            let rows = painted.data.chunks_exact(WIDTH * 3).rev();
            let bgr: Vec<u8> =
                rows.flat_map(|row| row.as_chunks().0).flat_map(|&[r, g, b]| [b, g, r]).collect();
            bmp(width as i32, height as i32, 24, 0, &[], &bgr)
        }
        Format::Tiff => {
            let mut file = Cursor::new(Vec::new());
            let mut encoder = ::tiff::encoder::TiffEncoder::new(&mut file).unwrap();
            encoder
                .write_image::<::tiff::encoder::colortype::RGB8>(width, height, &painted.data)
                .unwrap();
            file.into_inner()
        }
        Format::Pnm => [format!("P6\n{width} {height}\n255\n").as_bytes(), &painted.data].concat(),
        _ => ::qoi::encode_to_vec(&painted.data, width, height).unwrap(),
    }
}

/// A BMP with a header of 40 bytes; `extra` are masks or a palette.
fn bmp(
    width: i32,
    height: i32,
    bits: u16,
    compression: u32,
    extra: &[u8],
    pixels: &[u8],
) -> Vec<u8> {
    let start = 54 + extra.len() as u32;
    let mut file = b"BM".to_vec();
    file.extend((start + pixels.len() as u32).to_le_bytes());
    file.extend([0; 4]);
    file.extend(start.to_le_bytes());
    file.extend(40u32.to_le_bytes());
    file.extend(width.to_le_bytes());
    file.extend(height.to_le_bytes());
    file.extend(1u16.to_le_bytes());
    file.extend(bits.to_le_bytes());
    file.extend(compression.to_le_bytes());
    file.extend([0; 20]);
    file.extend(extra);
    file.extend(pixels);
    file
}

/// Three columns and two rows: red, green, blue; white, black, white.
const SIX: [[u8; 3]; 6] = [[255, 0, 0], [0, 255, 0], [0, 0, 255], [255; 3], [0; 3], [255; 3]];

#[test]
fn every_kind_of_bmp_and_pnm_gives_the_same_pixels() {
    // Blue, green, red and nothing for each colour of the palette.
    let palette: Vec<u8> = [[0, 0, 0], [255; 3], [255, 0, 0], [0, 255, 0], [0, 0, 255]]
        .iter()
        .flat_map(|&[r, g, b]| [b, g, r, 0])
        .chain([0; 4 * 11])
        .collect();
    let large: Vec<u8> = palette.iter().copied().chain([0; 4 * 240]).collect();
    let bgr = |row: &[[u8; 3]]| -> Vec<u8> {
        row.iter().flat_map(|&[r, g, b]| [b, g, r]).chain([0; 3]).collect()
    };
    let plain = [bgr(&SIX[3..]), bgr(&SIX[..3])].concat();
    let from_above = [bgr(&SIX[..3]), bgr(&SIX[3..])].concat();
    let masks: Vec<u8> = [0xF800u32, 0x07E0, 0x001F].iter().flat_map(|m| m.to_le_bytes()).collect();
    let short = |row: [u16; 3]| -> Vec<u8> {
        row.into_iter().flat_map(u16::to_le_bytes).chain([0; 2]).collect()
    };
    let words = [short([0xFFFF, 0, 0xFFFF]), short([0xF800, 0x07E0, 0x001F])].concat();
    let fives = [short([0x7FFF, 0, 0x7FFF]), short([0x7C00, 0x03E0, 0x001F])].concat();
    let four: Vec<u8> =
        [&SIX[3..], &SIX[..3]].concat().iter().flat_map(|&[r, g, b]| [b, g, r, 77]).collect();
    // A run of one, two literal pixels; a step to the third column; the end.
    let runs = [1, 1, 1, 0, 1, 1, 0, 0, 0, 3, 2, 3, 4, 0, 0, 1];
    let filled = [1, 1, 1, 0, 2, 1, 0, 0, 0, 3, 2, 3, 4, 0, 0, 1];
    let half_runs = [3, 0x10, 0, 0, 0, 3, 0x23, 0x40, 0, 1];
    let skips = [1, 1, 0, 2, 1, 0, 1, 1, 0, 0, 0, 3, 2, 3, 4, 0, 0, 1];
    let text = "P3 # colours\n3 2\n15\n15 0 0  0 15 0  0 0 15 15 15 15 0 0 0 15 15 15\n";
    let pam = "P7\nWIDTH 3\nHEIGHT 2\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\n";
    let wide: Vec<u8> = SIX.iter().flatten().flat_map(|&value| [value, value]).collect();
    let solid: Vec<u8> = SIX.iter().flat_map(|&[r, g, b]| [r, g, b, 255]).collect();
    for (name, file) in [
        ("24 bits", bmp(3, 2, 24, 0, &[], &plain)),
        ("from above", bmp(3, -2, 24, 0, &[], &from_above)),
        ("32 bits", bmp(3, 2, 32, 0, &[], &four)),
        ("masks", bmp(3, 2, 16, 3, &masks, &words)),
        ("16 bits", bmp(3, 2, 16, 0, &[], &fives)),
        ("8 bits", bmp(3, 2, 8, 0, &large, &[1, 0, 1, 0, 2, 3, 4, 0])),
        ("4 bits", bmp(3, 2, 4, 0, &palette, &[0x10, 0x10, 0, 0, 0x23, 0x40, 0, 0])),
        ("runs", bmp(3, 2, 8, 1, &large, &runs)),
        ("filled rows", bmp(3, 2, 8, 1, &large, &filled)),
        ("runs of halves", bmp(3, 2, 4, 2, &palette, &half_runs)),
        ("a pixel left out", bmp(3, 2, 8, 1, &large, &skips)),
        ("text", text.as_bytes().to_vec()),
        ("two bytes", [b"P6 3 2 65535\n", &wide[..]].concat()),
        ("with alpha", [pam.as_bytes(), &solid].concat()),
    ] {
        let image = decode(&file, &ReadLimits::default()).expect(name);
        assert_eq!(image.pixels.data, SIX.concat(), "{name}");
        assert_eq!(image.read_warnings, [], "{name}");
        // Whatever is cut off, nothing is made up.
        for length in 20..file.len() - 1 {
            let cut = checked(&file[..length]);
            assert!(cut.is_err() || name == "text", "{name} at {length}: {cut:?}");
        }
    }
    let grey = |file: &[u8]| decode(file, &ReadLimits::default()).unwrap().pixels.data;
    let stripes = [[255u8; 3], [0; 3], [255; 3]].concat();
    assert_eq!(grey(b"P1\n3 1\n0 1 0\n"), stripes);
    assert_eq!(grey(b"P1\n3 1\n010"), stripes);
    assert_eq!(grey(b"P4\n3 1\n\x40"), stripes);
    assert_eq!(grey(b"P2\n3 1\n9\n9 0 9"), stripes);
    assert_eq!(grey(b"P5\n3 1\n255\n\xff\0\xff"), stripes);
}

/// One sound file of each kind: its name, its bytes, and how many of them are the end mark.
fn sound_files() -> Vec<(&'static str, Vec<u8>, usize)> {
    let painted = painted();
    let mut files = vec![
        ("baseline JPEG", encode::jpeg(&painted, 90.0, Jpeg::Baseline, None), 2),
        ("progressive JPEG", encode::jpeg(&painted, 90.0, Jpeg::Progressive, None), 2),
        ("grey JPEG", encode::jpeg(&painted, 90.0, Jpeg::Grey, None), 2),
        ("PNG", encode::png(&painted), 12),
        ("WebP", encode::webp(&painted), 0),
        ("GIF", gif(1), 1),
        ("animated GIF", gif(3), 1),
    ];
    let general = [(Format::Bmp, 0), (Format::Tiff, 0), (Format::Pnm, 0), (Format::Qoi, 8)]
        .map(|(format, mark)| (format.name(), self::general(format), mark));
    files.extend(general);
    files
}

/// Takes the rows of an image and counts them.
#[derive(Default)]
struct Counted {
    shape: Option<Shape>,
    rows: u32,
}

impl Rows for Counted {
    fn begin(&mut self, shape: Shape) {
        *self = Counted { shape: Some(shape), rows: 0 };
    }

    fn row(&mut self, rgb: &[u8]) {
        assert_eq!(rgb.len(), self.shape.unwrap().columns as usize * 3);
        self.rows += 1;
    }
}

/// Reads a file as `audit` does. Of a sound one every row comes.
fn check(bytes: &[u8], limits: &ReadLimits) -> Result<DecodedImage, ReadError> {
    let mut rows = Counted::default();
    let image = decode_rows(bytes, limits, 64, &mut rows)?;
    assert_eq!(rows.rows, rows.shape.unwrap().rows);
    Ok(image)
}

fn checked(bytes: &[u8]) -> Result<Vec<ReadWarning>, ReadError> {
    check(bytes, &ReadLimits::default()).map(|image| image.read_warnings)
}

#[test]
fn sound_files_are_read_without_a_doubt() {
    for (name, bytes, _) in sound_files() {
        let limits = ReadLimits::default();
        let image =
            decode(&bytes, &limits).unwrap_or_else(|read_error| panic!("{name}: {read_error:?}"));
        assert_eq!(image.read_warnings, [], "{name}");
        assert_eq!((image.facts.width_px, image.facts.height_px), (120, 90), "{name}");
        assert_eq!(image.facts.frames, if name == "animated GIF" { 3 } else { 1 }, "{name}");
        let checked = check(&bytes, &limits).unwrap();
        assert_eq!(checked.facts, image.facts, "{name}");
        assert_eq!(checked.pixels, Pixels::default(), "{name}: a check keeps no pixels");
        let lossless = !name.contains("JPEG") && !name.contains("GIF");
        if lossless {
            assert_eq!(image.pixels, pixels_of(&painted()), "{name}");
        } else if name.ends_with("JPEG") && name != "grey JPEG" {
            let original = painted();
            let differences = image.pixels.data.iter().zip(&original.data);
            let sum: u64 = differences.map(|(a, b)| u64::from(a.abs_diff(*b))).sum();
            assert!(sum / (120 * 90 * 3) < 8, "{name}: the picture is the one that was painted");
        }
    }
}

#[test]
fn every_cut_is_found() {
    for (name, bytes, mark) in sound_files() {
        for share in [0.3, 0.7, 0.95, 0.999] {
            let length = (bytes.len() as f64 * share) as usize;
            let verdict = checked(&bytes[..length]);
            // A cut that takes no more than the end mark leaves the image whole.
            let only_mark = mark > 0 && bytes.len() - length <= mark;
            let found = match &verdict {
                Err(ReadError::Truncated(..)) => true,
                Ok(read_warnings) => only_mark && *read_warnings == [ReadWarning::MissingEnd],
                Err(_) => false,
            };
            assert!(found, "{name} at {share}: {verdict:?}");
        }
    }
}

#[test]
fn a_lost_end_mark_and_trailing_bytes_are_no_cuts() {
    for (name, bytes, mark) in sound_files() {
        if mark > 0 {
            let without = &bytes[..bytes.len() - mark];
            assert_eq!(checked(without), Ok(vec![ReadWarning::MissingEnd]), "{name}");
        }
        let mut longer = bytes.clone();
        longer.extend(b"something else");
        // What a TIFF may hold behind its pixels is not for us to know.
        let expected = if name == "TIFF" { vec![] } else { vec![ReadWarning::TrailingBytes(14)] };
        assert_eq!(checked(&longer), Ok(expected), "{name}");
    }
}

#[test]
fn lost_data_is_noticed_where_the_format_allows() {
    for (name, bytes, _) in sound_files() {
        // These formats have neither sums nor codes that could be wrong.
        if ["BMP", "TIFF", "PNM", "QOI", "WebP"].contains(&name) {
            continue;
        }
        let mut broken = bytes.clone();
        let middle = bytes.len() / 2;
        broken[middle..middle + 512].fill(0);
        let verdict = checked(&broken);
        let noticed = match &verdict {
            Err(ReadError::Damaged(..) | ReadError::Truncated(..)) => true,
            Ok(read_warnings) => matches!(read_warnings[..], [ReadWarning::Suspect(_), ..]),
            Err(_) => false,
        };
        assert!(noticed, "{name}: {verdict:?}");
    }
}

#[test]
fn a_png_is_sound_apart_from_a_damaged_comment() {
    let png = encode::png(&painted());
    // A text chunk behind the header, with a sum that is not its own.
    let chunk = b"\0\0\0\x05tEXta\0abc\x01\x02\x03\x04";
    let with_comment = [&png[..33], chunk, &png[33..]].concat();
    assert!(matches!(checked(&with_comment).unwrap()[..], [ReadWarning::Suspect(_)]));
    let mut flipped = png;
    let middle = flipped.len() / 2;
    flipped[middle] ^= 1;
    assert!(matches!(checked(&flipped), Err(ReadError::Damaged(Format::Png, _))));
}

#[test]
fn pictures_are_turned_upright() {
    let painted = painted();
    for (orientation, sides) in [(1, (120, 90)), (3, (120, 90)), (6, (90, 120)), (8, (90, 120))] {
        let exif = Exif { taken: "2026:07:06 08:00:00".into(), camera: "Bench", orientation };
        let bytes = encode::jpeg(&painted, 95.0, Jpeg::Baseline, Some(&exif));
        let image = decode(&bytes, &ReadLimits::default()).unwrap();
        assert_eq!(image.facts.orientation, orientation as u8);
        assert_eq!((image.facts.width_px, image.facts.height_px), sides);
        assert_eq!((image.pixels.width_px, image.pixels.height_px), sides);
        let plain = encode::jpeg(&painted, 95.0, Jpeg::Baseline, None);
        let plain = decode(&plain, &ReadLimits::default()).unwrap().pixels;
        let corner = match orientation {
            1 => plain.at(0, 0),
            3 => plain.at(119, 89),
            6 => plain.at(0, 89),
            _ => plain.at(119, 0),
        };
        assert_eq!(image.pixels.at(0, 0), corner, "{orientation}");
    }
}

#[test]
fn inks_become_light() {
    // Cyan, magenta, yellow, black, as Adobe writes them: 255 is no ink. The encoder marks them so.
    let inks: [([u8; 4], [u8; 3]); 4] = [
        ([255, 255, 255, 255], [255, 255, 255]),
        ([0, 255, 255, 255], [0, 255, 255]),
        ([255, 255, 255, 0], [0, 0, 0]),
        ([255, 128, 255, 128], [128, 64, 128]),
    ];
    for (ink, light) in inks {
        let mut jpeg = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_CMYK);
        jpeg.set_color_space(mozjpeg::ColorSpace::JCS_CMYK);
        jpeg.set_size(16, 16);
        jpeg.set_quality(100.0);
        let mut started = jpeg.start_compress(Vec::new()).unwrap();
        started.write_scanlines(&ink.repeat(256)).unwrap();
        let image = decode(&started.finish().unwrap(), &ReadLimits::default()).unwrap();
        assert_eq!(image.facts.colour, ColourMode::Cmyk);
        let seen = image.pixels.at(8, 8);
        assert!(seen.iter().zip(light).all(|(a, b)| a.abs_diff(b) <= 2), "{ink:?}: {seen:?}");
    }
}

/// A PNG of 2 x 1 pixels with these settings and data.
fn small_png(
    colour: ::png::ColorType,
    depth: ::png::BitDepth,
    data: &[u8],
    palette: &[u8],
    alpha: &[u8],
) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = ::png::Encoder::new(&mut file, 2, 1);
    encoder.set_color(colour);
    encoder.set_depth(depth);
    if !palette.is_empty() {
        encoder.set_palette(palette.to_vec());
    }
    if !alpha.is_empty() {
        encoder.set_trns(alpha.to_vec());
    }
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(data).unwrap();
    writer.finish().unwrap();
    file
}

#[test]
fn every_kind_of_png_becomes_rgb_on_white() {
    use ::png::BitDepth::{Eight, One, Sixteen};
    use ::png::ColorType::{Grayscale, GrayscaleAlpha, Indexed, Rgb, Rgba};
    let read = |bytes: Vec<u8>| {
        let image = decode(&bytes, &ReadLimits::default()).unwrap();
        (image.facts.colour, image.facts.bits, image.pixels.data)
    };
    assert_eq!(
        read(small_png(Grayscale, One, &[0b0100_0000], &[], &[])),
        (ColourMode::Grey, 1, vec![0, 0, 0, 255, 255, 255])
    );
    assert_eq!(
        read(small_png(Rgb, Sixteen, &[1, 0, 2, 255, 3, 9, 255, 0, 128, 1, 0, 7], &[], &[])),
        (ColourMode::Rgb, 16, vec![1, 2, 3, 255, 128, 0])
    );
    assert_eq!(
        read(small_png(GrayscaleAlpha, Eight, &[10, 255, 10, 0], &[], &[])),
        (ColourMode::GreyAlpha, 8, vec![10, 10, 10, 255, 255, 255])
    );
    assert_eq!(
        read(small_png(Rgba, Eight, &[0, 0, 0, 128, 9, 8, 7, 255], &[], &[])),
        (ColourMode::Rgba, 8, vec![127, 127, 127, 9, 8, 7])
    );
    assert_eq!(
        read(small_png(Indexed, Eight, &[1, 0], &[1, 2, 3, 4, 5, 6], &[255, 0])),
        (ColourMode::Palette, 8, vec![255, 255, 255, 1, 2, 3])
    );
}

#[test]
fn bombs_are_refused_from_their_headers() {
    // 30000 x 30000 would become 2.7 GB; the file need not hold any of it.
    let mut png = Vec::new();
    ::png::Encoder::new(&mut png, 30_000, 30_000).write_header().unwrap();
    let mut gif = gif(1);
    gif[6..10].fill(0xFF);
    let started = Instant::now();
    assert!(matches!(checked(&png), Err(ReadError::OverLimit(_))));
    assert!(matches!(checked(&gif), Err(ReadError::OverLimit(_))));
    let small = ReadLimits { pixels: 100, file_bytes: 50_000, ..ReadLimits::default() };
    for (name, bytes, _) in sound_files() {
        let verdict = check(&bytes, &small).map(|_| ());
        assert!(matches!(verdict, Err(ReadError::OverLimit(_))), "{name}: {verdict:?}");
    }
    let long = ReadLimits { file_bytes: 10, ..small };
    assert!(matches!(check(&gif, &long), Err(ReadError::OverLimit(_))));
    assert!(started.elapsed().as_secs() < 2);
}

#[test]
fn rubbish_in_place_of_a_gif_trailer_is_noticed() {
    let mut gif = gif(1);
    *gif.last_mut().unwrap() = 0x3A;
    assert!(matches!(checked(&gif).unwrap()[..], [ReadWarning::Suspect(_)]));
}

#[test]
fn a_tiff_that_claims_billions_of_values_costs_nothing() {
    let mut tiff = general(Format::Tiff);
    // The field of the strips' offsets, tag 273: an unknown type, and four billion values.
    let field = tiff.windows(4).position(|window| window == [0x11, 1, 4, 0]).unwrap();
    tiff[field + 2..field + 8].copy_from_slice(&[99, 0, 0xFF, 0xFF, 0xFF, 0xFF]);
    let started = Instant::now();
    assert!(checked(&tiff).is_err());
    assert!(started.elapsed().as_secs() < 2);
}

#[test]
fn a_jpeg_of_endless_scans_is_refused() {
    let jpeg = encode::jpeg(&painted(), 90.0, Jpeg::Progressive, None);
    let end = jpeg.len() - 2;
    let last_scan = jpeg.windows(2).rposition(|pair| pair == b"\xff\xda").unwrap();
    let bomb = [&jpeg[..end], &jpeg[last_scan..end].repeat(600), b"\xff\xd9"].concat();
    let refused = |limits: &ReadLimits| match check(&bomb, limits) {
        Err(ReadError::OverLimit(why)) => why,
        other => panic!("{other:?}"),
    };
    let scans = bomb.windows(2).filter(|pair| *pair == b"\xff\xda").count();
    let work = scans * 8_000_000;
    let why = format!("in {scans} scans means decoding {work} pixels; the limit is 4000000000");
    assert!(refused(&ReadLimits::default()).contains(&why), "{why}");
    let allowed = ReadLimits { work_pixels: work as u64, ..ReadLimits::default() };
    let read = check(&bomb, &allowed);
    assert!(
        !matches!(read, Err(ReadError::OverLimit(_))),
        "whoever wants it may have it: {read:?}"
    );
    let stops = ReadLimits { stopped: || true, ..allowed };
    assert!(
        matches!(check(&bomb, &stops), Err(ReadError::Unreadable(why)) if why.contains("stopped"))
    );
}

/// The chunks of a PNG anew: `change` gets each name and content, and gives the content of those that stay and others
/// to stand before it.
fn with_chunks(
    png: &[u8],
    change: impl Fn(&[u8], &[u8]) -> Vec<(&'static [u8], Vec<u8>)>,
) -> Vec<u8> {
    let mut made = png[..8].to_vec();
    let mut at = 8;
    while at < png.len() {
        let length = u32::from_be_bytes(png[at..at + 4].try_into().unwrap()) as usize;
        for (name, content) in change(&png[at + 4..at + 8], &png[at + 8..at + 8 + length]) {
            made.extend((content.len() as u32).to_be_bytes());
            let named = [name, &content].concat();
            made.extend(&named);
            let mut sum = flate2::Crc::new();
            sum.update(&named);
            made.extend(sum.sum().to_be_bytes());
        }
        at += length + 12;
    }
    made
}

fn deflated(bytes: &[u8]) -> Vec<u8> {
    let mut packed = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::best());
    std::io::Write::write_all(&mut packed, bytes).unwrap();
    packed.finish().unwrap()
}

fn inflated(bytes: &[u8]) -> Vec<u8> {
    let mut bytes_out = Vec::new();
    std::io::Read::read_to_end(&mut flate2::read::ZlibDecoder::new(bytes), &mut bytes_out).unwrap();
    bytes_out
}

#[test]
fn what_a_png_packs_beside_its_pixels_is_noticed() {
    let sound = encode::png(&painted());
    let name = |name: &[u8]| -> &'static [u8] {
        [&b"IHDR"[..], b"IDAT", b"IEND"].into_iter().find(|known| *known == name).unwrap()
    };
    let reported = |file: Vec<u8>| match &checked(&file).unwrap()[..] {
        [] => "sound".to_owned(),
        [ReadWarning::Suspect(what)] => what.clone(),
        other => panic!("{other:?}"),
    };
    let before = |chunk: &'static [u8], content: Vec<u8>| {
        with_chunks(&sound, |named, data| {
            let own = (name(named), data.to_vec());
            if named == b"IDAT" { vec![(chunk, content.clone()), own] } else { vec![own] }
        })
    };
    let stream = |change: &dyn Fn(Vec<u8>) -> Vec<u8>| {
        with_chunks(&sound, |named, data| {
            let data = if named == b"IDAT" { change(data.to_vec()) } else { data.to_vec() };
            vec![(name(named), data)]
        })
    };
    let (bomb, text) = (deflated(&vec![0; 40 << 20]), deflated(b"rack 7"));
    let many = "unpacks to more than 16 MiB";
    let table = [
        (before(b"zTXt", [b"Note\0\0", &text[..]].concat()), "sound".to_owned()),
        (before(b"zTXt", [b"Note\0\0", &bomb[..]].concat()), format!("the chunk zTXt {many}")),
        (before(b"iCCP", [b"shed\0\0", &bomb[..]].concat()), format!("the chunk iCCP {many}")),
        (
            before(b"iTXt", [b"N\0\x01\0en\0N\0", &bomb[..]].concat()),
            format!("the chunk iTXt {many}"),
        ),
        (before(b"iTXt", [b"N\0\0\0en\0N\0", &bomb[..]].concat()), "sound".to_owned()),
        (
            stream(&|data| deflated(&[inflated(&data), vec![0; 1000]].concat())),
            "its stream of pixels has 1000 bytes more than the image".to_owned(),
        ),
        (
            stream(&|data| deflated(&[inflated(&data), vec![0; 40 << 20]].concat())),
            "its stream of pixels has at least 16777216 bytes more than the image".to_owned(),
        ),
        (
            stream(&|data| [&data[..], b"a message"].concat()),
            "9 bytes follow its stream of pixels".to_owned(),
        ),
        (stream(&|data| deflated(&inflated(&data))), "sound".to_owned()),
    ];
    for (file, expected) in table {
        assert_eq!(reported(file), expected);
    }
}

#[test]
fn a_panic_inside_of_a_decoder_is_known_to_be_one() {
    assert!(!super::is_decoding());
    let outcome = super::guarded(Format::WebP, || {
        assert!(super::is_decoding());
        std::panic::resume_unwind(Box::new("the decoder gave up"))
    });
    assert!(matches!(outcome, Err(ReadError::Damaged(Format::WebP, _))));
    assert!(!super::is_decoding());
    assert!(matches!(super::memory::reserve(usize::MAX / 2), Err(ReadError::Unreadable(_))));
}

#[test]
fn a_picture_without_pixels_is_none() {
    let mut gif = gif(1);
    gif[6..10].fill(0);
    assert!(matches!(checked(&gif), Err(ReadError::Damaged(Format::Gif, _))));
}

#[test]
fn a_decoder_that_panics_ends_no_run() {
    let verdict = guarded(Format::Gif, || panic!("a decoder's mistake"));
    assert!(matches!(verdict, Err(ReadError::Damaged(Format::Gif, _))));
}

#[test]
fn content_decides_what_a_file_is() {
    let not_an_image = |bytes: &[u8]| match check(bytes, &ReadLimits::default()) {
        Err(ReadError::NotAnImage(what)) => what,
        other => panic!("{other:?}"),
    };
    assert_eq!(not_an_image(b"Trays of rack 4\n").as_deref(), Some("text"));
    assert_eq!(not_an_image("Thymian für später".as_bytes()).as_deref(), Some("text"));
    assert_eq!(not_an_image(b"<!DOCTYPE html><html>").as_deref(), Some("a web page"));
    assert_eq!(not_an_image(b"<!doctype html><body><svg/>").as_deref(), Some("a web page"));
    assert_eq!(not_an_image(b"%PDF-1.7").as_deref(), Some("a PDF document"));
    assert_eq!(not_an_image(&[0; 600]).as_deref(), Some("nothing but zero bytes"));
    assert_eq!(not_an_image(b"\x01\x02\xff\xfe"), None);
    assert_eq!(not_an_image(b"BM is short for bench mark").as_deref(), Some("text"));
    assert_eq!(not_an_image(b"P6 was the sixth rack").as_deref(), Some("text"));
    assert_eq!(checked(b""), Err(ReadError::Empty));
    for (bytes, name) in [
        (&b"\0\0\0\x1cftypavif...."[..], "AVIF"),
        (b"\0\0\0\x18ftypheic....", "HEIC"),
        (b"\xff\x0a\x00\x00", "JPEG XL"),
        (b"8BPS\0\x01", "Photoshop document"),
        (b"<?xml version='1.0'?>\n<svg xmlns='x'/>", "SVG drawing"),
    ] {
        assert_eq!(checked(bytes), Err(ReadError::Unsupported(name.into())));
    }
    assert_eq!(content(b"\xff\xd8\xff\xe0"), Content::Image(Format::Jpeg));
    assert_eq!(Format::of_extension("jpeg"), Some(Format::Jpeg));
    assert_eq!(Format::of_extension("txt"), None);
}

/// A smooth image of `width` x `height`.
fn smooth(width: usize, height: usize) -> Painted {
    let colour = |at: usize| {
        let (x, y) = (at % width * 200 / width, at / width * 200 / height);
        [x as u8, y as u8, ((x + y) / 2) as u8]
    };
    Painted { width, height, data: (0..width * height).flat_map(colour).collect() }
}

#[test]
fn jpegs_are_scaled_as_far_as_both_sides_stay_long_enough() {
    let shape = |width: usize, height: usize, kind: Jpeg| {
        let mut rows = Counted::default();
        let jpeg = encode::jpeg(&smooth(width, height), 90.0, kind, None);
        let image = decode_rows(&jpeg, &ReadLimits::default(), 64, &mut rows).unwrap();
        assert_eq!((image.facts.width_px, image.facts.height_px), (width as u32, height as u32));
        rows.shape.unwrap()
    };
    // The last row stands for three of the image's, not four.
    let quarter = Shape { columns: 125, rows: 94, width: 125.0, height: 93.75 };
    assert_eq!(shape(500, 375, Jpeg::Baseline), quarter);
    let eighth = Shape { columns: 129, rows: 64, width: 128.125, height: 64.0 };
    assert_eq!(shape(1025, 512, Jpeg::Progressive), eighth);
    assert_eq!(shape(200, 128, Jpeg::Grey), Shape::full(100, 64));
    assert_eq!(shape(2000, 100, Jpeg::Baseline), Shape::full(2000, 100));
    assert_eq!(shape(9, 7, Jpeg::Baseline), Shape::full(9, 7));
}

#[test]
fn reduced_pictures_are_the_large_ones_made_smaller_and_stand_upright() {
    let (width, height) = (640, 480);
    for orientation in [1u16, 2, 3, 4, 5, 6, 7, 8] {
        let exif = Exif { taken: "2026:07:06 08:00:00".into(), camera: "Bench", orientation };
        let bytes = encode::jpeg(&smooth(width, height), 95.0, Jpeg::Baseline, Some(&exif));
        let large = decode(&bytes, &ReadLimits::default()).unwrap();
        let small = decode_reduced(&bytes, &ReadLimits::default(), 100).unwrap();
        assert_eq!(small.facts, large.facts);
        let times = large.pixels.width_px / small.pixels.width_px;
        assert_eq!(times, 4, "no side below 100, and as small as that allows");
        assert_eq!(large.pixels.height_px, times * small.pixels.height_px);
        for y in 0..small.pixels.height_px {
            for x in 0..small.pixels.width_px {
                // The mean of the pixels that it stands for.
                let block = (0..times * times)
                    .map(|at| large.pixels.at(x * times + at % times, y * times + at / times));
                let sums = block.fold([0u32; 3], |sums, rgb| {
                    [0, 1, 2].map(|channel| sums[channel] + u32::from(rgb[channel]))
                });
                let found = small.pixels.at(x, y);
                for (sum, found) in sums.iter().zip(found) {
                    let mean = f64::from(*sum) / f64::from(times * times);
                    assert!((mean - f64::from(found)).abs() < 6.0, "{orientation}: {x} {y}");
                }
            }
        }
    }
    // What is not a JPEG comes as it is, and what is broken does not come.
    let bytes = encode::png(&smooth(200, 100));
    let small = decode_reduced(&bytes, &ReadLimits::default(), 10).unwrap();
    assert_eq!(small.pixels.data, decode(&bytes, &ReadLimits::default()).unwrap().pixels.data);
    let cut = &bytes[..bytes.len() / 2];
    assert!(matches!(
        decode_reduced(cut, &ReadLimits::default(), 10),
        Err(ReadError::Truncated(Format::Png, _))
    ));
}

#[test]
fn deep_pictures_have_a_limit_in_bytes() {
    let limits = ReadLimits { decoded_bytes: 120 * 90 * 3, ..ReadLimits::default() };
    assert!(check(&encode::png(&painted()), &limits).is_ok());
    let deep = {
        let mut file = Vec::new();
        let mut encoder = ::png::Encoder::new(&mut file, 120, 90);
        encoder.set_color(::png::ColorType::Rgb);
        encoder.set_depth(::png::BitDepth::Sixteen);
        let mut writer = encoder.write_header().unwrap();
        writer.write_image_data(&vec![7; 120 * 90 * 6]).unwrap();
        drop(writer);
        file
    };
    assert!(check(&deep, &ReadLimits::default()).is_ok());
    let refused = check(&deep, &limits);
    assert!(
        matches!(&refused, Err(ReadError::OverLimit(why)) if why.contains("64800 bytes")),
        "{refused:?}"
    );
}

#[test]
fn embedded_profiles_are_named() {
    let icc = [
        &[0u8; 128][..],
        &1u32.to_be_bytes(),
        b"desc",
        &144u32.to_be_bytes(),
        &17u32.to_be_bytes(),
    ];
    let icc = [&icc.concat()[..], b"desc\0\0\0\0\0\0\0\x05Shed\0"].concat();
    let jpeg = encode::jpeg(&painted(), 90.0, Jpeg::Baseline, None);
    let segment = [&b"ICC_PROFILE\0\x01\x01"[..], &icc].concat();
    let length = (segment.len() as u16 + 2).to_be_bytes();
    let with_profile = [&jpeg[..2], b"\xff\xe2", &length, &segment, &jpeg[2..]].concat();
    let profile = |file: &[u8]| check(file, &ReadLimits::default()).unwrap().facts.profile;
    assert_eq!(profile(&with_profile).as_deref(), Some("Shed"));
    assert_eq!(profile(&jpeg), None);
    let mut info = ::png::Info::with_size(1, 1);
    info.icc_profile = Some(icc.into());
    let mut png = Vec::new();
    let encoder = ::png::Encoder::with_info(&mut png, info).unwrap();
    encoder.write_header().unwrap().write_image_data(&[1]).unwrap();
    // The encoder at hand gives profiles no name of their own.
    assert!(profile(&png).is_some());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever the bytes, reading answers: no panic, no endless loop, no wild allocation.
    #[test]
    fn hostile_bytes_are_answered(
        which in 0usize..11, from in 0.0..1.0, bytes in proptest::collection::vec(any::<u8>(), 0..64),
        keep in any::<bool>(),
    ) {
        let (name, mut file, _) = sound_files().swap_remove(which);
        let start = (from * file.len() as f64) as usize;
        let end = (start + bytes.len()).min(file.len());
        file[start..end].copy_from_slice(&bytes[..end - start]);
        let limits = ReadLimits { pixels: 1_000_000, ..ReadLimits::default() };
        let verdict = if keep { decode(&file, &limits) } else { check(&file, &limits) };
        if let Ok(image) = verdict {
            let area = u64::from(image.facts.width_px) * u64::from(image.facts.height_px);
            prop_assert!(area <= 1_000_000, "{}", name);
            prop_assert_eq!(image.pixels.data.len() as u64, if keep { area * 3 } else { 0 });
        }
    }
}
