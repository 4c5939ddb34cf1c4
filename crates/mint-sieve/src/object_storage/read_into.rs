//! Reading one object, whole.

use std::io::Read;

use reqwest::Method;
use sieve_core::objects::ObjectFacts;

use super::connection::{Ask, Connection};
use super::retry::Trouble;

/// Hands over the bytes of an object, which must be as many as the listing says.
pub fn read_into(
    connection: &Connection,
    object: &ObjectFacts,
    take: &mut dyn FnMut(&[u8]) -> Result<(), Trouble>,
) -> Result<(), Trouble> {
    let matching = [("if-match", object.etag.clone())];
    let headers = if object.etag.is_empty() { &[][..] } else { &matching };
    let ask = Ask { method: Method::GET, key: &object.key, headers, ..Ask::default() };
    // One byte more tells that there are more.
    let mut answer = connection.send(&ask, Vec::new())?.take(object.size_bytes + 1);
    let mut part = vec![0; 64 << 10];
    let mut bytes = 0;
    loop {
        let read = answer.read(&mut part);
        match read.map_err(|_| Trouble::Passing("the answer broke off".to_owned()))? {
            0 if bytes == object.size_bytes => return Ok(()),
            0 => break,
            read => {
                bytes += read as u64;
                take(&part[..read])?;
            }
        }
    }
    Err(Trouble::Passing(format!(
        "the store sent {bytes} bytes of {}, which its listing gives",
        object.size_bytes
    )))
}
