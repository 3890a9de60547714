//! Channels' adapters to the world outside: each takes what its channel in
//! `mangle_core::channel` has rendered, and hands it over. Adapters keep no books: what is due,
//! what was tried and what became of it is the application's.
//!
//! To add one: a file here that implements [`Channel`], and its line in [`all`].

pub mod bounces;
pub mod bucket;
mod email;
mod folder;
mod link;
pub mod mail;
pub mod print;
mod printer;
pub mod web_hook;

use std::fmt::Debug;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use mangle_core::dispatch::Format;

/// What the operator of the machine sets for channels.
#[derive(Debug, Clone, Default)]
pub struct Config {
    /// Where messages are handed over: host and port.
    pub smtp: Option<(String, u16)>,
    /// The mailbox that messages which can't be delivered come back to, with its password.
    pub bounces: Option<(bounces::BounceMailbox, Secret)>,
    /// How many messages may leave in a minute and in an hour.
    pub email_rate: Rate,
    /// The folders that documents may be put into, by their names.
    pub folders: Vec<(String, PathBuf)>,
    /// The hosts that web hooks may be posted to: `name`, or `name:port`.
    pub hosts: Vec<String>,
    /// The address that public pages are reached at, without a slash at its end; none where there
    /// are none.
    pub public_url: Option<String>,
    /// The address that the office's people open the application at, without a slash at its end.
    pub office_url: Option<String>,
    /// Makes pictures of a PDF's pages, for printers that take no PDF.
    pub raster: Option<Raster>,
}

/// A password or key, which no log shows.
#[derive(Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Secret(pub String);

impl Debug for Secret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Secret")
    }
}

/// Makes a PWG raster stream (PWG 5102.4) of a PDF's pages: at so many dots to the inch, in colour
/// or grey.
pub type Raster = fn(pdf: &[u8], dpi: u32, colour: bool) -> Result<Vec<u8>, String>;

/// The channels that talk to the world outside, by the kinds of `mangle_core::channel::Channel`;
/// those that stay within the application are its own.
pub fn all(config: &Config) -> Vec<Arc<dyn Channel>> {
    vec![
        Arc::new(email::Email::new(config)),
        Arc::new(folder::Folder::new(config)),
        Arc::new(link::Link),
        Arc::new(print::Print::new(config)),
        Arc::new(web_hook::WebHook::new(config)),
    ]
}

/// One way to the world outside. Its calls block: the application makes them beside its async
/// runtime, no more of them at once than the channel's pace allows.
pub trait Channel: Debug + Send + Sync {
    /// The word of its kind.
    fn kind(&self) -> &'static str;

    /// How fast and how long it may be tried.
    fn pace(&self) -> Pace;

    /// Hands a delivery over. `begin` is called once, right before the step that can't be called
    /// back, with what is needed to find out afterwards whether it happened; where it says no,
    /// the step is not taken and the outcome is [`Outcome::NotBegun`].
    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome;

    /// What became of a delivery that had begun when the program ended; `target` is what it
    /// began with.
    fn fate(&self, _delivery: &Delivery, _target: &str) -> Fate {
        Fate::Unknown
    }

    /// What the office has set for the kind, whenever it changes: its server, and the secret to
    /// sign in with.
    fn configure(&self, _settings: &serde_json::Value, _secret: &str) -> Result<(), serde_json::Error> {
        Ok(())
    }

    /// Whether the documents themselves are handed over.
    fn takes_content(&self) -> bool {
        true
    }

    /// Whether a run's deliveries are handed over one after the other, sorted by the `order` of
    /// their payloads, once all of its documents are made.
    fn in_order(&self) -> bool {
        false
    }

    /// Whether the other side is asked about each delivery after it was taken.
    fn hears_later(&self) -> bool {
        false
    }

    /// How often [`Channel::listen`] is called; none for never.
    fn listens_every(&self) -> Option<Duration> {
        None
    }

    /// Finds out what the other side has said of deliveries after it took them. `awaited` are
    /// those of which more may be heard, where it is asked about each. `tell` writes a notice
    /// down; where it says no, the notice is to be told again the next time.
    fn listen(&self, _awaited: &[Awaited], _tell: &mut dyn FnMut(&Notice) -> bool) -> Result<(), Failure> {
        Ok(())
    }

    /// Whether what was delivered can be taken back.
    fn revocable(&self) -> bool {
        false
    }

    /// Nothing is due just now: connections that are kept open may be closed.
    fn rest(&self) {}
}

/// What is to be handed over.
#[derive(Debug, Clone)]
pub struct Delivery {
    /// What tells it from every other delivery; the same at each try.
    pub key: String,
    /// What its channel rendered for the record.
    pub payload: serde_json::Value,
    /// The sender's name and address, where the payload has none.
    pub office: (String, String),
    /// The documents that go along.
    pub documents: Vec<Document>,
    /// What else goes along: pictures that a message shows, files beside the documents.
    pub extras: Vec<Extra>,
}

/// What tells a delivery from every other, without the brackets and the host of its key: for where
/// no sign but letters, digits and dots may stand.
pub fn bare_key(key: &str) -> &str {
    key.trim_start_matches('<').split('@').next().unwrap_or_default()
}

/// Something that goes along beside the documents.
#[derive(Debug, Clone)]
pub struct Extra {
    /// What the message's HTML calls it (RFC 2392); none where it is a file of its own.
    pub id: Option<String>,
    /// Its name.
    pub name: String,
    /// Its media type.
    pub kind: String,
    /// Its content.
    pub bytes: Vec<u8>,
}

/// A document that goes along.
#[derive(Debug, Clone)]
pub struct Document {
    /// Its name with extension.
    pub name: String,
    /// Its format.
    pub format: Format,
    /// Its content.
    pub bytes: Vec<u8>,
}

/// What became of a try.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// It was taken; what the other side said.
    Delivered(String),
    /// It was refused for good.
    Failed(Failure),
    /// It was certainly not taken, and may be tried again.
    Later(Failure),
    /// It may have been taken, or not.
    Uncertain(Failure),
    /// It was not begun: `begin` said no.
    NotBegun,
}

/// Why a try did not end well.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Failure {
    /// A short name for programs.
    pub code: &'static str,
    /// What went wrong and what to do.
    pub message: String,
    /// How long the other side asked to be left alone.
    pub after: Option<Duration>,
}

impl Failure {
    /// A failure with nothing said about when to come again.
    pub fn new(code: &'static str, message: impl Into<String>) -> Failure {
        Failure { code, message: message.into(), after: None }
    }
}

/// A delivery of which more may be heard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Awaited {
    /// What tells it from every other.
    pub key: String,
    /// What it began with.
    pub target: String,
}

/// What the other side says of a delivery after it took it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Notice {
    /// The delivery's key, or what stands before the @ in it.
    pub key: String,
    /// What it says.
    pub said: Said,
}

/// What the other side says later.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Said {
    /// How far it is; more will be heard.
    Progress(String),
    /// It has come to its end, well.
    Done(String),
    /// It did not arrive after all.
    Returned(Failure),
}

/// What became of a delivery after all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// It was taken.
    Delivered,
    /// It was not.
    NotDelivered,
    /// Nobody can tell.
    Unknown,
}

/// How often something may happen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Rate {
    /// In a minute; none for as often as can be.
    pub per_minute: Option<u32>,
    /// In an hour.
    pub per_hour: Option<u32>,
}

/// How fast and how long a channel may be tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pace {
    /// How many deliveries at a time.
    pub at_once: usize,
    /// How often.
    pub rate: Rate,
    /// The pause before the second try; each later one is twice as long…
    pub first_pause: Duration,
    /// …up to this.
    pub longest_pause: Duration,
    /// How long after its first try a delivery is given up.
    pub give_up_after: Duration,
}

impl Pace {
    /// The pause after so many tries.
    pub fn pause(&self, tries: usize) -> Duration {
        self.first_pause.saturating_mul(1 << tries.min(20)).min(self.longest_pause)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_adapter_is_of_a_kind_of_its_own() {
        let kinds: Vec<&str> = all(&Config::default()).iter().map(|channel| channel.kind()).collect();
        let known = mangle_core::channel::Channel::KINDS;
        assert!(kinds.iter().enumerate().all(|(at, kind)| known.contains(kind) && !kinds[..at].contains(kind)), "{kinds:?}");
    }

    #[test]
    fn a_bare_key_has_neither_brackets_nor_a_host() {
        assert_eq!([bare_key("<7.3.0a1b@quay.example>"), bare_key("7.3.0a1b"), bare_key("")], ["7.3.0a1b", "7.3.0a1b", ""]);
    }

    #[test]
    fn pauses_double_up_to_the_longest() {
        let pace = all(&Config::default())[0].pace();
        let pauses: Vec<u64> = [0, 1, 2, 7, 8, 40].map(|tries| pace.pause(tries).as_secs()).to_vec();
        assert_eq!(pauses, [5, 10, 20, 640, 900, 900]);
    }
}
