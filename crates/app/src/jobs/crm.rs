//! The CRM channel's adapter: attaches documents to the records that they were made of, leaves a
//! note and sets fields (OData 4.01). What it writes carries a reference of its own, by which it
//! finds it again: however often it is done, it is written once.

use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use anyhow::Result;
use jiff::tz::TimeZone;
use mangle_channels::{Channel, Delivery, Document, Failure, Fate, Outcome, Pace, Rate, bare_key};
use mangle_core::channel::{AttachTo, CrmPayload, NoteTo};
use mangle_core::crm::{Entity, FieldType, Shape};
use mangle_core::words::counted;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Map, Value as Json, json};
use sha2::{Digest, Sha256};

use super::state::DeliveryState;
use crate::clock;
use crate::crm::{Answer, Ask, Client, Refusal, Secrets};
use crate::store::queries::Connected;
use crate::store::told::{self, Told, ToldOf};
use crate::store::{Connection, Store, queries, settings};

/// How often a record that another changes at the same moment is read again.
const TRIES: usize = 5;

/// The pauses between tries of one delivery within one turn: 0.2 s, 0.4 s, 0.8 s …
const FIRST_PAUSE: Duration = Duration::from_millis(200);
/// … up to this; after it, or where the CRM asks for longer, it waits for its next turn.
const LONGEST_PAUSE: Duration = Duration::from_secs(2);

/// The CRM channel.
pub struct CrmRecords {
    store: Store,
    secrets: Arc<Secrets>,
    runtime: tokio::runtime::Handle,
    /// The CRM that was written to last: not made ready anew for each record.
    ready: Mutex<Option<Arc<Ready>>>,
}

/// A CRM that can be written to, and what it was made ready of.
struct Ready {
    address: String,
    token: String,
    /// The shape as the store has it.
    unread: String,
    client: Client,
    shape: Shape,
}

impl std::fmt::Debug for CrmRecords {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("CrmRecords")
    }
}

impl CrmRecords {
    /// Over the connections of a store.
    pub fn new(store: Store, secrets: Arc<Secrets>, runtime: tokio::runtime::Handle) -> CrmRecords {
        CrmRecords { store, secrets, runtime, ready: Mutex::default() }
    }

    /// What is needed to write onto the records of a delivery.
    fn target(&self, key: &str) -> Result<Result<Target, Failure>> {
        let key = key.to_owned();
        let gone = |what: &str| Ok(Err(Failure::new("gone", format!("{what} no longer exists"))));
        let read = move |c: &mut Connection| -> Result<_> {
            let Some(told) = told::told_of(c, &key)? else { return Ok(None) };
            let keys = queries::keys(c, told.sheet, &told.rows)?;
            Ok(Some((queries::unread_of_sheet(c, told.sheet)?, keys, told, settings::read(c)?.zone())))
        };
        let Some((source, keys, told, zone)) = self.runtime.block_on(self.store.with(read))? else { return gone("the record") };
        let Some((query, connected, shape)) = source else { return gone("the CRM query") };
        if keys.len() < told.rows.len() {
            return gone("the record in the sheet");
        }
        let crm = match self.ready(connected, shape)? {
            Ok(crm) => crm,
            Err(message) => return Ok(Err(Failure::new("crm", message))),
        };
        let Some(entity) = crm.shape.entity(&query.asks.root).cloned() else { return gone("the CRM's entity") };
        Ok(Ok(Target { crm, entity, keys, told, zone }))
    }

    /// A CRM, ready to be written to: the one of the delivery before where it is the same.
    fn ready(&self, connected: Connected, unread: String) -> Result<Result<Arc<Ready>, String>> {
        let mut last = self.ready.lock().unwrap_or_else(PoisonError::into_inner);
        let same = |own: &&Arc<Ready>| own.address == connected.address && own.token == connected.token && own.unread == unread;
        if let Some(ready) = last.as_ref().filter(same) {
            return Ok(Ok(ready.clone()));
        }
        let http = last.as_ref().map(|own| own.client.connections());
        let client = self.secrets.read(&connected.token).map_err(|e| e.to_string());
        let client = client.and_then(|token| Client::over(http, &connected.address, &token).map_err(|e| e.to_string()));
        let client = match client {
            Ok(client) => client,
            Err(message) => return Ok(Err(message)),
        };
        let Connected { address, token, .. } = connected;
        let ready = Arc::new(Ready { address, token, client, shape: serde_json::from_str(&unread)?, unread });
        *last = Some(ready.clone());
        Ok(Ok(ready))
    }
}

struct Target {
    crm: Arc<Ready>,
    entity: Entity,
    /// The rows with the keys of their records.
    keys: Vec<(usize, String)>,
    told: ToldOf,
    /// The office's time zone.
    zone: TimeZone,
}

impl Channel for CrmRecords {
    fn kind(&self) -> &'static str {
        "crm"
    }

    fn pace(&self) -> Pace {
        Pace {
            at_once: 4,
            rate: Rate::default(),
            first_pause: Duration::from_secs(2),
            longest_pause: Duration::from_secs(900),
            give_up_after: Duration::from_secs(2 * 86_400),
        }
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        let payload: CrmPayload = match serde_json::from_value(delivery.payload.clone()) {
            Ok(payload) => payload,
            Err(error) => return Outcome::Failed(Failure::new("payload", format!("the delivery can't be read: {error}"))),
        };
        let target = match self.target(&delivery.key) {
            Ok(Ok(target)) => target,
            Ok(Err(failure)) => return Outcome::Failed(failure),
            Err(error) => return Outcome::Later(Failure::new("store", format!("the record can't be read: {error:#}"))),
        };
        if !begin("") {
            return Outcome::NotBegun;
        }
        let mut done = Vec::new();
        for (row, key) in &target.keys {
            let reference = reference(&delivery.key, (target.keys.len() > 1).then_some(*row));
            let writing = Writing { target: &target, key, reference, documents: &delivery.documents };
            match self.runtime.block_on(writing.until_it_goes(&payload)) {
                Ok(receipt) => done.push(format!("{key}: {receipt}")),
                Err(Refusal::Later(failure)) => return Outcome::Later(failure),
                Err(Refusal::Never(failure)) => return Outcome::Failed(failure),
                Err(Refusal::Gone) => {
                    let message = format!("{key} no longer exists in the CRM, or what is written can't be found there");
                    return Outcome::Failed(Failure::new("gone", message));
                }
                Err(Refusal::Stale) => {
                    let message = format!("{key} is being changed by others in the CRM all the time");
                    return Outcome::Later(Failure::new("changed", message));
                }
            }
        }
        match &done[..] {
            [] => Outcome::Failed(Failure::new("gone", "the record no longer exists")),
            [one] => Outcome::Delivered(one.clone()),
            [first, ..] => Outcome::Delivered(format!("{first}, and {} more", done.len() - 1)),
        }
    }

    /// Whatever was written is found when it is tried again.
    fn fate(&self, _delivery: &Delivery, _target: &str) -> Fate {
        Fate::NotDelivered
    }
}

/// What is written carries this: the delivery's own, and the row's where there are several.
fn reference(key: &str, row: Option<usize>) -> String {
    let inner = bare_key(key);
    match row {
        Some(row) => format!("{inner}-{row}"),
        None => inner.to_owned(),
    }
}

/// One record being written.
struct Writing<'a> {
    target: &'a Target,
    key: &'a str,
    reference: String,
    documents: &'a [Document],
}

type Wrote<T> = std::result::Result<T, Refusal>;

impl Writing<'_> {
    /// Writes all of it, again and again for a few seconds where the CRM fails for now: what is
    /// written already is found.
    async fn until_it_goes(&self, payload: &CrmPayload) -> Wrote<String> {
        let mut pause = FIRST_PAUSE;
        loop {
            let failure = match self.all(payload).await {
                Err(Refusal::Later(failure)) => failure,
                done => return done,
            };
            let wait = failure.after.unwrap_or(pause);
            if wait > LONGEST_PAUSE || pause > LONGEST_PAUSE || failure.code == "unreachable" {
                return Err(Refusal::Later(failure));
            }
            tokio::time::sleep(wait).await;
            pause *= 2;
        }
    }

    async fn all(&self, payload: &CrmPayload) -> Wrote<String> {
        let mut receipt = Vec::new();
        // A record that is gone gets no document either.
        let record = self.read_record().await?;
        if let Some(to) = &payload.attach {
            for document in self.documents {
                self.attach(to, document).await?;
            }
            receipt.push(format!("{} attached", counted(self.documents.len(), "document", "documents")));
        }
        if let Some((to, text, deliveries)) = &payload.note {
            self.note(to, &self.note_text(text, *deliveries)).await?;
            receipt.push("note left".to_owned());
        }
        if !payload.fields.is_empty() {
            match self.target.told.others.iter().find(|other| matches!(other.state, DeliveryState::Failed | DeliveryState::Uncertain)) {
                // A stage that says “sent” would be wrong.
                Some(other) => receipt.push(format!("no field set, because {} {}", other.name, other.state.word())),
                None => {
                    self.set(payload, record).await?;
                    let names: Vec<&str> = payload.fields.iter().map(|one| one.field.as_str()).collect();
                    receipt.push(format!("{} set", names.join(", ")));
                }
            }
        }
        Ok(receipt.join("; "))
    }

    fn record(&self) -> String {
        format!("{}({})", self.target.entity.set, literal(&self.key_value()))
    }

    /// A key as the value of a field.
    fn key_value(&self) -> Json {
        let entity = &self.target.entity;
        let number = entity.key.first().and_then(|name| entity.field(name)).is_some_and(|field| field.kind == FieldType::Number);
        match number {
            true => serde_json::from_str(self.key).unwrap_or_else(|_| json!(self.key)),
            false => json!(self.key),
        }
    }

    async fn read_record(&self) -> Wrote<Answer> {
        self.target.crm.client.ask(Ask { address: &self.record(), ..Ask::default() }).await
    }

    /// What was written before under a reference: its address and what it holds.
    async fn find(&self, set: &str, field: &str, reference: &str) -> Wrote<Option<(String, Json)>> {
        let address = format!("{set}?$filter={field}%20eq%20{}&$top=1", literal(&json!(reference)));
        let found = self.target.crm.client.ask(Ask { address: &address, ..Ask::default() }).await?;
        Ok(found.body["value"].get(0).and_then(|one| Some((self.address_of(set, one)?, one.clone()))))
    }

    /// The address of an entity by its key.
    fn address_of(&self, set: &str, one: &Json) -> Option<String> {
        let key = self.target.crm.shape.entity(set)?.key.first()?;
        Some(format!("{set}({})", literal(one.get(key)?)))
    }

    async fn attach(&self, to: &AttachTo, document: &Document) -> Wrote<()> {
        let reference = format!("{}.{}", self.reference, document.format.extension());
        let mut properties = Map::new();
        properties.insert(to.record.clone(), self.key_value());
        properties.insert(to.reference.clone(), json!(reference));
        if !to.name.is_empty() {
            properties.insert(to.name.clone(), json!(document.name));
        }
        let own_stream = self.target.crm.shape.entity(&to.set).is_some_and(|entity| entity.media.as_deref() == Some(&to.content));
        let known = self.find(&to.set, &to.reference, &reference).await?;
        let bytes = || Some((document.format.media_type(), document.bytes.clone()));
        match (own_stream, known) {
            // What has its reference has its bytes: they came first.
            (true, Some(_)) => Ok(()),
            // A media entity is made of its bytes (Protocol, 11.4.8.1), then its properties are set.
            (true, None) => {
                let mut headers = self.repeatable(&reference);
                headers.push(("slug", encoded(&document.name)));
                let made = self.target.crm.client.ask(Ask { method: "POST", address: &to.set, headers, body: bytes() }).await?;
                let place = self.address_of(&to.set, &made.body).or(made.location).ok_or_else(unnamed)?;
                let etag = made.etag.or_else(|| etag(&made.body));
                self.patch(&place, etag, &Json::Object(properties)).await
            }
            // One with a stream property is made of its properties, and its bytes are put into it
            // however often (Protocol, 11.4.9).
            (false, known) => {
                let place = match known {
                    Some((place, _)) => place,
                    None => self.create(&to.set, &reference, &Json::Object(properties)).await?,
                };
                let place = format!("{place}/{}", to.content);
                self.target.crm.client.ask(Ask { method: "PUT", address: &place, headers: Vec::new(), body: bytes() }).await?;
                Ok(())
            }
        }
    }

    async fn note(&self, to: &NoteTo, text: &str) -> Wrote<()> {
        let mut properties = Map::new();
        properties.insert(to.text.clone(), json!(text));
        match self.find(&to.set, &to.reference, &self.reference).await? {
            Some((_, before)) if before.get(&to.text).and_then(Json::as_str) == Some(text) => Ok(()),
            // It tells what became of the record now.
            Some((place, before)) => self.patch(&place, etag(&before), &Json::Object(properties)).await,
            None => {
                properties.insert(to.record.clone(), self.key_value());
                properties.insert(to.reference.clone(), json!(self.reference));
                self.create(&to.set, &self.reference, &Json::Object(properties)).await.map(drop)
            }
        }
    }

    /// The note with a line for each of the record's other deliveries.
    fn note_text(&self, text: &str, deliveries: bool) -> String {
        let line = |other: &Told| {
            let when = other
                .changed
                .parse()
                .map(|at| clock::local(at, &self.target.zone))
                .map(|at| at.strftime(" %Y-%m-%d %H:%M").to_string())
                .unwrap_or_default();
            match (other.state, other.recipient.as_str(), other.error.as_str()) {
                (DeliveryState::Failed, _, error) => format!("{}: failed. {error}", other.name),
                (DeliveryState::Skipped, ..) => format!("{}: skipped", other.name),
                (state, "", _) => format!("{}: {}{when}", other.name, state.word()),
                (state, to, _) => format!("{}: {}{when}, {to}", other.name, state.word()),
            }
        };
        let lines = self.target.told.others.iter().filter(|_| deliveries).map(line);
        let all: Vec<String> = Some(text.trim_end().to_owned()).filter(|text| !text.is_empty()).into_iter().chain(lines).collect();
        all.join("\n")
    }

    /// Sets fields of the record in the state that was read; where another was faster, it is read
    /// anew.
    async fn set(&self, payload: &CrmPayload, mut read: Answer) -> Wrote<()> {
        let mut wanted = Map::new();
        for one in &payload.fields {
            let value = match one.value.as_str().filter(|_| one.moment).and_then(|text| text.parse().ok()) {
                Some(moment) => json!(clock::utc(moment, &self.target.zone).strftime("%Y-%m-%dT%H:%M:%SZ").to_string()),
                None => one.value.clone(),
            };
            wanted.insert(one.field.clone(), value);
        }
        for _ in 0..TRIES {
            let left: Map<String, Json> =
                wanted.iter().filter(|(name, value)| !same(read.body.get(*name), value)).map(|(n, v)| (n.clone(), v.clone())).collect();
            if left.is_empty() {
                return Ok(());
            }
            let etag = read.etag.clone().or_else(|| etag(&read.body));
            match self.patch(&self.record(), etag, &Json::Object(left)).await {
                Err(Refusal::Stale) => read = self.read_record().await?,
                other => return other,
            }
        }
        Err(Refusal::Stale)
    }

    async fn patch(&self, place: &str, etag: Option<String>, properties: &Json) -> Wrote<()> {
        let headers = etag.map(|etag| ("if-match", etag)).into_iter().collect();
        let body = Some(("application/json", properties.to_string().into_bytes()));
        self.target.crm.client.ask(Ask { method: "PATCH", address: place, headers, body }).await.map(drop)
    }

    /// Makes an entity; its address.
    async fn create(&self, set: &str, reference: &str, properties: &Json) -> Wrote<String> {
        let body = Some(("application/json", properties.to_string().into_bytes()));
        let made = self.target.crm.client.ask(Ask { method: "POST", address: set, headers: self.repeatable(reference), body }).await?;
        self.address_of(set, &made.body).or(made.location).ok_or_else(unnamed)
    }

    /// A service that knows them carries a request out once, however often it comes (OASIS
    /// Repeatable Requests 1.0); others are asked first whether the reference is there.
    fn repeatable(&self, reference: &str) -> Vec<(&'static str, String)> {
        let digest = Sha256::digest(format!("{} {} {reference}", self.target.entity.set, self.key));
        let hex: String = digest.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
        // In the form of a UUID of one's own making (RFC 9562, 5.8).
        let id = format!("{}-{}-8{}-a{}-{}", &hex[..8], &hex[8..12], &hex[13..16], &hex[17..20], &hex[20..32]);
        let now = jiff::Timestamp::now().strftime("%a, %d %b %Y %H:%M:%S GMT").to_string();
        vec![("repeatability-request-id", id), ("repeatability-first-sent", now)]
    }
}

fn unnamed() -> Refusal {
    Refusal::Never(Failure::new("crm", "the CRM did not say where it keeps what was written"))
}

/// A value as it stands in an address (OData 4.01 URL Conventions, 4.3.1).
fn literal(value: &Json) -> String {
    match value {
        Json::String(text) => encoded(&format!("'{}'", text.replace('\'', "''"))),
        other => other.to_string(),
    }
}

fn encoded(text: &str) -> String {
    utf8_percent_encode(text, NON_ALPHANUMERIC).to_string()
}

/// The tag of a state as an answer's body has it.
fn etag(body: &Json) -> Option<String> {
    ["@odata.etag", "@etag"].iter().find_map(|name| body.get(name)?.as_str()).map(str::to_owned)
}

/// Whether a field holds a value already: numbers by size, moments by when they are.
fn same(held: Option<&Json>, wanted: &Json) -> bool {
    match (held, wanted) {
        (None | Some(Json::Null), wanted) => wanted.is_null(),
        (Some(Json::Number(a)), Json::Number(b)) => a.as_f64() == b.as_f64(),
        (Some(Json::String(a)), Json::String(b)) if a != b => match (a.parse::<jiff::Timestamp>(), b.parse::<jiff::Timestamp>()) {
            (Ok(a), Ok(b)) => a == b,
            _ => false,
        },
        (Some(a), b) => a == b,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_field_holds_already_is_not_set_again() {
        assert!(same(None, &Json::Null) && same(Some(&json!(5)), &json!(5.0)) && same(Some(&json!("Quoted")), &json!("Quoted")));
        assert!(same(Some(&json!("2026-11-30T09:30:00.000Z")), &json!("2026-11-30T10:30:00+01:00")));
        assert!(!same(Some(&json!("Enquiry")), &json!("Quoted")) && !same(Some(&json!("5")), &json!(5)) && !same(None, &json!(0)));
    }

    #[test]
    fn a_reference_is_the_deliverys_own() {
        assert_eq!(reference("<7.3.0a1b2c3d4e5f6071@quay.example>", None), "7.3.0a1b2c3d4e5f6071");
        assert_eq!(reference("<7.3.0a1b2c3d4e5f6071@quay.example>", Some(12)), "7.3.0a1b2c3d4e5f6071-12");
    }
}
