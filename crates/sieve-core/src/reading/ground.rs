//! What transparent pixels are laid on.

/// What lies below transparent pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Ground {
    /// White: what everything is measured and shown on.
    #[default]
    White,
    /// Black. Two images that are the same on white and on black are the same on every ground.
    Black,
}

impl Ground {
    /// Its level in every channel.
    pub(super) fn level(self) -> u8 {
        match self {
            Ground::White => 255,
            Ground::Black => 0,
        }
    }
}
