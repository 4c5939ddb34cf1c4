//! The one order in which images are drawn at random: `sheet`, `report`, `preview` and caps all begin with the same ones.

/// The place of an image in the order that `seed` stands for; images in the order of their keys are shuffled. `identity` is the
/// digest of its bytes, so that names decide nothing, or its path where nothing was read.
pub fn key(seed: u64, identity: &[u8]) -> [u8; 32] {
    let mut hasher = blake3::Hasher::new();
    hasher.update(b"mint-sieve sample 1").update(&seed.to_le_bytes());
    hasher.update(identity).finalize().into()
}
