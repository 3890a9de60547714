//! The end of a round: the attestation, the organisation's seal, and whatever waited for both. A
//! seal that can't be made now is tried again; what the store says is whole at each step.

use std::net::IpAddr;
use std::time::Duration;

use anyhow::Result;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use mangle_core::channel::is_allowed;
use mangle_core::dispatch::Format;
use mangle_core::signing::{Chain, Place, SeatState};
use mangle_documents::layout::PdfWish;
use mangle_documents::pdf::FixedPdf;
use mangle_documents::seal::{
    Attestation, Change, Person, SealKey, SealText, Step, TimestampFault, attest, attestation, long_term, seal, verify,
};
use reqwest::Url;
use serde::Serialize;
use serde_json::{Value, json};

use super::{Gate, Message, send, told};
use crate::prepare::blocking;
use crate::store::documents::NewDocument;
use crate::store::rounds::{self, RoundRow};
use crate::store::{documents, runs, settings};
use crate::{Actor, App, Error, Outcome, clock, jobs};

/// How often it is looked for rounds to seal, to remind and to end.
const ROUND: Duration = Duration::from_secs(1);
/// The shortest and the longest pause after a seal that could not be made, in seconds.
const PAUSES: (i64, i64) = (5, 1_800);
/// How long a timestamp authority may take.
const PATIENCE: Duration = Duration::from_secs(20);
/// The largest answer of a timestamp authority.
const LARGEST: usize = 64 << 10;
/// The largest revocation list.
const LARGEST_LIST: usize = 4 << 20;

/// The organisation's key.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KeyInfo {
    /// Whose it is, as its certificate says.
    pub subject: String,
    /// Until when its certificate is valid (UTC).
    pub until: String,
    /// Whether it was brought; otherwise Mangle has made it.
    pub own: bool,
}

/// What a file is worth, as people read it.
#[derive(Debug, Clone, Serialize, PartialEq)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct VerifiedFile {
    /// valid, changed, or not-ours.
    pub state: &'static str,
    /// What was changed; blank where nothing was.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub change: String,
    /// Whose seal it is.
    pub sealed_by: String,
    /// The digest (SHA-256) of the seal's certificate.
    pub fingerprint: String,
    /// When it was sealed, in UTC.
    pub sealed_at: String,
    /// Who gave the timestamp.
    pub timestamp_by: String,
    /// The level of its seal: PAdES B-LT with the revocation lists of its certificates, else PAdES B-T;
    /// blank where there is none.
    pub level: &'static str,
    /// What the document is called.
    pub title: String,
    /// The signers: name, role, address, when.
    pub signers: Vec<[String; 4]>,
    /// What happened in its round: when, who, what.
    pub events: Vec<[String; 3]>,
    /// The states of the file, and whether it has each still.
    pub revisions: Vec<FilePart>,
}

/// A part of a sealed file.
#[derive(Debug, Clone, Serialize, PartialEq)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FilePart {
    /// What it is.
    pub what: String,
    /// Whether it is unchanged.
    pub whole: bool,
}

/// Checks a file that may be a sealed document, from the file alone.
pub fn verified(bytes: &[u8]) -> VerifiedFile {
    let verdict = verify(bytes);
    let record = verdict.record.unwrap_or_default();
    let chain: Chain = serde_json::from_value(record["events"].clone()).unwrap_or_default();
    let mut change = verdict.change;
    // The record is within the seal; its events hold together by themselves, too.
    if let (None, Err(fault)) = (&change, chain.check()) {
        change = Some(Change::Part { what: format!("the events of the round: {fault}") });
    }
    let state = match (verdict.ours, &change) {
        (false, _) => "not-ours",
        (true, None) => "valid",
        (true, Some(_)) => "changed",
    };
    let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    let signers = record["signers"].as_array().into_iter().flatten();
    let sealed = verdict.sealed;
    let of = |part: fn(&mangle_documents::seal::Sealed) -> &String| sealed.as_ref().map(part).cloned().unwrap_or_default();
    VerifiedFile {
        state,
        change: change.map(|change| change.to_string()).unwrap_or_default(),
        sealed_by: of(|own| &own.by),
        fingerprint: of(|own| &own.fingerprint),
        sealed_at: of(|own| &own.at),
        timestamp_by: of(|own| &own.stamped_by),
        level: sealed.as_ref().map_or("", |own| level(own.long_term)),
        title: text(&record["title"]),
        signers: signers.map(|own| [text(&own["name"]), text(&own["role"]), text(&own["address"]), text(&own["signed"])]).collect(),
        events: chain.0.iter().map(|link| [link.at.clone(), link.who.clone(), link.what.clone()]).collect(),
        revisions: verdict.revisions.into_iter().map(|own| FilePart { what: own.what, whole: own.whole }).collect(),
    }
}

/// The level of a seal (ETSI EN 319 142-1, 6.3).
fn level(long_term: bool) -> &'static str {
    if long_term { "PAdES B-LT" } else { "PAdES B-T" }
}

/// Seals what is completed, reminds, and ends what is over, until the program is to end.
pub(crate) async fn work(app: App) {
    while !app.stopping.is_cancelled() {
        match super::keep_time(&app).await {
            Ok(touched) if touched.is_empty() => {}
            Ok(touched) => {
                jobs::wake(&app);
                touched.into_iter().for_each(|run| jobs::changed(&app, run));
            }
            Err(error) => tracing::error!(error = format!("{error:#}"), "signing rounds can't be looked after for now"),
        }
        while !app.stopping.is_cancelled() {
            match app.store.with(|c| rounds::to_seal(c, clock::seconds())).await {
                Ok(Some(row)) => {
                    let (id, tries) = (row.id, row.seal_tries);
                    if let Err(error) = seal_one(&app, row).await {
                        let message = error.to_string();
                        tracing::warn!(round = id, error = message, "a document can't be sealed for now");
                        let pause = (PAUSES.0 << tries.clamp(0, 12)).min(PAUSES.1);
                        let written = app.store.change(move |t| rounds::seal_failed(t, id, &message, clock::seconds() + pause)).await;
                        if written.is_err() {
                            break;
                        }
                    }
                }
                Ok(None) => break,
                Err(error) => {
                    tracing::error!(error = format!("{error:#}"), "the documents to seal can't be read");
                    break;
                }
            }
        }
        tokio::select! {
            () = app.stopping.cancelled() => {}
            () = app.sealing.notified() => {}
            () = tokio::time::sleep(ROUND) => {}
        }
    }
}

/// The organisation's key; one is made where there is none.
async fn key(app: &App) -> Result<(SealKey, bool)> {
    if let Some((private, chain, own)) = app.store.with(|c| rounds::seal_key(c)).await? {
        let private = STANDARD.decode(app.secrets.read(&private)?)?;
        let chain: Result<Vec<Vec<u8>>, _> = chain.iter().map(|own| STANDARD.decode(own)).collect();
        return Ok((SealKey::of(private, chain?)?, own));
    }
    let office = app.store.read(settings::read).await?.office_name;
    let made = SealKey::create(&office, clock::seconds())?;
    keep(app, &made, false).await?;
    // Another may have made one in the same moment: that counts.
    Box::pin(key(app)).await
}

async fn keep(app: &App, key: &SealKey, own: bool) -> Result<()> {
    let private = app.secrets.close(&STANDARD.encode(key.private()))?;
    let chain: Vec<String> = key.chain().iter().map(|own| STANDARD.encode(own)).collect();
    app.store.change(move |t| rounds::keep_seal_key(t, &private, &chain, own, own, &clock::stamp())).await
}

impl App {
    /// The organisation's key.
    pub async fn seal_key(&self) -> Outcome<KeyInfo> {
        let (key, own) = key(self).await?;
        let until = jiff::Timestamp::from_second(key.until()).map(|at| at.strftime("%Y-%m-%dT%H:%M:%S").to_string()).unwrap_or_default();
        Ok(KeyInfo { subject: key.subject(), until, own })
    }

    /// Takes a key of one's own (PKCS#12, RFC 7292) for seals from now on.
    pub async fn bring_seal_key(&self, file: Vec<u8>, password: String) -> Outcome<KeyInfo> {
        let brought = blocking(move || SealKey::from_pkcs12(&file, &password)).await?;
        let brought = brought.map_err(|e| Error::unusable("key", e.to_string()))?;
        keep(self, &brought, true).await?;
        self.seal_key().await
    }
}

/// Seals a round.
async fn seal_one(app: &App, row: RoundRow) -> Result<()> {
    let (office, chain) = app
        .store
        .read({
            let id = row.id;
            move |c| -> Result<_> { Ok((settings::read(c)?, rounds::chain(c, id)?)) }
        })
        .await?;
    let authority = office.timestamp_authority.trim().to_owned();
    anyhow::ensure!(!authority.is_empty(), "no timestamp authority. Add one under Settings, then the document is sealed.");
    let (key, _) = key(app).await?;
    let (bytes, fonts) = (app.files.get(&row.file).await?, app.fonts().await?);
    let (own, zone, at, hosts) = (row.clone(), office.zone(), clock::now(), app.hosts.clone());
    let name = if office.office_name.trim().is_empty() { "The office".to_owned() } else { office.office_name.trim().to_owned() };
    let sealed = blocking(move || -> Result<(Vec<u8>, Option<usize>, &'static str)> {
        let record = record(&own, &chain, &name);
        let local = |utc: &str| {
            let parsed: Option<jiff::civil::DateTime> = utc.parse().ok();
            let here = parsed.map(|utc| clock::zoned(utc, &zone).strftime("%Y-%m-%d %H:%M %Z").to_string()).unwrap_or_default();
            format!("{} UTC ({here})", utc.replace('T', " "))
        };
        let (known, people, steps) = told_of(&own, &chain, &name, &local);
        let words = [
            "Attestation",
            "Signers",
            "Events",
            "This page and the document above are protected by the organisation's seal. Any later change can be detected: open the file in a PDF reader that checks signatures, or have Mangle verify it.",
        ];
        let wish = PdfWish { title: &own.title, moment: at, standard: None, password: None };
        let pages = attestation(&own.title, &words, &known, &people, &steps, wish, &fonts)?;
        let stamp = at.strftime("D:%Y%m%d%H%M%SZ").to_string();
        let attested = attest(&bytes, Attestation { pages: &pages, record: record.to_string().as_bytes(), at: &stamp })?;
        let client = client().build()?;
        let mut ask = |request: &[u8]| ask(&client, &authority, request);
        let mut fetch = |address: &str| fetch(&hosts, address);
        let seconds = at.to_zoned(jiff::tz::TimeZone::UTC)?.timestamp().as_second();
        let proof = long_term(&key, &mut ask, &mut fetch, seconds)?;
        let text = SealText { name: &name, reason: "Sealed by Mangle", at: &stamp };
        let sealed = seal(&attested, &key, text, proof.as_ref(), &mut ask)?;
        // A sealed one is no part of anything any more; before that it has as many pages.
        let count = FixedPdf::open(attested).ok().map(|pdf| pdf.page_count());
        Ok((sealed, count, level(proof.is_some())))
    });
    let (sealed, pages, level) = sealed.await??;
    let (size, id, run) = (sealed.len(), row.id, row.run_id);
    let file = app.files.keep(sealed).await?;
    let done = app.store.change(move |t| -> Result<()> {
        let at = clock::stamp();
        if !rounds::sealed(t, id, &file, &at)? {
            return Ok(());
        }
        rounds::happened(t, id, &at, "Mangle", "sealed", json!({ "document": file, "bytes": size, "level": level }))?;
        let signed = NewDocument { format: Format::Pdf, file, name: format!("{}.pdf", row.title), pages, size };
        documents::replace(t, row.item_id, &signed, documents::Kind::Signed, &at)?;
        told(t, &row, Actor::Mangle, "sealed", &row.title, &at)?;
        runs::signed(t, row.run_id, row.item_id, &at)?;
        for (seat, own) in row.round.seats.iter().enumerate() {
            if let SeatState::Signed { by, .. } = own.state {
                send(t, &row, Message::Completion, Place { seat, person: by }, None, &Gate::default(), &at)?;
            }
        }
        Ok(())
    });
    done.await?;
    jobs::wake(app);
    jobs::changed(app, run);
    Ok(())
}

/// Asks a timestamp authority (RFC 3161, 3.4).
fn ask(client: &reqwest::blocking::Client, authority: &str, request: &[u8]) -> Result<Vec<u8>, TimestampFault> {
    let away = |why: String| TimestampFault::Away(why);
    let answer = client
        .post(authority)
        .header("content-type", "application/timestamp-query")
        .header("accept", "application/timestamp-reply")
        .body(request.to_vec())
        .send()
        .map_err(|e| away(if e.is_timeout() { "it did not answer in time".into() } else { "it can't be reached".into() }))?;
    if !answer.status().is_success() {
        return Err(away(format!("it answered with the status {}", answer.status().as_u16())));
    }
    taken(answer, LARGEST).map_err(away)
}

/// Asks for the revocation list of a certificate. The address is the certificate's, which comes from
/// outside: it leads to this machine or the office's network only where the operator allows the host.
fn fetch(hosts: &[String], address: &str) -> Result<Vec<u8>, String> {
    let list = || -> Result<Vec<u8>, String> {
        let url = Url::parse(address).map_err(|_| "it is not a URL".to_owned())?;
        let host = url.host_str().unwrap_or_default().to_owned();
        let at = url.socket_addrs(|| None).map_err(|e| e.to_string())?;
        if !is_allowed(&url, hosts) && !at.iter().all(|at| is_public(at.ip())) {
            return Err(format!("{host} is in this network and not allowed on this machine. Start Mangle with --allow-host {host}."));
        }
        // Where the name leads was looked at: no other answer to its name counts.
        let client = client().no_proxy().resolve_to_addrs(&host, &at).build().map_err(|e| e.to_string())?;
        let answer = client.get(url).send().and_then(reqwest::blocking::Response::error_for_status).map_err(|e| e.to_string())?;
        taken(answer, LARGEST_LIST)
    };
    list().inspect_err(|error| tracing::warn!(address, error, "a revocation list can't be had; the seal is without it"))
}

/// Whether an address is one of the internet, as far as it can be told: none of this machine, of a
/// private network, of a link (RFC 6890).
fn is_public(address: IpAddr) -> bool {
    match address.to_canonical() {
        IpAddr::V4(own) => {
            let shared = own.octets()[0] == 100 && own.octets()[1] & 0xc0 == 64;
            let this = own.octets()[0] == 0;
            !(own.is_loopback() || own.is_private() || own.is_link_local() || own.is_multicast() || own.is_broadcast() || shared || this)
        }
        IpAddr::V6(own) => {
            !(own.is_loopback() || own.is_unspecified() || own.is_unique_local() || own.is_unicast_link_local() || own.is_multicast())
        }
    }
}

fn client() -> reqwest::blocking::ClientBuilder {
    // One provider of cryptography for the whole program; a second call changes nothing.
    let _ = rustls::crypto::ring::default_provider().install_default();
    reqwest::blocking::Client::builder().timeout(PATIENCE).redirect(reqwest::redirect::Policy::none())
}

/// What an answer holds, so many bytes at most.
fn taken(answer: reqwest::blocking::Response, most: usize) -> Result<Vec<u8>, String> {
    use std::io::Read;
    let mut bytes = Vec::new();
    answer.take(most as u64 + 1).read_to_end(&mut bytes).map_err(|e| e.to_string())?;
    if bytes.len() > most { Err("its answer is too large".into()) } else { Ok(bytes) }
}

/// The record of a round, for programs.
fn record(row: &RoundRow, chain: &Chain, office: &str) -> Value {
    let signers: Vec<Value> = row
        .round
        .seats
        .iter()
        .filter_map(|seat| match &seat.state {
            SeatState::Signed { by, digest } => {
                let person = seat.people.get(*by)?;
                let at = chain.0.iter().rfind(|link| link.what == "signed" && link.with["document"] == json!(digest)).map(|link| link.at.clone());
                Some(json!({ "role": seat.role, "step": seat.step, "name": person.name, "address": person.email, "signed": at, "document": digest }))
            }
            _ => None,
        })
        .collect();
    json!({ "version": 1, "round": row.id, "office": office, "title": row.title, "revisions": row.states, "signers": signers, "events": chain })
}

/// What the attestation tells: of the document, of the signers, of the events.
fn told_of(row: &RoundRow, chain: &Chain, office: &str, local: &dyn Fn(&str) -> String) -> (Vec<(String, String)>, Vec<Person>, Vec<Step>) {
    let pair = |label: &str, text: String| (label.to_owned(), text);
    let known = vec![
        pair("Organisation", office.to_owned()),
        pair("Document (SHA-256)", row.sent.clone()),
        pair("Sent", local(&row.begun)),
        pair("Events (SHA-256)", chain.end()),
    ];
    let find =
        |name: &str, what: &str| chain.0.iter().find(|link| link.what == what && (link.who == name || link.with["name"] == json!(name)));
    let people = row.round.seats.iter().filter_map(|seat| {
        let SeatState::Signed { by, digest } = &seat.state else { return None };
        let own = seat.people.get(*by)?;
        let mut lines = vec![pair("E-mail address", own.email.clone())];
        if let Some(invited) = find(&own.name, "invited") {
            lines.push(pair("Invited", format!("{}, by e-mail with a link of their own", local(&invited.at))));
        }
        if let Some(consent) = find(&own.name, "consented") {
            let wording = consent.with["wording"].as_str().unwrap_or_default().to_owned();
            lines.push(pair("Consent", format!("{}: “{wording}”", local(&consent.at))));
        }
        if let Some(signed) = chain.0.iter().rfind(|link| link.what == "signed" && link.with["document"] == json!(digest)) {
            lines.push(pair("Signed", local(&signed.at)));
        }
        if !row.plan.passcode.is_empty() {
            lines.push(pair("Passcode", "entered to open the document".to_owned()));
        }
        lines.push(pair("Document then (SHA-256)", digest.clone()));
        Some(Person { name: own.name.clone(), role: seat.role.clone(), lines })
    });
    let step = |link: &mangle_core::signing::Link| {
        let detail = ["name", "reason", "address"].into_iter().find_map(|key| link.with[key].as_str()).filter(|text| !text.is_empty());
        let what = match detail {
            Some(detail) if link.what != "signed" => format!("{} ({detail})", link.what),
            _ => link.what.clone(),
        };
        Step { at: format!("{} UTC", link.at.replace('T', " ")), who: link.who.clone(), what }
    };
    (known, people.collect(), chain.0.iter().map(step).collect())
}

#[cfg(test)]
mod tests {
    use super::{fetch, is_public};

    #[test]
    fn addresses_of_this_machine_and_of_the_network_are_not_public() {
        let private = [
            "127.0.0.1",
            "10.1.2.3",
            "172.16.0.1",
            "192.168.1.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "224.0.0.1",
            "::1",
            "::",
            "fd00::1",
            "fe80::1",
            "::ffff:127.0.0.1",
            "ff02::1",
        ];
        for own in private {
            assert!(!is_public(own.parse().expect(own)), "{own}");
        }
        for own in ["192.0.43.8", "172.32.0.1", "100.128.0.1", "2606:4700::1111"] {
            assert!(is_public(own.parse().expect(own)), "{own}");
        }
    }

    #[test]
    fn a_revocation_list_on_this_machine_is_asked_for_only_where_its_host_is_allowed() {
        let refused = fetch(&[], "http://127.0.0.1:9/ca.crl").expect_err("refused");
        assert!(refused.contains("--allow-host 127.0.0.1"), "{refused}");
        // Allowed, it is asked: no one is there.
        let asked = fetch(&["127.0.0.1:9".to_owned()], "http://127.0.0.1:9/ca.crl").expect_err("nobody answers");
        assert!(!asked.contains("allow-host"), "{asked}");
        assert!(fetch(&[], "no address").is_err());
    }
}
