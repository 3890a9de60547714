//! Web hook: JSON posted to another program over HTTP, signed so that it knows whom it comes from
//! (Standard Webhooks 1.0: HMAC-SHA-256 over id, time and body). A try that fails is made again
//! under the same id, by which the other side tells it from a new one.

use std::io::Read;
use std::sync::{Mutex, OnceLock, PoisonError};
use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use jiff::Timestamp;
use mangle_core::channel::{Along, WebHookPayload, is_allowed};
use reqwest::blocking::{Client, Response};
use reqwest::redirect::Policy;
use reqwest::{StatusCode, Url};
use ring::hmac;
use serde_json::{Value, json};
use sha2::{Digest, Sha256};

use crate::{Channel, Config, Delivery, Failure, Fate, Outcome, Pace, Rate};

/// How long one try may take.
const LONGEST: Duration = Duration::from_secs(30);
/// How long a connection may take.
const CONNECT: Duration = Duration::from_secs(10);
/// The most bytes of an answer that are read, and how many characters of it are told.
const ANSWER: u64 = 16 << 10;
const TOLD: usize = 300;
/// The most bytes of documents that go along.
const LARGEST: usize = 20 << 20;
/// What a secret begins with.
pub const SECRET: &str = "whsec_";

/// The web hook channel.
#[derive(Debug)]
pub struct WebHook {
    hosts: Vec<String>,
    /// The secret that is signed with; blank where there is none.
    secret: Mutex<Secret>,
    client: OnceLock<Client>,
}

#[derive(Default)]
struct Secret(String);

impl std::fmt::Debug for Secret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.0.is_empty() { "no secret" } else { "a secret" })
    }
}

impl WebHook {
    /// The channel of a configuration.
    pub fn new(config: &Config) -> WebHook {
        WebHook { hosts: config.hosts.clone(), secret: Mutex::default(), client: OnceLock::new() }
    }

    /// Made once: it keeps connections open for the next delivery.
    fn client(&self) -> reqwest::Result<&Client> {
        if let Some(ready) = self.client.get() {
            return Ok(ready);
        }
        // One provider of cryptography for the whole program; a second call changes nothing.
        let _ = rustls::crypto::ring::default_provider().install_default();
        // A redirect could lead to a host that nobody allowed.
        let builder = Client::builder().timeout(LONGEST).connect_timeout(CONNECT).redirect(Policy::none()).no_proxy();
        let made = builder.build()?;
        Ok(self.client.get_or_init(|| made))
    }

    fn post(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Result<Outcome, Outcome> {
        let failed = |code: &'static str, message: String| Outcome::Failed(Failure::new(code, message));
        let payload: WebHookPayload = serde_json::from_value(delivery.payload.clone())
            .map_err(|error| failed("payload", format!("the delivery can't be read: {error}")))?;
        let url = Url::parse(&payload.url).map_err(|_| failed("url", format!("“{}” is not a URL", payload.url)))?;
        if !is_allowed(&url, &self.hosts) {
            let host = url.host_str().unwrap_or_default();
            return Err(failed("host", format!("“{host}” is not allowed on this machine. Start Mangle with --allow-host {host}.")));
        }
        let secret = self.secret.lock().unwrap_or_else(PoisonError::into_inner).0.clone();
        let key = STANDARD.decode(secret.trim_start_matches(SECRET)).ok().filter(|key| !key.is_empty());
        let key = key.ok_or_else(|| failed("no-secret", "no signing secret. Open Settings and make one.".to_owned()))?;
        let now = Timestamp::now();
        let body = body(delivery, &payload, now)?;
        let id = id(&delivery.key);
        let client = self.client().map_err(|error| Outcome::Later(Failure::new("internal", format!("no HTTP client: {error}"))))?;
        let request = client
            .post(url.clone())
            .header("content-type", "application/json")
            .header("webhook-id", &id)
            .header("webhook-timestamp", now.as_second())
            .header("webhook-signature", signature(&key, &id, now.as_second(), &body))
            .body(body);
        if !begin(url.as_str()) {
            return Ok(Outcome::NotBegun);
        }
        match request.send() {
            Ok(answer) => Ok(outcome(answer)),
            // Under its id a second try can't be taken for another document.
            Err(error) => {
                let host = url.host_str().unwrap_or_default();
                let why = match () {
                    () if error.is_timeout() => format!("{host} did not answer in {} seconds", LONGEST.as_secs()),
                    () if error.is_connect() => format!("can't connect to {host}. Check the URL and that the program there is running."),
                    () => format!("the connection to {host} broke"),
                };
                Ok(Outcome::Later(Failure::new("unreachable", why)))
            }
        }
    }
}

impl Channel for WebHook {
    fn kind(&self) -> &'static str {
        "web-hook"
    }

    fn pace(&self) -> Pace {
        Pace {
            at_once: 4,
            rate: Rate::default(),
            first_pause: Duration::from_secs(5),
            longest_pause: Duration::from_secs(3_600),
            give_up_after: Duration::from_secs(3 * 86_400),
        }
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        self.post(delivery, begin).unwrap_or_else(|outcome| outcome)
    }

    /// The same id goes along at the next try: the other side knows whether it had it before.
    fn fate(&self, _delivery: &Delivery, _target: &str) -> Fate {
        Fate::NotDelivered
    }

    fn configure(&self, _settings: &Value, secret: &str) -> Result<(), serde_json::Error> {
        *self.secret.lock().unwrap_or_else(PoisonError::into_inner) = Secret(secret.to_owned());
        Ok(())
    }
}

/// What tells a delivery from every other, without the characters that the signature's parts are
/// separated by.
fn id(key: &str) -> String {
    let hex: String = Sha256::digest(key).iter().take(16).map(|byte| format!("{byte:02x}")).collect();
    format!("msg_{hex}")
}

/// The signature of a body (Standard Webhooks 1.0, “Signature scheme”).
pub fn signature(key: &[u8], id: &str, seconds: i64, body: &[u8]) -> String {
    let mut signed = format!("{id}.{seconds}.").into_bytes();
    signed.extend_from_slice(body);
    format!("v1,{}", STANDARD.encode(hmac::sign(&hmac::Key::new(hmac::HMAC_SHA256, key), &signed)))
}

fn body(delivery: &Delivery, payload: &WebHookPayload, now: Timestamp) -> Result<Vec<u8>, Outcome> {
    let size: usize = delivery.documents.iter().map(|document| document.bytes.len()).sum();
    if payload.documents == Along::Content && size > LARGEST {
        let message =
            format!("the documents are {} MB in all; at most {} MB can be sent. Send their link instead.", size >> 20, LARGEST >> 20);
        return Err(Outcome::Failed(Failure::new("too-large", message)));
    }
    let documents = delivery.documents.iter().map(|document| {
        let hash: String = Sha256::digest(&document.bytes).iter().map(|byte| format!("{byte:02x}")).collect();
        let mut own =
            json!({ "name": document.name, "media_type": document.format.media_type(), "size": document.bytes.len(), "sha256": hash });
        if payload.documents == Along::Content {
            own["content"] = STANDARD.encode(&document.bytes).into();
        }
        own
    });
    let data = json!({
        "dispatch": payload.dispatch,
        "name": payload.name,
        "documents": documents.collect::<Vec<_>>(),
        "link": payload.link,
        "values": payload.values,
    });
    let whole = json!({ "type": "document.made", "timestamp": now.to_string(), "data": data });
    serde_json::to_vec(&whole).map_err(|error| Outcome::Failed(Failure::new("payload", error.to_string())))
}

/// What an answer means (RFC 9110, 15).
fn outcome(answer: Response) -> Outcome {
    let status = answer.status();
    let after = answer.headers().get("retry-after").and_then(|told| told.to_str().ok()?.trim().parse().ok()).map(Duration::from_secs);
    let said = said(answer);
    let told = if said.is_empty() { status.to_string() } else { format!("{status}: {said}") };
    match status {
        _ if status.is_success() => Outcome::Delivered(told),
        _ if status.is_redirection() => Outcome::Failed(Failure::new(
            "redirect",
            format!("the address answered with a redirect, which is not followed ({status}). Use the new URL."),
        )),
        // Its own word for “never again” is 410; the other refusals do not get better by themselves either.
        StatusCode::REQUEST_TIMEOUT | StatusCode::CONFLICT | StatusCode::TOO_EARLY | StatusCode::TOO_MANY_REQUESTS => {
            Outcome::Later(Failure { after, ..Failure::new("not-now", format!("not now: {told}")) })
        }
        _ if status.is_client_error() => Outcome::Failed(Failure::new("refused", format!("refused: {told}"))),
        _ => Outcome::Later(Failure { after, ..Failure::new("not-now", format!("the other program failed: {told}")) }),
    }
}

/// The beginning of an answer, on one line.
fn said(answer: Response) -> String {
    let mut bytes = Vec::new();
    // What can't be read of it changes nothing of what the status said.
    let _ = answer.take(ANSWER).read_to_end(&mut bytes);
    let text = String::from_utf8_lossy(&bytes);
    let line = text.split_whitespace().collect::<Vec<_>>().join(" ");
    line.chars().filter(|c| !c.is_control()).take(TOLD).collect()
}

#[cfg(test)]
mod tests {
    use std::io::{BufRead, BufReader, Write};
    use std::net::TcpListener;
    use std::thread::JoinHandle;

    use mangle_core::dispatch::Format;

    use super::*;
    use crate::Document;

    /// The head and the body of a post.
    type Taken = (Vec<String>, Vec<u8>);

    /// A program that takes one post, answers it, and gives back its head and its body.
    fn listener(answer: &'static str) -> (u16, JoinHandle<Taken>) {
        let listener = TcpListener::bind("127.0.0.1:0").expect("binds");
        let port = listener.local_addr().expect("bound").port();
        let taken = std::thread::spawn(move || {
            let (stream, _) = listener.accept().expect("a caller");
            let mut reader = BufReader::new(stream.try_clone().expect("the same"));
            let head: Vec<String> = reader.by_ref().lines().map(|line| line.expect("a line")).take_while(|line| !line.is_empty()).collect();
            let length = head.iter().find_map(|line| line.to_lowercase().strip_prefix("content-length: ")?.parse().ok()).expect("a length");
            let mut body = vec![0; length];
            reader.read_exact(&mut body).expect("a body");
            (&stream).write_all(answer.as_bytes()).expect("answers");
            (head, body)
        });
        (port, taken)
    }

    fn delivery(port: u16, documents: Along) -> Delivery {
        let values = json!({ "total": "€ 1,200.00" }).as_object().cloned().expect("values");
        let payload = WebHookPayload {
            url: format!("http://localhost:{port}/hook"),
            documents,
            dispatch: "Refit quotes".into(),
            name: "Quote 7".into(),
            link: None,
            values,
        };
        let document = Document { name: "Quote 7.pdf".into(), format: Format::Pdf, bytes: b"%PDF-1.7".to_vec() };
        let payload = serde_json::to_value(payload).expect("a payload");
        Delivery {
            key: "<1.1.abc@quay.example>".into(),
            payload,
            office: Default::default(),
            documents: vec![document],
            extras: Vec::new(),
        }
    }

    fn hook() -> WebHook {
        let hook = WebHook::new(&Config { hosts: vec!["localhost".into()], ..Config::default() });
        hook.configure(&Value::Null, "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw").expect("set");
        hook
    }

    #[test]
    fn it_is_signed_as_the_standard_has_it() {
        // Worked out by another program: openssl dgst -sha256 -mac HMAC over "msg_1.1700000000.{}".
        let key = STANDARD.decode("MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw").expect("base64");
        assert_eq!(signature(&key, "msg_1", 1_700_000_000, b"{}"), "v1,x5lVgj0b/JJJaUYaa1+6I5J/EECcryrPlFN4VrkmI94=");
    }

    #[test]
    fn what_is_posted_can_be_checked_and_tells_of_the_document() {
        let (port, taken) = listener("HTTP/1.1 202 Accepted\r\nContent-Length: 6\r\n\r\nqueued");
        let outcome = hook().deliver(&delivery(port, Along::Content), &mut |_| true);
        assert_eq!(outcome, Outcome::Delivered("202 Accepted: queued".into()));
        let (head, body) = taken.join().expect("taken");
        let header = |name: &str| head.iter().find_map(|line| line.strip_prefix(&format!("{name}: "))).expect("the header").to_owned();
        let key = STANDARD.decode("MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw").expect("base64");
        let seconds = header("webhook-timestamp").parse().expect("seconds");
        assert_eq!(header("webhook-signature"), signature(&key, &header("webhook-id"), seconds, &body));
        let told: Value = serde_json::from_slice(&body).expect("JSON");
        assert_eq!(told["type"], "document.made");
        assert_eq!(told["data"]["documents"][0]["content"], STANDARD.encode("%PDF-1.7"));
        assert_eq!(told["data"]["values"]["total"], "€ 1,200.00");
    }

    #[test]
    fn answers_are_told_apart() {
        let answered = |answer: &'static str| {
            let (port, taken) = listener(answer);
            let outcome = hook().deliver(&delivery(port, Along::Names), &mut |_| true);
            let body: Value = serde_json::from_slice(&taken.join().expect("taken").1).expect("JSON");
            assert_eq!(body["data"]["documents"][0].get("content"), None);
            outcome
        };
        let Outcome::Later(busy) = answered("HTTP/1.1 429 Too Many Requests\r\nRetry-After: 90\r\nContent-Length: 0\r\n\r\n") else {
            panic!("put off")
        };
        assert_eq!((busy.code, busy.after), ("not-now", Some(Duration::from_secs(90))));
        let Outcome::Failed(gone) = answered("HTTP/1.1 410 Gone\r\nContent-Length: 0\r\n\r\n") else { panic!("failed") };
        assert_eq!(gone.code, "refused");
        let away = "HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\nContent-Length: 0\r\n\r\n";
        let Outcome::Failed(moved) = answered(away) else { panic!("failed") };
        assert_eq!(moved.code, "redirect");
        let Outcome::Later(down) = answered("HTTP/1.1 500 Internal Server Error\r\nContent-Length: 0\r\n\r\n") else { panic!("put off") };
        assert_eq!(down.code, "not-now");
        // It hangs up without an answer.
        let Outcome::Later(broke) = answered("") else { panic!("put off") };
        assert_eq!(broke.code, "unreachable");
    }

    #[test]
    fn nothing_is_posted_where_it_may_not_be() {
        let begun = &mut |_: &str| -> bool { panic!("nothing begins") };
        let code = |outcome: Outcome| match outcome {
            Outcome::Failed(failure) => failure.code,
            other => panic!("{other:?}"),
        };
        let elsewhere = WebHook::new(&Config::default());
        assert_eq!(code(elsewhere.deliver(&delivery(9, Along::Names), begun)), "host");
        let unset = WebHook::new(&Config { hosts: vec!["localhost".into()], ..Config::default() });
        assert_eq!(code(unset.deliver(&delivery(9, Along::Names), begun)), "no-secret");
        let mut large = delivery(9, Along::Content);
        large.documents[0].bytes = vec![0; LARGEST + 1];
        assert_eq!(code(hook().deliver(&large, begun)), "too-large");
        assert_eq!(hook().deliver(&delivery(9, Along::Names), &mut |_| false), Outcome::NotBegun);
    }
}
