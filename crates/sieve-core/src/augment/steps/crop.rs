//! Cuts a rectangle out of the frame and blows it up to all of it.

use super::{Definition, Effect, MOST_NUMBERS, Number, Range, Second, Strength, Unit};
use crate::affine::Affine;

pub(super) static CROP: Definition = Definition {
    name: "crop",
    does: "crops this share of the frame's area at a random place and stretches it to the frame; aspect = [from, to] is the crop's aspect ratio relative to the frame's",
    range: Some(Range { unit: Unit::AreaShare, least: 0.01, most: 1.0, usual: None }),
    second: Some(Second {
        name: "aspect",
        range: Range { unit: Unit::Factor, least: 0.1, most: 10.0, usual: Some(&[1.0, 1.0]) },
    }),
    word: None,
    numbers: &[
        Number { name: "area", strength: Strength::Linear(1.0) },
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
    caption: |drawn| format!("crop {:.0}%", drawn.numbers[0] * 100.0),
    effect: Effect::Geometry(|drawn, frame| {
        let [area, aspect, left, top, ..] = drawn.numbers;
        // What would be wider or higher than the frame is as wide or high as it is.
        let [width, height] = [(area * aspect).sqrt(), (area / aspect).sqrt()].map(|side| side.min(1.0));
        let (across, down) = (f64::from(frame.width_px), f64::from(frame.height_px));
        Affine::shift(-left * (1.0 - width) * across, -top * (1.0 - height) * down)
            .then(Affine::scale(1.0 / width, 1.0 / height, (0.0, 0.0)))
            .into()
    }),
};
