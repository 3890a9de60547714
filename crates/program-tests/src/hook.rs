//! A program of another house that a web hook tells of documents.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpListener;
use std::sync::{Arc, Mutex};

use anyhow::Result;
use serde_json::Value;

/// What was posted.
#[derive(Debug, Clone)]
pub struct Posted {
    /// The message's id, the same at each try (Standard Webhooks 1.0).
    pub id: String,
    /// Its body.
    pub body: Value,
}

/// What becomes of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Answer {
    /// It is noted.
    Takes,
    /// It is noted, and the answer is lost.
    Loses,
    /// Not now (500).
    Fails,
}

/// Listens until the test is over: the port, and what was noted, in its order.
pub fn web_hook(mut answer: impl FnMut(&Posted) -> Answer + Send + 'static) -> Result<(u16, Arc<Mutex<Vec<Posted>>>)> {
    let listener = TcpListener::bind("127.0.0.1:0")?;
    let port = listener.local_addr()?.port();
    let noted = Arc::new(Mutex::new(Vec::new()));
    let own = noted.clone();
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            let Ok(other) = stream.try_clone() else { continue };
            let mut reader = BufReader::new(other);
            let head: Vec<String> = reader.by_ref().lines().map_while(Result::ok).take_while(|line| !line.is_empty()).collect();
            let header = |name: &str| {
                head.iter().filter_map(|line| line.split_once(": ")).find(|(own, _)| own.eq_ignore_ascii_case(name)).map(|(_, text)| text)
            };
            let mut body = vec![0; header("content-length").and_then(|text| text.parse().ok()).unwrap_or(0)];
            if reader.read_exact(&mut body).is_err() {
                continue;
            }
            let Ok(body) = serde_json::from_slice(&body) else { continue };
            let posted = Posted { id: header("webhook-id").unwrap_or_default().to_owned(), body };
            let does = answer(&posted);
            if does != Answer::Fails
                && let Ok(mut noted) = own.lock()
            {
                noted.push(posted);
            }
            let says: &[u8] = match does {
                Answer::Takes => b"HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 5\r\n\r\nnoted",
                Answer::Fails => b"HTTP/1.1 500 Internal Server Error\r\nConnection: close\r\nContent-Length: 0\r\n\r\n",
                Answer::Loses => continue,
            };
            // Whoever asked may be gone.
            let _ = (&stream).write_all(says);
        }
    });
    Ok((port, noted))
}
