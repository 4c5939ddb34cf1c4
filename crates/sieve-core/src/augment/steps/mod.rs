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
mod tests;
