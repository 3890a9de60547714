//! The filled document as a package: changed parts anew, new files with their
//! relations and content types, all else copied as it is packed.

use std::collections::HashSet;
use std::fmt::Write as _;
use std::io::{Cursor, Write};

use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use super::draw::AddedPart;
use super::{Filled, Template};
use crate::OpenError;

const TYPES: &str = "[Content_Types].xml";
const EMPTY: &str = "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"></Relationships>";

pub(super) fn docx(template: &Template, filled: &Filled) -> Result<Vec<u8>, OpenError> {
    let damaged = |e: zip::result::ZipError| OpenError::Damaged(e.to_string());
    let failed = |e: std::io::Error| OpenError::Damaged(e.to_string());
    let package = &template.package;
    let added = &filled.added;
    let mut archive = package.archive.clone();
    let mut writer = ZipWriter::new(Cursor::new(Vec::with_capacity(package.bytes.len() + 4096)));
    let options = SimpleFileOptions::default().compression_level(Some(1));
    let mut written = HashSet::new();
    for index in 0..archive.len() {
        let part = archive.by_index_raw(index).map_err(damaged)?;
        let name = part.name().map_err(damaged)?.into_owned();
        let changed = changed(template, filled, &name)?;
        match changed {
            None => writer.raw_copy_file(part).map_err(damaged)?,
            Some(bytes) => {
                drop(part);
                writer.start_file(&name, options).map_err(damaged)?;
                writer.write_all(&bytes).map_err(failed)?;
            }
        }
        written.insert(name);
    }
    for turn in &added.parts {
        writer.start_file(&turn.name, options).map_err(damaged)?;
        writer.write_all(&turn.bytes).map_err(failed)?;
        let own = relations_of(&turn.of);
        let own = if package.has(&own) { String::from_utf8_lossy(&package.part(&own)?).into_owned() } else { EMPTY.to_owned() };
        let name = relations_of(&turn.name);
        writer.start_file(&name, options).map_err(damaged)?;
        let more = added.relations.get(&turn.name).map_or(&[][..], Vec::as_slice);
        writer.write_all(with_relations(&own, more, &[]).as_bytes()).map_err(failed)?;
        written.insert(name);
    }
    for (part, relations) in &added.relations {
        let name = relations_of(part);
        if !written.contains(&name) {
            writer.start_file(&name, options).map_err(damaged)?;
            writer.write_all(with_relations(EMPTY, relations, &[]).as_bytes()).map_err(failed)?;
        }
    }
    // Pictures are packed already.
    let stored = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, bytes) in &added.media {
        let options = if name.ends_with(".svg") { options } else { stored };
        writer.start_file(name.as_ref(), options).map_err(damaged)?;
        writer.write_all(bytes).map_err(failed)?;
    }
    Ok(writer.finish().map_err(damaged)?.into_inner())
}

/// The new bytes of a part of the template; `None` when it stays.
fn changed(template: &Template, filled: &Filled, name: &str) -> Result<Option<Vec<u8>>, OpenError> {
    let added = &filled.added;
    if let Some(at) = template.parts.iter().position(|p| p.name == name) {
        let part = &template.parts[at];
        return Ok(match (part.program.is_static(), part.changed) {
            (false, _) => Some(filled.parts[at].clone()),
            (true, true) => Some(part.program.source().to_vec()),
            (true, false) => None,
        });
    }
    if let Some(empty) = template.emptied.get(name) {
        return Ok(Some(empty.clone()));
    }
    let text = |name: &str| -> Result<String, OpenError> { Ok(String::from_utf8_lossy(&template.package.part(name)?).into_owned()) };
    if name == TYPES && (!added.media.is_empty() || !added.parts.is_empty()) {
        let typed = with_types(&text(name)?, added.media.iter().map(|(name, _)| name.as_ref()));
        return Ok(Some(with_parts(typed, &added.parts).into_bytes()));
    }
    if name == template.look.numbering_part() && !added.lists.is_empty() {
        return Ok(Some(with_lists(&text(name)?, &added.lists).into_bytes()));
    }
    let document = template.parts.first().map_or("", |d| &d.name);
    let turns: &[AddedPart] = if name == relations_of(document) { &added.parts } else { &[] };
    let none = Vec::new();
    let relations = added.relations.iter().find(|(part, _)| relations_of(part) == name).map(|(_, r)| r);
    let relations = relations.or((!turns.is_empty()).then_some(&none));
    let spliced = added.spliced.get(name);
    match (relations, spliced) {
        (None, None) => Ok(None),
        (None, Some(bytes)) => Ok(Some(bytes.clone())),
        (Some(relations), spliced) => {
            let own = match spliced {
                Some(bytes) => String::from_utf8_lossy(bytes).into_owned(),
                None => text(name)?,
            };
            Ok(Some(with_relations(&own, relations, turns).into_bytes()))
        }
    }
}

/// The part of a part's relations (ECMA-376 part 2, 9.3.3).
fn relations_of(part: &str) -> String {
    let (folder, file) = part.rsplit_once('/').unwrap_or(("", part));
    format!("{folder}/_rels/{file}.rels").trim_start_matches('/').to_owned()
}

/// Puts something before the end tag of a part's root.
fn before_end(text: &str, more: &str) -> String {
    if let Some(at) = text.rfind("</") {
        return format!("{}{more}{}", &text[..at], &text[at..]);
    }
    // A root that closes itself.
    match (text.rfind("/>"), text.rfind('<')) {
        (Some(end), Some(start)) if start < end => {
            let name = text[start + 1..].split([' ', '/', '>', '\n', '\r']).next().unwrap_or_default();
            format!("{}>{more}</{name}>", &text[..end])
        }
        _ => text.to_owned(),
    }
}

fn with_relations(text: &str, relations: &[(String, std::sync::Arc<str>)], turns: &[AddedPart]) -> String {
    let kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/image";
    let mut more = String::new();
    for (id, target) in relations {
        let _ = write!(more, "<Relationship Id=\"{id}\" Type=\"{kind}\" Target=\"/{target}\"/>");
    }
    for turn in turns {
        // Of the same type as the relation to the part that it is like.
        let target = turn.of.rsplit('/').next().unwrap_or_default();
        let tag = text.split('<').find(|tag| tag.contains(&format!("{target}\""))).unwrap_or_default();
        let kind = tag.split("Type=\"").nth(1).and_then(|t| t.split('"').next()).unwrap_or_default();
        let _ = write!(more, "<Relationship Id=\"{}\" Type=\"{kind}\" Target=\"/{}\"/>", turn.relation, turn.name);
    }
    before_end(text, &more)
}

fn with_types<'a>(text: &str, files: impl Iterator<Item = &'a str>) -> String {
    let lower = text.to_ascii_lowercase();
    let mut kinds: Vec<&str> = files.filter_map(|f| f.rsplit_once('.').map(|(_, kind)| kind)).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let mut more = String::new();
    for kind in kinds.into_iter().filter(|kind| !lower.contains(&format!("extension=\"{kind}\""))) {
        let content = if kind == "svg" { "image/svg+xml".to_owned() } else { format!("image/{kind}") };
        let _ = write!(more, "<Default Extension=\"{kind}\" ContentType=\"{content}\"/>");
    }
    // Defaults stand before overrides in files that keep an order.
    match text.find("<Override") {
        Some(at) => format!("{}{more}{}", &text[..at], &text[at..]),
        None => before_end(text, &more),
    }
}

/// The types of turns' headers and footers: those of the parts that they are like.
fn with_parts(text: String, turns: &[AddedPart]) -> String {
    let mut more = String::new();
    for turn in turns {
        let tag = text.split('<').find(|tag| tag.contains(&format!("\"/{}\"", turn.of))).unwrap_or_default();
        let kind = tag.split("ContentType=\"").nth(1).and_then(|t| t.split('"').next()).unwrap_or_default();
        let _ = write!(more, "<Override PartName=\"/{}\" ContentType=\"{kind}\"/>", turn.name);
    }
    before_end(&text, &more)
}

/// Lists that count like another, from its beginning (ECMA-376 part 1, 17.9.15).
fn with_lists(text: &str, lists: &[(String, String)]) -> String {
    let options = roxmltree::ParsingOptions { allow_dtd: false, ..roxmltree::ParsingOptions::default() };
    let Ok(document) = roxmltree::Document::parse_with_options(text, options) else { return text.to_owned() };
    let root = document.root_element();
    let attribute = |node: roxmltree::Node<'_, '_>, name: &str| node.attributes().find(|a| a.name() == name).map(|a| a.value().to_owned());
    let tag = &text[root.range().start + 1..];
    let p = tag.split([' ', '>']).next().and_then(|t| t.rsplit_once(':')).map_or(String::new(), |(p, _)| format!("{p}:"));
    let mut more = String::new();
    for (number, of) in lists {
        let model = root.children().find(|n| n.tag_name().name() == "num" && attribute(*n, "numId").as_deref() == Some(of));
        let definition =
            model.and_then(|m| m.children().find(|c| c.tag_name().name() == "abstractNumId")).and_then(|d| attribute(d, "val"));
        let Some(definition) = definition else { continue };
        let _ = write!(more, "<{p}num {p}numId=\"{number}\"><{p}abstractNumId {p}val=\"{definition}\"/>");
        for level in 0..9 {
            let _ = write!(more, "<{p}lvlOverride {p}ilvl=\"{level}\"><{p}startOverride {p}val=\"1\"/></{p}lvlOverride>");
        }
        let _ = write!(more, "</{p}num>");
    }
    // Lists stand before the clean-up mark that may end the part.
    match text.find(&format!("<{p}numIdMacAtCleanup")) {
        Some(at) => format!("{}{more}{}", &text[..at], &text[at..]),
        None => before_end(text, &more),
    }
}

/// A part with its root alone.
pub(super) fn without_content(bytes: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(bytes);
    let options = roxmltree::ParsingOptions { allow_dtd: false, ..roxmltree::ParsingOptions::default() };
    let Ok(document) = roxmltree::Document::parse_with_options(&text, options) else { return bytes.to_vec() };
    let root = document.root_element();
    match (root.first_child(), root.last_child()) {
        (Some(first), Some(last)) => format!("{}{}", &text[..first.range().start], &text[last.range().end..]).into_bytes(),
        _ => bytes.to_vec(),
    }
}
