//! The leaves: six herbs, each with the shape, the veins and the surface it is recognised by.

use std::f32::consts::{PI, TAU};

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use tiny_skia::{Color, FillRule, LineCap, Paint, Path, PathBuilder, Pixmap, Stroke, Transform};

use super::layer::Layer;
use super::noise::{box_blur, fractal, grain};
use super::{Colour, Herb, mix, rgb};

/// One leaf as it lies on a tray.
#[derive(Clone, Debug)]
pub struct Leaf {
    /// What it is.
    pub herb: Herb,
    /// Its middle, as shares of the image's width and height.
    pub place: (f32, f32),
    /// Where its tip points, in radians.
    pub angle: f32,
    /// Its length as a share of the image's height.
    pub length: f32,
    /// Its width against the usual one of its herb.
    pub breadth: f32,
    /// How far its middle line is bent, as a share of its length.
    pub bend: f32,
    /// How far its margins are raised, as a share of its length; below 0 they are bent down.
    pub curl: f32,
    /// How dry it is: 0 fresh, 1 brown.
    pub dryness: f32,
    /// What its details are drawn from.
    pub seed: u64,
}

impl Leaf {
    /// A random leaf of `herb`, near the middle of the image.
    pub fn of(herb: Herb, rng: &mut ChaCha8Rng) -> Self {
        let (shortest, longest) = match herb {
            Herb::Sage => (0.62, 0.9),
            Herb::Thyme => (0.6, 0.88),
            Herb::Dill => (0.62, 0.92),
            Herb::Spearmint | Herb::Bay | Herb::Nettle => (0.55, 0.85),
        };
        Leaf {
            herb,
            place: (rng.random_range(0.4..0.6), rng.random_range(0.42..0.58)),
            angle: rng.random_range(0.0..TAU),
            length: rng.random_range(shortest..longest),
            breadth: rng.random_range(0.85..1.15),
            bend: rng.random_range(-0.09..0.09),
            curl: rng.random_range(-0.03..0.06),
            dryness: rng.random_range(0.0f32..1.0).powi(2) * 0.7,
            seed: rng.random(),
        }
    }

    /// Paints the leaf on an empty image.
    pub(super) fn layer(&self, width: usize, height: usize) -> Layer {
        match self.herb {
            Herb::Spearmint => self.blade(width, height, &SPEARMINT),
            Herb::Sage => self.blade(width, height, &SAGE),
            Herb::Bay => self.blade(width, height, &BAY),
            Herb::Nettle => self.blade(width, height, &NETTLE),
            Herb::Thyme => self.thyme(width, height),
            Herb::Dill => self.dill(width, height),
        }
    }

    fn frame(&self, width: usize, height: usize) -> Frame {
        Frame {
            centre: (self.place.0 * width as f32, self.place.1 * height as f32),
            axis: (self.angle.cos(), self.angle.sin()),
            length: self.length * height as f32,
            bend: self.bend,
        }
    }

    fn blade(&self, width: usize, height: usize, kind: &Blade) -> Layer {
        let frame = self.frame(width, height);
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed);
        let phase: f32 = rng.random();
        let half_width = kind.half_width * self.breadth;

        let mut canvas = Canvas::new(width, height);
        let stalk: Vec<(f32, f32)> =
            (0..=8).map(|i| frame.at(0.02 - kind.stalk * i as f32 / 8.0, 0.0)).collect();
        let stalk_width = (frame.length * kind.stalk_width).max(1.5);
        canvas.stroke(&stalk, stalk_width, kind.vein);
        let mut outline = Vec::new();
        for side in [1.0, -1.0] {
            let points = (0..=400).map(|i| {
                let i = if side > 0.0 { i } else { 400 - i };
                let u = i as f32 / 400.0;
                let (reach, forward) = kind.margin(u, phase + if side > 0.0 { 0.0 } else { 0.43 });
                frame.at((u + forward).min(1.0), side * half_width * kind.profile(u) * reach)
            });
            outline.extend(points);
        }
        canvas.fill(&outline, rgb(255, 255, 255));
        let mut layer = canvas.layer(frame.length * 0.055);

        let place = (rng.random_range(0.0..9.0f32), rng.random_range(0.0..9.0f32));
        let hue: f32 = rng.random_range(-1.0..1.0);
        let edge = box_blur(&layer.cover, width, height, (frame.length * 0.02) as usize + 1);
        for y in 0..height {
            for x in 0..width {
                let at = y * width + x;
                if layer.cover[at] == 0.0 {
                    continue;
                }
                let (u, across) = frame.local(x as f32 + 0.5, y as f32 + 0.5);
                if u < 0.0 {
                    layer.height[at] = frame.length * 0.008; // the stalk keeps its colour
                    continue;
                }
                let v = across / (half_width * kind.profile(u)).max(0.004);
                let surface = kind.surface(u, v.clamp(-1.0, 1.0), across, phase, place);
                let curl = self.curl * v.clamp(-1.1, 1.1).powi(2);
                layer.height[at] = frame.length * (surface.height + curl);
                let leafy = fractal(u * 0.9 + place.0, across * 1.6 + place.1);
                let mut colour = mix(kind.colour, kind.shade, 0.35 + 0.4 * leafy);
                colour =
                    [colour[0] * (1.0 + 0.09 * hue), colour[1], colour[2] * (1.0 - 0.08 * hue)];
                colour = mix(colour, kind.vein, surface.vein * kind.vein_contrast);
                let rim = ((0.86 - edge[at]) * 2.4).clamp(0.0, 1.0);
                let patch =
                    fractal(u * 1.3 + place.1, across * 1.3 + place.0) - 0.75 + self.dryness;
                let dry = (rim * self.dryness * 1.2 + 1.6 * patch.max(0.0)).min(0.85)
                    * self.dryness.min(0.9);
                colour = mix(colour, rgb(128, 104, 58), dry);
                layer.colour[at] = colour.map(|value| value * (1.0 + 0.06 * surface.fleck));
            }
        }
        layer.gloss = kind.gloss;
        layer
    }

    /// A sprig: a woody stem with pairs of small leaves.
    fn thyme(&self, width: usize, height: usize) -> Layer {
        let frame = self.frame(width, height);
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed);
        let mut canvas = Canvas::new(width, height);
        let green = mix(rgb(92, 116, 70), rgb(124, 122, 76), self.dryness);
        let stem: Vec<(f32, f32)> = (0..=24).map(|i| frame.at(i as f32 / 26.0, 0.0)).collect();
        canvas.stroke(&stem, (frame.length * 0.013).max(1.6), rgb(112, 80, 60));
        let pairs = rng.random_range(8..12);
        for pair in 0..pairs {
            let u = 0.1 + 0.86 * (pair as f32 + rng.random_range(-0.2..0.2)) / pairs as f32;
            let size = 0.135 - 0.06 * u;
            for side in [-1.0, 1.0] {
                for young in 0..2 {
                    // Young leaves sit in the axils of the old ones.
                    let size =
                        size * rng.random_range(0.8..1.15) * [1.0, 0.55][young] * self.breadth;
                    let spread = rng.random_range(0.75..1.2) - 0.3 * young as f32;
                    let tone = rng.random_range(-0.22f32..0.22);
                    let shaded = mix(
                        green,
                        if tone > 0.0 { rgb(150, 164, 118) } else { rgb(50, 70, 40) },
                        tone.abs(),
                    );
                    canvas.leaflet(&frame, (u, 0.0), side * spread, size, shaded);
                }
            }
        }
        canvas.leaflet(&frame, (0.94, 0.0), 0.1, 0.07, green);
        let mut layer = canvas.layer(frame.length * 0.05);
        layer.rounded(frame.length * 0.012, 0.8);
        layer.gloss = 0.05;
        layer
    }

    /// A frond: stems that branch three times and end in threads.
    fn dill(&self, width: usize, height: usize) -> Layer {
        let frame = self.frame(width, height);
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed);
        let mut canvas = Canvas::new(width, height);
        let green = mix(rgb(84, 122, 66), rgb(132, 128, 74), self.dryness);
        let thick = (frame.length * 0.014).max(1.6);
        let stem: Vec<(f32, f32)> = (0..=24).map(|i| frame.at(i as f32 / 24.0, 0.0)).collect();
        canvas.stroke(&stem, thick, mix(green, rgb(168, 182, 120), 0.35));
        let branches = rng.random_range(9..13);
        for branch in 0..branches {
            let u = 0.2 + 0.78 * branch as f32 / branches as f32;
            let reach = (0.4 * (1.15 - u) * self.breadth + 0.06) * rng.random_range(0.85..1.15);
            for side in [-1.0, 1.0] {
                let angle = side * rng.random_range(0.65..0.95);
                let from = (u + rng.random_range(-0.015..0.015), 0.0);
                frond(&mut canvas, &frame, &mut rng, from, angle, reach, green, 2);
            }
        }
        frond(&mut canvas, &frame, &mut rng, (0.98, 0.0), 0.0, 0.12, green, 2);
        let mut layer = canvas.layer(frame.length * 0.06);
        layer.rounded(frame.length * 0.005, 0.6);
        layer.gloss = 0.03;
        layer
    }
}

/// A branch of a dill frond from a place of the leaf's frame, with its own branches.
#[allow(clippy::too_many_arguments)] // a recursion: its state is its arguments
fn frond(
    canvas: &mut Canvas,
    frame: &Frame,
    rng: &mut ChaCha8Rng,
    from: (f32, f32),
    angle: f32,
    reach: f32,
    green: Colour,
    depth: usize,
) {
    let sway = rng.random_range(-0.25..0.25f32);
    let points: Vec<(f32, f32)> = (0..=6)
        .map(|i| {
            let t = i as f32 / 6.0;
            let turned = angle + sway * t;
            (from.0 + reach * t * turned.cos(), from.1 + reach * t * turned.sin())
        })
        .collect();
    let line: Vec<(f32, f32)> = points.iter().map(|&(u, across)| frame.at(u, across)).collect();
    let width = (frame.length * [0.0042, 0.0052, 0.0075][depth]).max([0.9, 1.0, 1.3][depth]);
    let tone = rng.random_range(-0.25..0.25f32);
    let colour =
        mix(green, if tone > 0.0 { rgb(160, 186, 110) } else { rgb(44, 74, 40) }, tone.abs());
    canvas.stroke(&line, width, colour);
    if depth == 0 {
        return;
    }
    let twigs = if depth == 2 { 6 } else { 4 };
    for twig in 0..twigs {
        let start = points[(1 + twig * 5 / twigs).min(6)];
        let share = 1.0 - 0.55 * twig as f32 / twigs as f32;
        for side in [-1.0, 1.0] {
            let turned = angle + side * rng.random_range(0.5..0.95);
            let reach = reach * share * rng.random_range(0.32..0.5);
            frond(canvas, frame, rng, start, turned, reach, green, depth - 1);
        }
    }
}

/// The coordinates of a leaf: `u` runs from 0 at the base to 1 at the tip along the middle line,
/// `across` to its left in the same unit, the leaf's length.
struct Frame {
    centre: (f32, f32),
    axis: (f32, f32),
    length: f32,
    bend: f32,
}

impl Frame {
    fn middle(&self, u: f32) -> f32 {
        self.bend * (4.0 * u * (1.0 - u) - 0.5)
    }

    /// The pixel of a place.
    fn at(&self, u: f32, across: f32) -> (f32, f32) {
        let (along, across) = (self.length * (u - 0.5), self.length * (across + self.middle(u)));
        let (ax, ay) = self.axis;
        (self.centre.0 + along * ax - across * ay, self.centre.1 + along * ay + across * ax)
    }

    /// The place of a pixel.
    fn local(&self, x: f32, y: f32) -> (f32, f32) {
        let (dx, dy) = (x - self.centre.0, y - self.centre.1);
        let (ax, ay) = self.axis;
        let u = (dx * ax + dy * ay) / self.length + 0.5;
        (u, (dy * ax - dx * ay) / self.length - self.middle(u))
    }
}

/// A leaf of one blade.
struct Blade {
    /// Greatest half width as a share of the length.
    half_width: f32,
    /// Exponents of the profile at the base and at the tip: lower is blunter.
    blunt: (f32, f32),
    /// Teeth on each side, their depth as a share of the half width, and whether they are sharp.
    teeth: (f32, f32, bool),
    /// Side veins on each side, and how far they run towards the tip.
    veins: (f32, f32),
    /// How deep the veins lie, as a share of the length.
    groove: f32,
    /// How much the surface bulges between the veins, as a share of the length.
    quilting: f32,
    /// How pebbly the surface is, as a share of the length.
    pebbles: f32,
    vein_contrast: f32,
    gloss: f32,
    /// Length and width of the stalk as shares of the length.
    stalk: f32,
    stalk_width: f32,
    colour: Colour,
    shade: Colour,
    vein: Colour,
}

/// The surface of a blade at one place.
struct Surface {
    /// Height over the tray as a share of the length.
    height: f32,
    /// How much of a vein is here, 0 to 1.
    vein: f32,
    /// Small differences of colour, around 0.
    fleck: f32,
}

const fn colour(red: u8, green: u8, blue: u8) -> Colour {
    [red as f32 / 255.0, green as f32 / 255.0, blue as f32 / 255.0]
}

const SPEARMINT: Blade = Blade {
    half_width: 0.2,
    blunt: (0.5, 0.85),
    teeth: (13.0, 0.14, true),
    veins: (7.0, 0.16),
    groove: 0.006,
    quilting: 0.012,
    pebbles: 0.0035,
    vein_contrast: 0.45,
    gloss: 0.12,
    stalk: 0.05,
    stalk_width: 0.02,
    colour: colour(96, 152, 62),
    shade: colour(54, 108, 42),
    vein: colour(156, 190, 112),
};

const SAGE: Blade = Blade {
    half_width: 0.135,
    blunt: (0.38, 0.42),
    teeth: (34.0, 0.05, false),
    veins: (11.0, 0.07),
    groove: 0.005,
    quilting: 0.004,
    pebbles: 0.011,
    vein_contrast: 0.4,
    gloss: 0.0,
    stalk: 0.22,
    stalk_width: 0.026,
    colour: colour(146, 160, 134),
    shade: colour(108, 126, 104),
    vein: colour(188, 196, 170),
};

const BAY: Blade = Blade {
    half_width: 0.18,
    blunt: (0.72, 0.66),
    teeth: (4.0, 0.045, false),
    veins: (9.0, 0.12),
    groove: -0.0016,
    quilting: 0.0015,
    pebbles: 0.0008,
    vein_contrast: 0.55,
    gloss: 0.55,
    stalk: 0.09,
    stalk_width: 0.022,
    colour: colour(88, 104, 48),
    shade: colour(62, 82, 36),
    vein: colour(160, 162, 92),
};

const NETTLE: Blade = Blade {
    half_width: 0.31,
    blunt: (0.26, 1.0),
    teeth: (11.0, 0.3, true),
    veins: (6.0, 0.22),
    groove: 0.010,
    quilting: 0.009,
    pebbles: 0.003,
    vein_contrast: 0.3,
    gloss: 0.05,
    stalk: 0.2,
    stalk_width: 0.022,
    colour: colour(66, 112, 54),
    shade: colour(40, 80, 38),
    vein: colour(128, 156, 92),
};

impl Blade {
    /// Half width at `u` as a share of the greatest.
    fn profile(&self, u: f32) -> f32 {
        let (a, b) = self.blunt;
        let widest = a / (a + b);
        let at = |u: f32| u.clamp(0.0, 1.0).powf(a) * (1.0 - u.clamp(0.0, 1.0)).powf(b);
        at(u) / at(widest)
    }

    /// How far the margin reaches at `u` as a share of the half width, and how far forward.
    fn margin(&self, u: f32, phase: f32) -> (f32, f32) {
        let (count, depth, sharp) = self.teeth;
        let t = (u * count + phase).fract();
        if sharp {
            // Teeth point to the tip: a slow rise and a sudden fall.
            let tooth = if t < 0.8 { t / 0.8 } else { (1.0 - t) / 0.2 };
            (1.0 - depth * (1.0 - tooth), 0.25 * tooth * depth / count.sqrt())
        } else {
            (1.0 - depth * (1.0 - (t * PI).sin()), 0.0)
        }
    }

    fn surface(&self, u: f32, v: f32, across: f32, phase: f32, place: (f32, f32)) -> Surface {
        let (count, slope) = self.veins;
        let side = if v > 0.0 { phase } else { phase + 0.37 };
        let t = (u - slope * v.abs().powf(1.2)) * count + side;
        let to_vein = ((t - t.round()) / count).abs();
        let thin = 1.0 - 0.6 * v.abs();
        let side_vein = (-(to_vein / (0.0065 * thin)).powi(2)).exp() * thin;
        let rib = (-(across / (0.009 * (1.15 - u))).powi(2)).exp();
        let vein = rib.max(0.8 * side_vein);
        let bulge = (t * PI).sin().powi(2) * (1.0 - v * v);
        let pebble = fractal(u * 3.6 + place.0, across * 3.6 + place.1);
        let fleck = grain(u * 1.9 + place.1, across * 1.9 + place.0);
        let height = 0.03 * (1.0 - v * v) + self.quilting * bulge + self.pebbles * pebble
            - self.groove * vein;
        Surface { height, vein, fleck: fleck + 0.6 * pebble }
    }
}

/// A transparent image that shapes are drawn on.
struct Canvas {
    pixmap: Pixmap,
}

impl Canvas {
    fn new(width: usize, height: usize) -> Self {
        let pixmap = Pixmap::new(width as u32, height as u32).expect("pictures have an area");
        Canvas { pixmap }
    }

    fn fill(&mut self, outline: &[(f32, f32)], colour: Colour) {
        if let Some(path) = path(outline, true) {
            let paint = paint(colour);
            self.pixmap.fill_path(&path, &paint, FillRule::Winding, Transform::identity(), None);
        }
    }

    fn stroke(&mut self, line: &[(f32, f32)], width: f32, colour: Colour) {
        if let Some(path) = path(line, false) {
            let stroke = Stroke { width, line_cap: LineCap::Round, ..Stroke::default() };
            self.pixmap.stroke_path(&path, &paint(colour), &stroke, Transform::identity(), None);
        }
    }

    /// A small oval leaf with a fold, whose stalk is at a place of `frame`.
    fn leaflet(&mut self, frame: &Frame, at: (f32, f32), angle: f32, size: f32, green: Colour) {
        let place = |along: f32, across: f32| {
            let (sin, cos) = angle.sin_cos();
            frame.at(
                at.0 + size * (along * cos - across * sin),
                at.1 + size * (along * sin + across * cos),
            )
        };
        let outline = |scale: f32| -> Vec<(f32, f32)> {
            (0..28)
                .map(|i| {
                    let turn = TAU * i as f32 / 28.0;
                    place(0.55 - 0.5 * scale * turn.cos(), 0.23 * scale * turn.sin())
                })
                .collect()
        };
        self.fill(&outline(1.12), mix(green, rgb(30, 40, 24), 0.55)); // parts it from what is below
        self.fill(&outline(1.0), green);
        let light = mix(green, rgb(196, 204, 160), 0.4);
        self.stroke(
            &[place(0.0, 0.0), place(0.9, 0.0)],
            (size * frame.length * 0.035).max(0.7),
            light,
        );
    }

    /// What was drawn as a layer that lies `lift` pixels over the tray.
    fn layer(&self, lift: f32) -> Layer {
        let pixels = self.pixmap.pixels();
        let cover = pixels.iter().map(|pixel| f32::from(pixel.alpha()) / 255.0).collect();
        let colour = pixels
            .iter()
            .map(|pixel| {
                let pixel = pixel.demultiply();
                rgb(pixel.red(), pixel.green(), pixel.blue())
            })
            .collect();
        let width = self.pixmap.width() as usize;
        Layer { width, cover, colour, height: vec![0.0; pixels.len()], gloss: 0.0, lift }
    }
}

fn path(points: &[(f32, f32)], closed: bool) -> Option<Path> {
    let mut builder = PathBuilder::new();
    let (&(x, y), rest) = points.split_first()?;
    builder.move_to(x, y);
    rest.iter().for_each(|&(x, y)| builder.line_to(x, y));
    if closed {
        builder.close();
    }
    builder.finish()
}

fn paint(colour: Colour) -> Paint<'static> {
    let [red, green, blue] = colour.map(|value| value.clamp(0.0, 1.0));
    let mut paint = Paint::default();
    paint.set_color(Color::from_rgba(red, green, blue, 1.0).expect("clamped"));
    paint
}
