//! Messages that come back: a delivery status notification (RFC 3464) of one that a person picks,
//! in a mailbox of its own.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use serde::Deserialize;
use utoipa::ToSchema;

use super::smtp::now;
use super::{Mailbox, Summary};

/// Why a message comes back.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Bounce {
    /// The recipient whom it did not reach; blank for all.
    #[serde(default)]
    pub recipient: String,
    /// What the other server said: `550 5.1.1 no such user`.
    pub reason: String,
}

/// The mailbox that messages come back to. Clones share it.
#[derive(Debug, Clone, Default)]
pub struct Returned(Arc<Mutex<Vec<Letter>>>);

/// A message in it.
#[derive(Debug, Clone)]
pub struct Letter {
    /// Its number, which stays its own (RFC 3501, 2.3.1.1).
    pub uid: u32,
    /// Whether it was read.
    pub seen: bool,
    /// Whether it is to be thrown away.
    pub deleted: bool,
    /// Its bytes.
    pub raw: Arc<[u8]>,
}

impl Returned {
    pub(super) fn lock(&self) -> MutexGuard<'_, Vec<Letter>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Puts a message in.
    pub fn put(&self, raw: Vec<u8>) {
        let mut all = self.lock();
        let uid = all.last().map_or(1, |last| last.uid + 1);
        all.push(Letter { uid, seen: false, deleted: false, raw: raw.into() });
    }

    /// How many it holds, and how many of them are unread.
    pub fn count(&self) -> (usize, usize) {
        let all = self.lock();
        (all.len(), all.iter().filter(|letter| !letter.seen).count())
    }
}

impl Mailbox {
    /// Has a message come back; whether it is there and says where to.
    pub fn bounce(&self, number: u32, bounce: &Bounce) -> bool {
        let Some(summary) = self.list().into_iter().find(|own| own.number == number && !own.return_path.is_empty()) else { return false };
        let Some(raw) = self.raw(number) else { return false };
        self.returned.put(notification(&summary, &raw, bounce).into_bytes());
        true
    }
}

/// What a server writes that could not deliver a message.
fn notification(summary: &Summary, raw: &[u8], bounce: &Bounce) -> String {
    let clean = |text: &str| text.chars().filter(|c| !c.is_control()).collect::<String>();
    let reason = clean(&bounce.reason);
    let status =
        reason.split(' ').find(|word| word.split('.').count() == 3 && word.starts_with(['2', '4', '5'])).unwrap_or("5.0.0").to_owned();
    // A server that can't deliver it yet says so and goes on (RFC 3464, 2.3.3).
    let action = if status.starts_with('4') { "delayed" } else { "failed" };
    let to: Vec<&String> = summary.recipients.iter().filter(|to| bounce.recipient.is_empty() || **to == bounce.recipient).collect();
    let each: String = to
        .iter()
        .map(|to| {
            format!("\r\nFinal-Recipient: rfc822; {to}\r\nAction: {action}\r\nStatus: {status}\r\nDiagnostic-Code: smtp; {reason}\r\n")
        })
        .collect();
    let text = String::from_utf8_lossy(raw);
    let headers = text.split("\r\n\r\n").next().unwrap_or_default();
    let mark = format!("practice-{}-{}", summary.number, summary.size);
    format!(
        "From: Mail delivery <mailer-daemon@practice.example>\r\nTo: <{}>\r\nDate: {}\r\nMessage-ID: <{mark}@practice.example>\r\n\
         Subject: Undelivered mail returned to sender\r\nAuto-Submitted: auto-replied\r\nMIME-Version: 1.0\r\n\
         Content-Type: multipart/report; report-type=delivery-status; boundary=\"{mark}\"\r\n\r\n\
         --{mark}\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nThe message could not be delivered: {reason}\r\n\
         --{mark}\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; practice.example\r\n{each}\
         --{mark}\r\nContent-Type: text/rfc822-headers\r\n\r\n{headers}\r\n--{mark}--\r\n",
        summary.return_path,
        now(),
    )
}
