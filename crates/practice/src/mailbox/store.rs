//! Messages as files: `1.eml`, `2.eml`, …, and their envelopes in one list, a line each.

use std::fs::{File, OpenOptions};
use std::io::Write;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};

use mail_parser::{MessageParser, MimeHeaders};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::Returned;

/// A message in a list.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Summary {
    /// Its number in the mailbox, from 1.
    pub number: u32,
    /// When it came, RFC 3339.
    pub received: String,
    /// Who sent it, as its header says.
    pub from: String,
    /// Whom it is to, as its header says.
    pub to: String,
    /// Its subject.
    pub subject: String,
    /// Whom the envelope named: copies and blind copies, too.
    pub recipients: Vec<String>,
    /// Whom it comes back to where it can't be delivered: the envelope's return path.
    #[serde(default)]
    pub return_path: String,
    /// Its Message-ID.
    pub message_id: String,
    /// How many attachments it has.
    pub attachments: usize,
    /// Its size in bytes.
    pub size: usize,
}

/// A message, opened.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Message {
    /// What the list shows.
    #[serde(flatten)]
    pub summary: Summary,
    /// Copies, as its header says.
    pub cc: String,
    /// Its text.
    pub text: String,
    /// The same as HTML, where it has it; its pictures lead to the mailbox.
    pub html: Option<String>,
    /// Its attachments.
    pub files: Vec<Attachment>,
}

/// An attachment.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Attachment {
    /// Its file name.
    pub name: String,
    /// Its media type.
    pub kind: String,
    /// Its size in bytes.
    pub size: usize,
    /// Its content.
    #[serde(skip)]
    pub bytes: Vec<u8>,
}

/// The mailbox. Clones share it.
#[derive(Debug, Clone)]
pub struct Mailbox {
    folder: Arc<PathBuf>,
    list: Arc<Mutex<List>>,
    /// Messages that came back.
    pub returned: Returned,
}

/// What came, and the file that says so.
#[derive(Debug)]
struct List {
    messages: Vec<Summary>,
    file: File,
}

impl Mailbox {
    /// Opens the mailbox of a folder, with the messages that it holds.
    pub fn open(folder: impl Into<PathBuf>) -> std::io::Result<Mailbox> {
        let folder = folder.into();
        std::fs::create_dir_all(&folder)?;
        let path = folder.join("list.jsonl");
        let text = std::fs::read_to_string(&path).unwrap_or_default();
        // A last line that was not written whole is of no message.
        let messages = text.lines().filter_map(|line| serde_json::from_str(line).ok()).collect();
        let mut file = OpenOptions::new().create(true).append(true).open(&path)?;
        if !text.is_empty() && !text.ends_with('\n') {
            file.write_all(b"\n")?;
        }
        Ok(Mailbox { folder: Arc::new(folder), list: Arc::new(Mutex::new(List { messages, file })), returned: Returned::default() })
    }

    /// Keeps a message; it is on disk when this returns.
    pub fn keep(&self, return_path: &str, recipients: Vec<String>, received: String, raw: &[u8]) -> std::io::Result<Summary> {
        // Its list says what the head of a message says; what is in it is read when it is opened.
        let parsed = MessageParser::default().parse_headers(raw);
        let header = |name: &str| parsed.as_ref().and_then(|m| m.header_raw(name).map(|h| h.trim().to_owned())).unwrap_or_default();
        let mut list = self.lock();
        let number = list.messages.last().map_or(1, |last| last.number + 1);
        let summary = Summary {
            number,
            received,
            from: addresses(parsed.as_ref().and_then(|m| m.from())),
            to: addresses(parsed.as_ref().and_then(|m| m.to())),
            subject: parsed.as_ref().and_then(|m| m.subject()).unwrap_or_default().to_owned(),
            recipients,
            return_path: return_path.to_owned(),
            message_id: header("Message-ID"),
            attachments: attachments(raw),
            size: raw.len(),
        };
        std::fs::write(self.folder.join(format!("{number}.eml")), raw)?;
        let mut line = serde_json::to_vec(&summary)?;
        line.push(b'\n');
        list.file.write_all(&line)?;
        list.messages.push(summary.clone());
        Ok(summary)
    }

    /// How many messages there are.
    pub fn count(&self) -> usize {
        self.lock().messages.len()
    }

    /// All messages, the newest first.
    pub fn list(&self) -> Vec<Summary> {
        self.lock().messages.iter().rev().cloned().collect()
    }

    /// A message's bytes as they came.
    pub fn raw(&self, number: u32) -> Option<Vec<u8>> {
        std::fs::read(self.folder.join(format!("{number}.eml"))).ok()
    }

    /// A message, opened.
    pub fn message(&self, number: u32) -> Option<Message> {
        let summary = self.lock().messages.iter().find(|s| s.number == number)?.clone();
        let raw = self.raw(number)?;
        let parsed = MessageParser::default().parse(&raw)?;
        let html = parsed.html_body.first().and_then(|part| parsed.parts.get(*part as usize)).filter(|part| part.is_text_html());
        let html = html.and_then(|part| part.text_contents()).map(|html| shown(number, html));
        let files = parsed
            .attachments()
            .filter(|part| part.content_id().is_none())
            .map(|part| Attachment {
                name: part.attachment_name().unwrap_or("attachment").to_owned(),
                kind: part
                    .content_type()
                    .map(|c| format!("{}/{}", c.ctype(), c.subtype().unwrap_or("octet-stream")))
                    .unwrap_or_else(|| "application/octet-stream".into()),
                size: part.contents().len(),
                bytes: part.contents().to_vec(),
            })
            .collect();
        Some(Message {
            cc: addresses(parsed.cc()),
            text: parsed.body_text(0).map(|t| t.into_owned()).unwrap_or_default(),
            html,
            files,
            summary,
        })
    }

    /// A picture that a message shows: its media type and bytes.
    pub fn inline(&self, number: u32, id: &str) -> Option<(String, Vec<u8>)> {
        let raw = self.raw(number)?;
        let parsed = MessageParser::default().parse(&raw)?;
        let part = parsed.parts.iter().find(|part| part.content_id() == Some(id))?;
        let kind = part.content_type().map(|c| format!("{}/{}", c.ctype(), c.subtype().unwrap_or("octet-stream")))?;
        Some((kind, part.contents().to_vec()))
    }

    /// Throws all messages away.
    pub fn clear(&self) -> std::io::Result<usize> {
        let mut list = self.lock();
        list.file.set_len(0)?;
        let messages = std::mem::take(&mut list.messages);
        for summary in &messages {
            std::fs::remove_file(self.folder.join(format!("{}.eml", summary.number)))?;
        }
        Ok(messages.len())
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, List> {
        self.list.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }
}

/// A message's HTML with its pictures (RFC 2392) where the mailbox has them.
fn shown(number: u32, html: &str) -> String {
    html.replace("\"cid:", &format!("\"/api/practice/mailbox/{number}/inline/"))
}

/// How many parts of a message call themselves attachments (RFC 2183 2.2).
fn attachments(raw: &[u8]) -> usize {
    const MARK: &[u8] = b"content-disposition: attachment";
    let starts = memchr::memchr_iter(b'\n', raw).map(|end| end + 1);
    std::iter::once(0).chain(starts).filter(|at| raw[*at..].get(..MARK.len()).is_some_and(|l| l.eq_ignore_ascii_case(MARK))).count()
}

fn addresses(list: Option<&mail_parser::Address<'_>>) -> String {
    let one = |a: &mail_parser::Addr<'_>| match (a.name(), a.address()) {
        (Some(name), Some(address)) => format!("{name} <{address}>"),
        (_, address) => address.unwrap_or_default().to_owned(),
    };
    list.map(|l| l.iter().map(one).collect::<Vec<_>>().join(", ")).unwrap_or_default()
}
