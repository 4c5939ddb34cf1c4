//! Covers a rectangle, so that the rest must tell.

use super::{Choice, Definition, Drawn, Effect, MOST_NUMBERS, Number, Range, Second, Strength, Unit, Word};
use crate::augment::canvas::Canvas;
use rand::RngExt;

/// Covers whole pixels, so that the patch has sharp edges.
fn cover(drawn: &Drawn, canvas: &mut Canvas) {
    let [area, aspect, left, top, ..] = drawn.numbers;
    let side = |share: f64, side: usize| ((share.min(1.0) * side as f64).round() as usize).min(side);
    let pixels = (canvas.width_px as f64, canvas.height_px as f64);
    // Width over height is that of the patch in pixels, whatever the frame's.
    let (across, down) = ((area * aspect * pixels.1 / pixels.0).sqrt(), (area / aspect * pixels.0 / pixels.1).sqrt());
    let (width, height) = (side(across, canvas.width_px), side(down, canvas.height_px));
    let place = |at: f64, free: usize| (at * (free + 1) as f64) as usize;
    let left = place(left, canvas.width_px - width).min(canvas.width_px - width);
    let top = place(top, canvas.height_px - height).min(canvas.height_px - height);
    let mean = canvas.mean();
    let mut random = drawn.random();
    for row in top..top + height {
        for column in left..left + width {
            let at = (row * canvas.width_px + column) * 3;
            let colour = match drawn.word {
                Some(Word::Colour(colour)) => colour.map(f32::from),
                Some(Word::Known("noise")) => [0; 3].map(|_: u8| f32::from(random.random::<u8>())),
                _ => mean,
            };
            canvas.data[at..at + 3].copy_from_slice(&colour);
        }
    }
}

pub(super) static PATCH: Definition = Definition {
    name: "patch",
    does: "covers a rectangle of this share of the frame's area at a random place; aspect = [from, to] is its width over height; fill is \"mean\" (of the frame), \"noise\" or a colour",
    range: Some(Range { unit: Unit::AreaShare, least: 0.0, most: 1.0, usual: None }),
    second: Some(Second {
        name: "aspect",
        range: Range { unit: Unit::Factor, least: 0.1, most: 10.0, usual: Some(&[1.0, 1.0]) },
    }),
    word: Some(Choice {
        name: "fill",
        known: &["mean", "noise"],
        takes_colour: true,
        usual: Some("mean"),
    }),
    numbers: &[
        Number { name: "area", strength: Strength::Linear(0.0) },
        Number { name: "aspect", strength: Strength::Ratio },
        Number { name: "from_left", strength: Strength::Fixed },
        Number { name: "from_top", strength: Strength::Fixed },
    ],
    draw: |setting, random| {
        let mut numbers = [0.0; MOST_NUMBERS];
        numbers[0] = setting.amount.draw(random());
        numbers[1] = setting.second(random());
        numbers[2..4].fill_with(random);
        numbers
    },
    caption: |drawn| format!("patch {:.0}%", drawn.numbers[0] * 100.0),
    effect: Effect::Filter(cover),
};

#[cfg(test)]
mod tests {
    use super::*;
    use crate::augment::steps::{Amount, Setting};

    #[test]
    fn a_patch_covers_its_share_and_lies_inside() {
        let setting = Setting {
            amount: Amount::Between(0.25, 0.25),
            second: Some((2.0, 2.0)),
            word: Some(Word::Colour([255; 3])),
        };
        for corner in [0.0, 0.5, 0.999] {
            let drawn = PATCH.drawn(&setting, &mut || corner);
            let mut canvas = Canvas { width_px: 40, height_px: 40, data: vec![0.0; 40 * 40 * 3] };
            cover(&drawn, &mut canvas);
            let white: Vec<usize> =
                (0..1600).filter(|&at| canvas.at(at % 40, at / 40) == [255.0; 3]).collect();
            let columns = white.iter().map(|at| at % 40).collect::<std::collections::BTreeSet<_>>();
            assert_eq!((columns.len(), white.len() / columns.len()), (28, 14));
        }
    }
}
