//! Serves a folder as a bucket on loopback until it is stopped: `serve FOLDER BUCKET [FAULT EVERY SO MANY REQUESTS]`.

use std::path::PathBuf;

use shed_bucket::{Faults, Server};

fn main() -> std::io::Result<()> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [folder, bucket, rest @ ..] = &words[..] else {
        eprintln!("usage: serve FOLDER BUCKET [FAULT EVERY SO MANY REQUESTS]");
        std::process::exit(2);
    };
    let every = rest.first().and_then(|every| every.parse().ok()).unwrap_or(0);
    let server = Server::start(bucket, None, Faults::of_every_kind(every))?;
    let folder = PathBuf::from(folder);
    let name = folder.file_name().map(|name| name.to_string_lossy().into_owned());
    let stored = server.put_folder(&folder, &name.unwrap_or_default())?;
    println!("{stored} objects in bucket {bucket} at {}", server.endpoint());
    loop {
        std::thread::park();
    }
}
