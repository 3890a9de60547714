//! Messages that come back: each leaves with a return path of its own, and what comes back to it
//! is read from a mailbox (IMAP, RFC 3501) as delivery status notifications (RFC 3464).

use std::io::{Read, Write};
use std::net::{TcpStream, ToSocketAddrs};
use std::sync::Arc;
use std::time::Duration;

use mail_parser::{MessageParser, MimeHeaders};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName};
use rustls::{ClientConfig, ClientConnection, RootCertStore, StreamOwned};
use serde::{Deserialize, Serialize};

use crate::mail::{Security, SignIn};
use crate::{Failure, Notice, Said, bare_key};

/// How long the mailbox's server may take.
const PATIENCE: Duration = Duration::from_secs(30);
/// How many notifications are read at a time.
const MOST: usize = 200;
/// The largest that is read: a notification may hold the whole message.
const LARGEST: u64 = 60 << 20;

/// The mailbox that messages come back to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct BounceMailbox {
    /// Its address, whose part before the @ may be followed by `+` and more:
    /// `bounces@office.example` also gets what is sent to `bounces+7.3@office.example`.
    pub address: String,
    /// Its IMAP server.
    pub host: String,
    /// The server's port: mostly 993 with TLS.
    pub port: u16,
    /// Whether the connection is encrypted: with TLS from the begin, or not.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub security: Security,
    /// How one signs in.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub sign_in: SignIn,
    /// The user name.
    pub user: String,
    /// A certificate (PEM) that is trusted besides those that the machine trusts.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub trust: String,
}

impl BounceMailbox {
    /// What is wrong with it as it stands.
    pub fn problem(&self) -> Option<String> {
        Some(match () {
            () if mangle_core::value::EmailAddress::parse(&self.address).is_err() => {
                "the address of the bounce mailbox is not an e-mail address".to_owned()
            }
            () if self.host.trim().is_empty() => "no server of the bounce mailbox. Enter its name.".to_owned(),
            () if self.port == 0 => "0 is not a port number. Enter 993.".to_owned(),
            () if self.user.trim().is_empty() => "no user name of the bounce mailbox. Enter it.".to_owned(),
            () if self.security == Security::Starttls => "the bounce mailbox is read with TLS from the start. Choose that.".to_owned(),
            () if self.security == Security::None && !is_here(&self.host) => {
                "the password of the bounce mailbox would be sent unencrypted. Choose TLS.".to_owned()
            }
            () => return None,
        })
    }

    /// The return path of a delivery: what comes back to it tells which it is of.
    pub fn return_path(&self, key: &str) -> Option<String> {
        let (local, domain) = self.address.trim().rsplit_once('@')?;
        Some(format!("{local}+{}@{domain}", bare_key(key)))
    }

    /// Reads what has come back. `tell` says whether a notice was written down; the message is
    /// then marked as read.
    pub(crate) fn read(&self, secret: &str, tell: &mut dyn FnMut(&Notice) -> bool) -> Result<(), Failure> {
        let failed = |error: imap::Error| Failure::new("imap", format!("the bounce mailbox can't be read: {error}"));
        let mut client = imap::Client::new(self.connect()?);
        client.read_greeting().map_err(failed)?;
        let user = self.user.trim();
        let signed_in = match self.sign_in {
            SignIn::Token => client.authenticate("XOAUTH2", &Token { user, secret }),
            _ => client.login(user, secret),
        };
        let mut session = signed_in.map_err(|(error, _)| {
            let message = format!("the bounce mailbox refused the sign-in ({error}). Check the user name and the password in Settings.");
            Failure::new("sign-in", message)
        })?;
        session.select("INBOX").map_err(failed)?;
        let found = session.uid_search("UNSEEN HEADER Content-Type \"multipart/report\"").map_err(failed)?;
        let mut found: Vec<u32> = found.into_iter().collect();
        found.sort_unstable();
        for uid in found.into_iter().take(MOST) {
            let number = uid.to_string();
            let fetched = session.uid_fetch(&number, "BODY.PEEK[]").map_err(failed)?;
            let Some(raw) = fetched.iter().find_map(|one| one.body()) else { continue };
            let told = notices(raw, &self.address).iter().all(&mut *tell);
            if told {
                session.uid_store(&number, "+FLAGS.SILENT (\\Seen)").map_err(failed)?;
            }
        }
        let _ = session.logout();
        Ok(())
    }

    fn connect(&self) -> Result<Stream, Failure> {
        let at = format!("{}:{}", self.host.trim(), self.port);
        let failed =
            |error: &dyn std::fmt::Display| Failure::new("unreachable", format!("can't reach the bounce mailbox at {at} ({error})"));
        let mut addresses = (self.host.trim(), self.port).to_socket_addrs().map_err(|error| failed(&error))?;
        let address = addresses.next().ok_or_else(|| failed(&"no such host"))?;
        let stream = TcpStream::connect_timeout(&address, PATIENCE).map_err(|error| failed(&error))?;
        stream.set_read_timeout(Some(PATIENCE)).and_then(|()| stream.set_write_timeout(Some(PATIENCE))).map_err(|error| failed(&error))?;
        if self.security == Security::None {
            return Ok(Stream { inner: Inner::Open(stream), left: LARGEST * MOST as u64 });
        }
        let mut roots = RootCertStore::empty();
        roots.add_parsable_certificates(rustls_native_certs::load_native_certs().certs);
        if !self.trust.trim().is_empty() {
            let own: Vec<CertificateDer<'_>> = CertificateDer::pem_slice_iter(self.trust.as_bytes()).flatten().collect();
            roots.add_parsable_certificates(own);
        }
        let _ = rustls::crypto::ring::default_provider().install_default();
        let config = ClientConfig::builder().with_root_certificates(roots).with_no_client_auth();
        let name = ServerName::try_from(self.host.trim().to_owned()).map_err(|error| failed(&error))?;
        let connection = ClientConnection::new(Arc::new(config), name).map_err(|error| failed(&error))?;
        Ok(Stream { inner: Inner::Closed(Box::new(StreamOwned::new(connection, stream))), left: LARGEST * MOST as u64 })
    }
}

/// Whether a server is this machine itself.
fn is_here(host: &str) -> bool {
    matches!(host.trim(), "localhost" | "127.0.0.1" | "::1")
}

/// A sign-in with an access token.
struct Token<'a> {
    user: &'a str,
    secret: &'a str,
}

impl imap::Authenticator for Token<'_> {
    type Response = String;

    fn process(&self, _: &[u8]) -> String {
        format!("user={}\u{1}auth=Bearer {}\u{1}\u{1}", self.user, self.secret)
    }
}

/// A connection, encrypted or not, that gives so many bytes at most.
#[derive(Debug)]
struct Stream {
    inner: Inner,
    left: u64,
}

#[derive(Debug)]
enum Inner {
    Open(TcpStream),
    Closed(Box<StreamOwned<ClientConnection, TcpStream>>),
}

impl Read for Stream {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let length = match &mut self.inner {
            Inner::Open(stream) => stream.read(into)?,
            Inner::Closed(stream) => stream.read(into)?,
        };
        self.left = self.left.checked_sub(length as u64).ok_or_else(|| std::io::Error::other("the mailbox sends too much"))?;
        Ok(length)
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match &mut self.inner {
            Inner::Open(stream) => stream.write(bytes),
            Inner::Closed(stream) => stream.write(bytes),
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        match &mut self.inner {
            Inner::Open(stream) => stream.flush(),
            Inner::Closed(stream) => stream.flush(),
        }
    }
}

/// What a notification says of a delivery, for each recipient that it names; nothing where it is
/// no notification, or of no message of ours.
fn notices(raw: &[u8], address: &str) -> Vec<Notice> {
    let Some(message) = MessageParser::default().parse(raw) else { return Vec::new() };
    let Some(key) = key_of(&message, address) else { return Vec::new() };
    let is_status = |part: &&mail_parser::MessagePart<'_>| {
        part.content_type().is_some_and(|kind| {
            kind.ctype().eq_ignore_ascii_case("message") && kind.subtype().is_some_and(|own| own.eq_ignore_ascii_case("delivery-status"))
        })
    };
    let Some(status) = message.parts.iter().find(is_status) else { return Vec::new() };
    let text = String::from_utf8_lossy(status.contents()).replace("\r\n", "\n");
    // The first group is of the message, each other of a recipient (RFC 3464, 2.1).
    let groups = text.split("\n\n").map(fields).filter(|group| !field(group, "action").is_empty());
    let mut all: Vec<Notice> = groups.filter_map(|group| Some(Notice { key: key.clone(), said: said(&group)? })).collect();
    // Of several recipients, one that failed is what counts in the end.
    all.sort_by_key(|notice| matches!(notice.said, Said::Returned(_)));
    all
}

/// The fields of a group, folded lines joined (RFC 5322, 2.2.3).
fn fields(group: &str) -> Vec<(String, String)> {
    let mut all: Vec<(String, String)> = Vec::new();
    for line in group.lines() {
        match (line.starts_with([' ', '\t']), line.split_once(':')) {
            (true, _) => {
                if let Some((_, value)) = all.last_mut() {
                    value.push(' ');
                    value.push_str(line.trim());
                }
            }
            (false, Some((name, value))) => all.push((name.trim().to_lowercase(), value.trim().to_owned())),
            (false, None) => {}
        }
    }
    all
}

fn field<'a>(group: &'a [(String, String)], name: &str) -> &'a str {
    group.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str()).unwrap_or_default()
}

/// A field of the form `rfc822; femke@post.example`, without its type.
fn typed(text: &str) -> &str {
    text.split_once(';').map_or(text, |(_, rest)| rest).trim()
}

/// What a group says of its recipient (RFC 3464, 2.3.3).
fn said(group: &[(String, String)]) -> Option<Said> {
    let to = typed(field(group, "final-recipient"));
    let why = typed(field(group, "diagnostic-code"));
    let status = field(group, "status");
    let why = if why.is_empty() { status } else { why };
    let short = |text: &str| text.chars().filter(|c| !c.is_control()).take(300).collect::<String>();
    let message = |what: &str| short(&if why.is_empty() { format!("{what} for {to}") } else { format!("{what} for {to}: {why}") });
    Some(match field(group, "action").to_lowercase().as_str() {
        "failed" => Said::Returned(Failure::new("bounced", message("no delivery"))),
        "delayed" => Said::Progress(message("delayed")),
        "delivered" | "relayed" | "expanded" => Said::Progress(short(&format!("arrived at {to}"))),
        _ => return None,
    })
}

/// Which delivery a notification is of: by the return path that it came to, or by the message that
/// it holds.
fn key_of(message: &mail_parser::Message<'_>, address: &str) -> Option<String> {
    let (local, domain) = address.trim().rsplit_once('@')?;
    let mine = |text: &str| {
        let (own, at) = text.trim().trim_matches(['<', '>']).rsplit_once('@')?;
        let key =
            own.get(..local.len()).filter(|start| start.eq_ignore_ascii_case(local)).and(own.get(local.len()..))?.strip_prefix('+')?;
        at.eq_ignore_ascii_case(domain).then(|| key.to_owned())
    };
    let headers = ["Delivered-To", "X-Original-To", "To"].into_iter().filter_map(|name| message.header_raw(name));
    if let Some(key) = headers.flat_map(|text| text.split([',', ' '])).find_map(mine) {
        return Some(key);
    }
    message.parts.iter().find_map(|part| match &part.body {
        mail_parser::PartType::Message(inner) => inner.message_id().map(str::to_owned),
        // Only its headers came back (RFC 3462, 2).
        _ if part.content_type().is_some_and(|kind| kind.subtype().is_some_and(|own| own.eq_ignore_ascii_case("rfc822-headers"))) => {
            let text = String::from_utf8_lossy(part.contents()).into_owned();
            let line = text.lines().find_map(|line| line.to_lowercase().starts_with("message-id:").then(|| line[11..].trim().to_owned()));
            line.map(|id| id.trim_matches(['<', '>']).to_owned())
        }
        _ => None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn report(to: &str, action: &str, inner: &str) -> String {
        format!(
            "From: MAILER-DAEMON@post.example\r\nTo: {to}\r\nSubject: Undelivered\r\nMIME-Version: 1.0\r\n\
             Content-Type: multipart/report; report-type=delivery-status; boundary=\"b\"\r\n\r\n\
             --b\r\nContent-Type: text/plain\r\n\r\nSorry.\r\n\
             --b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; post.example\r\n\r\n\
             Final-Recipient: rfc822; femke@post.example\r\nAction: {action}\r\nStatus: 5.1.1\r\n\
             Diagnostic-Code: smtp; 550 5.1.1 no such\r\n user here\r\n\r\n--b\r\n{inner}\r\n--b--\r\n"
        )
    }

    fn read(raw: &str) -> Vec<Notice> {
        notices(raw.as_bytes(), "bounces@quay.example")
    }

    #[test]
    fn a_report_names_its_delivery_and_says_why() {
        let inner = "Content-Type: message/rfc822\r\n\r\nMessage-ID: <7.3.0a1b@quay.example>\r\nSubject: Your berth\r\n\r\nHello";
        let why = "no delivery for femke@post.example: 550 5.1.1 no such user here";
        let returned = |key: &str| Notice { key: key.into(), said: Said::Returned(Failure::new("bounced", why)) };
        assert_eq!(read(&report("<bounces+9.1.ff@quay.example>", "failed", inner)), [returned("9.1.ff")], "the return path goes first");
        assert_eq!(read(&report("bounces@quay.example", "failed", inner)), [returned("7.3.0a1b@quay.example")]);
        let headers = "Content-Type: text/rfc822-headers\r\n\r\nSubject: x\r\nMessage-Id: <7.4.0a1b@quay.example>\r\n";
        assert_eq!(read(&report("bounces@quay.example", "Failed", headers)), [returned("7.4.0a1b@quay.example")]);
    }

    #[test]
    fn a_delay_is_no_bounce_and_letters_of_people_are_none() {
        let inner = "Content-Type: text/plain\r\n\r\n";
        let delayed = read(&report("bounces+9.1.ff@quay.example", "delayed", inner));
        assert!(
            matches!(&delayed[..], [Notice { said: Said::Progress(text), .. }] if text.starts_with("delayed for femke@")),
            "{delayed:?}"
        );
        assert_eq!(read(&report("bounces+9.1.ff@other.example", "failed", inner)), [], "another office's");
        assert_eq!(read("To: bounces+9.1.ff@quay.example\r\nSubject: Away\r\n\r\nI am on holiday."), []);
        assert_eq!(read(&report("bounces+9.1.ff@quay.example", "eaten", inner)), []);
        assert_eq!(read("\u{0}\u{1}"), []);
    }

    #[test]
    fn each_message_has_a_return_path_of_its_own() {
        let mailbox = BounceMailbox { address: "bounces@quay.example".into(), ..BounceMailbox::default() };
        assert_eq!(mailbox.return_path("<7.3.0a1b@quay.example>").as_deref(), Some("bounces+7.3.0a1b@quay.example"));
    }

    #[test]
    fn what_is_wrong_with_a_mailbox_is_told() {
        let good = BounceMailbox {
            address: "bounces@quay.example".into(),
            host: "imap.quay.example".into(),
            port: 993,
            security: Security::Tls,
            sign_in: SignIn::Password,
            user: "bounces".into(),
            trust: String::new(),
        };
        assert_eq!(good.problem(), None);
        let open = BounceMailbox { security: Security::None, ..good.clone() };
        assert!(open.problem().expect("open").contains("unencrypted"));
        assert_eq!(BounceMailbox { host: "localhost".into(), ..open }.problem(), None, "the machine itself");
        assert!(BounceMailbox { address: "bounces".into(), ..good }.problem().is_some());
    }
}
