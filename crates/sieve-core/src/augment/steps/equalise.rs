//! Gives all levels the same share of the image: the histogram of each channel is made flat.

use super::{Definition, Effect};
use crate::augment::canvas::Canvas;

/// Each channel by itself: a value becomes the share of the pixels below it, stretched so that the least is black.
fn equalise(canvas: &mut Canvas) {
    for channel in 0..3 {
        let level = |value: f32| usize::from((value + 0.5) as u8);
        let mut counts = [0u32; 256];
        canvas.data[channel..].iter().step_by(3).for_each(|&value| counts[level(value)] += 1);
        let all: u32 = counts.iter().sum();
        let lowest = counts.iter().copied().find(|&count| count > 0).unwrap_or(0);
        if all == lowest {
            continue; // one level only: there is nothing to spread
        }
        let mut below = 0;
        let spread = counts.map(|count| {
            below += count;
            (below.saturating_sub(lowest)) as f32 * 255.0 / (all - lowest) as f32
        });
        for value in canvas.data[channel..].iter_mut().step_by(3) {
            *value = spread[level(*value)];
        }
    }
}

pub(super) static EQUALISE: Definition = Definition {
    name: "equalise",
    does: "equalises the histograms of red, green and blue separately",
    range: None,
    second: None,
    word: None,
    numbers: &[],
    draw: |_, _| [0.0; super::MOST_NUMBERS],
    caption: |_| "equalise".to_owned(),
    effect: Effect::Filter(|_, canvas| equalise(canvas)),
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn levels_are_spread_by_how_many_lie_below() {
        let data = [10, 10, 20, 40].iter().flat_map(|&value| [value as f32, 7.0, 255.0]).collect();
        let mut canvas = Canvas { width_px: 2, height_px: 2, data };
        equalise(&mut canvas);
        let reds: Vec<f32> = canvas.data.iter().step_by(3).copied().collect();
        assert_eq!(reds, [0.0, 0.0, 127.5, 255.0]);
        assert_eq!(canvas.at(0, 1)[1..], [7.0, 255.0]);
    }
}
