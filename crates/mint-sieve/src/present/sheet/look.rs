//! What all sheets look like: colours and letters.

use super::canvas::Colour;
use super::lettering::Lettering;

/// The ground.
pub const PAPER: Colour = [250, 250, 248];
/// Names and titles.
pub const INK: Colour = [32, 36, 34];
/// What may be passed over.
pub const PALE: Colour = [104, 110, 106];
/// Marks the picture that others are compared with.
pub const MARK: Colour = [64, 124, 96];

/// The line at the top.
pub const TITLE_LETTERS: Lettering = Lettering::bold(17.0);
/// Names.
pub const NAME_LETTERS: Lettering = Lettering::bold(11.0);
/// All else.
pub const SMALL_LETTERS: Lettering = Lettering::plain(11.0);
