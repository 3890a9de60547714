//! Share links: what whoever has the address of a delivery may see of it, until it ends or is
//! withdrawn.

mod links;

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use bytes::Bytes;
use jiff::ToSpan;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use mangle_core::channel::LinkPayload;
use mangle_core::dispatch::Format;
use ring::hmac;
use serde::{Deserialize, Serialize};

pub use links::Links;

use crate::cache::Weigh;
use crate::jobs::state::DeliveryState;
use crate::store::documents::{self, DocumentInfo};
use crate::store::events::{self, About};
use crate::store::shared::{self, Shared};
use crate::store::{Connection, settings};
use crate::transfer::Download;
use crate::{Actor, App, Error, ErrorKind, Outcome, clock};

/// For how long documents can be loaded after a link was opened, in seconds.
const OPEN_FOR: i64 = 2 * 3_600;

/// A shared document as its recipient sees it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SharedPage {
    /// Whom it comes from.
    pub office: String,
    /// Whether it can be opened at all, and how.
    pub state: SharedState,
    /// Why it can't be opened; blank where it can.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
}

/// Whether a shared document can be opened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum SharedState {
    /// By whoever has the address.
    Open,
    /// With a passcode.
    Passcode,
    /// Not, or not any more.
    Closed,
}

/// What opens a shared document.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Opening {
    /// The passcode, where there is one.
    #[serde(default)]
    pub passcode: String,
}

/// A shared document that was opened.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Opened {
    /// What its files are asked for with; good for two hours.
    pub key: String,
    /// Its name.
    pub title: String,
    /// Its files.
    pub documents: Vec<SharedDocument>,
    /// Whether they can be downloaded, too.
    pub download: bool,
}

/// A file of a shared document.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SharedDocument {
    /// Its format.
    pub format: Format,
    /// Its name with extension.
    pub name: String,
    /// Its size in bytes.
    pub size: usize,
    /// How many pages it has, where it has pages.
    pub pages: Option<usize>,
}

/// A file that was asked for just now.
#[derive(Debug, Clone)]
pub struct Ready(Bytes);

impl Weigh for Ready {
    fn bytes(&self) -> usize {
        self.0.len()
    }
}

fn not_valid() -> Error {
    Error::new(ErrorKind::Missing, "no-link", "this link is not valid. Ask the sender for a new one.")
}

/// Why a share link can't be opened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Shut {
    /// It is not delivered yet.
    NotYet,
    Withdrawn,
    /// Its time is over, since so long.
    Ended(DateTime),
    /// It was opened as often as it may be.
    Used,
}

/// Why a link can't be opened (again) at a moment (UTC).
fn shut(found: &Shared, payload: &LinkPayload, now: DateTime) -> Option<Shut> {
    match found.state {
        DeliveryState::Delivered => {}
        DeliveryState::Withdrawn => return Some(Shut::Withdrawn),
        _ => return Some(Shut::NotYet),
    }
    let since: Option<DateTime> = found.since.as_deref().and_then(|since| since.parse().ok());
    let ends = payload.days.zip(since).and_then(|(days, since)| since.checked_add(i64::from(days).days()).ok());
    if let Some(ends) = ends.filter(|ends| now >= *ends) {
        return Some(Shut::Ended(ends));
    }
    payload.openings.filter(|most| found.opened >= i64::from(*most)).map(|_| Shut::Used)
}

fn words(shut: Shut, office: &str, zone: &TimeZone) -> String {
    let sender = if office.trim().is_empty() { "The sender" } else { office.trim() };
    match shut {
        Shut::NotYet => "this document is not available yet. Try again later.".to_owned(),
        Shut::Withdrawn => format!("{sender} has withdrawn this document."),
        Shut::Ended(at) => {
            format!("this link ended on {}. Ask {sender} for a new one.", clock::local(at, zone).strftime("%-d %B %Y, %H:%M"))
        }
        Shut::Used => format!("this link has been opened as often as it can be. Ask {sender} for a new one."),
    }
}

/// The delivery of an address, what it permits, and the office's name.
fn find(c: &Connection, token: &str) -> Outcome<(Shared, LinkPayload, String)> {
    let found = shared::by_token(c, token)?;
    let never = [DeliveryState::Skipped, DeliveryState::Failed];
    let found = found.filter(|found| !never.contains(&found.state)).ok_or_else(not_valid)?;
    let payload = serde_json::from_value(found.payload.clone()).map_err(anyhow::Error::new)?;
    Ok((found, payload, settings::read(c)?.office_name))
}

/// The page of a share link.
pub async fn show(app: &App, token: String) -> Outcome<SharedPage> {
    if token == links::EXAMPLE {
        let message = "this is the example link of a preview. Each recipient gets a link of their own.".to_owned();
        return Ok(SharedPage { office: app.store.read(settings::read).await?.office_name, state: SharedState::Closed, message });
    }
    let (found, payload, office) = app.store.read(move |c| find(c, &token)).await?;
    let zone = app.zone();
    let (state, message) = match shut(&found, &payload, clock::now()) {
        Some(shut) => (SharedState::Closed, words(shut, &office, &zone)),
        None if payload.passcode.is_empty() => (SharedState::Open, String::new()),
        None => (SharedState::Passcode, String::new()),
    };
    Ok(SharedPage { office, state, message })
}

/// Opens a share link: what is opened is counted, and stands in the delivery's history.
pub async fn open(app: &App, token: String, opening: Opening) -> Outcome<Opened> {
    let (now, zone) = (clock::now(), app.zone());
    let opened = app.store.change(move |t| -> Outcome<Result<_, Error>> {
        let (found, payload, office) = find(t, &token)?;
        if let Some(shut) = shut(&found, &payload, now) {
            return Err(Error::conflict("closed", words(shut, &office, &zone)));
        }
        let about = About { run: found.run_id, item: Some(found.item_id), delivery: Some(found.id) };
        let at = clock::stamp();
        if !same(&payload.passcode, opening.passcode.trim()) {
            events::add(t, Actor::Recipient, about, "wrong passcode", "", &at)?;
            // Written down, though it is refused.
            return Ok(Err(Error::unusable("passcode", "this is not the passcode. Check it and enter it again.")));
        }
        shared::opened(t, found.id)?;
        events::add(t, Actor::Recipient, about, "opened", "", &at)?;
        let documents = shared(t, &found)?;
        Ok(Ok((found.id, payload.download, documents)))
    });
    let (id, download, documents) = opened.await??;
    let title = documents.first().map_or("", |document| document.name.rsplit_once('.').map_or("", |(stem, _)| stem)).to_owned();
    let documents =
        documents.into_iter().map(|own| SharedDocument { format: own.format, name: own.name, size: own.size, pages: own.pages });
    Ok(Opened { key: key(app, id, clock::seconds() + OPEN_FOR), title, documents: documents.collect(), download })
}

/// A file of a share link that was opened.
pub async fn document(app: &App, token: String, format: Format, key: &str) -> Outcome<Download> {
    let (found, payload, office) = app.store.read(move |c| find(c, &token)).await?;
    let expires: i64 = key.split_once('.').and_then(|(seconds, _)| seconds.parse().ok()).unwrap_or(0);
    if expires < clock::seconds() || !same(&self::key(app, found.id, expires), key) {
        return Err(Error::new(ErrorKind::Missing, "opened-long-ago", "this page has been open for too long. Reload it."));
    }
    let zone = app.zone();
    // Whoever has opened it may load it, though nobody else may open it any more.
    match shut(&found, &payload, clock::now()) {
        None | Some(Shut::Used) => {}
        Some(shut) => return Err(Error::conflict("closed", words(shut, &office, &zone))),
    }
    let documents = app.store.read(move |c| shared(c, &found)).await?;
    let document = documents.into_iter().find(|own| own.format == format).ok_or_else(not_valid)?;
    let bytes = match app.shared.get(&document.id) {
        Some(Ready(bytes)) => bytes,
        None => {
            let bytes = Bytes::from(app.files.get(&document.file).await?);
            app.shared.insert(document.id, Ready(bytes.clone()));
            bytes
        }
    };
    Ok(Download::new(document.format.media_type(), &document.name, bytes))
}

/// The documents that go along with a share link.
fn shared(c: &Connection, found: &Shared) -> anyhow::Result<Vec<DocumentInfo>> {
    let all = documents::of_item(c, found.item_id)?;
    Ok(all.into_iter().filter(|own| found.documents.iter().any(|format| format == own.format.extension())).collect())
}

/// What the files of a delivery are asked for with until a moment.
fn key(app: &App, delivery: i64, expires: i64) -> String {
    let key = hmac::Key::new(hmac::HMAC_SHA256, &app.secrets.derive("opened share links"));
    let tag = hmac::sign(&key, format!("{delivery} {expires}").as_bytes());
    format!("{expires}.{}", URL_SAFE_NO_PAD.encode(tag.as_ref()))
}

/// Whether two texts are the same, in a time that does not tell where they differ.
pub(crate) fn same(expected: &str, given: &str) -> bool {
    let key = hmac::Key::new(hmac::HMAC_SHA256, b"compare");
    hmac::verify(&key, expected.as_bytes(), hmac::sign(&key, given.as_bytes()).as_ref()).is_ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_ends_by_its_time_and_by_its_openings() {
        let now = DateTime::constant(2026, 11, 23, 9, 42, 0, 0);
        let found = |state, opened, since: Option<&str>| Shared {
            id: 1,
            item_id: 1,
            run_id: 1,
            state,
            payload: serde_json::Value::Null,
            documents: Vec::new(),
            opened,
            since: since.map(str::to_owned),
        };
        let payload = |days, openings| LinkPayload { address: String::new(), passcode: String::new(), days, openings, download: true };
        let delivered = |opened, since| found(DeliveryState::Delivered, opened, Some(since));
        let old = "2026-11-21T09:41:59";
        assert_eq!(shut(&delivered(900, old), &payload(None, None), now), None);
        assert_eq!(shut(&delivered(2, old), &payload(Some(3), Some(3)), now), None);
        assert_eq!(shut(&delivered(3, old), &payload(Some(3), Some(3)), now), Some(Shut::Used));
        assert!(matches!(shut(&delivered(0, old), &payload(Some(2), None), now), Some(Shut::Ended(_))));
        assert_eq!(shut(&found(DeliveryState::Withdrawn, 0, Some(old)), &payload(None, None), now), Some(Shut::Withdrawn));
        for waits in [DeliveryState::Blocked, DeliveryState::ToSend, DeliveryState::Sending, DeliveryState::Uncertain] {
            assert_eq!(shut(&found(waits, 0, None), &payload(None, None), now), Some(Shut::NotYet));
        }
        assert_eq!(words(Shut::Withdrawn, " ", &TimeZone::UTC), "The sender has withdrawn this document.");
        assert!(same("204816", "204816") && !same("204816", "204817") && !same("204816", ""));
    }
}
