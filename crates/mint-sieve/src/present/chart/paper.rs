//! What all charts are drawn on: a page in ink on paper, written as SVG or as pixels.

use std::path::Path;
use std::sync::Once;

use plotters::backend::{BitMapBackend, SVGBackend};
use plotters::coord::Shift;
use plotters::drawing::{DrawingArea, DrawingAreaErrorKind, IntoDrawingArea};
use plotters::element::{Rectangle, Text};
use plotters::prelude::{Color, DrawingBackend, FontStyle, IntoFont, RGBColor, TextStyle};
use plotters::style::register_font;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use sieve_core::reading::Pixels;

use crate::console::safe;
use crate::failure::Failure;
use crate::present::sheet::{self, INK, PALE, PAPER};

/// Columns of every chart.
pub const WIDTH: u32 = 1280;
/// Distance from the edge.
pub const MARGIN: i32 = 24;
/// The size of letters.
pub const LETTERS: i32 = 14;

/// A chart that can be drawn on a page.
pub trait Chart {
    /// Rows of the page that it takes.
    fn height(&self) -> u32;
    /// Draws it.
    fn draw<B: DrawingBackend>(&self, page: &Page<'_, B>) -> Result<(), Wrong<B>>;
}

/// What may go wrong on a page.
pub type Wrong<B> = DrawingAreaErrorKind<<B as DrawingBackend>::ErrorType>;

/// A page that is drawn on.
pub struct Page<'a, B: DrawingBackend>(&'a DrawingArea<B, Shift>);

/// Where a text stands to its point.
#[derive(Clone, Copy)]
pub enum Side {
    /// It begins there.
    Right,
    /// It ends there.
    Left,
}

type Colour = [u8; 3];

fn colour([red, green, blue]: Colour) -> RGBColor {
    RGBColor(red, green, blue)
}

impl<B: DrawingBackend> Page<'_, B> {
    /// Fills a rectangle.
    pub fn fill(
        &self,
        x: i32,
        y: i32,
        width: i32,
        height: i32,
        with: Colour,
    ) -> Result<(), Wrong<B>> {
        let corners = [(x, y), (x + width.max(1), y + height.max(1))];
        self.0.draw(&Rectangle::new(corners, colour(with).filled()))
    }

    /// Writes a text whose middle is at this height.
    pub fn write(
        &self,
        text: &str,
        at: (i32, i32),
        side: Side,
        size: i32,
        is_bold: bool,
        with: Colour,
    ) -> Result<(), Wrong<B>> {
        let style = if is_bold { FontStyle::Bold } else { FontStyle::Normal };
        let horizontal = match side {
            Side::Right => HPos::Left,
            Side::Left => HPos::Right,
        };
        let font = ("sans-serif", size, style).into_font();
        let ink = colour(with);
        let style = TextStyle::from(font).color(&ink).pos(Pos::new(horizontal, VPos::Center));
        // XML has no control characters, and marks of direction would turn what stands beside them.
        self.0.draw(&Text::new(safe(text), at, style))
    }

    /// The title, and a line below it.
    pub fn head(&self, title: &str, below: &str) -> Result<(), Wrong<B>> {
        self.write(title, (MARGIN, MARGIN), Side::Right, 20, true, INK)?;
        self.write(below, (MARGIN, MARGIN + 24), Side::Right, LETTERS, false, PALE)
    }
}

/// The letters of all charts, which lie in the program.
fn letters() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let fonts = [
            (FontStyle::Normal, dejavu::sans_condensed::regular()),
            (FontStyle::Bold, dejavu::sans_condensed::bold()),
        ];
        for (style, bytes) in fonts {
            // A font that cannot be read leaves a chart without letters; it is read in every test.
            let _ = register_font("sans-serif", style, bytes);
        }
    });
}

/// Refuses a name, given with `option`, that is neither of the two forms.
pub fn refuse_other_forms(option: &str, out: &Path) -> Result<(), Failure> {
    let extension = out.extension().map(|extension| extension.to_ascii_lowercase());
    if extension.is_some_and(|extension| extension == "svg" || extension == "png") {
        return Ok(());
    }
    let message = format!("{option} {}: expected a name that ends in .svg or .png", out.display());
    Err(Failure::call(message))
}

/// A chart as the bytes of the file `out`, whose ending says in which form.
pub fn drawn(chart: &impl Chart, out: &Path) -> Result<Vec<u8>, Failure> {
    letters();
    let size = (WIDTH, chart.height());
    let failed =
        |reason: String| Failure::output(format!("cannot draw {}: {reason}", out.display()));
    if out.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("svg")) {
        return drawn_as_svg(chart).map(String::into_bytes);
    }
    let mut data = vec![0u8; (size.0 * size.1 * 3) as usize];
    {
        let area = BitMapBackend::with_buffer(&mut data, size).into_drawing_area();
        on(&area, chart).map_err(|error| failed(error.to_string()))?;
    }
    Ok(sheet::png(&Pixels { width_px: size.0, height_px: size.1, data }))
}

/// A chart as the text of an SVG.
pub fn drawn_as_svg(chart: &impl Chart) -> Result<String, Failure> {
    letters();
    let mut text = String::new();
    {
        let area = SVGBackend::with_string(&mut text, (WIDTH, chart.height())).into_drawing_area();
        on(&area, chart)
            .map_err(|error| Failure::output(format!("cannot draw a chart: {error}")))?;
    }
    Ok(text)
}

fn on<B: DrawingBackend>(area: &DrawingArea<B, Shift>, chart: &impl Chart) -> Result<(), Wrong<B>> {
    area.fill(&colour(PAPER))?;
    chart.draw(&Page(area))?;
    area.present()
}
