//! What the checks cost: `scripts/bench-audit` runs it. `audit COUNT` audits a made-up catalog of COUNT
//! images in 257 classes and three splits, every tenth a copy, and prints the seconds that it took.

use std::hint::black_box;
use std::time::Instant;

use rand::{Rng, RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use sieve_core::audit::audit;
use sieve_core::catalog::{CacheStats, Catalog};
use sieve_core::collection::{Collection, Label, Locator, Place};
use sieve_core::duplicates::{self, CollectionRef, Reach};
use sieve_core::files::RelPath;
use sieve_core::limits::FindingLimits;
use sieve_core::measuring::{Digest, Fingerprint, ImageMeasures, Measured};
use sieve_core::progress::NoProgress;
use sieve_core::reading::{ColourMode, Facts, Format};
use sieve_core::record::{Outcome, Record};

fn main() {
    let count = std::env::args().skip(1).find_map(|word| word.parse::<usize>().ok());
    let Some(count) = count else { return println!("see scripts/bench-audit") };
    let catalog = made_up(count);
    let side = [CollectionRef { catalog: &catalog, store: None, limits: &Default::default() }];
    let request = duplicates::Request { reach: Some(Reach::Exact), ..Default::default() };
    let found = duplicates::find(&side, &request, &NoProgress).expect("nobody stops it");
    let began = Instant::now();
    let audit = audit(&catalog, &found, &FindingLimits::default(), &[]);
    black_box(audit.findings.len());
    println!("{:.3}", began.elapsed().as_secs_f64());
}

fn made_up(count: usize) -> Catalog {
    let mut draws = ChaCha8Rng::seed_from_u64(0);
    let mut collection = Collection::default();
    collection.splits = ["train", "validation", "test"].map(str::to_owned).to_vec();
    let record = |number: usize| {
        let split = ["train", "train", "train", "train", "validation", "test"][number % 6];
        let class = format!("herb {:03}", draws.random_range(0..257usize));
        let copied =
            if number.is_multiple_of(10) { draws.random_range(0..=number) } else { number };
        let mut look = || draws.random_range(0.2f32..0.6);
        let look = ImageMeasures {
            brightness: look(),
            contrast: look(),
            sharpness: look(),
            ..ImageMeasures::default()
        };
        let mut fingerprint = [0; 32];
        draws.fill_bytes(&mut fingerprint);
        let facts = Facts {
            format: Format::Jpeg,
            width_px: 640,
            height_px: 480,
            colour: ColourMode::Rgb,
            bits: 8,
            frames: 1,
            orientation: 1,
            profile: None,
            captured: Some(format!("2026-07-{:02}T08:00:00", 1 + number % 28).into()),
            camera: Some(["Bench", "Rack"][number % 2].into()),
        };
        let measured = Measured {
            digest: Digest::of_bytes(&copied.to_le_bytes()),
            facts,
            read_warnings: Vec::new(),
            measures: look,
            fingerprint: Fingerprint(fingerprint),
            small_pixels: None,
        };
        Record {
            path: RelPath::new(format!("{split}/{class}/{number:07}.jpg").as_ref()),
            place: Place::new(Some(split.into()), Label::Class(class.as_str().into())),
            size_bytes: 40_000 + number as u64 % 1000,
            outcome: Outcome::Image(measured),
            at: Locator::default(),
        }
    };
    let mut records: Vec<Record> = (0..count).map(record).collect();
    records.sort_by(|a, b| a.path.cmp(&b.path));
    for record in &records {
        let folder =
            (record.split().map(str::to_owned), record.class().unwrap_or_default().to_owned());
        collection.class_folders.insert(folder);
    }
    Catalog { collection, records, cache: CacheStats::default() }
}
