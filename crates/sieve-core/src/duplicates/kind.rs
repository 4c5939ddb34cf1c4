//! In which way two pictures are the same.

use crate::likeness::Placing;

/// In which way two pictures show the same, from the surest to the least sure.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Kind {
    /// The files hold the same bytes.
    SameBytes,
    /// The pictures have the same pixels; container or metadata differ.
    SamePixels,
    /// Saved again, resized, recoloured, blurred, noisy or marked.
    Near,
    /// Mirrored, turned by quarters or tilted.
    Turned,
    /// With a border, or padded.
    Framed,
    /// Cropped: one shows a part of the other.
    Part,
    /// Frames of one moment: different pictures that must not be split apart.
    Burst,
    /// Alike, but not surely the same: shown, never acted on.
    LookAlike,
}

impl Kind {
    /// All kinds, from the surest.
    pub const ALL: [Kind; 8] = [
        Kind::SameBytes,
        Kind::SamePixels,
        Kind::Near,
        Kind::Turned,
        Kind::Framed,
        Kind::Part,
        Kind::Burst,
        Kind::LookAlike,
    ];

    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Kind::SameBytes => "same-bytes",
            Kind::SamePixels => "same-pixels",
            Kind::Near => "near",
            Kind::Turned => "turned",
            Kind::Framed => "framed",
            Kind::Part => "part",
            Kind::Burst => "burst",
            Kind::LookAlike => "look-alike",
        }
    }

    /// Whether two pictures of this kind show the same picture.
    pub fn is_duplicate(self) -> bool {
        self < Kind::Burst
    }
}

/// Degrees of tilt that go unnoticed.
const LEVEL_DEGREES: f32 = 2.0;
/// The share of a picture that must be on the other to count as all of it.
const ALL_OF_IT: f32 = 0.96;

impl Kind {
    /// The kind of two pictures that surely show the same, by how one lies on the other.
    pub(super) fn of(placing: &Placing) -> Kind {
        if placing.is_mirrored || placing.degrees.abs() > LEVEL_DEGREES {
            return Kind::Turned;
        }
        // What of a picture is not on the other, and is no border either, was cut off.
        let is_cut = placing
            .shared
            .iter()
            .zip(placing.shared_content)
            .any(|(all, content)| *all < ALL_OF_IT && content < ALL_OF_IT);
        if is_cut {
            Kind::Part
        } else if placing.shared.iter().any(|&all| all < ALL_OF_IT) {
            Kind::Framed
        } else {
            Kind::Near
        }
    }
}
