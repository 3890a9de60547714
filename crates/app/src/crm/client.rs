//! Asks a CRM: waits when it is told to (RFC 6585 429, RFC 9110 Retry-After), tries
//! again when it fails for now, and never takes its token elsewhere.

use std::time::Duration;

use bytes::Bytes;
use futures::StreamExt;
use mangle_channels::Failure;
use mangle_core::crm::Shape;
use mangle_documents::odata::read_metadata;
use reqwest::{Method, StatusCode, Url};
use serde_json::Value as Json;

use crate::error::Error;

/// How long one answer may take.
const LONGEST: Duration = Duration::from_secs(60);
/// How often a request is tried.
const TRIES: u32 = 6;
/// The longest pause between two tries.
const PAUSE: Duration = Duration::from_secs(20);
/// The most bytes of an answer, and of a picture.
const LARGEST: [usize; 2] = [128 << 20, 64 << 20];

/// A connected CRM.
#[derive(Debug, Clone)]
pub struct Client {
    root: Url,
    token: String,
    http: reqwest::Client,
}

/// New connections, as those to a CRM are made.
fn connections() -> Result<reqwest::Client, Error> {
    // One provider of cryptography for the whole program; a second call changes nothing.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let builder = reqwest::Client::builder().timeout(LONGEST).redirect(reqwest::redirect::Policy::none());
    Ok(builder.build().map_err(anyhow::Error::new)?)
}

impl Client {
    /// A CRM under its root address.
    pub fn new(address: &str, token: &str) -> Result<Client, Error> {
        Client::over(None, address, token)
    }

    /// The same over connections that are kept open between requests; over new ones where there are none.
    pub fn over(http: Option<reqwest::Client>, address: &str, token: &str) -> Result<Client, Error> {
        let mut text = address.trim().to_owned();
        if !text.ends_with('/') {
            text.push('/');
        }
        let wrong = || Error::unusable("address", format!("“{address}” is not a valid URL. Use a form such as https://crm.example/odata/"));
        let root = Url::parse(&text).map_err(|_| wrong())?;
        if !matches!(root.scheme(), "http" | "https") || root.host_str().is_none() {
            return Err(wrong());
        }
        let http = http.map_or_else(connections, Ok)?;
        Ok(Client { root, token: token.trim().to_owned(), http })
    }

    /// The connections that it is asked over.
    pub fn connections(&self) -> reqwest::Client {
        self.http.clone()
    }

    /// The shape of what it holds.
    pub async fn shape(&self) -> Result<Shape, Error> {
        let bytes = self.get("$metadata", "application/xml", LARGEST[0]).await?;
        let text = String::from_utf8_lossy(&bytes).into_owned();
        crate::prepare::blocking(move || read_metadata(&text)).await?.map_err(|e| Error::unusable("metadata", e.to_string()))
    }

    /// A page of records.
    pub async fn page(&self, address: &str) -> Result<Json, Error> {
        let bytes = self.get(address, "application/json", LARGEST[0]).await?;
        serde_json::from_slice(&bytes).map_err(|_| Error::unusable("answer", "the CRM did not return JSON"))
    }

    /// A picture.
    pub async fn picture(&self, address: &str) -> Result<Vec<u8>, Error> {
        self.get(address, "image/*", LARGEST[1]).await
    }

    /// An address of the service: whole, or below its root. Another host is none.
    fn whole(&self, address: &str) -> Result<Url, Error> {
        let url =
            self.root.join(address).map_err(|_| Error::unusable("address", format!("the CRM returned an invalid URL “{address}”")))?;
        if url.origin() == self.root.origin() {
            return Ok(url);
        }
        let host = url.host_str().unwrap_or("another host").to_owned();
        Err(Error::unusable("address", format!("the CRM refers to {host}. For security, the token is not sent there.")))
    }

    async fn get(&self, address: &str, accept: &str, largest: usize) -> Result<Vec<u8>, Error> {
        let url = self.whole(address)?;
        let mut tried = 0;
        loop {
            tried += 1;
            let request = self.http.get(url.clone()).bearer_auth(&self.token).header("accept", accept).header("odata-maxversion", "4.01");
            let last = tried == TRIES;
            let wait = match request.send().await {
                Ok(answer) if answer.status().is_success() => match body(answer, largest).await {
                    Err(None) if !last => pause(tried),
                    other => return other.map_err(|refused| refused.unwrap_or_else(|| unreachable(&self.root))),
                },
                Ok(answer) => match told_to_wait(&answer, tried) {
                    Some(wait) if !last => wait,
                    _ => return Err(refused(answer).await),
                },
                Err(error) if last || error.is_builder() => return Err(unreachable(&self.root)),
                Err(_) => pause(tried),
            };
            tokio::time::sleep(wait).await;
        }
    }
}

/// A request that is made once, whatever becomes of it: whoever makes it knows whether it may be
/// made again.
#[derive(Debug, Default)]
pub struct Ask<'a> {
    /// The method; GET where it is blank.
    pub method: &'a str,
    /// The address, below the service's root.
    pub address: &'a str,
    /// Headers besides those of every request.
    pub headers: Vec<(&'a str, String)>,
    /// The body with its media type.
    pub body: Option<(&'a str, Vec<u8>)>,
}

/// An answer that is no refusal.
#[derive(Debug)]
pub struct Answer {
    /// The state's tag (RFC 9110, 8.8.3).
    pub etag: Option<String>,
    /// Where what was made is.
    pub location: Option<String>,
    /// The body, where it is JSON.
    pub body: Json,
}

/// Why a request came to nothing.
#[derive(Debug)]
pub enum Refusal {
    /// The record was changed by another since it was read (412).
    Stale,
    /// There is no such thing (404, 410).
    Gone,
    /// It may go well another time.
    Later(Failure),
    /// It never will.
    Never(Failure),
}

/// How long a request that came too early waits at most, and how often.
const SHORT: Duration = Duration::from_secs(2);
const PATIENCE: u32 = 30;

impl Client {
    /// Makes a request once.
    pub async fn ask(&self, ask: Ask<'_>) -> Result<Answer, Refusal> {
        let url = self.whole(ask.address).map_err(|error| Refusal::Never(Failure::new("crm", error.to_string())))?;
        let method = match ask.method {
            "" => Method::GET,
            method => Method::from_bytes(method.as_bytes()).map_err(|error| Refusal::Never(Failure::new("crm", error.to_string())))?,
        };
        let sent = ask.body.map(|(kind, bytes)| (kind, Bytes::from(bytes)));
        let mut tried = 0;
        let answer = loop {
            let mut request = self.http.request(method.clone(), url.clone()).bearer_auth(&self.token);
            request = request.header("accept", "application/json").header("odata-maxversion", "4.01");
            for (name, value) in &ask.headers {
                request = request.header(*name, value);
            }
            if let Some((kind, bytes)) = &sent {
                request = request.header("content-type", *kind).body(bytes.clone());
            }
            // One that got no answer may have been carried out: whoever asks looks before asking again.
            let answer = request.send().await;
            let answer = answer.map_err(|_| Refusal::Later(Failure::new("unreachable", unreachable(&self.root).to_string())))?;
            tried += 1;
            // One that came too early was not carried out (RFC 6585, 4): it alone is made again, for
            // whoever begins anew asks all the more often.
            match told_to_wait(&answer, tried).filter(|_| answer.status() == StatusCode::TOO_MANY_REQUESTS) {
                Some(wait) if wait <= SHORT && tried < PATIENCE => tokio::time::sleep(wait).await,
                _ => break answer,
            }
        };
        let status = answer.status();
        let text = |name: &str| answer.headers().get(name).and_then(|h| h.to_str().ok()).map(str::to_owned);
        if status.is_success() {
            let (etag, location) = (text("etag"), text("location"));
            let body =
                body(answer, LARGEST[0]).await.map_err(|_| Refusal::Later(Failure::new("unreachable", "the CRM's answer broke off")))?;
            return Ok(Answer { etag, location, body: serde_json::from_slice(&body).unwrap_or_default() });
        }
        let after = text("retry-after").and_then(|told| told.trim().parse().ok()).map(Duration::from_secs);
        match status {
            StatusCode::PRECONDITION_FAILED => Err(Refusal::Stale),
            StatusCode::NOT_FOUND | StatusCode::GONE => Err(Refusal::Gone),
            status => {
                let failure = Failure { after, ..Failure::new("crm", refused(answer).await.to_string()) };
                let later = status.is_server_error()
                    || matches!(
                        status,
                        StatusCode::UNAUTHORIZED
                            | StatusCode::FORBIDDEN
                            | StatusCode::REQUEST_TIMEOUT
                            | StatusCode::CONFLICT
                            | StatusCode::TOO_MANY_REQUESTS
                    );
                Err(if later { Refusal::Later(failure) } else { Refusal::Never(failure) })
            }
        }
    }
}

fn unreachable(root: &Url) -> Error {
    Error::unusable(
        "unreachable",
        format!("no response from the CRM at {}. Check the URL and that it is running.", root.host_str().unwrap_or_default()),
    )
}

/// Reads a body of bounded size; `None` where the line broke.
async fn body(answer: reqwest::Response, largest: usize) -> Result<Vec<u8>, Option<Error>> {
    let mut bytes = Vec::new();
    let mut pieces = answer.bytes_stream();
    while let Some(piece) = pieces.next().await {
        bytes.extend_from_slice(&piece.map_err(|_| None)?);
        if bytes.len() > largest {
            return Err(Some(Error::unusable("too-large", format!("the CRM returned more than {} MB at once", largest >> 20))));
        }
    }
    Ok(bytes)
}

/// How long to wait before the next try, where another may help.
fn told_to_wait(answer: &reqwest::Response, tried: u32) -> Option<Duration> {
    let retry = matches!(
        answer.status(),
        StatusCode::TOO_MANY_REQUESTS | StatusCode::SERVICE_UNAVAILABLE | StatusCode::BAD_GATEWAY | StatusCode::GATEWAY_TIMEOUT
    );
    let told = answer.headers().get("retry-after").and_then(|h| h.to_str().ok()?.trim().parse().ok()).map(Duration::from_secs);
    retry.then(|| told.unwrap_or_else(|| pause(tried)).min(PAUSE))
}

/// Longer each time: 0.2 s, 0.4 s, 0.8 s.
fn pause(tried: u32) -> Duration {
    Duration::from_millis(100 << tried.min(8))
}

/// What the service says, in its own words where it has any (JSON Format 4.01, 21).
async fn refused(answer: reqwest::Response) -> Error {
    let status = answer.status();
    let said = match body(answer, 1 << 20).await {
        Ok(bytes) => serde_json::from_slice::<Json>(&bytes)
            .ok()
            .and_then(|j| Some(j["error"]["message"].as_str()?.chars().take(300).collect::<String>())),
        Err(_) => None,
    };
    let said = said.map(|s| format!(": {s}")).unwrap_or_default();
    match status {
        StatusCode::UNAUTHORIZED | StatusCode::FORBIDDEN => {
            Error::unusable("token", format!("the CRM rejected the token{said}. Enter a new one."))
        }
        StatusCode::NOT_FOUND => Error::unusable("address", format!("not found{said}. Enter the root URL of the OData service.")),
        status if status.is_redirection() => Error::unusable("address", "the CRM redirects to another URL. Enter that URL."),
        status => Error::unusable("crm", format!("the CRM answered {}{said}", status.as_u16())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_token_stays_with_the_service() {
        let client = Client::new("https://crm.example/odata", "secret").expect("a client");
        let whole = |address: &str| client.whole(address).map(|u| u.to_string()).map_err(|e| e.to_string());
        assert_eq!(whole("Cases?$top=1").as_deref(), Ok("https://crm.example/odata/Cases?$top=1"));
        assert_eq!(whole("https://crm.example/odata/Cases?$skiptoken=2").as_deref(), Ok("https://crm.example/odata/Cases?$skiptoken=2"));
        for foreign in ["https://evil.example/Cases", "//evil.example/x", "http://crm.example/odata/Cases", "https://crm.example:8443/x"] {
            assert!(whole(foreign).expect_err("refused").contains("the token is not sent there"), "{foreign}");
        }
        for wrong in ["", "crm", "ftp://crm.example/", "file:///etc/passwd"] {
            assert!(Client::new(wrong, "t").is_err(), "{wrong}");
        }
    }
}
