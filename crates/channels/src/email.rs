//! E-mail: a message is built once and handed over by SMTP (RFC 5321). Whether it may be sent is
//! asked before its last line leaves, so that a message whose fate is unknown is never sent a
//! second time by itself.

use std::borrow::Cow;
use std::fmt::Display;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use lettre::Address;
use lettre::message::header::{ContentType, Header, HeaderName, HeaderValue};
use lettre::message::{Attachment, Mailbox, MultiPart, SinglePart};
use lettre::transport::smtp::client::SmtpConnection;
use lettre::transport::smtp::commands::{Data, Mail, Rcpt};
use lettre::transport::smtp::extension::{Extension, MailParameter};
use mangle_core::channel::EmailPayload;

use crate::bounces::BounceMailbox;
use crate::mail::{Account, MailServer, MailSettings, SIGN_IN};
use crate::{Awaited, Channel, Config, Delivery, Failure, Notice, Outcome, Pace, Secret};

/// How long a server may take to answer to a recipient, and to the whole message (RFC 5321 4.5.3.2
/// asks for five minutes and, once the message is out, for ten).
const RECIPIENT_PATIENCE: Duration = Duration::from_secs(300);
const CONTENT_PATIENCE: Duration = Duration::from_secs(600);
/// How many connections are open at a time.
const CONNECTIONS: usize = 4;

const LOST: &str = "the connection to the mail server broke before it confirmed this message, so it may or may not have been delivered. Ask the recipient or check the sent mail, then send again or mark as delivered.";

/// How long a sign-in that was refused is not tried again: hundreds of messages that wait would
/// have the account locked.
const REFUSED_PAUSE: Duration = Duration::from_secs(60);

/// How often it is looked for messages that came back.
const READS_EVERY: Duration = Duration::from_secs(10);

/// The e-mail channel.
#[derive(Debug)]
pub struct Email {
    /// The server that the operator named when the program was started.
    operators: Option<MailServer>,
    /// The mailbox that messages over that server come back to.
    operators_bounces: Option<(BounceMailbox, Secret)>,
    now: Mutex<Now>,
}

/// What changes while the program runs.
#[derive(Debug, Default)]
struct Now {
    /// The server that the office has set: it goes before the operator's.
    offices: Option<Account>,
    /// The mailbox that messages come back to, which the office has set.
    bounces: Option<(BounceMailbox, Secret)>,
    /// How often another was set: a connection with an earlier one is not used any more.
    times: u64,
    /// Connections that are open and not in use.
    open: Vec<Open>,
    /// When the server refused the sign-in, and how.
    refused: Option<(Instant, Failure)>,
}

/// An open connection, since when it rests, and of which server it is.
struct Open {
    connection: SmtpConnection,
    since: Instant,
    times: u64,
}

/// A connection that rested for longer is asked first whether it is still there.
const RESTED: Duration = Duration::from_secs(2);

impl std::fmt::Debug for Open {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Open")
    }
}

/// What became of a try over one connection.
struct Tried {
    outcome: Outcome,
    /// Whether the connection may be used again.
    reusable: bool,
}

impl Email {
    /// The channel of a configuration.
    pub fn new(config: &Config) -> Email {
        let operators = config.smtp.as_ref().map(|(host, port)| MailServer::plain(host, *port, config.email_rate));
        Email { operators, operators_bounces: config.bounces.clone(), now: Mutex::default() }
    }

    /// The mailbox that messages come back to, with its password.
    fn bounces(&self) -> Option<(BounceMailbox, Secret)> {
        let now = self.now();
        let operators = || self.operators_bounces.clone().filter(|_| now.offices.is_none());
        now.bounces.clone().or_else(operators)
    }

    fn now(&self) -> MutexGuard<'_, Now> {
        self.now.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A connection that is signed in: one that was used before and is still there, or another.
    fn connection(&self) -> Result<Open, Failure> {
        loop {
            let Some(mut open) = self.now().open.pop() else { break };
            if !open.connection.has_broken() && (open.since.elapsed() < RESTED || open.connection.test_connected()) {
                return Ok(open);
            }
        }
        let (account, times) = {
            let now = self.now();
            if let Some((since, failure)) = now.refused.as_ref().filter(|(since, _)| since.elapsed() < REFUSED_PAUSE) {
                tracing::debug!(seconds = since.elapsed().as_secs(), "the sign-in is not tried again yet");
                return Err(failure.clone());
            }
            let operators = || self.operators.clone().map(|server| Account { server, secret: String::new() });
            (now.offices.clone().or_else(operators), now.times)
        };
        let account = account.ok_or_else(|| Failure::new("no-server", "no mail server. Enter it in Settings."))?;
        let connection = account.server.connect(&account.secret).inspect_err(|failure| {
            let mut now = self.now();
            if failure.code == SIGN_IN && now.times == times {
                now.refused = Some((Instant::now(), failure.clone()));
            }
        })?;
        Ok(Open { connection, since: Instant::now(), times })
    }

    /// Keeps a connection for the next message, if its server is still the one.
    fn keep(&self, open: Open) {
        let mut now = self.now();
        if open.times == now.times {
            now.open.push(Open { since: Instant::now(), ..open });
        }
    }
}

impl Channel for Email {
    fn kind(&self) -> &'static str {
        "email"
    }

    fn pace(&self) -> Pace {
        Pace {
            at_once: CONNECTIONS,
            rate: self
                .now()
                .offices
                .as_ref()
                .map(|account| &account.server)
                .or(self.operators.as_ref())
                .map(MailServer::rate)
                .unwrap_or_default(),
            first_pause: Duration::from_secs(5),
            longest_pause: Duration::from_secs(900),
            give_up_after: Duration::from_secs(3 * 86_400),
        }
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        let message = match build(delivery) {
            Ok(message) => message,
            Err(failure) => return Outcome::Failed(failure),
        };
        let mut open = match self.connection() {
            Ok(open) => open,
            Err(failure) => return Outcome::Later(failure),
        };
        let return_path = self.bounces().and_then(|(mailbox, _)| mailbox.return_path(&delivery.key)?.parse().ok());
        let tried = send(&mut open.connection, delivery, &message, return_path, begin);
        if tried.reusable {
            self.keep(open);
        }
        tried.outcome
    }

    fn configure(&self, settings: &serde_json::Value, secret: &str) -> Result<(), serde_json::Error> {
        let MailSettings { server, bounces } = serde_json::from_value::<Option<_>>(settings.clone())?.unwrap_or_default();
        {
            let mut now = self.now();
            now.offices = server.map(|server| Account { server, secret: secret.to_owned() });
            now.bounces = bounces;
            now.times += 1;
            now.refused = None;
        }
        self.rest();
        Ok(())
    }

    fn listens_every(&self) -> Option<Duration> {
        self.bounces().map(|_| READS_EVERY)
    }

    fn listen(&self, _: &[Awaited], tell: &mut dyn FnMut(&Notice) -> bool) -> Result<(), Failure> {
        match self.bounces() {
            Some((mailbox, secret)) => mailbox.read(&secret.0, tell),
            None => Ok(()),
        }
    }

    fn rest(&self) {
        let open = std::mem::take(&mut self.now().open);
        for mut one in open {
            let _ = one.connection.quit();
        }
    }
}

/// Hands one message over; what comes back goes to the return path, where there is one.
fn send(
    open: &mut SmtpConnection,
    delivery: &Delivery,
    message: &lettre::Message,
    return_path: Option<Address>,
    begin: &mut dyn FnMut(&str) -> bool,
) -> Tried {
    let refused = |code, error: &dyn Display| Failure::new(code, format!("the mail server answered: {error}"));
    let envelope = message.envelope();
    // A server that can't be given more time is waited for as long as before.
    let _ = open.set_timeout(Some(RECIPIENT_PATIENCE));
    // Letters beyond ASCII before the @ can be told to few servers (RFC 6531, 3.1).
    let mut parameters = Vec::new();
    let odd = envelope.to().iter().chain(envelope.from()).map(ToString::to_string).find(|address| !address.is_ascii());
    if let Some(odd) = odd {
        if !open.server_info().supports_feature(Extension::SmtpUtfEight) {
            let message = format!(
                "the mail server can't take the address “{odd}”: it has letters other than a to z before the @. Use another address."
            );
            return Tried { outcome: Outcome::Failed(Failure::new("address", message)), reusable: true };
        }
        parameters.push(MailParameter::SmtpUtfEight);
    }
    let from = return_path.or_else(|| envelope.from().cloned());
    let mut prepared = open.command(Mail::new(from, parameters));
    for to in envelope.to() {
        if prepared.is_ok() {
            prepared = open.command(Rcpt::new(to.clone(), Vec::new()));
        }
    }
    if prepared.is_ok() {
        prepared = open.command(Data);
    }
    if let Err(error) = prepared {
        open.abort();
        let outcome = match error.is_permanent() {
            true => Outcome::Failed(refused("refused", &error)),
            false => Outcome::Later(refused("not-taken", &error)),
        };
        return Tried { outcome, reusable: false };
    }
    // From here on it may arrive: what ends before the answer is in doubt.
    if !begin(&delivery.key) {
        // The server waits for the message: whatever is said now would be taken as its text, so
        // the connection is closed without a word.
        return Tried { outcome: Outcome::NotBegun, reusable: false };
    }
    let _ = open.set_timeout(Some(CONTENT_PATIENCE));
    let outcome = match open.command(Content::of(&message.formatted())) {
        Ok(answer) => Outcome::Delivered(answer.first_line().unwrap_or_default().to_owned()),
        Err(error) if error.is_permanent() => Outcome::Failed(refused("refused", &error)),
        Err(error) if error.is_transient() => Outcome::Later(refused("not-taken", &error)),
        // The connection broke after the message was sent and before it was acknowledged.
        Err(_) => return Tried { outcome: Outcome::Uncertain(Failure::new("uncertain", LOST)), reusable: false },
    };
    Tried { outcome, reusable: true }
}

/// A message's content as it goes over the line: dots at line starts doubled
/// (RFC 5321 4.5.2), ended by a dot alone. It is written in one piece: in two,
/// each message would wait for the acknowledgement of its first.
struct Content(String);

impl Content {
    fn of(message: &[u8]) -> Content {
        // A built message is ASCII: everything else is encoded in it.
        let text = std::str::from_utf8(message).map_or_else(|_| String::from_utf8_lossy(message), Cow::Borrowed);
        let text = text.strip_suffix("\r\n").unwrap_or(&text);
        let mut whole = String::with_capacity(text.len() + 64);
        // Dots are doubled at the begin of the message and of each of its lines.
        let mut from = 0;
        if text.starts_with('.') {
            whole.push('.');
        }
        for at in memchr::memmem::find_iter(text.as_bytes(), b"\r\n.") {
            whole.push_str(&text[from..at]);
            whole.push_str("\r\n.");
            from = at + 2;
        }
        whole.push_str(&text[from..]);
        whole.push_str("\r\n.\r\n");
        Content(whole)
    }
}

impl std::fmt::Display for Content {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

/// That a machine sent the message (RFC 3834 5).
#[derive(Debug, Clone, Copy)]
struct AutoSubmitted;

impl Header for AutoSubmitted {
    fn name() -> HeaderName {
        HeaderName::new_from_ascii_str("Auto-Submitted")
    }

    fn parse(_: &str) -> Result<AutoSubmitted, Box<dyn std::error::Error + Send + Sync>> {
        Ok(AutoSubmitted)
    }

    fn display(&self) -> HeaderValue {
        HeaderValue::new(AutoSubmitted::name(), "auto-generated".to_owned())
    }
}

/// Where recipients unsubscribe (RFC 2369, 3.2).
#[derive(Debug, Clone)]
struct ListUnsubscribe(String);

impl Header for ListUnsubscribe {
    fn name() -> HeaderName {
        HeaderName::new_from_ascii_str("List-Unsubscribe")
    }

    fn parse(text: &str) -> Result<ListUnsubscribe, Box<dyn std::error::Error + Send + Sync>> {
        Ok(ListUnsubscribe(text.trim_matches(['<', '>']).to_owned()))
    }

    fn display(&self) -> HeaderValue {
        HeaderValue::new(ListUnsubscribe::name(), format!("<{}>", self.0))
    }
}

/// An address whose domain is as the DNS has it: `bücher.example` is `xn--bcher-kva.example`
/// (RFC 5890; UTS 46).
fn ascii_domain(text: &str) -> Cow<'_, str> {
    match text.rsplit_once('@') {
        Some((local, domain)) if !domain.is_ascii() => match idna::domain_to_ascii(domain) {
            Ok(domain) => format!("{local}@{domain}").into(),
            Err(_) => text.into(),
        },
        _ => text.into(),
    }
}

fn build(delivery: &Delivery) -> Result<lettre::Message, Failure> {
    let fault = |message: String| Failure::new("message", message);
    let payload: EmailPayload = serde_json::from_value(delivery.payload.clone()).map_err(|e| fault(e.to_string()))?;
    let address =
        |text: &str| ascii_domain(text).parse::<lettre::Address>().map_err(|e| fault(format!("“{text}” is not an e-mail address ({e})")));
    let (name, email) = payload.from.unwrap_or_else(|| delivery.office.clone());
    let office = address(&email).map_err(|_| fault("no sender address. Enter the office e-mail address in Settings.".to_owned()))?;
    let name = Some(name).filter(|n| !n.is_empty());
    let mut builder =
        lettre::Message::builder().from(Mailbox::new(name, office)).subject(payload.subject).message_id(Some(delivery.key.clone()));
    // No machine answers a message that a machine has sent (RFC 3834 5).
    builder = builder.header(AutoSubmitted);
    if let Some(url) = payload.unsubscribe {
        builder = builder.header(ListUnsubscribe(url));
    }
    for to in &payload.to {
        builder = builder.to(Mailbox::new(None, address(to)?));
    }
    for reply_to in &payload.reply_to {
        builder = builder.reply_to(Mailbox::new(None, address(reply_to)?));
    }
    for cc in &payload.cc {
        builder = builder.cc(Mailbox::new(None, address(cc)?));
    }
    for bcc in &payload.bcc {
        builder = builder.bcc(Mailbox::new(None, address(bcc)?));
    }
    let kind_of = |kind: &str| ContentType::parse(kind).map_err(|e| fault(e.to_string()));
    let mut parts = match payload.html {
        None => MultiPart::mixed().singlepart(SinglePart::plain(payload.body)),
        // The same twice, the plain one first (RFC 2046, 5.1.4); with the pictures that it shows
        // (RFC 2387).
        Some(html) => {
            let mut related = MultiPart::related().singlepart(SinglePart::html(html));
            for (id, extra) in delivery.extras.iter().filter_map(|extra| Some((extra.id.clone()?, extra))) {
                related = related.singlepart(Attachment::new_inline(id).body(extra.bytes.clone(), kind_of(&extra.kind)?));
            }
            MultiPart::mixed().multipart(MultiPart::alternative().singlepart(SinglePart::plain(payload.body)).multipart(related))
        }
    };
    for extra in delivery.extras.iter().filter(|extra| extra.id.is_none()) {
        parts = parts.singlepart(Attachment::new(extra.name.clone()).body(extra.bytes.clone(), kind_of(&extra.kind)?));
    }
    for document in &delivery.documents {
        parts =
            parts.singlepart(Attachment::new(document.name.clone()).body(document.bytes.clone(), kind_of(document.format.media_type())?));
    }
    builder.multipart(parts).map_err(|e| fault(e.to_string()))
}

#[cfg(test)]
mod tests {
    use std::io::{BufRead, BufReader, Write};
    use std::sync::Arc;
    use std::sync::atomic::{AtomicUsize, Ordering};

    use super::*;
    use crate::Document;
    use mail_parser::MimeHeaders;
    use mangle_core::dispatch::Format;
    use serde_json::{Value, json};

    fn delivery(office: &str) -> Delivery {
        let list = |a: &str| vec![a.to_owned()];
        let payload = EmailPayload {
            to: list("femke@post.example"),
            bcc: list("accounts@quay.example"),
            subject: "Ihr Liegeplatz, „Möwe“".into(),
            body: "Guten Tag".into(),
            reply_to: list("ledger@quay.example"),
            unsubscribe: Some("https://quay.example/no-more".into()),
            ..EmailPayload::default()
        };
        let documents = vec![Document { name: "Erinnerung Möwe.pdf".into(), format: Format::Pdf, bytes: b"%PDF-1.7".to_vec() }];
        Delivery {
            key: "<1.1.x@quay.example>".into(),
            payload: serde_json::to_value(payload).expect("JSON"),
            office: ("Brackwater Quay".into(), office.into()),
            documents,
            extras: Vec::new(),
        }
    }

    #[test]
    fn a_message_reads_elsewhere_and_names_no_blind_copy() {
        let message = build(&delivery("office@quay.example")).expect("a message");
        assert_eq!(message.envelope().to().len(), 2);
        let bytes = message.formatted();
        assert!(!String::from_utf8_lossy(&bytes).contains("accounts@quay.example"));
        let read = mail_parser::MessageParser::default().parse(&bytes).expect("a mail parser reads it");
        assert_eq!(read.subject(), Some("Ihr Liegeplatz, „Möwe“"));
        assert_eq!(read.reply_to().and_then(|to| to.first()).and_then(|to| to.address()), Some("ledger@quay.example"));
        assert_eq!(read.header_raw("Auto-Submitted").map(str::trim), Some("auto-generated"));
        assert_eq!(read.header_raw("List-Unsubscribe").map(str::trim), Some("<https://quay.example/no-more>"));
        assert_eq!(read.message_id(), Some("1.1.x@quay.example"));
        assert_eq!(read.attachment(0).and_then(|a| a.attachment_name()), Some("Erinnerung Möwe.pdf"));
    }

    #[test]
    fn dots_at_line_starts_are_doubled_and_one_ends_the_message() {
        let sent = |text: &str| Content::of(text.as_bytes()).to_string();
        assert_eq!(sent("a\r\n.b\r\n..\r\n"), "a\r\n..b\r\n...\r\n.\r\n");
        assert_eq!(sent(".\r\nx"), "..\r\nx\r\n.\r\n");
    }

    #[test]
    fn without_a_sender_or_a_server_nothing_leaves() {
        let error = build(&delivery("")).expect_err("no sender");
        assert_eq!(error.message, "no sender address. Enter the office e-mail address in Settings.");
        let email = Email::new(&Config::default());
        let outcome = email.deliver(&delivery("office@quay.example"), &mut |_| panic!("nothing begins"));
        assert!(matches!(outcome, Outcome::Later(failure) if failure.code == "no-server"));
    }

    /// A server that asks for a sign-in, and either refuses all or takes all: how often it was
    /// asked to sign someone in, and how many messages it took.
    fn server(takes: bool) -> (Value, Arc<[AtomicUsize; 2]>) {
        server_that_offers(takes, "250-here\r\n250 AUTH PLAIN\r\n", Arc::default())
    }

    /// The same with what it offers; what it is told of addresses is kept.
    fn server_that_offers(takes: bool, offers: &'static str, told: Arc<Mutex<Vec<String>>>) -> (Value, Arc<[AtomicUsize; 2]>) {
        let listener = std::net::TcpListener::bind("127.0.0.1:0").expect("binds");
        let port = listener.local_addr().expect("bound").port();
        let counts: Arc<[AtomicUsize; 2]> = Arc::default();
        let own = counts.clone();
        std::thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let (own, told) = (own.clone(), told.clone());
                std::thread::spawn(move || {
                    let mut answers = stream.try_clone().expect("two hands");
                    let mut say = |text: &str| answers.write_all(text.as_bytes()).is_ok();
                    let mut content = false;
                    say("220 here\r\n");
                    for line in BufReader::new(stream).lines().map_while(Result::ok) {
                        let go_on = match (content, line.split(' ').next().unwrap_or_default()) {
                            (true, ".") => {
                                content = false;
                                own[1].fetch_add(1, Ordering::SeqCst);
                                say("250 taken\r\n")
                            }
                            (true, _) => true,
                            (_, "EHLO") => say(offers),
                            (_, "AUTH") => {
                                own[0].fetch_add(1, Ordering::SeqCst);
                                say(if takes { "235 welcome\r\n" } else { "535 no\r\n" })
                            }
                            (_, "DATA") => {
                                content = true;
                                say("354 go on\r\n")
                            }
                            _ => {
                                told.lock().expect("whole").push(line.clone());
                                say("250 fine\r\n")
                            }
                        };
                        if !go_on {
                            break;
                        }
                    }
                });
            }
        });
        let settings =
            json!({ "server": { "host": "127.0.0.1", "port": port, "security": "none", "sign_in": "password", "user": "office" } });
        (settings, counts)
    }

    fn counted(counts: &[AtomicUsize; 2]) -> (usize, usize) {
        (counts[0].load(Ordering::SeqCst), counts[1].load(Ordering::SeqCst))
    }

    #[test]
    fn a_refused_sign_in_is_not_repeated_for_each_message() {
        let (settings, counts) = server(false);
        let email = Email::new(&Config::default());
        email.configure(&settings, "wrong").expect("a server");
        for _ in 0..5 {
            let outcome = email.deliver(&delivery("office@quay.example"), &mut |_| panic!("nothing begins"));
            assert!(matches!(outcome, Outcome::Later(failure) if failure.code == "sign-in" && failure.message.contains("535")));
        }
        assert_eq!(counted(&counts), (1, 0), "hundreds would lock the account");
        // Whoever saves the settings again means to try again.
        email.configure(&settings, "wrong, too").expect("a server");
        email.deliver(&delivery("office@quay.example"), &mut |_| true);
        assert_eq!(counted(&counts), (2, 0));
        assert!(!format!("{email:?}").contains("wrong"), "no log shows the password");
    }

    #[test]
    fn what_comes_after_a_change_goes_to_the_other_server() {
        let ((first, at_first), (second, at_second)) = (server(true), server(true));
        let email = Email::new(&Config::default());
        email.configure(&first, "x").expect("a server");
        // The change comes while a message is handed over: that one still arrives at the first.
        let outcome = email.deliver(&delivery("office@quay.example"), &mut |_| email.configure(&second, "x").is_ok());
        assert_eq!(outcome, Outcome::Delivered("taken".into()));
        for _ in 0..2 {
            assert_eq!(email.deliver(&delivery("office@quay.example"), &mut |_| true), Outcome::Delivered("taken".into()));
        }
        assert_eq!((counted(&at_first), counted(&at_second)), ((1, 1), (1, 2)), "over one connection each");
    }

    #[test]
    fn addresses_of_other_scripts_go_where_they_can() {
        let to = |address: &str| {
            let mut own = delivery("office@quay.example");
            own.payload["to"] = json!([address]);
            own
        };
        let told: Arc<Mutex<Vec<String>>> = Arc::default();
        let (plain, counts) = server_that_offers(true, "250-here\r\n250 AUTH PLAIN\r\n", told.clone());
        let email = Email::new(&Config::default());
        email.configure(&plain, "x").expect("a server");
        // A domain is told as the DNS has it, to any server.
        assert_eq!(email.deliver(&to("möwe.office@bücher.example"), &mut |_| panic!("nothing begins")), {
            let message = "the mail server can't take the address “möwe.office@xn--bcher-kva.example”: it has letters other than a to z before the @. Use another address.";
            Outcome::Failed(Failure::new("address", message))
        });
        assert_eq!(email.deliver(&to("office@Bücher.example"), &mut |_| true), Outcome::Delivered("taken".into()));
        assert_eq!(counted(&counts), (1, 1), "over the same connection");
        assert!(told.lock().expect("whole").iter().any(|line| line == "RCPT TO:<office@xn--bcher-kva.example>"));
        let told: Arc<Mutex<Vec<String>>> = Arc::default();
        let (able, _) = server_that_offers(true, "250-here\r\n250-SMTPUTF8\r\n250 AUTH PLAIN\r\n", told.clone());
        email.configure(&able, "x").expect("a server");
        assert_eq!(email.deliver(&to("möwe@quay.example"), &mut |_| true), Outcome::Delivered("taken".into()));
        let told = told.lock().expect("whole");
        assert!(told.iter().any(|line| line.starts_with("MAIL FROM:<office@quay.example>") && line.ends_with(" SMTPUTF8")), "{told:?}");
        assert!(told.contains(&"RCPT TO:<möwe@quay.example>".to_owned()));
    }
}
