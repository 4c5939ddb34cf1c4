//! The server: requests in, objects out.

use std::collections::BTreeMap;
use std::convert::Infallible;
use std::io;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::Path;
use std::pin::Pin;
use std::sync::{Arc, Mutex, MutexGuard};
use std::task::{Context, Poll};
use std::time::Duration;

use http_body_util::{BodyExt, Full};
use hyper::body::{Body, Bytes, Frame, Incoming, SizeHint};
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper::{Method, Request, Response, StatusCode};
use hyper_util::rt::TokioIo;
use percent_encoding::percent_decode_str;
use tokio::sync::oneshot;

use crate::faults::{Fault, Faults};
use crate::listing::{ListRequest, key_of_token, page};
use crate::objects::{Object, Objects};
use crate::uploads::Uploads;

/// How long a slow body pauses.
const PAUSE: Duration = Duration::from_millis(200);
/// Objects of a page of a listing, at most.
const MOST_OBJECTS: usize = 1000;

/// How many requests of each kind were answered, faults included.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Requests {
    /// Pages of listings.
    pub lists: u64,
    /// Objects that were read.
    pub gets: u64,
    /// Objects and parts that were written, and uploads that were begun, completed or given up.
    pub writes: u64,
    /// Answers that were wrong on purpose.
    pub faults: u64,
}

/// A bucket that is served on loopback until it is dropped.
#[derive(Debug)]
pub struct Server {
    address: SocketAddr,
    shared: Arc<Shared>,
    stop: Option<oneshot::Sender<()>>,
    thread: Option<std::thread::JoinHandle<()>>,
}

#[derive(Debug)]
struct Shared {
    bucket: String,
    /// The key that requests must be signed with; anybody may ask where there is none.
    key_id: Option<String>,
    faults: Faults,
    page: usize,
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    objects: Objects,
    uploads: Uploads,
    requests: Requests,
    answered: u64,
    /// Keys that hold this text cannot be written.
    refused: Option<String>,
}

impl Server {
    /// Serves an empty bucket of this name.
    ///
    /// # Errors
    ///
    /// When there is no port to listen on.
    pub fn start(bucket: &str, key_id: Option<&str>, faults: Faults) -> io::Result<Self> {
        let listener = std::net::TcpListener::bind((Ipv4Addr::LOCALHOST, 0))?;
        listener.set_nonblocking(true)?;
        let address = listener.local_addr()?;
        let shared = Arc::new(Shared {
            bucket: bucket.to_owned(),
            key_id: key_id.map(str::to_owned),
            faults,
            page: MOST_OBJECTS,
            state: Mutex::default(),
        });
        let (stop, stopped) = oneshot::channel();
        let serving = Arc::clone(&shared);
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
        let thread =
            std::thread::spawn(move || runtime.block_on(serve(listener, serving, stopped)));
        Ok(Server { address, shared, stop: Some(stop), thread: Some(thread) })
    }

    /// Where it listens, as an address of the web.
    pub fn endpoint(&self) -> String {
        format!("http://{}", self.address)
    }

    /// Puts an object into the bucket.
    pub fn put(&self, key: &str, bytes: Vec<u8>) {
        self.shared.state().objects.insert(key.to_owned(), Object::new(bytes));
    }

    /// Puts every file below `folder` into the bucket, under `prefix`; how many there were.
    ///
    /// # Errors
    ///
    /// When a file cannot be read, or its name is not UTF-8.
    pub fn put_folder(&self, folder: &Path, prefix: &str) -> io::Result<u64> {
        let mut stored = 0;
        for entry in std::fs::read_dir(folder)? {
            let entry = entry?;
            let name = entry.file_name().into_string();
            let name = name.map_err(|_| io::Error::from(io::ErrorKind::InvalidFilename))?;
            let key = format!("{prefix}/{name}");
            if entry.file_type()?.is_dir() {
                stored += self.put_folder(&entry.path(), &key)?;
            } else {
                self.put(&key, std::fs::read(entry.path())?);
                stored += 1;
            }
        }
        Ok(stored)
    }

    /// Takes an object out of the bucket; false where it is not there.
    pub fn remove(&self, key: &str) -> bool {
        self.shared.state().objects.remove(key).is_some()
    }

    /// Every object by its key.
    pub fn objects(&self) -> BTreeMap<String, Object> {
        self.shared.state().objects.clone()
    }

    /// Uploads that were neither completed nor given up.
    pub fn open_uploads(&self) -> usize {
        self.shared.state().uploads.open()
    }

    /// Refuses to write keys that hold this text, from now on.
    pub fn refuse_writes(&self, text: &str) {
        self.shared.state().refused = Some(text.to_owned());
    }

    /// What was asked so far.
    pub fn requests(&self) -> Requests {
        self.shared.state().requests
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        drop(self.stop.take());
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

impl Shared {
    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(|poisoned| poisoned.into_inner())
    }
}

async fn serve(
    listener: std::net::TcpListener,
    shared: Arc<Shared>,
    mut stopped: oneshot::Receiver<()>,
) {
    let Ok(listener) = tokio::net::TcpListener::from_std(listener) else { return };
    loop {
        let accepted = tokio::select! {
            accepted = listener.accept() => accepted,
            _ = &mut stopped => return,
        };
        let Ok((stream, _)) = accepted else { continue };
        let shared = Arc::clone(&shared);
        tokio::spawn(async move {
            let service = service_fn(move |request| {
                let shared = Arc::clone(&shared);
                async move { Ok::<_, Infallible>(answer(&shared, request).await) }
            });
            // A connection that ends badly concerns nobody else.
            let _ = http1::Builder::new().serve_connection(TokioIo::new(stream), service).await;
        });
    }
}

/// A body: whole, slow, or cut short.
enum Reply {
    Whole(Full<Bytes>),
    Slow { first: Option<Bytes>, rest: Option<Bytes>, pause: Pin<Box<tokio::time::Sleep>> },
    Cut(Option<Bytes>),
}

impl Body for Reply {
    type Data = Bytes;
    type Error = io::Error;

    fn poll_frame(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
    ) -> Poll<Option<Result<Frame<Bytes>, io::Error>>> {
        match self.get_mut() {
            Reply::Whole(body) => Pin::new(body)
                .poll_frame(context)
                .map(|frame| frame.map(|frame| frame.map_err(|never| match never {}))),
            Reply::Slow { first, rest, pause } => match first.take() {
                Some(first) => Poll::Ready(Some(Ok(Frame::data(first)))),
                None => match pause.as_mut().poll(context) {
                    Poll::Pending => Poll::Pending,
                    Poll::Ready(()) => Poll::Ready(rest.take().map(|rest| Ok(Frame::data(rest)))),
                },
            },
            Reply::Cut(first) => Poll::Ready(Some(match first.take() {
                Some(first) => Ok(Frame::data(first)),
                None => Err(io::ErrorKind::ConnectionReset.into()),
            })),
        }
    }

    /// Stores announce how long their answers are.
    fn size_hint(&self) -> SizeHint {
        match self {
            Reply::Whole(body) => body.size_hint(),
            Reply::Slow { first, rest, .. } => {
                let bytes = [first, rest].into_iter().flatten().map(Bytes::len).sum::<usize>();
                SizeHint::with_exact(bytes as u64)
            }
            Reply::Cut(_) => SizeHint::default(),
        }
    }
}

type Answer = Response<Reply>;

fn reply(status: StatusCode, body: impl Into<Bytes>) -> Answer {
    let mut answer = Response::new(Reply::Whole(Full::new(body.into())));
    *answer.status_mut() = status;
    answer
}

fn refusal(status: StatusCode, code: &str) -> Answer {
    reply(status, format!("<?xml version=\"1.0\"?><Error><Code>{code}</Code></Error>"))
}

async fn answer(shared: &Shared, request: Request<Incoming>) -> Answer {
    let signed = request.headers().get("authorization").and_then(|value| value.to_str().ok());
    if let Some(key_id) = &shared.key_id
        && !signed.is_some_and(|signed| signed.contains(&format!("Credential={key_id}/")))
    {
        return refusal(StatusCode::FORBIDDEN, "AccessDenied");
    }
    let (parts, body) = request.into_parts();
    let decoded = |text: &str| percent_decode_str(text).decode_utf8_lossy().into_owned();
    let path = parts.uri.path().trim_start_matches('/');
    let (bucket, key) = path.split_once('/').unwrap_or((path, ""));
    if bucket != shared.bucket {
        return refusal(StatusCode::NOT_FOUND, "NoSuchBucket");
    }
    let key = decoded(key);
    let query: BTreeMap<String, String> = parts
        .uri
        .query()
        .unwrap_or_default()
        .split('&')
        .map(|pair| pair.split_once('=').unwrap_or((pair, "")))
        .map(|(name, value)| (decoded(name), decoded(&value.replace('+', " "))))
        .collect();
    let Ok(body) = body.collect().await else {
        return refusal(StatusCode::BAD_REQUEST, "IncompleteBody");
    };
    let body = body.to_bytes();
    let fault = {
        let mut state = shared.state();
        state.answered += 1;
        let fault = shared.faults.at(state.answered);
        let requests = &mut state.requests;
        requests.faults += u64::from(fault.is_some());
        match parts.method {
            Method::GET if key.is_empty() => requests.lists += 1,
            Method::GET => requests.gets += 1,
            Method::HEAD => {}
            _ => requests.writes += 1,
        }
        fault
    };
    if fault == Some(Fault::Busy) {
        return refusal(StatusCode::SERVICE_UNAVAILABLE, "SlowDown");
    }
    match parts.method {
        Method::GET if key.is_empty() => list(shared, &query, fault),
        Method::GET | Method::HEAD => get(shared, &key, &parts, fault),
        Method::PUT | Method::POST | Method::DELETE => {
            let only_new = parts.headers.contains_key("if-none-match");
            write(shared, &parts.method, &key, &query, only_new, &body)
        }
        _ => refusal(StatusCode::METHOD_NOT_ALLOWED, "MethodNotAllowed"),
    }
}

fn list(shared: &Shared, query: &BTreeMap<String, String>, fault: Option<Fault>) -> Answer {
    let most = query.get("max-keys").and_then(|most| most.parse().ok()).unwrap_or(shared.page);
    let after = match query.get("continuation-token").map(|token| key_of_token(token)) {
        Some(None) => return refusal(StatusCode::BAD_REQUEST, "InvalidArgument"),
        Some(after) => after,
        None => query.get("start-after").cloned(),
    };
    let request = ListRequest {
        prefix: query.get("prefix").cloned().unwrap_or_default(),
        delimiter: query.get("delimiter").filter(|delimiter| !delimiter.is_empty()).cloned(),
        after,
        most: most.min(shared.page),
        is_encoded: query.get("encoding-type").is_some_and(|kind| kind == "url"),
        is_repeated: fault == Some(Fault::Repeated),
    };
    let xml = page(&shared.bucket, &shared.state().objects, &request);
    broken(reply(StatusCode::OK, xml.clone()), xml.into(), fault)
}

/// An object, or the range of it that is wanted.
fn get(
    shared: &Shared,
    key: &str,
    parts: &hyper::http::request::Parts,
    fault: Option<Fault>,
) -> Answer {
    let header = |name: &str| parts.headers.get(name).and_then(|value| value.to_str().ok());
    let Some(object) = shared.state().objects.get(key).cloned() else {
        return refusal(StatusCode::NOT_FOUND, "NoSuchKey");
    };
    if header("if-match").is_some_and(|wanted| wanted != object.etag) {
        return refusal(StatusCode::PRECONDITION_FAILED, "PreconditionFailed");
    }
    let size = object.bytes.len();
    let range = header("range").and_then(|range| range.strip_prefix("bytes=")?.split_once('-'));
    let (begin, end) = match range {
        Some((begin, end)) => {
            let begin = begin.parse().unwrap_or(0);
            (begin, end.parse().map_or(size, |last: usize| last.saturating_add(1)).min(size))
        }
        None => (0, size),
    };
    if begin > end || (range.is_some() && begin >= size) {
        return refusal(StatusCode::RANGE_NOT_SATISFIABLE, "InvalidRange");
    }
    let bytes = Bytes::copy_from_slice(&object.bytes[begin..end]);
    let status = if range.is_some() { StatusCode::PARTIAL_CONTENT } else { StatusCode::OK };
    let mut answer = match parts.method {
        Method::HEAD => reply(status, Bytes::new()),
        _ => broken(reply(status, bytes.clone()), bytes, fault),
    };
    let headers = answer.headers_mut();
    let mut put = |name: &'static str, value: String| {
        headers.insert(name, value.parse().expect("digits and letters make a header"));
    };
    put("etag", object.etag.clone());
    put("last-modified", object.modified_http());
    put("accept-ranges", "bytes".to_owned());
    if parts.method == Method::HEAD {
        put("content-length", (end - begin).to_string());
    }
    if range.is_some() {
        put("content-range", format!("bytes {begin}-{}/{size}", end - 1));
    }
    answer
}

/// The answer with this body, or what a fault makes of it.
fn broken(whole: Answer, body: Bytes, fault: Option<Fault>) -> Answer {
    let middle = body.len() / 2;
    let announced = body.len().to_string();
    let (mut parts, _) = whole.into_parts();
    let body = match fault {
        Some(Fault::Slow) => {
            let pause = Box::pin(tokio::time::sleep(PAUSE));
            let (first, rest) = (body.slice(..middle), body.slice(middle..));
            Reply::Slow { first: Some(first), rest: Some(rest), pause }
        }
        Some(Fault::Dropped) => {
            parts.headers.insert("content-length", announced.parse().expect("digits"));
            Reply::Cut(Some(body.slice(..middle)))
        }
        Some(Fault::Short) => Reply::Whole(Full::new(body.slice(..body.len().saturating_sub(1)))),
        _ => Reply::Whole(Full::new(body)),
    };
    Response::from_parts(parts, body)
}

fn write(
    shared: &Shared,
    method: &Method,
    key: &str,
    query: &BTreeMap<String, String>,
    only_new: bool,
    body: &Bytes,
) -> Answer {
    let mut state = shared.state();
    if *method == Method::PUT && state.refused.as_ref().is_some_and(|text| key.contains(text)) {
        return refusal(StatusCode::FORBIDDEN, "AccessDenied");
    }
    let upload = query.get("uploadId");
    match (method, upload) {
        (&Method::POST, None) if query.contains_key("uploads") => {
            let name = state.uploads.begin(key);
            reply(
                StatusCode::OK,
                format!(
                    "<InitiateMultipartUploadResult><Bucket>{}</Bucket><UploadId>{name}</UploadId>\
                     </InitiateMultipartUploadResult>",
                    shared.bucket
                ),
            )
        }
        (&Method::POST, Some(_)) if only_new && state.objects.contains_key(key) => {
            refusal(StatusCode::PRECONDITION_FAILED, "PreconditionFailed")
        }
        (&Method::POST, Some(name)) => match state.uploads.complete(name) {
            Some((key, bytes)) => {
                let object = Object::new(bytes);
                let etag = object.etag.replace('"', "&quot;");
                state.objects.insert(key, object);
                let xml = format!(
                    "<CompleteMultipartUploadResult><ETag>{etag}</ETag></CompleteMultipartUploadResult>"
                );
                reply(StatusCode::OK, xml)
            }
            None => refusal(StatusCode::NOT_FOUND, "NoSuchUpload"),
        },
        (&Method::PUT, _) => {
            let object = Object::new(body.to_vec());
            let etag = object.etag.clone();
            let number = query.get("partNumber").and_then(|number| number.parse().ok());
            match (upload, number) {
                (Some(name), Some(number)) => {
                    if !state.uploads.put(name, number, body.to_vec()) {
                        return refusal(StatusCode::NOT_FOUND, "NoSuchUpload");
                    }
                }
                _ => {
                    state.objects.insert(key.to_owned(), object);
                }
            }
            let mut answer = reply(StatusCode::OK, Bytes::new());
            answer.headers_mut().insert("etag", etag.parse().expect("digits make a header"));
            answer
        }
        (&Method::DELETE, Some(name)) => match state.uploads.abort(name) {
            true => reply(StatusCode::NO_CONTENT, Bytes::new()),
            false => refusal(StatusCode::NOT_FOUND, "NoSuchUpload"),
        },
        (&Method::DELETE, None) => {
            state.objects.remove(key);
            reply(StatusCode::NO_CONTENT, Bytes::new())
        }
        _ => refusal(StatusCode::BAD_REQUEST, "InvalidRequest"),
    }
}
