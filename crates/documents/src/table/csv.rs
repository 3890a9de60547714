//! Delimited text (RFC 4180 and its relatives) in the encodings that offices use.

use std::borrow::Cow;
use std::hash::Hasher;

use ecow::EcoString;
use mangle_core::records::{Cell, RawSheet};
use rustc_hash::FxHasher;

use super::{MOST_COLUMNS, sheet};
use crate::OpenError;

/// The largest text that is opened.
const LARGEST: usize = 256 << 20;

/// Up to how many columns are counted, to say how many are too many.
const MOST_TOLD: usize = 1 << 18;

/// Reads a delimited text.
pub(super) fn read(name: &str, bytes: &[u8]) -> Result<RawSheet, OpenError> {
    if bytes.len() > LARGEST {
        return Err(OpenError::TooLarge {
            what: format!("a {} MB text file", bytes.len() >> 20),
            limit: format!("{} MB", LARGEST >> 20),
            remedy: "split it",
        });
    }
    let text = decode(bytes);
    let delimiter = delimiter(&text);
    let parts = std::thread::available_parallelism().map_or(1, |n| n.get().min(MOST_PARTS)).min(text.len() / LEAST_PART);
    let rows = match parts {
        2.. => in_parts(&text, delimiter, parts)?,
        _ => None,
    };
    let rows = match rows {
        Some(rows) => rows,
        None => part(&text, delimiter, 0, text.len())?.0,
    };
    sheet(name, rows)
}

/// In how many parts a text is read at once.
const MOST_PARTS: usize = 4;
/// The smallest part that is worth a thread, in bytes.
const LEAST_PART: usize = 512 << 10;

/// Reads a text in parts at once, each from the start of a line. None where one of
/// them began within a quoted field: what stands there reads otherwise.
fn in_parts(text: &str, delimiter: u8, parts: usize) -> Result<Option<Vec<Vec<Cell>>>, OpenError> {
    let mut starts = vec![0];
    for at in 1..parts {
        let from = (text.len() / parts * at).max(starts[at - 1]);
        let Some(line) = text.as_bytes()[from..].iter().position(|b| *b == b'\n') else { return Ok(None) };
        starts.push(from + line + 1);
    }
    let ends = starts[1..].iter().copied().chain([text.len()]);
    let read: Vec<_> = std::thread::scope(|scope| {
        let all: Vec<_> = starts.iter().zip(ends).map(|(from, to)| scope.spawn(move || part(text, delimiter, *from, to))).collect();
        all.into_iter().map(|one| one.join()).collect()
    });
    let mut rows = Vec::new();
    for (at, one) in read.into_iter().enumerate() {
        let Ok(one) = one else { return Ok(None) };
        let (more, whole) = one?;
        if !whole && at + 1 < parts {
            return Ok(None);
        }
        rows.extend(more);
    }
    Ok(Some(rows))
}

/// The rows that begin in a part of a text, and whether the last of them ends with it.
fn part(text: &str, delimiter: u8, from: usize, to: usize) -> Result<(Vec<Vec<Cell>>, bool), OpenError> {
    let bytes = &text.as_bytes()[from..];
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(delimiter).from_reader(bytes);
    let mut rows = Vec::new();
    let mut texts = Texts::default();
    let mut record = csv::ByteRecord::new();
    loop {
        let at = usize::try_from(reader.position().byte()).unwrap_or(usize::MAX);
        match bytes.get(at..to - from) {
            // The sign that ends the last line may be left.
            Some(left) if left.iter().all(|b| matches!(b, b'\r' | b'\n')) => return Ok((rows, true)),
            Some(_) => {}
            None => return Ok((rows, false)),
        }
        match reader.read_byte_record(&mut record) {
            Ok(false) => return Ok((rows, true)),
            Ok(true) => {
                // All fields lie behind one another, and are looked at in one go.
                let all = simdutf8::basic::from_utf8(record.as_slice()).map_err(|e| OpenError::Damaged(e.to_string()))?;
                // Far more than a sheet may have: no need to keep it all to say so.
                let most = if rows.is_empty() { MOST_TOLD } else { MOST_COLUMNS + 1 };
                let width = record.len().min(most);
                let mut row = Vec::with_capacity(width);
                for at in 0..width {
                    let text = record.range(at).and_then(|range| all.get(range)).unwrap_or_default();
                    row.push(if text.is_empty() { Cell::Blank } else { Cell::Text(texts.get(text)) });
                }
                rows.push(row);
            }
            Err(error) => return Err(OpenError::Damaged(error.to_string())),
        }
    }
}

/// Long texts that came lately: one that comes again is shared, and costs no memory of
/// its own. Places and remarks come again in most sheets; short texts stand in their cell.
struct Texts(Vec<Option<EcoString>>);

/// How many are remembered, a power of two.
const REMEMBERED: usize = 4096;
/// The longest text that needs no memory beside its cell, in bytes.
const SHORT: usize = 15;

impl Default for Texts {
    fn default() -> Texts {
        Texts(vec![None; REMEMBERED])
    }
}

impl Texts {
    fn get(&mut self, text: &str) -> EcoString {
        if text.len() <= SHORT {
            return text.into();
        }
        let mut hasher = FxHasher::default();
        hasher.write(text.as_bytes());
        let place = &mut self.0[hasher.finish() as usize % REMEMBERED];
        match place {
            Some(known) if *known == *text => known.clone(),
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
    } else if let Ok(text) = simdutf8::basic::from_utf8(bytes) {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_read_in_parts_reads_as_in_one() {
        let mut texts = vec![String::new()];
        let mut whole = 0;
        for at in 0.. {
            let text = texts[at].clone();
            if text.len() <= 5 {
                texts.extend(['a', ';', '"', '\n', '\r'].map(|c| format!("{text}{c}")));
            }
            let one = part(&text, b';', 0, text.len()).expect("reads").0;
            for parts in [2, 3] {
                if let Some(rows) = in_parts(&text, b';', parts).expect("reads") {
                    assert_eq!(rows, one, "{text:?} in {parts} parts");
                    whole += usize::from(rows.len() > 1);
                }
            }
            if at == 4_000 {
                break;
            }
        }
        assert!(whole > 500, "{whole} read in parts");
    }

    #[test]
    fn a_line_break_within_quotes_where_a_part_begins_is_no_end_of_a_row() {
        let text = format!("Ref;Note\n{}BQ-1;\"a first line of a note\nlines\"\n{}", "BQ-0;one\n".repeat(39), "BQ-2;one\n".repeat(39));
        let at = text.find("lines").expect("the second line");
        assert!(at > text.len() / 2 && at < text.len() / 2 + 24, "{at} of {}", text.len());
        assert_eq!(in_parts(&text, b';', 2).expect("reads"), None);
        let large = text.repeat(3_000);
        let rows = read("notes.csv", large.as_bytes()).expect("reads").rows;
        let notes = rows.iter().filter(|r| r[1] == Cell::Text("a first line of a note\nlines".into())).count();
        assert_eq!((rows.len(), notes), (80 * 3_000 - 1, 3_000));
    }
}
