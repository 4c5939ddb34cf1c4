//! Requests to one bucket: signed, and their answers judged.

use std::io::Read;
use std::sync::OnceLock;
use std::time::Duration;

use object_store::aws::AwsAuthorizer;
use object_store::client::{HttpRequest, HttpRequestBody};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use reqwest::blocking::{Client, Response};
use reqwest::{Method, StatusCode, redirect};

use super::Access;
use super::credentials::{Identity, variable};
use super::retry::Trouble;

/// The letters of keys that addresses hold as they are (RFC 3986: unreserved), and what parts them.
const KEY: &AsciiSet =
    &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~').remove(b'/');
/// Those of values.
const VALUE: &AsciiSet = &KEY.add(b'/');

/// How long is waited for a connection, and for more of an answer.
const PATIENCE: Duration = Duration::from_secs(30);
/// Bytes of an answer that is no object, at most.
const MOST_ANSWER_BYTES: u64 = 32 << 20;

/// A bucket, ready to be asked.
#[derive(Debug)]
pub struct Connection {
    client: Client,
    identity: Identity,
    region: String,
    /// The address of the bucket, without a slash at its end.
    pub address: String,
}

/// A request.
#[derive(Debug, Default)]
pub struct Ask<'a> {
    /// What is done.
    pub method: Method,
    /// With which object; the bucket itself where it is empty.
    pub key: &'a str,
    /// Names and values after the question mark.
    pub query: &'a [(&'a str, &'a str)],
    /// Further headers.
    pub headers: &'a [(&'static str, String)],
}

impl Connection {
    /// Connects to a bucket. Nothing is sent yet.
    ///
    /// # Errors
    ///
    /// Without credentials, or with an endpoint that is none.
    pub fn new(bucket: &str, access: &Access) -> Result<Self, String> {
        let identity = Identity::find(access)?;
        let region = access.region.clone().or_else(|| variable("AWS_REGION"));
        let region = region.or_else(|| variable("AWS_DEFAULT_REGION"));
        let region = region.unwrap_or_else(|| "us-east-1".to_owned());
        let given = access.endpoint.clone().or_else(|| variable("AWS_ENDPOINT_URL"));
        let endpoint = match given {
            None => format!("https://s3.{region}.amazonaws.com"),
            Some(endpoint) => {
                let is_web = endpoint.starts_with("https://") || endpoint.starts_with("http://");
                let address = reqwest::Url::parse(&endpoint).ok().filter(|_| is_web);
                // Names and passwords in an address would be shown with it.
                let address = address
                    .filter(|address| address.username().is_empty() && address.query().is_none());
                if address.is_none() {
                    return Err("the endpoint is no address such as https://HOST:PORT".to_owned());
                }
                endpoint.trim_end_matches('/').to_owned()
            }
        };
        Ok(Connection {
            client: client()?,
            identity,
            region,
            address: format!("{endpoint}/{bucket}"),
        })
    }

    /// Makes a request; an answer that is no success is an error.
    pub fn send(&self, ask: &Ask<'_>, body: Vec<u8>) -> Result<Response, Trouble> {
        let lasting = |why: &str| Trouble::Lasting(why.to_owned());
        let mut address = format!("{}/{}", self.address, utf8_percent_encode(ask.key, KEY));
        for (number, (name, value)) in ask.query.iter().enumerate() {
            let mark = if number == 0 { '?' } else { '&' };
            address.push_str(&format!("{mark}{name}={}", utf8_percent_encode(value, VALUE)));
        }
        let request = reqwest::Request::new(
            ask.method.clone(),
            reqwest::Url::parse(&address).map_err(|_| lasting("its address is none"))?,
        );
        let mut signed = HttpRequest::new(HttpRequestBody::from(body.clone()));
        *signed.method_mut() = ask.method.clone();
        *signed.uri_mut() = address.parse().map_err(|_| lasting("its address is none"))?;
        for (name, value) in ask.headers {
            let value = value.parse().map_err(|_| lasting("a header cannot be written"))?;
            signed.headers_mut().insert(*name, value);
        }
        if let Some(credential) = self.identity.credential().map_err(Trouble::Passing)? {
            let signer = AwsAuthorizer::new(&credential, "s3", &self.region);
            // What went wrong could name the key.
            let made = signer.try_authorize(&mut signed, None);
            made.map_err(|_| lasting("the request cannot be signed"))?;
        }
        let mut builder = reqwest::blocking::RequestBuilder::from_parts(
            self.client.clone(),
            reqwest::blocking::Request::new(request.method().clone(), request.url().clone()),
        );
        builder = builder.headers(std::mem::take(signed.headers_mut()));
        if !body.is_empty() || ask.method == Method::PUT || ask.method == Method::POST {
            builder = builder.body(body);
        }
        let answer = builder.send().map_err(|error| Trouble::Passing(reason(&error)))?;
        match answer.status() {
            status if status.is_success() => Ok(answer),
            status => Err(refused(ask, status, answer)),
        }
    }
}

/// The text of an answer that is no object.
pub fn text(answer: Response) -> Result<String, Trouble> {
    let mut text = String::new();
    let read = answer.take(MOST_ANSWER_BYTES).read_to_string(&mut text);
    read.map_err(|_| Trouble::Passing("the answer broke off".to_owned()))?;
    Ok(text)
}

/// One client for all requests of a run: it keeps connections open.
fn client() -> Result<Client, String> {
    static CLIENT: OnceLock<Result<Client, String>> = OnceLock::new();
    let made = CLIENT.get_or_init(|| {
        // Another part of the program may have chosen already; both are ring.
        let _ = rustls::crypto::ring::default_provider().install_default();
        Client::builder()
            .connect_timeout(PATIENCE)
            .timeout(PATIENCE)
            // A signature holds for one host; to follow would show it to another.
            .redirect(redirect::Policy::none())
            .build()
            .map_err(|error| reason(&error))
    });
    made.clone()
}

/// Why a request could not be made, without its address.
pub fn reason(error: &reqwest::Error) -> String {
    let mut cause: &dyn std::error::Error = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    match (error.is_timeout(), error.is_connect()) {
        (true, _) => "the store does not answer in time".to_owned(),
        (_, true) => format!("the store cannot be reached: {cause}"),
        _ => format!("the connection broke: {cause}"),
    }
}

/// What an answer that is no success means. Of its text only the code is shown: the rest may repeat what was sent.
fn refused(ask: &Ask<'_>, status: StatusCode, answer: Response) -> Trouble {
    let region =
        answer.headers().get("x-amz-bucket-region").and_then(|region| region.to_str().ok());
    let region = region.map(str::to_owned);
    let text = text(answer).unwrap_or_default();
    let code = text.split_once("<Code>").and_then(|(_, rest)| rest.split_once("</Code>"));
    let is_word = |code: &&str| code.chars().all(|c| c.is_ascii_alphanumeric()) && code.len() < 60;
    let code = code.map(|(code, _)| code).filter(is_word).unwrap_or_default();
    let named = match code {
        "" => status.as_u16().to_string(),
        code => format!("{} {code}", status.as_u16()),
    };
    let only_new = ask.headers.iter().any(|(name, _)| *name == "if-none-match");
    match (status, region) {
        (StatusCode::PRECONDITION_FAILED | StatusCode::CONFLICT, _) if only_new => {
            Trouble::Lasting("another run has written it meanwhile".to_owned())
        }
        (StatusCode::NOT_IMPLEMENTED, _) => {
            Trouble::Unsupported(format!("the store does not know the request ({named})"))
        }
        (StatusCode::PRECONDITION_FAILED, _) => {
            Trouble::Lasting("it was changed since it was listed".to_owned())
        }
        (StatusCode::NOT_FOUND, _) if code == "NoSuchBucket" => {
            Trouble::Lasting("there is no such bucket".to_owned())
        }
        (StatusCode::NOT_FOUND, _) => Trouble::Lasting("it is not there any more".to_owned()),
        (StatusCode::FORBIDDEN | StatusCode::UNAUTHORIZED, _) => {
            Trouble::Lasting(format!("the store denies access ({named})"))
        }
        (status, Some(region)) if status.is_redirection() || status.is_client_error() => {
            Trouble::Lasting(format!("the bucket is in another region: --region {region}"))
        }
        (StatusCode::TOO_MANY_REQUESTS | StatusCode::REQUEST_TIMEOUT, _) => {
            Trouble::Passing(format!("the store is busy ({named})"))
        }
        (status, _) if status.is_server_error() => {
            Trouble::Passing(format!("the store is busy or failing ({named})"))
        }
        _ => Trouble::Lasting(format!("the store refuses ({named})")),
    }
}
