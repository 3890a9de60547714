//! Delimited text (RFC 4180 and its relatives) in the encodings that offices use.

use std::borrow::Cow;

use mangle_core::records::{Cell, RawSheet};

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
    let mut record = csv::StringRecord::new();
    loop {
        match reader.read_record(&mut record) {
            Ok(false) => break,
            Ok(true) => {
                // Far more than a sheet may have: no need to keep it all to say so.
                let most = if rows.is_empty() { usize::MAX } else { MOST_COLUMNS + 1 };
                rows.push(
                    record.iter().take(most).map(|cell| if cell.is_empty() { Cell::Blank } else { Cell::Text(cell.into()) }).collect(),
                );
            }
            Err(error) => return Err(OpenError::Damaged(error.to_string())),
        }
    }
    sheet(name, rows)
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
