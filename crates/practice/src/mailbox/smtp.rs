//! The SMTP server: one session a connection, lines fed to the state machine of
//! `mailin`.

use std::io;
use std::net::IpAddr;
use std::sync::Arc;
use std::time::Duration;

use mailin::{Action, AuthMechanism, Handler, Response, SessionBuilder, response};
use tokio::io::{AsyncBufReadExt, AsyncRead, AsyncWrite, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio_rustls::TlsAcceptor;

use super::Mailbox;

/// The largest message that is taken.
const LARGEST: usize = 40 << 20;
/// The longest line of a session (RFC 5321 4.5.3.1.6 asks for 1 000).
const LONGEST_LINE: usize = 64 << 10;
/// Addresses of this domain are refused, as those of closed mailboxes are.
const CLOSED: &str = "closed.example";
const PATIENCE: Duration = Duration::from_secs(300);

/// What the mailbox asks of those who bring messages.
#[derive(Debug, Clone, Default)]
pub struct Door {
    /// Encryption, where it is offered: its certificate and key.
    pub tls: Option<Arc<rustls::ServerConfig>>,
    /// Whether it is encrypted from the begin (RFC 8314), and not once both agree (RFC 3207).
    pub from_the_begin: bool,
    /// The user name and password without which nothing is taken (RFC 4954).
    pub user: Option<(String, String)>,
}

/// Takes messages from anyone until the listener fails.
pub async fn serve(listener: TcpListener, mailbox: Mailbox) -> io::Result<()> {
    serve_behind(listener, mailbox, Door::default()).await
}

/// Takes messages behind a door until the listener fails.
pub async fn serve_behind(listener: TcpListener, mailbox: Mailbox, door: Door) -> io::Result<()> {
    let door = Arc::new(door);
    loop {
        let (stream, from) = listener.accept().await?;
        // Answers are short and waited for.
        stream.set_nodelay(true)?;
        let (mailbox, door) = (mailbox.clone(), door.clone());
        tokio::spawn(async move {
            if let Err(error) = session(stream, from.ip(), mailbox, &door).await {
                tracing::debug!(%error, "a session ended");
            }
        });
    }
}

struct Taking {
    mailbox: Mailbox,
    user: Option<(String, String)>,
    signed_in: bool,
    return_path: String,
    recipients: Vec<String>,
    data: Vec<u8>,
}

impl Handler for Taking {
    fn auth_plain(&mut self, _: &str, user: &str, password: &str) -> Response {
        self.auth_login(user, password)
    }

    fn auth_login(&mut self, user: &str, password: &str) -> Response {
        self.signed_in = self.user.as_ref().is_some_and(|(name, secret)| (name.as_str(), secret.as_str()) == (user, password));
        if self.signed_in { response::AUTH_OK } else { response::INVALID_CREDENTIALS }
    }

    fn mail(&mut self, _: IpAddr, _: &str, from: &str) -> Response {
        if self.user.is_some() && !self.signed_in {
            return response::AUTHENTICATION_REQUIRED;
        }
        from.clone_into(&mut self.return_path);
        self.recipients.clear();
        self.data.clear();
        response::OK
    }

    fn rcpt(&mut self, to: &str) -> Response {
        if to.rsplit('@').next().is_some_and(|domain| domain.eq_ignore_ascii_case(CLOSED)) {
            return Response::custom(550, format!("5.1.1 <{to}>: mailbox closed"));
        }
        self.recipients.push(to.to_owned());
        response::OK
    }

    fn data(&mut self, line: &[u8]) -> io::Result<()> {
        if self.data.len() + line.len() > LARGEST {
            return Err(io::Error::other("the message is too large"));
        }
        self.data.extend_from_slice(line);
        Ok(())
    }

    fn data_end(&mut self) -> Response {
        let received = now();
        match self.mailbox.keep(&self.return_path, std::mem::take(&mut self.recipients), received, &self.data) {
            Ok(_) => response::OK,
            Err(_) => response::INTERNAL_ERROR,
        }
    }
}

/// The moment as RFC 3339, in UTC.
pub(super) fn now() -> String {
    let seconds = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs());
    mail_parser::DateTime::from_timestamp(seconds as i64).to_rfc3339()
}

/// A connection, encrypted or not.
trait Stream: AsyncRead + AsyncWrite + Send + Unpin {}
impl<T: AsyncRead + AsyncWrite + Send + Unpin> Stream for T {}

async fn encrypted(door: &Door, stream: Box<dyn Stream>) -> io::Result<Box<dyn Stream>> {
    let config = door.tls.clone().ok_or_else(|| io::Error::other("no certificate"))?;
    Ok(Box::new(TlsAcceptor::from(config).accept(stream).await?))
}

async fn session(stream: TcpStream, from: IpAddr, mailbox: Mailbox, door: &Door) -> io::Result<()> {
    let mut stream: Box<dyn Stream> = Box::new(stream);
    let mut builder = SessionBuilder::new("practice-mailbox");
    if door.tls.is_some() && !door.from_the_begin {
        builder.enable_start_tls();
    }
    if door.user.is_some() {
        builder.enable_auth(AuthMechanism::Plain);
    }
    let taking =
        Taking { mailbox, user: door.user.clone(), signed_in: false, return_path: String::new(), recipients: Vec::new(), data: Vec::new() };
    let mut session = builder.build(from, taking);
    if door.from_the_begin {
        stream = encrypted(door, stream).await?;
        session.tls_active();
    }
    let mut read = BufReader::new(stream);
    reply(&mut read, &session.greeting()).await?;
    let mut line = Vec::new();
    loop {
        line.clear();
        // A line that is there already is not waited for.
        let there = memchr::memchr(b'\n', read.buffer()).filter(|end| *end < LONGEST_LINE);
        let length = match there {
            Some(end) => {
                line.extend_from_slice(&read.buffer()[..=end]);
                read.consume(end + 1);
                end + 1
            }
            None => {
                let limited = &mut tokio::io::AsyncReadExt::take(&mut read, LONGEST_LINE as u64);
                tokio::time::timeout(PATIENCE, limited.read_until(b'\n', &mut line)).await.map_err(io::Error::other)??
            }
        };
        if length == 0 {
            return Ok(());
        }
        let answer = session.process(&line);
        reply(&mut read, &answer).await?;
        if answer.action == Action::UpgradeTls {
            // What came in the open before both agreed is not taken for what comes after.
            read = BufReader::new(encrypted(door, read.into_inner()).await?);
            session.tls_active();
            continue;
        }
        if answer.action == Action::Close {
            return Ok(());
        }
    }
}

async fn reply(write: &mut (impl AsyncWrite + Unpin), answer: &Response) -> io::Result<()> {
    if answer.action == Action::NoReply {
        return Ok(());
    }
    let mut bytes = Vec::new();
    answer.write_to(&mut bytes)?;
    write.write_all(&bytes).await?;
    write.flush().await
}
