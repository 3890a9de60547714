//! ODS (OpenDocument 1.3). The content is made ready for the reading library first: it
//! takes nothing but cells within rows, while programs also write white space there; and
//! it unfolds repeated cells without a limit.

use std::io::{Cursor, Write};
use std::sync::Arc;

use calamine::{Ods, open_workbook_from_rs};
use mangle_core::records::RawSheet;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, Writer, XmlVersion};
use zip::write::SimpleFileOptions;

use super::merged;
use super::workbook::{MOST_CELLS, sheets, too_many_cells};
use crate::OpenError;
use crate::package::Package;

pub(super) fn read(package: &Package) -> Result<Vec<RawSheet>, OpenError> {
    let content = package.part("content.xml")?;
    let ready = made_ready(&content)?;
    let merged = match memchr::memmem::find(&content, b"number-rows-spanned").is_some() {
        true => merged::of_tables(&content),
        false => Vec::new(),
    };
    let workbook: Ods<_> = open_workbook_from_rs(Cursor::new(packed(package, &ready)?)).map_err(|e: calamine::OdsError| match e {
        calamine::OdsError::Password => OpenError::WrongKind {
            found: "a workbook protected by a password",
            wanted: super::WANTED,
            remedy: "save it without the password",
        },
        other => OpenError::Damaged(other.to_string()),
    })?;
    sheets(workbook, &merged)
}

/// A package with the parts that are read and no others.
fn packed(package: &Package, content: &[u8]) -> Result<Arc<[u8]>, OpenError> {
    let broken = |e: &dyn std::fmt::Display| OpenError::Damaged(e.to_string());
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let how = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let mut put = |name: &str, bytes: &[u8]| -> Result<(), OpenError> {
        writer.start_file(name, how).map_err(|e| broken(&e))?;
        writer.write_all(bytes).map_err(|e| broken(&e))
    };
    put("mimetype", &package.part("mimetype")?)?;
    // It tells whether the content is encrypted.
    match package.has("META-INF/manifest.xml") {
        true => put("META-INF/manifest.xml", &package.part("META-INF/manifest.xml")?)?,
        false => {
            put("META-INF/manifest.xml", b"<manifest:manifest xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\"/>")?
        }
    }
    put("content.xml", content)?;
    Ok(writer.finish().map_err(|e| broken(&e))?.into_inner().into())
}

/// The content without white space between cells and rows; refused where its cells, with
/// what is repeated, are too many.
fn made_ready(content: &[u8]) -> Result<Vec<u8>, OpenError> {
    let broken = |why: String| OpenError::Part { part: "content.xml".to_owned(), why };
    let mut reader = Reader::from_reader(content);
    let mut writer = Writer::new(Vec::with_capacity(content.len()));
    // How deep in a cell's own content, where white space counts.
    let mut within = 0usize;
    let (mut rows, mut all, mut name) = (1u64, 0u64, String::new());
    loop {
        let event = reader.read_event().map_err(|e| broken(e.to_string()))?;
        match &event {
            Event::Eof => return Ok(writer.into_inner()),
            Event::Text(text) if within == 0 && text.as_ref().bytes().all(|b| b.is_ascii_whitespace()) => continue,
            Event::Comment(_) => continue,
            Event::Start(tag) | Event::Empty(tag) => {
                let open = matches!(event, Event::Start(_));
                match tag.name().as_ref() {
                    "table:table" => name = attribute(tag, "table:name").unwrap_or_default(),
                    "table:table-row" => rows = count(tag, "table:number-rows-repeated"),
                    "table:table-cell" | "table:covered-table-cell" => {
                        let holds = open || tag.try_get_attribute("office:value-type").is_ok_and(|a| a.is_some());
                        if holds {
                            all = all.saturating_add(rows.saturating_mul(count(tag, "table:number-columns-repeated")));
                            if all > MOST_CELLS {
                                return Err(too_many_cells(&name));
                            }
                        }
                        within += usize::from(open && within == 0);
                    }
                    _ => within += usize::from(open && within > 0),
                }
            }
            Event::End(_) => within = within.saturating_sub(1),
            _ => {}
        }
        writer.write_event(event).map_err(|e| broken(e.to_string()))?;
    }
}

fn attribute(tag: &BytesStart<'_>, name: &str) -> Option<String> {
    let value = tag.try_get_attribute(name).ok()??;
    Some(value.normalized_value(XmlVersion::Implicit1_0).ok()?.into_owned())
}

fn count(tag: &BytesStart<'_>, name: &str) -> u64 {
    attribute(tag, name).and_then(|n| n.parse().ok()).unwrap_or(1).max(1)
}
