//! A mail server for tests (RFC 5321) that answers as it is told to.

use std::io::{BufRead, BufReader, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::Arc;

use anyhow::Result;

/// What the mail server is told, where its answer matters.
#[derive(Debug, Clone, Copy)]
pub enum Told<'a> {
    /// A recipient.
    Recipient(&'a str),
    /// A whole message: its recipients and its Message-ID.
    Message {
        /// To whom it is.
        recipients: &'a [String],
        /// Its Message-ID.
        id: &'a str,
    },
}

/// What the mail server does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Does {
    /// It says yes: to a message, that it has taken it.
    Takes,
    /// It answers with a code and a text.
    Answers(&'static str),
    /// It hangs up without a word.
    HangsUp,
}

/// Starts a mail server of a manner; gives its port.
pub fn mail_server(manner: impl Fn(Told<'_>) -> Does + Send + Sync + 'static) -> Result<u16> {
    let listener = TcpListener::bind("127.0.0.1:0")?;
    let port = listener.local_addr()?.port();
    let manner = Arc::new(manner);
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            let manner = manner.clone();
            // Whoever hangs up on it is no fault of the test's.
            std::thread::spawn(move || drop(talk(&stream, &*manner)));
        }
    });
    Ok(port)
}

fn talk(stream: &TcpStream, manner: &dyn Fn(Told<'_>) -> Does) -> std::io::Result<()> {
    let mut write = stream.try_clone()?;
    write.write_all(b"220 here\r\n")?;
    let (mut content, mut id, mut recipients) = (false, String::new(), Vec::new());
    for line in BufReader::new(stream).lines() {
        let line = line?;
        if content && line != "." {
            if let Some(own) = line.strip_prefix("Message-ID: ") {
                own.trim().clone_into(&mut id);
            }
            continue;
        }
        let does = match (content, line.get(..4).unwrap_or(&line)) {
            (true, _) => manner(Told::Message { recipients: &recipients, id: &id }),
            (false, "MAIL") => {
                recipients.clear();
                Does::Takes
            }
            (false, "RCPT") => {
                recipients.push(line.split(['<', '>']).nth(1).unwrap_or_default().to_owned());
                manner(Told::Recipient(recipients.last().map_or("", String::as_str)))
            }
            (false, "DATA") => Does::Answers("354 go on"),
            (false, "QUIT") => return write.write_all(b"221 bye\r\n"),
            _ => Does::Takes,
        };
        content = !content && line.starts_with("DATA");
        let answer = match does {
            Does::Takes => "250 yes",
            Does::Answers(answer) => answer,
            Does::HangsUp => return Ok(()),
        };
        write.write_all(format!("{answer}\r\n").as_bytes())?;
    }
    Ok(())
}
