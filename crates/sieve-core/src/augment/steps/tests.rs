//! Every step against its definition, written down once more in double precision and without haste.

use proptest::prelude::*;

use super::{ALL, Amount, Definition, Setting, Strength, Word};
use crate::augment::{Draw, DrawnStep, Occasion, Policy, SourcePyramid};
use crate::reading::Pixels;

const WIDTH: u32 = 24;
const HEIGHT: u32 = 18;

fn painted(values: &[u8]) -> Pixels {
    let data = (0..WIDTH * HEIGHT * 3).map(|at| values[at as usize % values.len()]).collect();
    Pixels { width_px: WIDTH, height_px: HEIGHT, data }
}

/// What one step, set so, makes of an image.
fn done(image: &Pixels, step: &str) -> Pixels {
    let text = format!("[frame]\nsize = [{WIDTH}, {HEIGHT}]\nfit = 'stretch'\n[[step]]\n{step}");
    let policy = Policy::parse(&text).unwrap();
    let occasion = Occasion { seed: 3, path: "a.png", class: "sage", number: 2 };
    policy.draw(&occasion).apply(&SourcePyramid::new(image), &policy).pixels
}

/// The greatest difference in levels between a result and what the slow twin says of each value.
fn apart(done: &Pixels, twin: impl Fn(i64, i64, usize) -> f64) -> f64 {
    let mut worst = 0.0f64;
    for y in 0..HEIGHT {
        for x in 0..WIDTH {
            for c in 0..3 {
                let value = twin(i64::from(x), i64::from(y), c).clamp(0.0, 255.0);
                worst = worst.max((f64::from(done.at(x, y)[c]) - value).abs());
            }
        }
    }
    worst
}

fn value(image: &Pixels, x: i64, y: i64, c: usize) -> f64 {
    // Beyond the edge lies the mirror image.
    let place = |at: i64, side: u32| {
        let there_and_back = at.rem_euclid(2 * i64::from(side));
        there_and_back.min(2 * i64::from(side) - 1 - there_and_back) as u32
    };
    f64::from(image.at(place(x, WIDTH), place(y, HEIGHT))[c])
}

fn luma(rgb: [f64; 3]) -> f64 {
    0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2]
}

fn rgb(image: &Pixels, x: i64, y: i64) -> [f64; 3] {
    [0, 1, 2].map(|c| value(image, x, y, c))
}

/// Hue, saturation and value would not do: CSS turns in a space of its own, where the luma of the standard stays.
fn css_hue(rgb: [f64; 3], degrees: f64) -> [f64; 3] {
    let (sin, cos) = degrees.to_radians().sin_cos();
    let [r, g, b] = rgb;
    [
        r * (0.213 + cos * 0.787 - sin * 0.213)
            + g * (0.715 - cos * 0.715 - sin * 0.715)
            + b * (0.072 - cos * 0.072 + sin * 0.928),
        r * (0.213 - cos * 0.213 + sin * 0.143)
            + g * (0.715 + cos * 0.285 + sin * 0.140)
            + b * (0.072 - cos * 0.072 - sin * 0.283),
        r * (0.213 - cos * 0.213 - sin * 0.787)
            + g * (0.715 - cos * 0.715 + sin * 0.715)
            + b * (0.072 + cos * 0.928 + sin * 0.072),
    ]
}

fn css_saturation(rgb: [f64; 3], by: f64) -> [f64; 3] {
    let [r, g, b] = rgb;
    let grey = 0.213 * r + 0.715 * g + 0.072 * b;
    [r, g, b].map(|value| grey + (value - grey) * by)
}

/// A bell curve laid over every pixel, as far as four deviations.
fn blurred(image: &Pixels, x: i64, y: i64, c: usize, sigma: f64) -> f64 {
    let reach = (4.0 * sigma).ceil() as i64;
    let weight = |d: i64| (-(d * d) as f64 / (2.0 * sigma * sigma)).exp();
    let (mut sum, mut all) = (0.0, 0.0);
    for dy in -reach..=reach {
        for dx in -reach..=reach {
            sum += weight(dx) * weight(dy) * value(image, x + dx, y + dy, c);
            all += weight(dx) * weight(dy);
        }
    }
    sum / all
}

proptest! {
    #[test]
    fn colours_are_what_they_say(
        values in proptest::collection::vec(any::<u8>(), 97..160),
        factor in 0.0..3.0f64, degrees in -180.0..180.0f64, stops in -2.0..2.0f64, exponent in 0.2..4.0f64,
        bits in 1u32..=8, level in 0u32..=256,
    ) {
        let image = painted(&values);
        let one = |name: &str, number: f64| done(&image, &format!("do = '{name}'\nbetween = [{number:?}, {number:?}]"));
        let own = |x: i64, y: i64| rgb(&image, x, y);
        let brighter = one("brightness", factor);
        prop_assert!(apart(&brighter, |x, y, c| value(&image, x, y, c) * factor) <= 0.51);
        let contrast = one("contrast", factor);
        prop_assert!(apart(&contrast, |x, y, c| (value(&image, x, y, c) - 127.5) * factor + 127.5) <= 0.51);
        let colourful = one("saturation", factor);
        prop_assert!(apart(&colourful, |x, y, c| css_saturation(own(x, y), factor)[c]) <= 0.51);
        let turned = one("hue", degrees);
        prop_assert!(apart(&turned, |x, y, c| css_hue(own(x, y), degrees)[c]) <= 0.52);
        let bent = one("gamma", exponent);
        prop_assert!(apart(&bent, |x, y, c| 255.0 * (value(&image, x, y, c) / 255.0).powf(exponent)) <= 0.7);
        let warm = one("warmth", stops);
        let gains = [(stops / 2.0).exp2(), 1.0, (-stops / 2.0).exp2()];
        let white = luma(gains);
        prop_assert!(apart(&warm, |x, y, c| value(&image, x, y, c) * gains[c] / white) <= 0.51);
        let grey = done(&image, "do = 'grey'");
        prop_assert!(apart(&grey, |x, y, _| luma(own(x, y))) <= 0.51);
        let inverted = done(&image, "do = 'invert'");
        prop_assert!(apart(&inverted, |x, y, c| 255.0 - value(&image, x, y, c)) == 0.0);
        let few = one("posterise", f64::from(bits));
        let bands = f64::from(1u32 << bits);
        let band = |x: i64, y: i64, c: usize| (value(&image, x, y, c) * bands / 256.0).floor();
        prop_assert!(apart(&few, |x, y, c| band(x, y, c) * 255.0 / (bands - 1.0)) <= 0.51);
        let solar = one("solarise", f64::from(level));
        let over = |value: f64| if value >= f64::from(level) { 255.0 - value } else { value };
        prop_assert!(apart(&solar, |x, y, c| over(value(&image, x, y, c))) == 0.0);
    }

    #[test]
    fn filters_are_what_they_say(
        values in proptest::collection::vec(any::<u8>(), 97..160), sigma in 0.4..3.0f64, amount in 0.0..3.0f64,
        length in 0.0..9.0f64, angle in 0.0..180.0f64, share in 0.0..0.5f64,
    ) {
        let image = painted(&values);
        let one = |name: &str, number: f64, more: &str| {
            done(&image, &format!("do = '{name}'\nbetween = [{number:?}, {number:?}]\n{more}"))
        };
        let soft = one("blur", sigma, "");
        // The fast one lets the bell curve end where it no longer counts.
        prop_assert!(apart(&soft, |x, y, c| blurred(&image, x, y, c, sigma)) <= 1.6);
        let sharp = one("sharpen", amount, "");
        let fine = |x: i64, y: i64, c: usize| value(&image, x, y, c) - blurred(&image, x, y, c, 1.0);
        let worst = apart(&sharp, |x, y, c| value(&image, x, y, c) + amount * fine(x, y, c));
        prop_assert!(worst <= 0.6 + 1.2 * amount, "{worst} at {amount}");
        // The mean of what lies along the line stays the mean of the image, but for its edges.
        let smeared = one("motion-blur", length, &format!("angle = [{angle:?}, {angle:?}]"));
        let mean = |image: &Pixels| {
            image.data.iter().map(|value| f64::from(*value)).sum::<f64>() / image.data.len() as f64
        };
        prop_assert!((mean(&smeared) - mean(&image)).abs() < 9.0);
        // Pixels are black or white, or what they were; about as many as were asked for.
        let speckled = one("speckle", share, "");
        let mut changed = 0.0;
        for y in 0..HEIGHT {
            for x in 0..WIDTH {
                let (now, then) = (speckled.at(x, y), image.at(x, y));
                prop_assert!(now == then || now == [0; 3] || now == [255; 3]);
                changed += f64::from(now != then);
            }
        }
        let all = f64::from(WIDTH * HEIGHT);
        prop_assert!((changed / all - share).abs() < 5.0 * (share * (1.0 - share) / all).sqrt() + 0.02);
        // A patch covers a rectangle of its share, in the mean colour of the frame.
        let covered = one("patch", share, "");
        let means = [0, 1, 2].map(|c| {
            let sum: f64 = image.data.iter().skip(c).step_by(3).map(|value| f64::from(*value)).sum();
            (sum / all).round()
        });
        let (mut left, mut right, mut top, mut bottom, mut inside) = (WIDTH, 0, HEIGHT, 0, 0.0);
        for y in 0..HEIGHT {
            for x in 0..WIDTH {
                let (now, then) = (covered.at(x, y), image.at(x, y));
                if now != then {
                    prop_assert!((0..3).all(|c| (f64::from(now[c]) - means[c]).abs() <= 1.0), "{now:?} {means:?}");
                    (left, right) = (left.min(x), right.max(x + 1));
                    (top, bottom) = (top.min(y), bottom.max(y + 1));
                    inside += 1.0;
                }
            }
        }
        let area = f64::from(right.saturating_sub(left) * bottom.saturating_sub(top));
        prop_assert!(area <= all * share + f64::from(WIDTH + HEIGHT) + 1.0, "{area} of {all} at {share}");
        prop_assert!(inside <= area);
    }

    #[test]
    fn strength_goes_from_nothing_to_as_written_and_chances_are_kept(
        values in proptest::collection::vec(any::<u8>(), 97..160), step in 0..ALL.len(), seed in any::<u64>(),
    ) {
        let image = painted(&values);
        let definition: &Definition = ALL[step];
        let mut text = format!("do = '{}'\n", definition.name);
        if let Some(range) = definition.range.filter(|range| range.usual.is_none()) {
            let (from, to) = (range.least, range.most.min(range.least + 1.0).max(range.least));
            text += &format!("between = [{from:?}, {to:?}]\n");
        }
        if definition.word.is_some_and(|word| word.usual.is_none()) {
            text += "axis = 'left-right'\n";
        }
        let policy = |chance: f64, strength: f64| {
            let whole = format!(
                "strength = {strength:?}\n[frame]\nsize = [{WIDTH}, {HEIGHT}]\nfit = 'stretch'\n[[step]]\n{text}chance = {chance:?}\n"
            );
            Policy::parse(&whole).unwrap()
        };
        let prepared = SourcePyramid::new(&image);
        let drawn = |policy: &Policy, number: u64| {
            let occasion = Occasion { seed, path: "a.png", class: "sage", number };
            policy.draw(&occasion).apply(&prepared, policy).pixels
        };
        // Never is never, and the same draw gives the same bytes.
        let never = policy(0.0, 1.0);
        prop_assert_eq!(&drawn(&never, 0), &image);
        let always = policy(1.0, 1.0);
        prop_assert_eq!(drawn(&always, 4), drawn(&always, 4));
        if definition.has_strength() {
            prop_assert_eq!(&drawn(&policy(1.0, 0.0), 4), &image, "{}", definition.name);
        }
    }
}

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
    let prepared = SourcePyramid::new(&image);
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
                // Without strength an image stays what it is; some steps have none to lose.
                let has_strength =
                    step.numbers.first().is_some_and(|n| n.strength != Strength::Fixed);
                let still = once(drawn.at_strength(0.0)).pixels;
                assert!(!has_strength || still == image, "{}", step.name);
                let json = serde_json::to_value(drawn).unwrap();
                assert_eq!(json["do"], step.name);
                assert!(step.numbers.iter().all(|number| json[number.name].is_number()), "{json}");
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
