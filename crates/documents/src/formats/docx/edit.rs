//! A placeholder written anew within its document: all else stays byte for byte.

use std::io::{Cursor, Write};

use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use super::Template;
use crate::OpenError;
use crate::formats::EditError;

/// The longest text of a placeholder, in bytes.
const LONGEST: usize = 10_000;

impl Template {
    /// The document with one of its placeholders written anew.
    pub fn rewritten(&self, number: usize, text: &str) -> Result<Vec<u8>, EditError> {
        if number >= self.placeholders.len() {
            return Err(EditError::NoSuch(number));
        }
        let text = text.trim();
        let is_one = text.starts_with("[:") && text.ends_with(']') && text.len() <= LONGEST && !text.chars().any(char::is_control);
        if !is_one {
            return Err(EditError::NotOne);
        }
        let of = |part: &&super::Part| part.marks.iter().any(|m| m.number as usize == number);
        let part = self.parts.iter().find(of).filter(|p| !p.changed).ok_or(EditError::Elsewhere)?;
        let source = part.program.source();
        let mut spots: Vec<_> = part.marks.iter().filter(|m| m.number as usize == number).map(|m| m.at.clone()).collect();
        spots.sort_by_key(|at| at.start);
        // Marks of other placeholders show that this one's bytes are its own.
        let own: String = spots.iter().filter_map(|at| std::str::from_utf8(source.get(at.clone())?).ok()).collect();
        if !own.starts_with("[:") || !own.ends_with(']') {
            return Err(EditError::Elsewhere);
        }
        let mut bytes = Vec::with_capacity(source.len() + text.len());
        let mut at = 0;
        for (index, spot) in spots.iter().enumerate() {
            bytes.extend_from_slice(&source[at..spot.start]);
            if index == 0 {
                bytes.extend_from_slice(quick_xml::escape::escape(text).as_bytes());
            }
            at = spot.end;
        }
        bytes.extend_from_slice(&source[at..]);
        Ok(self.with_part(&part.name, &bytes)?)
    }

    fn with_part(&self, changed: &str, bytes: &[u8]) -> Result<Vec<u8>, OpenError> {
        let damaged = |e: zip::result::ZipError| OpenError::Damaged(e.to_string());
        let mut archive = self.package.archive.clone();
        let mut writer = ZipWriter::new(Cursor::new(Vec::with_capacity(self.package.bytes.len() + 4096)));
        for index in 0..archive.len() {
            let part = archive.by_index_raw(index).map_err(damaged)?;
            let name = part.name().map_err(damaged)?.into_owned();
            if name != changed {
                writer.raw_copy_file(part).map_err(damaged)?;
                continue;
            }
            drop(part);
            writer.start_file(&name, SimpleFileOptions::default()).map_err(damaged)?;
            writer.write_all(bytes).map_err(|e| OpenError::Damaged(e.to_string()))?;
        }
        Ok(writer.finish().map_err(damaged)?.into_inner())
    }
}
