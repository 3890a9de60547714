//! The SMTP server: one session a connection, lines fed to the state machine of
//! `mailin`.

use std::io;
use std::net::IpAddr;
use std::time::Duration;

use mailin::{Action, Handler, Response, SessionBuilder, response};
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

use super::Mailbox;

/// The largest message that is taken.
const LARGEST: usize = 40 << 20;
/// The longest line of a session (RFC 5321 4.5.3.1.6 asks for 1 000).
const LONGEST_LINE: usize = 64 << 10;
/// Addresses of this domain are refused, as those of closed mailboxes are.
const CLOSED: &str = "closed.example";
const PATIENCE: Duration = Duration::from_secs(300);

/// Takes messages until the listener fails.
pub async fn serve(listener: TcpListener, mailbox: Mailbox) -> io::Result<()> {
    loop {
        let (stream, from) = listener.accept().await?;
        // Answers are short and waited for.
        stream.set_nodelay(true)?;
        let mailbox = mailbox.clone();
        tokio::spawn(async move {
            if let Err(error) = session(stream, from.ip(), mailbox).await {
                tracing::debug!(%error, "a session ended");
            }
        });
    }
}

struct Taking {
    mailbox: Mailbox,
    recipients: Vec<String>,
    data: Vec<u8>,
}

impl Handler for Taking {
    fn mail(&mut self, _: IpAddr, _: &str, _: &str) -> Response {
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
        match self.mailbox.keep(std::mem::take(&mut self.recipients), received, &self.data) {
            Ok(_) => response::OK,
            Err(_) => response::INTERNAL_ERROR,
        }
    }
}

/// The moment as RFC 3339, in UTC.
fn now() -> String {
    let seconds = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs());
    mail_parser::DateTime::from_timestamp(seconds as i64).to_rfc3339()
}

async fn session(stream: TcpStream, from: IpAddr, mailbox: Mailbox) -> io::Result<()> {
    let (read, mut write) = stream.into_split();
    let mut read = BufReader::new(read);
    let mut session = SessionBuilder::new("practice-mailbox").build(from, Taking { mailbox, recipients: Vec::new(), data: Vec::new() });
    reply(&mut write, &session.greeting()).await?;
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
        reply(&mut write, &answer).await?;
        if answer.action == Action::Close {
            return Ok(());
        }
    }
}

async fn reply(write: &mut (impl tokio::io::AsyncWrite + Unpin), answer: &Response) -> io::Result<()> {
    if answer.action == Action::NoReply {
        return Ok(());
    }
    let mut bytes = Vec::new();
    answer.write_to(&mut bytes)?;
    write.write_all(&bytes).await?;
    write.flush().await
}
