//! Writing a folder to a prefix of a bucket, so that nothing of it is visible before all of it is there.
//!
//! Every file is an upload in parts, however small: stores show none before it is completed. When all parts of all files
//! are there the uploads are completed, that of the file which describes the others last.

use std::cell::Cell;
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use reqwest::Method;
use sieve_core::io_reason;
use sieve_core::objects::ObjectFacts;
use sieve_core::progress::Progress;

use super::Access;
use super::address::Address;
use super::connection::{Ask, Connection, text};
use super::listing;
use super::parallel::in_parallel;
use super::retry::{Trouble, retried};

/// Bytes of a part: more than the 5 MiB that stores ask for, and few enough that 16 of them fit in memory.
const PART_BYTES: u64 = 16 << 20;
/// Parts of an upload, at most: what S3 allows.
const MOST_PARTS: u64 = 10_000;
/// Files that describe all others, the first that is there: who sees it sees everything.
const MARKERS: [&str; 2] = ["pack.json", "split.csv"];

/// A prefix that is to be written to.
#[derive(Debug)]
pub struct Upload {
    connection: Connection,
    /// Ends with a slash, or is empty.
    prefix: String,
}

/// A file whose parts are all there.
struct Sent {
    key: String,
    size_bytes: u64,
    upload: String,
    /// The names of its parts, in their order.
    etags: Vec<String>,
}

impl Upload {
    /// Makes sure that nothing lies below the address.
    ///
    /// # Errors
    ///
    /// When there is something, or the bucket cannot be listed.
    pub fn begin(address: &str, access: &Access) -> Result<Self, String> {
        let Address { bucket, prefix } = Address::parse(address)?;
        let connection = Connection::new(&bucket, access)?;
        let prefix = match prefix.trim_end_matches('/') {
            "" => String::new(),
            prefix => format!("{prefix}/"),
        };
        let mut there: Option<ObjectFacts> = None;
        listing::list(&connection, &prefix, &mut |object| {
            there = Some(object);
            false
        })?;
        match there {
            Some(object) => Err(format!("it is not empty: it holds {:?}", object.key)),
            None => Ok(Upload { connection, prefix }),
        }
    }

    /// Sends every file below `folder`.
    ///
    /// # Errors
    ///
    /// When a file cannot be read or sent, or `progress` asks to stop; nothing is left in the bucket then, as far as it can
    /// still be reached.
    pub fn send(&self, folder: &Path, progress: &dyn Progress) -> Result<(), String> {
        let files = files_below(folder).map_err(|error| io_reason(&error))?;
        progress.begin("uploading", Some(files.len() as u64));
        let begun: Mutex<Vec<(String, String)>> = Mutex::default();
        let sent = in_parallel(&files, |file| {
            if progress.stopped() {
                return Err("the run was stopped".to_owned());
            }
            let sent = self.send_parts(folder, file, &begun);
            progress.advance(1);
            sent
        });
        let completed = sent.and_then(|sent| self.complete_all(sent));
        if completed.is_err() {
            let begun = begun.into_inner().unwrap_or_else(|lock| lock.into_inner());
            let _ = in_parallel(&begun, |(key, upload)| {
                let query = [("uploadId", upload.as_str())];
                let abort = Ask { method: Method::DELETE, key, query: &query, headers: &[] };
                // What was completed is no upload any more.
                let _ = retried(|| self.connection.send(&abort, Vec::new()).map(drop));
                Ok(())
            });
        }
        completed
    }

    fn send_parts(
        &self,
        folder: &Path,
        file: &Path,
        begun: &Mutex<Vec<(String, String)>>,
    ) -> Result<Sent, String> {
        let named = |why: &str| format!("{}: {why}", file.display());
        let name = file.to_str().ok_or_else(|| named("its name is not UTF-8"))?;
        let key = format!("{}{}", self.prefix, name.replace(std::path::MAIN_SEPARATOR, "/"));
        let failed = |error: std::io::Error| named(&io_reason(&error));
        let mut content = File::open(folder.join(file)).map_err(failed)?;
        let size_bytes = content.metadata().map_err(failed)?.len();
        if size_bytes > PART_BYTES * MOST_PARTS {
            return Err(named("it is larger than a store takes"));
        }
        let query = [("uploads", "")];
        let begin = Ask { method: Method::POST, key: &key, query: &query, headers: &[] };
        let upload = retried(|| {
            let answer = text(self.connection.send(&begin, Vec::new())?)?;
            let name = answer.split_once("<UploadId>").and_then(|(_, rest)| rest.split_once('<'));
            let none = || Trouble::Passing("the store began no upload".to_owned());
            name.map(|(name, _)| name.to_owned()).ok_or_else(none)
        })?;
        begun.lock().unwrap_or_else(|lock| lock.into_inner()).push((key.clone(), upload.clone()));
        let mut etags = Vec::new();
        for number in 1.. {
            let mut part = Vec::new();
            (&mut content).take(PART_BYTES).read_to_end(&mut part).map_err(failed)?;
            if part.is_empty() && number > 1 {
                break;
            }
            let number = number.to_string();
            let query = [("partNumber", number.as_str()), ("uploadId", upload.as_str())];
            let put = Ask { method: Method::PUT, key: &key, query: &query, headers: &[] };
            etags.push(retried(|| {
                let answer = self.connection.send(&put, part.clone())?;
                let etag = answer.headers().get("etag").and_then(|etag| etag.to_str().ok());
                let none = || Trouble::Passing("the store confirmed no part".to_owned());
                etag.map(str::to_owned).ok_or_else(none)
            })?);
            if (part.len() as u64) < PART_BYTES {
                break;
            }
        }
        Ok(Sent { key, size_bytes, upload, etags })
    }

    /// Makes everything visible, the file that describes the others last.
    fn complete_all(&self, sent: Vec<Sent>) -> Result<(), String> {
        let is_marker = |sent: &Sent, marker: &&str| sent.key == format!("{}{marker}", self.prefix);
        let marker =
            MARKERS.iter().find_map(|marker| sent.iter().position(|sent| is_marker(sent, marker)));
        let (mut others, mut last) = (sent, None);
        if let Some(marker) = marker {
            last = Some(others.remove(marker));
        }
        // Only what this run completed may be removed: another one may have written to the same prefix meanwhile.
        let done: Mutex<Vec<String>> = Mutex::default();
        let completed = in_parallel(&others, |sent| {
            self.complete(sent)?;
            done.lock().unwrap_or_else(|lock| lock.into_inner()).push(sent.key.clone());
            Ok(())
        });
        let completed =
            completed.and_then(|_| last.as_ref().map_or(Ok(()), |last| self.complete(last)));
        if completed.is_err() {
            let done = done.into_inner().unwrap_or_else(|lock| lock.into_inner());
            let _ = in_parallel(&done, |key| {
                let delete = Ask { method: Method::DELETE, key, ..Ask::default() };
                let _ = retried(|| self.connection.send(&delete, Vec::new()).map(drop));
                Ok(())
            });
        }
        completed
    }

    /// Makes one file visible, unless another run has written it meanwhile.
    fn complete(&self, sent: &Sent) -> Result<(), String> {
        let parts = sent.etags.iter().enumerate().map(|(at, etag)| {
            let etag = etag.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
            format!("<Part><PartNumber>{}</PartNumber><ETag>{etag}</ETag></Part>", at + 1)
        });
        let body = format!(
            "<CompleteMultipartUpload>{}</CompleteMultipartUpload>",
            parts.collect::<String>()
        );
        let query = [("uploadId", sent.upload.as_str())];
        let only_new = [("if-none-match", "*".to_owned())];
        let (attempts, knows_condition) = (Cell::new(0), Cell::new(true));
        let completed = retried(|| {
            attempts.set(attempts.get() + 1);
            let headers = if knows_condition.get() { &only_new[..] } else { &[] };
            let complete = Ask { method: Method::POST, key: &sent.key, query: &query, headers };
            let answer = self.connection.send(&complete, body.clone().into_bytes());
            let answer = answer.map_err(|trouble| match trouble {
                // Older stores know no such condition.
                Trouble::Unsupported(why) if knows_condition.replace(false) => {
                    Trouble::Passing(why)
                }
                other => other,
            });
            let answer = text(answer?)?;
            // Stores may answer 200 before they know that it failed.
            match answer.contains("<Error>") {
                true => Err(Trouble::Passing("the store did not complete an upload".to_owned())),
                false => Ok(()),
            }
        });
        // An answer may have been lost on the way: what is there is complete.
        completed.or_else(|why| {
            if attempts.get() == 1 {
                return Err(format!("{}: {why}", sent.key));
            }
            let mut is_there = false;
            listing::list(&self.connection, &sent.key, &mut |object| {
                is_there |= object.key == sent.key && object.size_bytes == sent.size_bytes;
                !is_there
            })?;
            if is_there { Ok(()) } else { Err(why) }
        })
    }
}

/// The files below a folder, sorted.
fn files_below(folder: &Path) -> std::io::Result<Vec<PathBuf>> {
    let mut files = Vec::new();
    let mut folders = vec![PathBuf::new()];
    while let Some(inner) = folders.pop() {
        for entry in std::fs::read_dir(folder.join(&inner))? {
            let entry = entry?;
            let path = inner.join(entry.file_name());
            match entry.file_type()?.is_dir() {
                true => folders.push(path),
                false => files.push(path),
            }
        }
    }
    files.sort();
    Ok(files)
}

#[cfg(test)]
mod tests {
    use shed_bucket::{Faults, Server};
    use sieve_core::progress::NoProgress;

    use super::*;

    #[test]
    fn the_second_of_two_uploads_to_one_prefix_is_refused_and_removes_nothing_of_the_first() {
        let server = Server::start("shed", None, Faults::default()).unwrap();
        let access =
            Access { endpoint: Some(server.endpoint()), anonymous: true, ..Access::default() };
        let folders = ["first", "other"].map(|content| {
            let folder = tempfile::tempdir().unwrap();
            for name in ["a.jpg", "b.jpg", "split.csv"] {
                std::fs::write(folder.path().join(name), content).unwrap();
            }
            folder
        });
        std::fs::write(folders[1].path().join("c.jpg"), "other").unwrap();
        let begun = [0, 1].map(|_| Upload::begin("s3://shed/out", &access).unwrap());
        begun[0].send(folders[0].path(), &NoProgress).unwrap();
        let refused = begun[1].send(folders[1].path(), &NoProgress).unwrap_err();
        assert!(refused.contains("another run has written it"), "{refused}");
        let keys = ["out/a.jpg", "out/b.jpg", "out/split.csv"];
        let objects = server.objects();
        assert!(objects.keys().eq(keys), "{objects:?}");
        assert!(objects.values().all(|object| *object.bytes == *b"first"), "{objects:?}");
        assert_eq!(server.open_uploads(), 0);
    }
}
