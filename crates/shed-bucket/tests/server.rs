//! The stand-in, asked over plain sockets: pages, ranges, uploads in parts, and what goes wrong on request.

use std::io::{Read, Write};
use std::net::TcpStream;

use shed_bucket::{Fault, Faults, Server};

/// The status, the head and the body of an answer.
fn ask(server: &Server, request: &str, body: &[u8]) -> (u16, String, Vec<u8>) {
    let address = server.endpoint().replace("http://", "");
    let mut stream = TcpStream::connect(&address).unwrap();
    let (first, headers) = request.split_once('\n').unwrap_or((request, ""));
    let headers: String = headers.lines().map(|line| format!("{line}\r\n")).collect();
    let length = body.len();
    let head = format!(
        "{first} HTTP/1.1\r\nhost: {address}\r\nconnection: close\r\ncontent-length: {length}\r\n{headers}\r\n"
    );
    stream.write_all(&[head.as_bytes(), body].concat()).unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    // A connection that is dropped may not even have brought the head.
    let Some(end) = answer.windows(4).position(|part| part == b"\r\n\r\n") else {
        return (0, String::new(), answer);
    };
    let head = String::from_utf8(answer[..end].to_vec()).unwrap();
    (head[9..12].parse().unwrap(), head, answer[end + 4..].to_vec())
}

fn text(server: &Server, request: &str) -> String {
    String::from_utf8(ask(server, request, b"").2).unwrap()
}

fn shed(faults: Faults) -> Server {
    let server = Server::start("shed", None, faults).unwrap();
    for key in ["a/1", "a/2", "a/b/3", "a//4", "c & d", "e"] {
        server.put(key, key.as_bytes().to_vec());
    }
    server
}

/// The text between tags of this name.
fn all<'x>(xml: &'x str, tag: &str) -> Vec<&'x str> {
    let (begin, end) = (format!("<{tag}>"), format!("</{tag}>"));
    xml.split(&begin).skip(1).filter_map(|rest| Some(rest.split_once(&end)?.0)).collect()
}

#[test]
fn listings_come_by_pages_with_folders_and_encoded_keys() {
    let server = shed(Faults::default());
    let mut keys = Vec::new();
    let mut more = String::new();
    loop {
        let page =
            text(&server, &format!("GET /shed?list-type=2&max-keys=2&encoding-type=url{more}"));
        keys.extend(all(&page, "Key").into_iter().map(str::to_owned));
        match all(&page, "NextContinuationToken")[..] {
            [token] => more = format!("&continuation-token={token}"),
            _ => break,
        }
    }
    assert_eq!(keys, ["a%2F%2F4", "a%2F1", "a%2F2", "a%2Fb%2F3", "c%20%26%20d", "e"]);
    let page = text(&server, "GET /shed?list-type=2&delimiter=/&prefix=a/");
    assert_eq!(all(&page, "Key"), ["a/1", "a/2"]);
    assert_eq!(all(&page, "Prefix"), ["a/", "a//", "a/b/"]);
    assert_eq!(ask(&server, "GET /attic?list-type=2", b"").0, 404);
    assert_eq!(server.requests().lists, 4);
}

#[test]
fn objects_have_ranges_and_names_of_their_content() {
    let server = shed(Faults::default());
    let (status, head, body) = ask(&server, "GET /shed/a/b/3\nrange: bytes=1-3", b"");
    assert_eq!((status, body.as_slice()), (206, &b"/b/"[..]));
    assert!(head.contains("content-range: bytes 1-3/5"), "{head}");
    let etag = head.lines().find_map(|line| line.strip_prefix("etag: ")).unwrap();
    assert_eq!(ask(&server, &format!("GET /shed/a/b/3\nif-match: {etag}"), b"").0, 200);
    server.put("a/b/3", b"dry".to_vec());
    assert_eq!(ask(&server, &format!("GET /shed/a/b/3\nif-match: {etag}"), b"").0, 412);
    assert_eq!(ask(&server, "GET /shed/a/b/3\nrange: bytes=9-", b"").0, 416);
    let (status, head, body) = ask(&server, "HEAD /shed/e", b"");
    assert_eq!((status, body.len(), head.contains("content-length: 1")), (200, 0, true));
    assert_eq!(ask(&server, "GET /shed/none", b"").0, 404);
}

#[test]
fn an_upload_is_seen_when_it_is_complete() {
    let server = shed(Faults::default());
    let begun = ask(&server, "POST /shed/new?uploads", b"").2;
    let begun = String::from_utf8(begun).unwrap();
    let upload = all(&begun, "UploadId")[0];
    for (number, part) in [(2, "sage"), (1, "dry ")] {
        let put = format!("PUT /shed/new?partNumber={number}&uploadId={upload}");
        assert_eq!(ask(&server, &put, part.as_bytes()).0, 200);
    }
    assert_eq!((server.objects().contains_key("new"), server.open_uploads()), (false, 1));
    assert_eq!(ask(&server, &format!("POST /shed/new?uploadId={upload}"), b"").0, 200);
    assert_eq!((&*server.objects()["new"].bytes, server.open_uploads()), (&b"dry sage"[..], 0));
    assert_eq!(ask(&server, &format!("DELETE /shed/new?uploadId={upload}"), b"").0, 404);
    assert_eq!(ask(&server, "DELETE /shed/new", b"").0, 204);
    assert!(!server.objects().contains_key("new"));
}

#[test]
fn what_goes_wrong_is_what_was_asked_for() {
    let of = |fault| shed(Faults { kinds: vec![fault], every: 2 });
    let second = |server: &Server, request: &str| {
        ask(server, request, b"");
        ask(server, request, b"")
    };
    assert_eq!(second(&of(Fault::Busy), "GET /shed/a/1").0, 503);
    assert_eq!(second(&of(Fault::Short), "GET /shed/a/1").2, b"a/");
    let (status, head, body) = second(&of(Fault::Dropped), "GET /shed/a/1");
    let is_cut = head.contains("content-length: 3") && body.len() < 3;
    assert!(status == 0 || is_cut, "{head}");
    let began = std::time::Instant::now();
    assert_eq!(second(&of(Fault::Slow), "GET /shed/a/1").2, b"a/1");
    assert!(began.elapsed().as_millis() >= 200);
    let server = of(Fault::Repeated);
    let page = text(&server, "GET /shed?max-keys=2");
    let token = all(&page, "NextContinuationToken")[0];
    let next = text(&server, &format!("GET /shed?max-keys=2&continuation-token={token}"));
    assert_eq!(all(&page, "Key")[1], all(&next, "Key")[0]);
    assert_eq!(server.requests().faults, 1);
}
