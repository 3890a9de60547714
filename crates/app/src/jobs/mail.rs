//! Messages: built once, handed over once. The intent is recorded before the
//! message's last line is sent, so that a message whose fate is unknown is never
//! sent a second time by itself.

use std::time::Duration;

use anyhow::Result;
use lettre::message::header::ContentType;
use lettre::message::{Attachment, Mailbox, MultiPart, SinglePart};
use lettre::transport::smtp::client::SmtpConnection;
use lettre::transport::smtp::commands::{Data, Mail, Rcpt};
use lettre::transport::smtp::extension::ClientId;
use mangle_core::dispatch::Message;
use mangle_core::preflight::Outline;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use tokio_util::sync::CancellationToken;

use super::changed;
use crate::clock;
use crate::prepare::blocking;
use crate::store::items::{self, ItemError, ItemWork};
use crate::store::settings::{self, Settings};
use crate::store::{Store, runs};
use crate::{App, Smtp};

/// A message as kept with its item.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Envelope {
    pub to: Vec<String>,
    pub cc: Vec<String>,
    pub bcc: Vec<String>,
    pub subject: String,
    pub body: String,
    /// The office's name and address, as they were when the run was started.
    #[serde(default)]
    pub from: Option<(String, String)>,
    /// Whether the DOCX goes along: never the open one beside a PDF that needs a password.
    #[serde(default = "always")]
    pub docx: bool,
}

fn always() -> bool {
    true
}

impl Envelope {
    /// The message of a record.
    pub fn of(message: &Message, docx: bool) -> Envelope {
        let texts = |list: &[mangle_core::value::EmailAddress]| list.iter().map(|a| a.as_str().to_owned()).collect();
        Envelope {
            to: texts(&message.to),
            cc: texts(&message.cc),
            bcc: texts(&message.bcc),
            subject: message.subject.clone(),
            body: message.body.clone(),
            from: None,
            docx,
        }
    }

    /// The same from an office.
    pub fn from(self, office: &Settings) -> Envelope {
        Envelope { from: Some((office.office_name.clone(), office.office_email.clone())), ..self }
    }

    /// A proof: to the person and nobody else.
    pub fn proof(person: &str, outline: &Outline) -> Envelope {
        let (subject, body) = match &outline.message {
            Some(message) => {
                let whom: Vec<&str> = message.to.iter().chain(&message.cc).chain(&message.bcc).map(|a| a.as_str()).collect();
                (message.subject.clone(), format!("Proof. In a real run, this would be sent to {}.\n\n{}", whom.join(", "), message.body))
            }
            None => (
                outline.file_name.clone(),
                "Proof. The document is attached. In a real run, no message would be sent for this record.".to_owned(),
            ),
        };
        Envelope {
            to: vec![person.to_owned()],
            cc: Vec::new(),
            bcc: Vec::new(),
            subject: format!("PROOF: {subject}"),
            body,
            from: None,
            docx: true,
        }
    }
}

/// A Message-ID that no other item has (RFC 5322 3.6.4).
pub fn message_id(run: i64, position: usize, item: i64, at: &str, host: &str) -> String {
    let digest = Sha256::digest(format!("{run} {position} {item} {at}"));
    let hex: String = digest.iter().take(8).map(|b| format!("{b:02x}")).collect();
    format!("<{run}.{position}.{hex}@{host}>")
}

/// How many messages go over one connection, and over one look into the store.
const BATCH: usize = 50;
/// How long a server may take to answer: to greet, to a recipient, to the whole message
/// (RFC 5321 4.5.3.2 asks for five minutes and, once the message is out, for ten).
const PATIENCE: Duration = Duration::from_secs(20);
const RECIPIENT_PATIENCE: Duration = Duration::from_secs(300);
const CONTENT_PATIENCE: Duration = Duration::from_secs(600);
/// After so many tries, about three days, sending is given up.
const MAX_TRIES: usize = 300;

const LOST: &str = "the connection to the mail server broke before it confirmed this message, so it may or may not have been delivered. Ask the recipient or check the sent mail, then send again or mark as delivered.";

/// Sends what is due until the program is to end.
pub async fn work(app: App) {
    while !app.stopping.is_cancelled() {
        let now = clock::seconds();
        let due = app.store.with(move |c| items::to_send(c, now, BATCH)).await;
        let due = match due {
            Ok(due) => due,
            Err(error) => {
                tracing::error!(error = format!("{error:#}"), "the messages that are due can't be read");
                Vec::new()
            }
        };
        if due.is_empty() {
            tokio::select! {
                () = app.stopping.cancelled() => {}
                () = app.mail.notified() => {}
                () = tokio::time::sleep(Duration::from_millis(500)) => {}
            }
            continue;
        }
        if let Err(error) = send_batch(&app, due).await {
            tracing::error!(error = format!("{error:#}"), "messages could not be sent");
            tokio::time::sleep(Duration::from_secs(1)).await;
        }
    }
}

async fn send_batch(app: &App, due: Vec<ItemWork>) -> Result<()> {
    let settings = app.store.with(|c| settings::read(c)).await?;
    let mut ready = Vec::with_capacity(due.len());
    for item in due {
        let docx = item.docx.as_ref().filter(|_| {
            item.message.as_deref().and_then(|m| serde_json::from_str::<Envelope>(m).ok()).is_none_or(|envelope| envelope.docx)
        });
        let mut files = Vec::new();
        let mut lost = None;
        for (name, kind) in [(item.pdf.as_ref(), "pdf"), (docx, "docx")] {
            let Some(name) = name else { continue };
            match app.files.get(name).await {
                Ok(bytes) => files.push((format!("{}.{kind}", item.file_name), kind, bytes)),
                Err(error) => lost = Some(error),
            }
        }
        // One file that is gone costs its own message and no other.
        if let Some(error) = lost {
            tracing::error!(item = item.id, error = format!("{error:#}"), "a document is missing or damaged");
            let message = "the document file is missing from the data folder, or damaged. Run this record again.".to_owned();
            let error = ItemError { code: "file".into(), place: "e-mail".into(), message };
            let (id, run) = (item.id, item.run_id);
            app.store.with(move |c| items::send_failed(c, id, &error, &clock::stamp())).await?;
            let at = clock::stamp();
            app.store.with(move |c| runs::finish(c, run, &at)).await?;
            changed(app, run);
            continue;
        }
        ready.push((item, files));
    }
    let runs_touched: std::collections::BTreeSet<i64> = ready.iter().map(|(item, _)| item.run_id).collect();
    let (store, smtp, stopping) = (app.store.clone(), app.smtp.clone(), app.stopping.clone());
    blocking(move || hand_over(&store, &smtp, &settings, ready, &stopping)).await??;
    for run in runs_touched {
        let at = clock::stamp();
        app.store.with(move |c| runs::finish(c, run, &at)).await?;
        changed(app, run);
    }
    Ok(())
}

type Files = Vec<(String, &'static str, Vec<u8>)>;

fn hand_over(store: &Store, smtp: &Smtp, settings: &Settings, ready: Vec<(ItemWork, Files)>, stopping: &CancellationToken) -> Result<()> {
    let c = store.connection()?;
    let mut connection: Option<SmtpConnection> = None;
    for (item, files) in ready {
        // What is being handed over is finished; no other is begun.
        if stopping.is_cancelled() {
            break;
        }
        // Its run may have been paused or stopped meanwhile.
        if !items::may_send(&c, item.id)? {
            continue;
        }
        let message = match build(&item, files, settings) {
            Ok(message) => message,
            Err(error) => {
                items::send_failed(&c, item.id, &error, &clock::stamp())?;
                continue;
            }
        };
        if connection.as_ref().is_none_or(SmtpConnection::has_broken) {
            connection = match connect(smtp) {
                Ok(open) => Some(open),
                Err(error) => {
                    later(&c, &item, "unreachable", &format!("can't reach the mail server {}:{} ({error})", smtp.host, smtp.port), true)?;
                    continue;
                }
            };
        }
        if let Some(open) = connection.as_mut()
            && !send(&c, open, &item, &message)?
        {
            connection = None;
        }
    }
    if let Some(mut open) = connection {
        let _ = open.quit();
    }
    Ok(())
}

fn connect(smtp: &Smtp) -> Result<SmtpConnection, lettre::transport::smtp::Error> {
    SmtpConnection::connect((smtp.host.as_str(), smtp.port), Some(PATIENCE), &ClientId::Domain("mangle".to_owned()), None, None)
}

/// Hands one message over; whether the connection can go on being used.
fn send(c: &crate::store::Connection, open: &mut SmtpConnection, item: &ItemWork, message: &lettre::Message) -> Result<bool> {
    let refused = |error: &lettre::transport::smtp::Error| format!("the mail server answered: {error}");
    let envelope = message.envelope();
    // A server that can't be given more time is waited for as long as before.
    let _ = open.set_timeout(Some(RECIPIENT_PATIENCE));
    let mut prepared = open.command(Mail::new(envelope.from().cloned(), Vec::new()));
    for to in envelope.to() {
        if prepared.is_ok() {
            prepared = open.command(Rcpt::new(to.clone(), Vec::new()));
        }
    }
    if prepared.is_ok() {
        prepared = open.command(Data);
    }
    if let Err(error) = prepared {
        if error.is_permanent() {
            let error = ItemError { code: "refused".into(), place: "e-mail".into(), message: refused(&error) };
            items::send_failed(c, item.id, &error, &clock::stamp())?;
        } else {
            later(c, item, "not-taken", &refused(&error), true)?;
        }
        open.abort();
        return Ok(false);
    }
    // From here on it may arrive: what ends before `delivered` is held.
    if !items::sending(c, item.id, &clock::stamp())? {
        // The server waits for the message: whatever is said now would be taken as its text, so
        // the connection is closed without a word.
        return Ok(false);
    }
    let _ = open.set_timeout(Some(CONTENT_PATIENCE));
    match open.command(Content(message.formatted())) {
        Ok(_) => {
            items::delivered(c, item.id, &clock::stamp())?;
            Ok(true)
        }
        Err(error) if error.is_permanent() => {
            let error = ItemError { code: "refused".into(), place: "e-mail".into(), message: refused(&error) };
            items::send_failed(c, item.id, &error, &clock::stamp())?;
            Ok(true)
        }
        Err(error) if error.is_transient() => {
            later(c, item, "not-taken", &refused(&error), false)?;
            Ok(true)
        }
        // The connection broke after the message was sent and before it was acknowledged.
        Err(_) => {
            items::hold(c, item.id, LOST, &clock::stamp())?;
            Ok(false)
        }
    }
}

/// A message's content as it goes over the line: dots at line starts doubled
/// (RFC 5321 4.5.2), ended by a dot alone. It is written in one piece: in two,
/// each message would wait for the acknowledgement of its first.
struct Content(Vec<u8>);

impl std::fmt::Display for Content {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // A built message is ASCII: everything else is encoded in it.
        let text = String::from_utf8_lossy(&self.0);
        let text = text.strip_suffix("\r\n").unwrap_or(&text);
        if text.starts_with('.') {
            f.write_str(".")?;
        }
        write!(f, "{}\r\n.\r\n", text.replace("\r\n.", "\r\n.."))
    }
}

/// Waits with growing pauses: 5 s, 10 s, 20 s, … up to a quarter of an hour.
fn later(c: &crate::store::Connection, item: &ItemWork, code: &str, what: &str, counts: bool) -> Result<()> {
    if item.tries >= MAX_TRIES {
        let message = format!("{what}. Mangle gave up after {MAX_TRIES} attempts");
        let error = ItemError { code: code.to_owned(), place: "e-mail".into(), message };
        return items::send_failed(c, item.id, &error, &clock::stamp());
    }
    let pause = (5i64 << item.tries.min(10)).min(900);
    let error = ItemError { code: code.to_owned(), place: "e-mail".into(), message: format!("{what}. Mangle will try again.") };
    items::try_again(c, item.id, clock::seconds() + pause, &error, &clock::stamp(), counts)
}

fn build(item: &ItemWork, files: Files, settings: &Settings) -> Result<lettre::Message, ItemError> {
    let fault = |message: String| ItemError { code: "message".into(), place: "e-mail".into(), message };
    let envelope: Envelope = serde_json::from_str(item.message.as_deref().unwrap_or("{}")).map_err(|e| fault(e.to_string()))?;
    let address = |text: &str| text.parse::<lettre::Address>().map_err(|e| fault(format!("“{text}” is not an e-mail address ({e})")));
    let (name, email) = envelope.from.unwrap_or_else(|| (settings.office_name.clone(), settings.office_email.clone()));
    let office = address(&email).map_err(|_| fault("no sender address. Enter the office e-mail address in Settings.".to_owned()))?;
    let name = Some(name).filter(|n| !n.is_empty());
    let mut builder =
        lettre::Message::builder().from(Mailbox::new(name, office)).subject(envelope.subject).message_id(item.message_id.clone());
    for to in &envelope.to {
        builder = builder.to(Mailbox::new(None, address(to)?));
    }
    for cc in &envelope.cc {
        builder = builder.cc(Mailbox::new(None, address(cc)?));
    }
    for bcc in &envelope.bcc {
        builder = builder.bcc(Mailbox::new(None, address(bcc)?));
    }
    let mut parts = MultiPart::mixed().singlepart(SinglePart::plain(envelope.body));
    for (name, kind, bytes) in files {
        let kind = match kind {
            "pdf" => "application/pdf",
            _ => "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
        };
        let kind = ContentType::parse(kind).map_err(|e| fault(e.to_string()))?;
        parts = parts.singlepart(Attachment::new(name).body(bytes, kind));
    }
    builder.multipart(parts).map_err(|e| fault(e.to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use mail_parser::MimeHeaders;

    fn item(envelope: &Envelope) -> ItemWork {
        ItemWork {
            id: 1,
            run_id: 1,
            position: 1,
            row: 214,
            record: String::new(),
            file_name: "Erinnerung Möwe".into(),
            pdf: None,
            docx: None,
            message: serde_json::to_string(envelope).ok(),
            message_id: Some("<1.1.x@quay.example>".into()),
            tries: 0,
            makes: 0,
        }
    }

    fn settings(email: &str) -> Settings {
        Settings { office_name: "Brackwater Quay".into(), office_email: email.into(), ..Settings::default() }
    }

    fn envelope() -> Envelope {
        let list = |a: &str| vec![a.to_owned()];
        Envelope {
            to: list("femke@post.example"),
            cc: Vec::new(),
            bcc: list("accounts@quay.example"),
            subject: "Ihr Liegeplatz, „Möwe“".into(),
            body: "Guten Tag".into(),
            from: None,
            docx: true,
        }
    }

    #[test]
    fn a_message_reads_elsewhere_and_names_no_blind_copy() {
        let files = vec![("Erinnerung Möwe.pdf".to_owned(), "pdf", b"%PDF-1.7".to_vec())];
        let message = build(&item(&envelope()), files, &settings("office@quay.example")).expect("a message");
        assert_eq!(message.envelope().to().len(), 2);
        let bytes = message.formatted();
        assert!(!String::from_utf8_lossy(&bytes).contains("accounts@quay.example"));
        let read = mail_parser::MessageParser::default().parse(&bytes).expect("a mail parser reads it");
        assert_eq!(read.subject(), Some("Ihr Liegeplatz, „Möwe“"));
        assert_eq!(read.message_id(), Some("1.1.x@quay.example"));
        assert_eq!(read.attachment(0).and_then(|a| a.attachment_name()), Some("Erinnerung Möwe.pdf"));
    }

    #[test]
    fn dots_at_line_starts_are_doubled_and_one_ends_the_message() {
        let sent = |text: &str| Content(text.as_bytes().to_vec()).to_string();
        assert_eq!(sent("a\r\n.b\r\n..\r\n"), "a\r\n..b\r\n...\r\n.\r\n");
        assert_eq!(sent(".\r\nx"), "..\r\nx\r\n.\r\n");
    }

    #[test]
    fn without_an_office_address_nothing_is_built() {
        let error = build(&item(&envelope()), Vec::new(), &settings("")).expect_err("no sender");
        assert_eq!(error.message, "no sender address. Enter the office e-mail address in Settings.");
    }

    #[test]
    fn message_ids_differ_by_run_and_item() {
        let at = "2026-11-23T09:42:00";
        let ids = [message_id(1, 1, 1, at, "h"), message_id(1, 2, 2, at, "h"), message_id(2, 1, 3, at, "h")];
        assert!(ids[0] != ids[1] && ids[1] != ids[2] && ids[0].ends_with("@h>"));
    }
}
