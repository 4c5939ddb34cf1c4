//! What all sheets look like: colours and letters.

use super::canvas::Colour;
use super::lettering::Lettering;

/// The ground.
pub const PAPER: Colour = [250, 250, 248];
/// Names and titles.
pub const INK: Colour = [32, 36, 34];
/// What may be passed over.
pub const PALE: Colour = [104, 110, 106];
/// Marks the image that others are compared with.
pub const MARK: Colour = [64, 124, 96];

/// Marks where a limit is crossed: an orange that differs from [`MARK`] in lightness too.
pub const WARN: Colour = [184, 72, 16];

/// The line at the top.
pub const TITLE_LETTERS: Lettering = Lettering::bold(17.0);
/// Names.
pub const NAME_LETTERS: Lettering = Lettering::bold(12.5);
/// All else.
pub const SMALL_LETTERS: Lettering = Lettering::plain(12.5);
