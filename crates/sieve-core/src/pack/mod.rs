//! PACK: what a training run is handed, computed: the class index, the order of images in shards, the numbers that a training
//! script needs. Writing it is the program's.

mod channels;
mod checksums;
mod class_index;
mod manifest;
mod numbers;
mod shards;
mod verify;

pub use crate::collection::{ContainerFile, Form, PACK_FILE, PackFile, PackedSplit};
pub use channels::{ChannelStatistics, ChannelSums};
pub use checksums::{Sha256Sum, lines as checksum_lines};
pub use class_index::{ClassIndex, IndexedClass};
pub use manifest::{CHECKSUMS, MANIFEST_COLUMNS, PackedImage};
pub use numbers::{Batches, ClassWeight, Numbers};
pub use shards::{shuffled, starts_new_shard};
pub use verify::{PackProblem, PackVerdict, Problem, verify_pack};
