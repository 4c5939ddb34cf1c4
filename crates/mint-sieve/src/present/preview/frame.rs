//! What the frame does to every image of a collection, whatever the policy draws.

use std::collections::BTreeMap;

use sieve_core::augment::cost::{Subject, geometry};
use sieve_core::augment::{Fit, Policy};

/// What the frame does, in the mean over images. Shares are from 0 to 1.
pub struct FrameCost {
    /// Images.
    pub images: u64,
    /// Share of an image's area that the frame cuts off.
    pub cut: f64,
    /// The same of the image of which it is most.
    pub most_cut: f64,
    /// Share of the frame that no image fills.
    pub empty: f64,
    /// Images that are enlarged.
    pub enlarged: u64,
    /// How many times the one that is enlarged most.
    pub most_enlarged: f64,
    /// How much wider against their height images are made, at most; 1 where shapes are kept.
    pub most_squeezed: f64,
}

impl FrameCost {
    /// Over the images of each size.
    pub fn new(policy: &Policy, sizes: &BTreeMap<(u32, u32), u64>) -> Self {
        let still = Policy { steps: Vec::new(), picks: Vec::new(), ..policy.clone() };
        let frame = policy.frame;
        let mut cost = FrameCost {
            images: sizes.values().sum(),
            cut: 0.0,
            most_cut: 0.0,
            empty: 0.0,
            enlarged: 0,
            most_enlarged: 1.0,
            most_squeezed: 1.0,
        };
        for (&(width, height), &count) in sizes {
            let subject = Subject { size_px: (width, height), class: String::new() };
            let of_one = geometry(&still, &[subject], 0, 1);
            let weight = count as f64 / cost.images.max(1) as f64;
            cost.cut += of_one.hidden_by_frame * weight;
            cost.most_cut = cost.most_cut.max(of_one.hidden_by_frame);
            cost.empty += of_one.invented.mean * weight;
            let across = f64::from(frame.width_px) / f64::from(width);
            let down = f64::from(frame.height_px) / f64::from(height);
            let scale = match frame.fit {
                Fit::Contain => across.min(down),
                Fit::Cover | Fit::Stretch => across.max(down),
            };
            if scale > 1.0 {
                cost.enlarged += count;
                cost.most_enlarged = cost.most_enlarged.max(scale);
            }
            if frame.fit == Fit::Stretch {
                cost.most_squeezed = cost.most_squeezed.max((across / down).max(down / across));
            }
        }
        cost
    }
}
