//! Placeholders in attributes and small texts: where links lead, the document's
//! title and subject. Each is a text template; the rest is copied.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

use mangle_core::diagnostic::Diagnostic;
use mangle_core::language::Scope;
use mangle_core::template::{FillError, Place, Placeholder, TextTemplate};
use quick_xml::events::Event;
use quick_xml::reader::Reader;

/// A small part with placeholders.
#[derive(Debug)]
pub(super) struct Spliced {
    bytes: Arc<[u8]>,
    pieces: Vec<Piece>,
}

#[derive(Debug)]
struct Piece {
    range: Range<usize>,
    text: TextTemplate,
    /// The target as the template has it: what does not belong into an address
    /// is percent-encoded.
    address: Option<String>,
}

impl Spliced {
    /// The targets of links in a part of relations.
    pub fn relations(bytes: Arc<[u8]>) -> Option<Spliced> {
        let mut pieces = Vec::new();
        let whole = std::str::from_utf8(&bytes).ok()?;
        let mut from = 0;
        while let Some(at) = whole[from..].find("Target=\"") {
            let start = from + at + 8;
            let end = start + whole[start..].find('"')?;
            let tag = whole[..start].rfind('<').map_or("", |open| &whole[open..end + whole[end..].find('>').unwrap_or(0)]);
            let plain = decoded(&quick_xml::escape::unescape(&whole[start..end]).ok()?);
            if tag.contains("TargetMode=\"External\"") && plain.contains("[:") {
                let raw = quick_xml::escape::unescape(&whole[start..end]).ok()?.into_owned();
                pieces.push(Piece { range: start..end, text: TextTemplate::new(&plain), address: Some(raw) });
            }
            from = end;
        }
        (!pieces.is_empty()).then_some(Spliced { bytes, pieces })
    }

    /// The title, subject, keywords and description among a document's properties.
    pub fn properties(bytes: Arc<[u8]>) -> Option<Spliced> {
        let mut pieces = Vec::new();
        let mut reader = Reader::from_reader(&bytes[..]);
        let mut open = false;
        loop {
            let start = reader.buffer_position() as usize;
            match reader.read_event().ok()? {
                Event::Eof => break,
                Event::Start(tag) => {
                    open = matches!(tag.local_name().as_ref(), "title" | "subject" | "keywords" | "description" | "category");
                }
                Event::End(_) => open = false,
                Event::Text(_) if open => {
                    let range = start..reader.buffer_position() as usize;
                    let raw = std::str::from_utf8(&bytes[range.clone()]).ok()?;
                    let plain = quick_xml::escape::unescape(raw).ok()?;
                    if plain.contains("[:") {
                        pieces.push(Piece { range, text: TextTemplate::new(&plain), address: None });
                    }
                }
                _ => {}
            }
        }
        (!pieces.is_empty()).then_some(Spliced { bytes, pieces })
    }

    pub fn placeholders(&self) -> impl Iterator<Item = Placeholder> {
        self.pieces.iter().flat_map(|p| p.text.placeholders()).map(|p| Placeholder { place: Place::Text, ..p.clone() })
    }

    pub fn problems(&self) -> impl Iterator<Item = Diagnostic> {
        self.pieces.iter().flat_map(|p| p.text.problems()).cloned()
    }

    /// The part for one record; notes where each link leads.
    pub fn fill(&self, scope: &Scope<'_>, links: &mut HashMap<String, String>) -> Result<Vec<u8>, FillError> {
        let mut out = Vec::with_capacity(self.bytes.len() + 256);
        let mut at = 0;
        for piece in &self.pieces {
            out.extend_from_slice(&self.bytes[at..piece.range.start]);
            let filled = piece.text.fill(scope)?;
            let filled = match &piece.address {
                Some(raw) => {
                    let address = encoded(&filled);
                    links.insert(raw.clone(), address.clone());
                    address
                }
                None => filled,
            };
            out.extend_from_slice(super::draw::escape(&filled).as_bytes());
            at = piece.range.end;
        }
        out.extend_from_slice(&self.bytes[at..]);
        Ok(out)
    }
}

/// Undoes the percent-encoding that word processors put on placeholders in
/// addresses (RFC 3986, 2.1).
fn decoded(text: &str) -> String {
    let mut out = Vec::with_capacity(text.len());
    let bytes = text.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let code = (bytes[at] == b'%').then(|| text.get(at + 1..at + 3).and_then(|hex| u8::from_str_radix(hex, 16).ok())).flatten();
        out.push(code.unwrap_or(bytes[at]));
        at += if code.is_some() { 3 } else { 1 };
    }
    String::from_utf8(out).unwrap_or_else(|_| text.to_owned())
}

/// Signs that may not stand in an address are percent-encoded; an address that
/// would run a script leads nowhere.
fn encoded(address: &str) -> String {
    let address = address.trim();
    let scheme = address.split(':').next().unwrap_or_default().to_ascii_lowercase();
    if address.contains(':') && matches!(scheme.as_str(), "javascript" | "vbscript" | "data" | "file") {
        return "about:blank".to_owned();
    }
    let mut out = String::with_capacity(address.len());
    for byte in address.bytes() {
        match byte {
            b'A'..=b'Z'
            | b'a'..=b'z'
            | b'0'..=b'9'
            | b'-'
            | b'.'
            | b'_'
            | b'~'
            | b':'
            | b'/'
            | b'?'
            | b'#'
            | b'['
            | b']'
            | b'@'
            | b'!'
            | b'$'
            | b'&'
            | b'\''
            | b'('
            | b')'
            | b'*'
            | b'+'
            | b','
            | b';'
            | b'='
            | b'%' => {
                out.push(char::from(byte));
            }
            other => out.push_str(&format!("%{other:02X}")),
        }
    }
    out
}
