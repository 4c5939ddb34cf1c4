//! The catalog on disk: what is remembered, and what survives.

mod support;

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicU64;
use std::time::Duration;

use sieve_core::Error;
use sieve_core::catalog::{self, CacheStats, Catalog, Options};
use sieve_core::collection::{self, Request};
use sieve_core::progress::{NoProgress, Progress};
use sieve_core::reading::ReadLimits;
use sieve_core::store::{Store, StoreError};
use support::{StopsAfter, folder, jpeg, outcomes, write};
use tempfile::TempDir;

/// A folder `herbs` of 30 images, a broken one and a text, and a place for catalogs beside it.
struct Shed(TempDir);

impl Shed {
    fn new() -> Self {
        let images: Vec<Vec<u8>> = (0..30).map(jpeg).collect();
        let names: Vec<String> = (0..30).map(|n| format!("herbs/sage/{n:02}.jpg")).collect();
        let mut files: Vec<(&str, &[u8])> =
            names.iter().map(String::as_str).zip(images.iter().map(Vec::as_slice)).collect();
        files.push(("herbs/bay/cut.jpg", &images[0][..200]));
        files.push(("herbs/bay/notes.txt", b"notes"));
        let shed = Shed(folder(&files));
        shed.settle();
        shed
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    /// What was just written might change again without a trace, and is not remembered.
    fn settle(&self) {
        std::thread::sleep(Duration::from_millis(80));
    }

    fn try_measure(
        &self,
        catalog: &Path,
        options: &Options,
        progress: &dyn Progress,
    ) -> Result<Catalog, Error> {
        let (mut store, _) = Store::open(catalog).unwrap();
        let collection =
            collection::open(&Request::at(self.path("herbs")), &collection::NoCache, &NoProgress)
                .unwrap();
        catalog::measure(collection, options, Some(&mut store), progress)
    }

    /// The catalog, and that it tells the same as one without a store.
    fn measure(&self, catalog: &Path) -> Catalog {
        let found = self.try_measure(catalog, &Options::default(), &NoProgress).unwrap();
        let collection =
            collection::open(&Request::at(self.path("herbs")), &collection::NoCache, &NoProgress)
                .unwrap();
        let fresh = catalog::measure(collection, &Options::default(), None, &NoProgress).unwrap();
        assert_eq!(format!("{:?}", found.records), format!("{:?}", fresh.records));
        assert_eq!(found.cache.write_error, None);
        found
    }

    /// How many files were recalled, read, and are gone.
    fn numbers(&self, catalog: &Path) -> (usize, usize, usize) {
        let CacheStats { hits, read, gone, .. } = self.measure(catalog).cache;
        (hits, read, gone)
    }
}

#[test]
fn a_later_run_reads_what_is_new_only() {
    let shed = Shed::new();
    let file = shed.path("deep/er/herbs.sqlite");
    assert_eq!(shed.numbers(&file), (0, 32, 0));
    assert_eq!(shed.numbers(&file), (32, 0, 0));
    let herbs = shed.path("herbs");
    write(&herbs, "sage/new.jpg", &jpeg(99));
    write(&herbs, "sage/03.jpg", &jpeg(98));
    fs::remove_file(herbs.join("sage/04.jpg")).unwrap();
    fs::rename(herbs.join("sage/05.jpg"), herbs.join("sage/moved.jpg")).unwrap();
    shed.settle();
    assert_eq!(shed.numbers(&file), (29, 3, 2));
    assert_eq!(shed.numbers(&file), (32, 0, 0));

    // The same size and time of change: the inode's own time gives it away.
    let changed = herbs.join("sage/06.jpg");
    let time = fs::metadata(&changed).unwrap().modified().unwrap();
    let size = fs::metadata(&changed).unwrap().len() as usize;
    let mut other = jpeg(97);
    other.resize(size, 0);
    fs::write(&changed, other).unwrap();
    fs::File::options().write(true).open(&changed).unwrap().set_modified(time).unwrap();
    shed.settle();
    if cfg!(unix) {
        assert_eq!(shed.numbers(&file), (31, 1, 0));
    }
    let again = Options { recheck: true, ..Options::default() };
    let catalog = shed.try_measure(&file, &again, &NoProgress).unwrap();
    assert_eq!((catalog.cache.hits, catalog.cache.read), (0, 32));
}

#[test]
fn limits_of_today_decide() {
    let shed = Shed::new();
    let file = shed.path("herbs.sqlite");
    shed.measure(&file);
    let small = ReadLimits { pixels: 10, ..ReadLimits::default() };
    let small = Options { limits: small, recheck: false };
    let catalog = shed.try_measure(&file, &small, &NoProgress).unwrap();
    assert_eq!(catalog.images().count(), 0);
    assert!(outcomes(&catalog)[2].ends_with("OverLimit"));
    assert_eq!(shed.measure(&file).images().count(), 30);
}

#[test]
fn an_interrupted_run_goes_on_where_it_was() {
    let shed = Shed::new();
    let file = shed.path("herbs.sqlite");
    let stops = StopsAfter(12, AtomicU64::new(0));
    let stopped = shed.try_measure(&file, &Options::default(), &stops);
    assert!(matches!(stopped, Err(Error::Interrupted)));
    let (hits, read, gone) = shed.numbers(&file);
    assert!(hits >= 12 && read > 0, "{hits} {read}");
    assert_eq!((hits + read, gone), (32, 0));
}

#[test]
fn two_runs_at_once_both_end_right() {
    let shed = Shed::new();
    let file = shed.path("herbs.sqlite");
    std::thread::scope(|scope| {
        let runs = [0; 8].map(|_| scope.spawn(|| shed.measure(&file).images().count()));
        assert!(runs.into_iter().all(|run| run.join().unwrap() == 30));
    });
    assert_eq!(shed.numbers(&file), (32, 0, 0));
}

#[test]
fn a_damaged_catalog_is_set_aside_and_one_of_another_version_begins_anew() {
    let shed = Shed::new();
    let file = shed.path("herbs.sqlite");
    let keeping = |bytes: &[u8]| {
        fs::write(&file, bytes).unwrap();
        let moved = Store::open(&file).unwrap().1;
        assert_eq!(shed.numbers(&file), (0, 32, 0));
        assert_eq!(shed.numbers(&file), (32, 0, 0));
        moved.map(|moved| fs::read(moved).unwrap())
    };
    let rubbish = [&[7u8, 200, 3, 0xff][..]; 900].concat();
    assert_eq!(keeping(&rubbish), Some(rubbish), "nothing is lost");
    let whole = fs::read(&file).unwrap();
    let mut torn = whole.clone();
    torn[100..4096].fill(0x5a);
    assert_eq!(keeping(&torn), Some(torn));
    assert_eq!(keeping(b""), None);

    // A catalog whose number of version (the file format's user version, at byte 60) is another.
    let mut other = fs::read(&file).unwrap();
    other[60..64].copy_from_slice(&9u32.to_be_bytes());
    assert_eq!(keeping(&other), None);

    // A value that changed on a failing disk: its row is read again, the others are not.
    let mut flipped = fs::read(&file).unwrap();
    let text = b"truncated";
    let at = flipped.windows(text.len()).position(|bytes| bytes == text).unwrap();
    flipped[at..at + 9].copy_from_slice(b"not-short");
    fs::write(&file, flipped).unwrap();
    assert_eq!(shed.numbers(&file), (31, 1, 0));
}

#[test]
fn what_is_no_catalog_is_left_alone() {
    let shed = Shed::new();
    let database = shed.path("theirs.sqlite");
    let mut theirs = b"SQLite format 3\0".to_vec();
    theirs.resize(512, 0);
    fs::write(&database, &theirs).unwrap();
    let files = [shed.path("herbs/sage/00.jpg"), shed.path("herbs/bay/notes.txt"), database];
    for file in files {
        let before = fs::read(&file).unwrap();
        let error = Store::open(&file).unwrap_err();
        assert!(matches!(error, StoreError::Foreign { .. }), "{error}");
        assert_eq!(fs::read(&file).unwrap(), before);
    }
    let below_a_file = Store::open(&shed.path("herbs/bay/notes.txt/a.sqlite")).unwrap_err();
    assert!(matches!(below_a_file, StoreError::Unusable { .. }));
}

#[test]
fn a_packed_archive_is_unpacked_once() {
    let shed = Shed::new();
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    tar::Builder::new(&mut packed).append_dir_all("herbs", shed.path("herbs")).unwrap();
    let archive = shed.path("herbs.tar.gz");
    fs::write(&archive, packed.finish().unwrap()).unwrap();
    shed.settle();
    let run = || {
        let (mut store, _) = Store::open(&shed.path("herbs.sqlite")).unwrap();
        let collection = collection::open(&Request::at(&archive), &store, &NoProgress).unwrap();
        let options = Options::default();
        catalog::measure(collection, &options, Some(&mut store), &NoProgress).unwrap()
    };
    let first = run();
    assert_eq!((first.cache.hits, first.cache.read), (0, 32));
    let size = fs::metadata(&archive).unwrap().len();
    let second = run();
    assert_eq!((second.cache.hits, second.cache.read), (32, 0));
    assert_eq!(format!("{:?}", second.records), format!("{:?}", first.records));
    let (store, _) = Store::open(&shed.path("herbs.sqlite")).unwrap();
    let stamp = sieve_core::files::Stamp::from_metadata(&fs::metadata(&archive).unwrap());
    assert!(collection::ArchiveIndexCache::lookup(&store, &archive, stamp).is_some());
    fs::write(&archive, vec![0x1f; size as usize]).unwrap();
    let stamp = sieve_core::files::Stamp::from_metadata(&fs::metadata(&archive).unwrap());
    assert!(collection::ArchiveIndexCache::lookup(&store, &archive, stamp).is_none(), "it changed");
}

#[test]
fn a_file_that_has_just_changed_is_not_shown_as_it_was() {
    let shed = Shed::new();
    let (file, limits) = (shed.path("herbs.sqlite"), ReadLimits::default());
    let before = shed.measure(&file);
    let images: Vec<usize> =
        (0..before.records.len()).filter(|&at| before.records[at].image().is_some()).collect();
    let at = images[3];
    let other = shed.path("herbs").join(before.records[images[20]].path.as_str());
    let bytes = fs::read(other).unwrap();
    // Measured at once, while its stamp may still be that of a further change: what is found is not kept.
    fs::write(shed.path("herbs").join(before.records[at].path.as_str()), bytes).unwrap();
    let after = shed.measure(&file);
    assert_ne!(
        after.records[at].image().unwrap().digest,
        before.records[at].image().unwrap().digest
    );
    let (store, _) = Store::open(&file).unwrap();
    let shown = |store| after.thumbnails(&images, store, &limits, &NoProgress).unwrap();
    assert!(shown(Some(&store)) == shown(None));
    assert!(shown(Some(&store))[3] == shown(Some(&store))[20]);
}

#[test]
fn thumbnails_are_kept_with_what_was_measured_and_read_again_when_they_are_lost() {
    let shed = Shed::new();
    let file = shed.path("herbs.sqlite");
    let limits = ReadLimits::default();
    let catalog = shed.measure(&file);
    let images: Vec<usize> =
        (0..catalog.records.len()).filter(|&at| catalog.records[at].image().is_some()).collect();
    assert_eq!(images.len(), 30);
    let (store, _) = Store::open(&file).unwrap();
    let thumbnails = |store| catalog.thumbnails(&images, store, &limits, &NoProgress).unwrap();
    let read = thumbnails(None);
    assert!(read.iter().all(Option::is_some));
    // In any order, each once or more.
    let backwards: Vec<usize> = images.iter().rev().chain(&images[..3]).copied().collect();
    let asked = catalog.thumbnails(&backwards, Some(&store), &limits, &NoProgress).unwrap();
    let expected: Vec<_> = read.iter().rev().chain(&read[..3]).cloned().collect();
    assert_eq!(asked, expected);
    // With the files gone those that are kept are still there, and others are not made up.
    for at in &images {
        fs::remove_file(shed.path("herbs").join(catalog.records[*at].path.as_str())).unwrap();
    }
    assert_eq!(thumbnails(Some(&store)), read);
    let (empty, _) = Store::open(&shed.path("empty.sqlite")).unwrap();
    assert!(thumbnails(Some(&empty)).iter().all(Option::is_none));
    let stops = StopsAfter(0, AtomicU64::new(0));
    let stopped = catalog.thumbnails(&images, Some(&empty), &limits, &stops);
    assert!(matches!(stopped, Err(Error::Interrupted)));
}

#[test]
fn what_is_over_a_limit_is_kept_and_read_again_under_another() {
    let shed = Shed::new();
    let file = shed.path("herbs.sqlite");
    let run = |pixels: u64| {
        let limits = ReadLimits { pixels, ..ReadLimits::default() };
        let options = Options { limits, recheck: false };
        let catalog = shed.try_measure(&file, &options, &NoProgress).unwrap();
        let refused =
            outcomes(&catalog).iter().filter(|reported| reported.contains("OverLimit")).count();
        (catalog.cache.hits, catalog.cache.read, refused)
    };
    assert_eq!(run(100), (0, 32, 30));
    assert_eq!(run(100), (32, 0, 30));
    assert_eq!(run(99), (2, 30, 30));
    assert_eq!(run(200_000_000), (2, 30, 0));
    assert_eq!(run(200_000_000), (32, 0, 0));
}

#[test]
fn small_pictures_take_little_room() {
    let shed = Shed::new();
    let tiny = |tone: u8| {
        let data = (0..9 * 9 * 3).map(|at| (at as u8).wrapping_mul(tone)).collect();
        herb_shed::encode::png(&herb_shed::paint::Picture { width: 9, height: 9, data })
    };
    (0..200).for_each(|n| write(&shed.path("herbs"), &format!("tiny/{n}.png"), &tiny(n)));
    shed.settle();
    let file = shed.path("herbs.sqlite");
    let catalog = shed.measure(&file);
    assert_eq!(shed.numbers(&file), (232, 0, 0));
    let store = rusqlite::Connection::open(&file).unwrap();
    let count = |query: &str| store.query_row(query, [], |row| row.get::<_, i64>(0)).unwrap();
    assert_eq!(count("SELECT count(*) FROM thumbnails"), 30);
    assert_eq!(count("SELECT count(*) FROM images WHERE small_pixels IS NOT NULL"), 200);
    // They are made again when they are looked at.
    let at =
        catalog.records.iter().position(|record| record.path.as_str() == "tiny/7.png").unwrap();
    let (open, _) = Store::open(&file).unwrap();
    let made = catalog.thumbnails(&[at], Some(&open), &ReadLimits::default(), &NoProgress).unwrap();
    assert!(made[0].is_some());
}
