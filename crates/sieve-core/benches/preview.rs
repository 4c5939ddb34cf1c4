//! What `scripts/bench-preview` compares with one warp and scale of a general vision library. Without arguments, as
//! `cargo bench` calls it, it says how it is used.
//!
//!     preview draw WIDTH HEIGHT COUNT    microseconds a draw of six steps, on one thread
//!     preview step NAME COUNT            the same of one step alone, less the frame, from 500x375

use std::hint::black_box;
use std::time::Instant;

use sieve_core::augment::steps::{Amount, Definition, Setting, Word};
use sieve_core::augment::{Draw, Fit, Frame, Occasion, Policy, SourcePyramid, Step};
use sieve_core::reading::Pixels;

const POLICY: &str = r#"
[[step]]
do = "rotate"
between = [-15, 15]
[[step]]
do = "shift"
between = [-0.1, 0.1]
[[step]]
do = "zoom"
between = [0.9, 1.1]
[[step]]
do = "flip"
axis = "left-right"
chance = 0.5
[[step]]
do = "brightness"
between = [0.8, 1.2]
[[step]]
do = "contrast"
between = [0.8, 1.2]
"#;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    let words: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let number = |text: &str| text.parse().expect("a whole number");
    match words[..] {
        ["draw", width, height, count] => {
            let policy = Policy::parse(POLICY).expect("a policy");
            println!("{:.1}", time(&policy, number(width), number(height), number(count)));
        }
        ["step", name, count] => {
            let still = Policy::parse("").expect("a policy");
            let frame = time(&still, 500, 375, number(count));
            println!("{:.1}", time(&alone(name), 500, 375, number(count)) - frame);
        }
        _ => println!("see scripts/bench-preview"),
    }
}

/// A policy of one step in the middle of its bounds.
fn alone(name: &str) -> Policy {
    let definition = Definition::named(name).expect("the name of a step");
    let amount = definition.range.map_or(Amount::Nothing, |range| match range.usual {
        Some(values) => Amount::Values(values.to_vec()),
        None => Amount::Between(
            range.least / 2.0 + range.most / 2.0,
            range.most / 2.0 + range.least / 2.0,
        ),
    });
    let second =
        definition.second.and_then(|second| second.range.usual).map(|ends| (ends[0], ends[1]));
    let word = definition.word.map(|choice| Word::Known(choice.known[0]));
    let mut policy = Policy::parse("").expect("a policy");
    policy.frame = Frame::new(224, 224, Fit::Cover);
    policy.steps.push(Step {
        definition,
        setting: Setting { amount, second, word },
        chance: 1.0,
        classes: Default::default(),
        pick: None,
    });
    policy
}

/// Microseconds a draw.
fn time(policy: &Policy, width_px: u32, height_px: u32, count: u32) -> f64 {
    let data = (0..width_px * height_px * 3).map(|at| (at.wrapping_mul(2_654_435_761) >> 24) as u8);
    let image = SourcePyramid::new(Pixels { width_px, height_px, data: data.collect() });
    // What is averaged for the first draw serves the others, as it does in a preview.
    black_box(Draw::NOTHING.apply(&image, policy));
    let begun = Instant::now();
    for number in 0..u64::from(count) {
        let draw = policy.draw(&Occasion { seed: 0, path: "bench", class: "", number });
        black_box(draw.apply(&image, policy));
    }
    begun.elapsed().as_secs_f64() * 1e6 / f64::from(count)
}
