//! Collections in buckets: the same answers as from a folder, nothing read twice, and keys that are no paths.

mod support;

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

use sieve_core::Error;
use sieve_core::catalog::{self, Catalog, Options};
use sieve_core::collection::{self, Request};
use sieve_core::objects::{ObjectFacts, ObjectStore, ObjectStores};
use sieve_core::progress::NoProgress;
use sieve_core::reading::{MemoryBudget, ReadLimits};
use sieve_core::store::Store;
use support::{folder, jpeg, outcomes};

/// A bucket in memory that counts what is read.
#[derive(Debug, Default)]
struct Shelf {
    objects: Mutex<BTreeMap<String, (Vec<u8>, String)>>,
    reads: AtomicU64,
    copies: Option<tempfile::TempDir>,
}

impl Shelf {
    fn of(objects: &[(&str, &[u8])]) -> Arc<Self> {
        let shelf = Shelf { copies: Some(tempfile::tempdir().unwrap()), ..Shelf::default() };
        objects.iter().for_each(|(key, bytes)| shelf.put(key, bytes, "1"));
        Arc::new(shelf)
    }

    fn put(&self, key: &str, bytes: &[u8], etag: &str) {
        self.objects.lock().unwrap().insert(key.to_owned(), (bytes.to_vec(), etag.to_owned()));
    }

    fn reads(&self) -> u64 {
        self.reads.swap(0, Ordering::Relaxed)
    }
}

impl ObjectStore for Shelf {
    fn list(&self, prefix: &str, take: &mut dyn FnMut(ObjectFacts) -> bool) -> Result<(), String> {
        let objects = self.objects.lock().unwrap();
        // Backwards, and the first one twice, as listings that change may be.
        let keys = objects.iter().rev().chain(objects.iter().next_back());
        for (key, (bytes, etag)) in keys.filter(|(key, _)| key.starts_with(prefix)) {
            let object = ObjectFacts {
                key: key.clone(),
                size_bytes: bytes.len() as u64,
                modified_ns: 7,
                etag: etag.clone(),
            };
            if !take(object) {
                break;
            }
        }
        Ok(())
    }

    fn read(&self, object: &ObjectFacts) -> Result<Vec<u8>, String> {
        self.reads.fetch_add(1, Ordering::Relaxed);
        match self.objects.lock().unwrap().get(&object.key) {
            Some((_, etag)) if etag == "gone" => Err("it is not there any more".to_owned()),
            Some((bytes, _)) => Ok(bytes.clone()),
            None => Err("it is not there any more".to_owned()),
        }
    }

    fn local_copy(&self, object: &ObjectFacts) -> Result<PathBuf, String> {
        let file = self.copies.as_ref().unwrap().path().join("copy");
        std::fs::write(&file, self.read(object)?).map(|()| file).map_err(|e| e.to_string())
    }
}

#[derive(Debug)]
struct Only(Arc<Shelf>);

impl ObjectStores for Only {
    fn open(&self, address: &str) -> Result<(Arc<dyn ObjectStore>, String), String> {
        let prefix = address.strip_prefix("s3://shed/").ok_or("there is no such bucket")?;
        Ok((self.0.clone(), prefix.to_owned()))
    }
}

fn measured(shelf: &Arc<Shelf>, at: &str, store: Option<&mut Store>) -> Result<Catalog, Error> {
    measured_within(shelf, at, store, ReadLimits::default())
}

fn measured_within(
    shelf: &Arc<Shelf>,
    at: &str,
    store: Option<&mut Store>,
    limits: ReadLimits,
) -> Result<Catalog, Error> {
    let buckets: Arc<dyn ObjectStores> = Arc::new(Only(Arc::clone(shelf)));
    let request = Request { buckets: Some(buckets), ..Request::at(at) };
    let collection = collection::open(&request, &collection::NoCache, &NoProgress)?;
    catalog::measure(collection, &Options { limits, ..Options::default() }, store, &NoProgress)
}

#[test]
fn a_bucket_is_read_like_a_folder_and_its_keys_need_not_be_paths() {
    let images: Vec<Vec<u8>> = (0..4).map(jpeg).collect();
    let files: Vec<(&str, &[u8])> = vec![
        ("train/bay/a.jpg", &images[0]),
        ("train/bay/ä \u{202e}.jpg", &images[1]),
        ("test/sage /b .jpg", &images[2]),
        ("notes.txt", b"dry"),
    ];
    let local = folder(&files);
    let request = Request::at(local.path());
    let local = collection::open(&request, &collection::NoCache, &NoProgress).unwrap();
    let local = catalog::measure(local, &Options::default(), None, &NoProgress).unwrap();
    let keys: Vec<String> = files.iter().map(|(path, _)| format!("herbs/{path}")).collect();
    let keyed: Vec<(&str, &[u8])> =
        keys.iter().map(String::as_str).zip(files.iter().map(|(_, bytes)| *bytes)).collect();
    let shelf = Shelf::of(&keyed);
    shelf.put("herbs/train/empty/", b"", "1");
    shelf.put("herbs-2/train/bay/c.jpg", &images[3], "1");
    for at in ["s3://shed/herbs", "s3://shed/herbs/"] {
        let catalog = measured(&shelf, at, None).unwrap();
        assert_eq!(outcomes(&catalog), outcomes(&local));
        for (there, here) in catalog.records.iter().zip(&local.records) {
            assert_eq!((&there.path, &there.place), (&here.path, &here.place));
            assert_eq!(there.image(), here.image());
        }
        assert_eq!(catalog.collection.classes(), ["bay", "empty", "sage "]);
    }
    // Requests cannot hold these parts, or a file system would take them for others.
    for key in ["herbs/train/bay/../../../x.jpg", "herbs/train//d.jpg", "herbs/./e.jpg"] {
        shelf.put(key, &images[3], "1");
    }
    let catalog = measured(&shelf, "s3://shed/herbs", None).unwrap();
    let refused: Vec<String> =
        outcomes(&catalog).into_iter().filter(|line| line.contains("Refused")).collect();
    let because = |why: &str| format!("Refused({why:?})");
    let expected = [
        format!("./e.jpg: {}", because("its key has a part . or ..")),
        format!("train//d.jpg: {}", because("its key has an empty part (//)")),
        format!("train/bay/../../../x.jpg: {}", because("its key has a part . or ..")),
    ];
    assert_eq!(refused, expected);
    assert_eq!(catalog.images().count(), local.images().count());
    let missing = measured(&shelf, "s3://shed/her", None);
    assert!(matches!(missing, Err(Error::RootMissing { .. })));
}

#[test]
fn nothing_is_read_twice_but_what_changed() {
    let images: Vec<Vec<u8>> = (0..9).map(jpeg).collect();
    let keys: Vec<String> = (0..9).map(|n| format!("herbs/bay/{n}.jpg")).collect();
    let objects: Vec<(&str, &[u8])> =
        keys.iter().map(String::as_str).zip(images.iter().map(Vec::as_slice)).collect();
    let shelf = Shelf::of(&objects);
    let file = tempfile::tempdir().unwrap();
    let mut store = Store::open(&file.path().join("catalog.sqlite")).unwrap().0;
    // Memory for one file at a time holds nobody up.
    let little = ReadLimits { memory: MemoryBudget::new(1), ..ReadLimits::default() };
    let first = measured_within(&shelf, "s3://shed/herbs", Some(&mut store), little).unwrap();
    assert_eq!((first.images().count(), shelf.reads()), (9, 9));
    let again = measured(&shelf, "s3://shed/herbs", Some(&mut store)).unwrap();
    assert_eq!((again.images().count(), shelf.reads()), (9, 0));
    // The same size and time: the name of the content tells.
    shelf.put("herbs/bay/3.jpg", &images[3], "2");
    shelf.put("herbs/bay/5.jpg", &images[5], "gone");
    let third = measured(&shelf, "s3://shed/herbs", Some(&mut store)).unwrap();
    assert_eq!((third.images().count(), shelf.reads()), (8, 2));
    assert!(outcomes(&third)[5].contains("Unreadable"), "{:?}", outcomes(&third));
    // What could not be read is tried again.
    shelf.put("herbs/bay/5.jpg", &images[5], "1");
    let fourth = measured(&shelf, "s3://shed/herbs", Some(&mut store)).unwrap();
    assert_eq!((fourth.images().count(), shelf.reads()), (9, 0));
}

#[test]
fn an_archive_of_a_bucket_is_read_like_one_on_this_machine() {
    let mut archive = tar::Builder::new(Vec::new());
    for n in 0..3 {
        let bytes = jpeg(n);
        let mut head = tar::Header::new_ustar();
        head.set_size(bytes.len() as u64);
        archive.append_data(&mut head, format!("bay/{n}.jpg"), &bytes[..]).unwrap();
    }
    let bytes = archive.into_inner().unwrap();
    let shelf = Shelf::of(&[("herbs.tar", &bytes), ("herbs.tar.md5", b"x")]);
    let catalog = measured(&shelf, "s3://shed/herbs.tar", None).unwrap();
    assert_eq!(outcomes(&catalog), ["bay/0.jpg: image", "bay/1.jpg: image", "bay/2.jpg: image"]);
}
