//! Archives of a bucket on this machine: they are read at many places, and once is enough to fetch them.

use std::io::{Seek, SeekFrom, Write};
use std::path::PathBuf;

use etcetera::BaseStrategy;
use etcetera::base_strategy::Xdg;
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::objects::ObjectFacts;

use super::connection::Connection;
use super::read_into::read_into;
use super::retry::{Trouble, retried};

/// The file in the user's cache folder that holds an object. It is fetched where it is not there.
pub fn local_copy(connection: &Connection, object: &ObjectFacts) -> Result<PathBuf, String> {
    let failed =
        |error: std::io::Error| format!("it cannot be kept on this machine: {}", io_reason(&error));
    let folder = Xdg::new().map_err(|_| "there is no cache folder to keep it in".to_owned())?;
    let folder = folder.cache_dir().join("mint-sieve").join("objects");
    let facts = [&connection.address, &object.key, &object.etag].map(String::as_str);
    let key = format!("{}\0{}\0{}", facts.join("\0"), object.size_bytes, object.modified_ns);
    let file = folder.join(&Digest::of_bytes(key.as_bytes()).to_string()[..32]);
    if file.metadata().is_ok_and(|known| known.len() == object.size_bytes) {
        return Ok(file);
    }
    std::fs::create_dir_all(&folder).map_err(failed)?;
    let temporary = tempfile::NamedTempFile::new_in(&folder).map_err(failed)?;
    retried(|| {
        let lasting = |error| Trouble::Lasting(failed(error));
        let mut target = temporary.as_file();
        target.set_len(0).and_then(|()| target.seek(SeekFrom::Start(0))).map_err(lasting)?;
        read_into(connection, object, &mut |part| target.write_all(part).map_err(lasting))
    })?;
    temporary.persist(&file).map_err(|error| failed(error.error))?;
    Ok(file)
}
