//! Delimited text (RFC 4180 and its relatives) in the encodings that offices use.

use std::borrow::Cow;
use std::hash::Hasher;
use std::sync::Arc;

use mangle_core::records::{Cell, RawSheet};
use rustc_hash::FxHasher;

use super::{MOST_COLUMNS, sheet};
use crate::OpenError;

/// The largest text that is opened.
const LARGEST: usize = 256 << 20;

/// Reads a delimited text.
pub(super) fn read(name: &str, bytes: &[u8]) -> Result<RawSheet, OpenError> {
    if bytes.len() > LARGEST {
        return Err(OpenError::TooLarge {
            what: format!("a text of {} MB", bytes.len() >> 20),
            limit: format!("{} MB", LARGEST >> 20),
            remedy: "split it",
        });
    }
    let text = decode(bytes);
    let delimiter = delimiter(&text);
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(delimiter).from_reader(text.as_bytes());
    let mut rows = Vec::new();
    let mut texts = Texts::default();
    let mut record = csv::ByteRecord::new();
    loop {
        match reader.read_byte_record(&mut record) {
            Ok(false) => break,
            Ok(true) => {
                // All fields lie behind one another, and are looked at in one go.
                let all = std::str::from_utf8(record.as_slice()).map_err(|e| OpenError::Damaged(e.to_string()))?;
                // Far more than a sheet may have: no need to keep it all to say so.
                let most = if rows.is_empty() { usize::MAX } else { MOST_COLUMNS + 1 };
                let fields = (0..record.len().min(most)).filter_map(|at| all.get(record.range(at)?));
                rows.push(fields.map(|cell| if cell.is_empty() { Cell::Blank } else { Cell::Text(texts.get(cell)) }).collect());
            }
            Err(error) => return Err(OpenError::Damaged(error.to_string())),
        }
    }
    sheet(name, rows)
}

/// Texts that came lately: one that comes again is shared, and costs no memory of its
/// own. Towns, dates and types come again in most sheets.
struct Texts(Vec<Option<Arc<str>>>);

/// How many are remembered, a power of two.
const REMEMBERED: usize = 4096;

impl Default for Texts {
    fn default() -> Texts {
        Texts(vec![None; REMEMBERED])
    }
}

impl Texts {
    fn get(&mut self, text: &str) -> Arc<str> {
        let mut hasher = FxHasher::default();
        hasher.write(text.as_bytes());
        let place = &mut self.0[hasher.finish() as usize % REMEMBERED];
        match place {
            Some(known) if **known == *text => known.clone(),
            _ => place.insert(text.into()).clone(),
        }
    }
}

/// Text of bytes: by byte order mark; else UTF-8 where it is valid; else UTF-16
/// where every other byte is zero; else Windows-1252.
fn decode(bytes: &[u8]) -> Cow<'_, str> {
    if let Some((encoding, _)) = encoding_rs::Encoding::for_bom(bytes) {
        return encoding.decode(bytes).0;
    }
    let head = &bytes[..bytes.len().min(4096)];
    let zeros = |from: usize| head.iter().skip(from).step_by(2).filter(|b| **b == 0).count() * 4 > head.len();
    let encoding = if zeros(1) {
        encoding_rs::UTF_16LE
    } else if zeros(0) {
        encoding_rs::UTF_16BE
    } else if let Ok(text) = std::str::from_utf8(bytes) {
        return text.into();
    } else {
        encoding_rs::WINDOWS_1252
    };
    encoding.decode(bytes).0
}

/// The sign that parts most lines into the same number of fields.
fn delimiter(text: &str) -> u8 {
    let mut counts: Vec<[usize; 4]> = Vec::new();
    let (mut line, mut quoted, mut any) = ([0usize; 4], false, false);
    for c in text.chars().take(200_000) {
        match c {
            '"' => quoted = !quoted,
            '\n' if !quoted => {
                if any {
                    counts.push(std::mem::take(&mut line));
                }
                any = false;
                if counts.len() == 50 {
                    break;
                }
            }
            c if !quoted => {
                any = any || !c.is_whitespace();
                if let Some(at) = [';', '\t', '|', ','].iter().position(|d| *d == c) {
                    line[at] += 1;
                }
            }
            _ => {}
        }
    }
    if any {
        counts.push(line);
    }
    // As often as in most lines that have it: a title above has none.
    let score = |at: usize| {
        let own = counts.iter().map(|l| l[at]).filter(|n| *n > 0);
        own.map(|most| counts.iter().filter(|l| l[at] == most).count() * 1000 + most.min(999)).max().unwrap_or(0)
    };
    let best = (0..4).max_by_key(|at| (score(*at), usize::from(*at == 3))).unwrap_or(3);
    if score(best) == 0 { b',' } else { [b';', b'\t', b'|', b','][best] }
}
