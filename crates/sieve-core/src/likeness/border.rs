//! Which part of an image is its content, and which a border of one colour.

use super::plane::{Plane, Planes};
use crate::rect::Region;

/// Levels by which the cells of a border may differ from its mean: compression leaves this much.
const BORDER_LEVELS: f32 = 6.0;
/// A content smaller than this share of a side is taken for no content.
const LEAST_CONTENT: f32 = 0.2;

impl Region {
    /// What lies within the border of one colour; none where there is no border, or nothing else.
    pub fn within_border(planes: &Planes) -> Option<Region> {
        let luma = &planes.luma();
        let side = luma.side() as f32;
        let [left, right] =
            [false, true].map(|from_end| Edge { planes, luma, upright: true, from_end });
        let [top, bottom] =
            [false, true].map(|from_end| Edge { planes, luma, upright: false, from_end });
        let [left, right, top, bottom] = [left, right, top, bottom].map(|edge| edge.border());
        let most = (1.0 - LEAST_CONTENT) * side;
        if left + right + top + bottom == 0.0 || left + right > most || top + bottom > most {
            return None;
        }
        Some(Region {
            left: left / side - 0.5,
            top: top / side - 0.5,
            right: 0.5 - right / side,
            bottom: 0.5 - bottom / side,
        })
    }
}

/// One of the four edges of an image, looked at line after line from the outside.
struct Edge<'a> {
    planes: &'a Planes,
    luma: &'a Plane,
    /// Its lines are columns.
    upright: bool,
    /// It is the right or the lower one.
    from_end: bool,
}

impl Edge<'_> {
    fn cell(&self, side: usize, line: usize, along: usize) -> (usize, usize) {
        let line = if self.from_end { side - 1 - line } else { line };
        if self.upright { (along, line) } else { (line, along) }
    }

    fn luma(&self, line: usize) -> impl Iterator<Item = f32> {
        let plane = self.luma;
        let cells = (0..plane.side()).map(move |along| self.cell(plane.side(), line, along));
        cells.map(|(row, column)| f32::from(plane.level(row, column)))
    }

    /// How many lines belong to the border. The line in which it ends, and the next one, into which
    /// averaging has carried it, count by how far they are from its colour.
    fn border(&self) -> f32 {
        let side = self.luma.side();
        let mean = self.luma(0).sum::<f32>() / side as f32;
        let is_plain = |line: &usize| self.is_plain(*line, mean);
        let whole = (0..side).take_while(is_plain).count();
        if whole == 0 || whole + 2 >= side {
            return whole as f32;
        }
        let distance = |line: usize| self.luma(line).map(|value| (value - mean).abs()).sum::<f32>();
        let inside = distance(whole + 2).max(distance(whole + 1));
        let rest = |line: usize| (1.0 - distance(line) / inside).max(0.0);
        whole as f32 + rest(whole) + rest(whole + 1)
    }

    /// Whether all cells of a line have nearly the luma `mean`, and all the same chroma.
    fn is_plain(&self, line: usize, mean: f32) -> bool {
        if self.luma(line).any(|value| (value - mean).abs() > BORDER_LEVELS) {
            return false;
        }
        // Chroma is coarser: it is looked at where all that it is the mean of is plain in luma.
        let side = self.planes.chroma[0].side();
        let shrink = self.luma.side() / side;
        if !(line + 1).is_multiple_of(shrink) {
            return true;
        }
        self.planes.chroma.iter().all(|plane| {
            let cells = (0..side).map(|along| self.cell(side, line / shrink, along));
            let values = cells.map(|(row, column)| f32::from(plane.level(row, column)));
            let (least, most) = values.fold((f32::MAX, f32::MIN), |(least, most), value| {
                (least.min(value), most.max(value))
            });
            most - least <= 2.0 * BORDER_LEVELS
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
    use proptest::prelude::*;

    /// Noise within borders whose widths are given in cells: left, right, top and bottom.
    fn framed(borders: [usize; 4], level: u8, noise: &[u8]) -> Planes {
        let [left, right, top, bottom] = borders;
        let luma = (0..LUMA_PX * LUMA_PX).map(|at| {
            let (x, y) = (at % LUMA_PX, at / LUMA_PX);
            let is_inside =
                (left..LUMA_PX - right).contains(&x) && (top..LUMA_PX - bottom).contains(&y);
            // Never near the colour of the border.
            if is_inside { level.wrapping_add(60 + noise[at] % 120) } else { level }
        });
        Planes::new(Thumbnail(luma.chain([128; 2 * CHROMA_PX * CHROMA_PX]).collect()))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn the_content_is_what_the_border_leaves(
            borders in prop::array::uniform4(0usize..14), level in any::<u8>(),
            noise in prop::collection::vec(any::<u8>(), LUMA_PX * LUMA_PX),
        ) {
            let content = Region::within_border(&framed(borders, level, &noise));
            if borders == [0; 4] {
                prop_assert_eq!(content, None);
                return Ok(());
            }
            let region = content.unwrap_or(Region::WHOLE);
            let cells = |edge: f32| edge * LUMA_PX as f32;
            let found = [
                cells(region.left + 0.5), cells(0.5 - region.right),
                cells(region.top + 0.5), cells(0.5 - region.bottom),
            ];
            for (found, border) in found.into_iter().zip(borders) {
                // The line in which it ends may count in part.
                prop_assert!((found - border as f32).abs() < 1.0, "{found} for {border}");
            }
        }
    }

    #[test]
    fn a_dot_on_plain_ground_is_no_content() {
        let noise = vec![0; LUMA_PX * LUMA_PX];
        assert_eq!(Region::within_border(&framed([21, 21, 21, 21], 200, &noise)), None);
        assert_eq!(Region::within_border(&framed([48, 0, 0, 0], 200, &noise)), None);
    }
}
