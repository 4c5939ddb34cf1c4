//! Shards: files of about one size that are read from beginning to end, with images in random order.

use crate::measuring::Digest;
use crate::seeded_order;

/// The places of images in the order that `seed` stands for. Images of the same bytes keep their order.
pub fn shuffled(digests: &[Digest], seed: u64) -> Vec<usize> {
    let mut order: Vec<usize> = (0..digests.len()).collect();
    order.sort_by_cached_key(|&at| (seeded_order::key(seed, &digests[at].0), at));
    order
}

/// Whether an entry of `entry_bytes` begins a new shard: where one of `most_bytes` that holds `shard_bytes` has no room for it.
/// An entry that is larger than a shard may be has one of its own.
pub fn starts_new_shard(shard_bytes: u64, entry_bytes: u64, most_bytes: u64) -> bool {
    shard_bytes > 0 && shard_bytes.saturating_add(entry_bytes) > most_bytes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_order_is_that_of_the_seed_and_of_content_alone() {
        let digests: Vec<Digest> =
            (0..200u32).map(|at| Digest::of_bytes(&at.to_le_bytes())).collect();
        let order = shuffled(&digests, 7);
        assert_ne!(order, shuffled(&digests, 8));
        let mut sorted = order.clone();
        sorted.sort_unstable();
        assert_eq!(sorted, (0..200).collect::<Vec<_>>());
        // Neighbours before are apart after: two places apart by more than ten, nearly always.
        let apart = order.windows(2).filter(|pair| pair[0].abs_diff(pair[1]) > 10).count();
        assert!(apart > 160, "{apart}");
        assert!(!starts_new_shard(0, 900, 500) && starts_new_shard(400, 101, 500));
        assert!(!starts_new_shard(400, 100, 500) && starts_new_shard(1, u64::MAX, 500));
    }
}
