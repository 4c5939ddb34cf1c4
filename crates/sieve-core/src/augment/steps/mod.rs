//! The steps that a policy may name: one file each, which says all that there is to say of a step. Whoever reads,
//! draws, carries out, captions or lists steps goes by [`ALL`]; a new step is one file and one line here.

mod definition;
mod setting;

pub use definition::{Choice, Definition, Drawn, Effect, Number, Range, Second, Strength, Unit};
pub use setting::{Amount, MOST_NUMBERS, Setting, Word};

use setting::{once, signed, twice};

macro_rules! steps {
    ($($module:ident $definition:ident)*) => {
        $(mod $module;)*

        /// Every step, in the order in which errors and manuals list them.
        pub static ALL: &[&Definition] = &[$(&$module::$definition),*];
    };
}

steps! {
    rotate ROTATE
    quarter_turn QUARTER_TURN
    flip FLIP
    shift SHIFT
    zoom ZOOM
    stretch STRETCH
    shear SHEAR
    perspective PERSPECTIVE
    crop CROP
    brightness BRIGHTNESS
    contrast CONTRAST
    saturation SATURATION
    gamma GAMMA
    hue HUE
    warmth WARMTH
    grey GREY
    invert INVERT
    posterise POSTERISE
    solarise SOLARISE
    equalise EQUALISE
    blur BLUR
    sharpen SHARPEN
    motion_blur MOTION_BLUR
    noise NOISE
    speckle SPECKLE
    recompress RECOMPRESS
    shrink SHRINK
    patch PATCH
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::augment::{Draw, DrawnStep, Policy, Prepared};
    use crate::reading::Pixels;

    fn settings(step: &Definition) -> Vec<Setting> {
        let amount = step.range.map_or(Amount::Nothing, |range| match range.usual {
            Some(values) => Amount::Values(values.to_vec()),
            None => Amount::Between(range.least, range.most),
        });
        let second = step.second.map(|second| (second.range.least, second.range.most));
        let words = step.word.map_or(vec![None], |choice| {
            choice.known.iter().map(|word| Some(Word::Known(word))).collect()
        });
        words.into_iter().map(|word| Setting { amount: amount.clone(), second, word }).collect()
    }

    #[test]
    fn every_step_keeps_to_its_bounds_and_does_nothing_where_it_says_so() {
        let policy = Policy::parse("[frame]\nsize = [9, 7]").unwrap();
        let data = (0..9 * 7 * 3).map(|at| (at * 37 % 251) as u8).collect();
        let image = Pixels { width_px: 9, height_px: 7, data };
        let prepared = Prepared::new(&image);
        for step in ALL {
            for setting in settings(step) {
                for random in [0.0, 0.25, 0.5, 0.999] {
                    let drawn = step.drawn(&setting, &mut || random);
                    assert!(!drawn.caption().is_empty());
                    if let Some(range) = step.range {
                        let number = drawn.numbers()[0];
                        assert!((range.least..=range.most).contains(&number), "{drawn:?}");
                        // Twice as strong keeps to the bounds too.
                        let strong = drawn.at_strength(2.0).numbers()[0];
                        assert!((range.least..=range.most).contains(&strong), "{drawn:?}");
                    }
                    let once = |drawn| {
                        Draw { steps: vec![DrawnStep { step: 0, drawn }] }.apply(&prepared, &policy)
                    };
                    assert_eq!(once(drawn), once(drawn));
                    // Without strength a picture stays what it is; some steps have none to lose.
                    let has_strength =
                        step.numbers.first().is_some_and(|n| n.strength != Strength::Fixed);
                    let still = once(drawn.at_strength(0.0)).pixels;
                    assert!(!has_strength || still == image, "{}", step.name);
                    let json = serde_json::to_value(drawn).unwrap();
                    assert_eq!(json["do"], step.name);
                    assert!(
                        step.numbers.iter().all(|number| json[number.name].is_number()),
                        "{json}"
                    );
                }
            }
            assert_eq!(Definition::named(step.name), Some(*step));
        }
    }

    #[test]
    fn the_manual_has_a_row_for_every_step() {
        let manual = include_str!("../../../../../docs/policies.md");
        for step in ALL {
            assert!(manual.contains(&format!("| `{}` |", step.name)), "{}", step.name);
        }
    }
}
