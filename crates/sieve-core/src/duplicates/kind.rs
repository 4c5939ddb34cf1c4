//! In which way two images are the same.

use serde::{Deserialize, Serialize};

use crate::likeness::{CloseComparison, Placing};

/// In which way two images show the same, from the surest to the least sure.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Kind {
    /// The files hold the same bytes.
    SameBytes,
    /// The images have the same pixels; container or metadata differ.
    SamePixels,
    /// Saved again, resized, lighter or darker, blurred or noisy.
    Near,
    /// Mirrored, turned by quarters or tilted.
    Rotated,
    /// With a border, or padded.
    Bordered,
    /// Cropped: one shows a part of the other.
    Cropped,
    /// With a mark or text on it.
    Marked,
    /// Frames of one moment: different images that must not be split apart.
    Burst,
    /// The same lines in other colours.
    Recoloured,
    /// The same design, but something in it differs.
    Variant,
    /// Neighbour, but not surely the same: shown, never acted on.
    LookAlike,
}

impl Kind {
    /// All kinds, from the surest.
    pub const ALL: [Kind; 11] = [
        Kind::SameBytes,
        Kind::SamePixels,
        Kind::Near,
        Kind::Rotated,
        Kind::Bordered,
        Kind::Cropped,
        Kind::Marked,
        Kind::Burst,
        Kind::Recoloured,
        Kind::Variant,
        Kind::LookAlike,
    ];

    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Kind::SameBytes => "same-bytes",
            Kind::SamePixels => "same-pixels",
            Kind::Near => "near",
            Kind::Rotated => "rotated",
            Kind::Bordered => "bordered",
            Kind::Cropped => "cropped",
            Kind::Marked => "marked",
            Kind::Burst => "burst",
            Kind::Recoloured => "recoloured",
            Kind::Variant => "variant",
            Kind::LookAlike => "look-alike",
        }
    }

    /// Whether two images of this kind are copies of one, of which all but one may be dropped.
    pub fn is_duplicate(self) -> bool {
        self < Kind::Burst
    }

    /// Whether two images of this kind count as one for whatever is learned or measured from them: copies and frames of
    /// one moment.
    pub fn is_dependent(self) -> bool {
        self <= Kind::Burst
    }

    /// Whether two images of this kind are different drawings of one design.
    pub fn is_variant(self) -> bool {
        matches!(self, Kind::Recoloured | Kind::Variant)
    }
}

/// Log odds from which two images count as copies: a chance of 0.95. docs/duplicates.md says how many copies and how
/// many others are above.
pub const CERTAIN: f32 = 3.0;
/// The chance of being copies from which two images are kept in one part and reported where they are not: keeping two
/// different ones together costs next to nothing, parting two copies makes a score untrue.
pub const POSSIBLE: f32 = 0.3;
/// Log odds from which two images look alike: a chance of 0.12.
const ALIKE: f32 = -2.0;

/// Degrees of tilt that go unnoticed.
const LEVEL_DEGREES: f32 = 2.0;
/// The share of an image that must be on the other to count as all of it.
const ALL_OF_IT: f32 = 0.96;

impl Kind {
    /// What is said of two images, by the log odds that they are copies, what else is known of them, and how one lies
    /// on the other; nothing where they are not even alike.
    pub(super) fn classify(
        log_odds: f32,
        compared: &CloseComparison,
        placing: &Placing,
    ) -> Option<Kind> {
        if log_odds >= CERTAIN {
            return Some(Kind::of_copies(compared, placing));
        }
        if compared.close.is_recoloured() {
            return Some(Kind::Recoloured);
        }
        if compared.is_one_design() {
            return Some(Kind::Variant);
        }
        (log_odds >= ALIKE).then_some(Kind::LookAlike)
    }

    /// The kind of two copies, by how one lies on the other.
    fn of_copies(compared: &CloseComparison, placing: &Placing) -> Kind {
        if placing.is_mirrored || placing.degrees.abs() > LEVEL_DEGREES {
            return Kind::Rotated;
        }
        // What of an image is not on the other, and is no border either, was cut off.
        let is_cut = placing
            .shared
            .iter()
            .zip(placing.shared_content)
            .any(|(all, content)| *all < ALL_OF_IT && content < ALL_OF_IT);
        if is_cut {
            Kind::Cropped
        } else if placing.shared.iter().any(|&all| all < ALL_OF_IT) {
            Kind::Bordered
        } else if compared.close.is_marked() {
            Kind::Marked
        } else {
            Kind::Near
        }
    }
}
