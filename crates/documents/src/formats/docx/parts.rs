//! The parts of a DOCX package by content type (ECMA-376 part 2, 10) and the
//! relations between them (part 2, 9).

use std::collections::{HashMap, HashSet};

use mangle_core::template::Place;
use quick_xml::events::Event;
use quick_xml::reader::Reader;

use crate::OpenError;
use crate::package::Package;

/// What a part is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum PartKind {
    Document,
    Header,
    Footer,
    Notes,
    Styles,
    Numbering,
    Theme,
    Settings,
    Comments,
    Fonts,
}

impl PartKind {
    fn of(content_type: &str) -> Option<PartKind> {
        let kind = content_type.strip_suffix("+xml")?;
        let (rest, last) = kind.rsplit_once('.')?;
        Some(match last {
            "main" if rest.contains("wordprocessingml") || rest.contains("ms-word") => PartKind::Document,
            "header" => PartKind::Header,
            "footer" => PartKind::Footer,
            "footnotes" | "endnotes" => PartKind::Notes,
            "styles" => PartKind::Styles,
            "numbering" => PartKind::Numbering,
            "theme" => PartKind::Theme,
            "settings" => PartKind::Settings,
            "fontTable" => PartKind::Fonts,
            "comments" | "commentsExtended" | "commentsIds" | "commentsExtensible" => PartKind::Comments,
            _ => return None,
        })
    }

    /// Where a placeholder in such a part stands.
    pub fn place(self) -> Place {
        match self {
            PartKind::Header => Place::Header,
            PartKind::Footer => Place::Footer,
            PartKind::Notes => Place::Note,
            _ => Place::Body,
        }
    }
}

/// The parts of a template that matter, and the relations of those with text.
#[derive(Debug)]
pub struct Parts {
    /// Part name and kind; the document first, then headers, footers, notes.
    kinds: Vec<(String, PartKind)>,
    /// Part name → relation id → target part or address.
    relations: HashMap<String, HashMap<String, String>>,
}

impl Parts {
    pub(crate) fn read(package: &Package) -> Result<Parts, OpenError> {
        if !package.has("[Content_Types].xml") {
            return Err(OpenError::WrongKind { found: "a zip archive", wanted: "a DOCX document", remedy: "save the document as DOCX" });
        }
        let mut kinds: Vec<(String, PartKind)> = Vec::new();
        let (mut named, mut defaults) = (HashSet::new(), HashMap::new());
        for (element, mut attributes) in elements(package, "[Content_Types].xml")? {
            let kind = attributes.get("ContentType").and_then(|t| PartKind::of(t));
            match (element.as_str(), attributes.remove("PartName"), attributes.remove("Extension")) {
                ("Override", Some(name), _) => {
                    let name = name.trim_start_matches('/').to_owned();
                    if let Some(kind) = kind.filter(|_| package.has(&name)) {
                        kinds.push((name.clone(), kind));
                    }
                    named.insert(name);
                }
                ("Default", _, Some(extension)) => {
                    defaults.insert(extension.to_ascii_lowercase(), kind);
                }
                _ => {}
            }
        }
        // A part that is not named has the type of its extension (part 2, 10.1.2.4); of many
        // that might be the document it is the one that the package begins with.
        let main = main_part(package)?;
        for name in package.names().into_iter().filter(|name| !named.contains(*name)) {
            let kind = name.rsplit_once('.').and_then(|(_, extension)| *defaults.get(&extension.to_ascii_lowercase())?);
            if let Some(kind) = kind.filter(|kind| *kind != PartKind::Document || main.as_deref() == Some(name)) {
                kinds.push((name.to_owned(), kind));
            }
        }
        kinds.sort_by(|a, b| (a.1 as u8, &a.0).cmp(&(b.1 as u8, &b.0)));
        if kinds.first().map(|(_, kind)| *kind) != Some(PartKind::Document) {
            let found = if package.has("xl/workbook.xml") { "a workbook" } else { "an office file of another kind" };
            return Err(OpenError::WrongKind { found, wanted: "a DOCX document", remedy: "save the document as DOCX" });
        }
        let mut relations = HashMap::new();
        for (name, kind) in &kinds {
            if matches!(
                kind,
                PartKind::Document | PartKind::Header | PartKind::Footer | PartKind::Notes | PartKind::Numbering | PartKind::Fonts
            ) {
                relations.insert(name.clone(), relations_of(package, name)?);
            }
        }
        Ok(Parts { kinds, relations })
    }

    /// The parts that hold text: the document, headers, footers, notes.
    pub fn with_text(&self) -> impl Iterator<Item = (&str, PartKind)> {
        let text = |kind: PartKind| matches!(kind, PartKind::Document | PartKind::Header | PartKind::Footer | PartKind::Notes);
        self.kinds.iter().filter(move |(_, kind)| text(*kind)).map(|(name, kind)| (name.as_str(), *kind))
    }

    /// The parts of comments and of what is said about them.
    pub fn comments(&self) -> impl Iterator<Item = &str> {
        self.kinds.iter().filter(|(_, kind)| *kind == PartKind::Comments).map(|(name, _)| name.as_str())
    }

    /// The first part of a kind.
    pub fn first(&self, kind: PartKind) -> Option<&str> {
        self.kinds.iter().find(|(_, own)| *own == kind).map(|(name, _)| name.as_str())
    }

    /// Part name → relation id → target part or address.
    pub(crate) fn relations(&self) -> &HashMap<String, HashMap<String, String>> {
        &self.relations
    }

    /// All targets of all relations, for what is to be read ahead.
    pub(crate) fn targets(&self) -> impl Iterator<Item = &str> {
        self.relations.values().flat_map(|r| r.values()).map(String::as_str)
    }
}

/// The part that the package begins with.
fn main_part(package: &Package) -> Result<Option<String>, OpenError> {
    if !package.has("_rels/.rels") {
        return Ok(None);
    }
    let relations = elements(package, "_rels/.rels")?;
    let is_document = |a: &Attributes| a.get("Type").is_some_and(|kind| kind.ends_with("/officeDocument"));
    Ok(relations.into_iter().find(|(_, a)| is_document(a)).and_then(|(_, mut a)| a.remove("Target")).map(|target| resolve("", &target)))
}

fn relations_of(package: &Package, part: &str) -> Result<HashMap<String, String>, OpenError> {
    let (folder, file) = part.rsplit_once('/').unwrap_or(("", part));
    let rels = format!("{folder}/_rels/{file}.rels").trim_start_matches('/').to_owned();
    if !package.has(&rels) {
        return Ok(HashMap::new());
    }
    let mut found = HashMap::new();
    for (element, mut attributes) in elements(package, &rels)? {
        if element != "Relationship" {
            continue;
        }
        let external = attributes.get("TargetMode").is_some_and(|m| m == "External");
        if let (Some(id), Some(target)) = (attributes.remove("Id"), attributes.remove("Target")) {
            found.insert(id, if external { target } else { resolve(folder, &target) });
        }
    }
    Ok(found)
}

/// A target relative to its part's folder; `..` never leaves the package.
fn resolve(folder: &str, target: &str) -> String {
    let mut steps: Vec<&str> = if target.starts_with('/') { Vec::new() } else { folder.split('/').filter(|s| !s.is_empty()).collect() };
    for step in target.split('/') {
        match step {
            "" | "." => {}
            ".." => {
                steps.pop();
            }
            step => steps.push(step),
        }
    }
    steps.join("/")
}

type Attributes = HashMap<String, String>;

/// The elements of a small part with their attributes.
fn elements(package: &Package, part: &str) -> Result<Vec<(String, Attributes)>, OpenError> {
    let bytes = package.part(part)?;
    let broken = |why: String| OpenError::Part { part: part.to_owned(), why };
    let text = std::str::from_utf8(&bytes).map_err(|e| broken(e.to_string()))?;
    let mut reader = Reader::from_str(text.trim_start_matches('\u{feff}'));
    let mut found = Vec::new();
    loop {
        match reader.read_event().map_err(|e| broken(e.to_string()))? {
            Event::Eof => return Ok(found),
            Event::Start(tag) | Event::Empty(tag) => {
                let mut attributes = Attributes::new();
                for attribute in tag.attributes() {
                    let attribute = attribute.map_err(|e| broken(e.to_string()))?;
                    let value = attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).map_err(|e| broken(e.to_string()))?;
                    attributes.insert(attribute.key.local_name().as_ref().to_owned(), value.into_owned());
                }
                found.push((tag.local_name().as_ref().to_owned(), attributes));
            }
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::resolve;

    #[test]
    fn targets_stay_in_the_package() {
        assert_eq!(resolve("word", "media/image1.png"), "word/media/image1.png");
        assert_eq!(resolve("word", "../docProps/app.xml"), "docProps/app.xml");
        assert_eq!(resolve("word", "/word/media/a.png"), "word/media/a.png");
        assert_eq!(resolve("word", "../../../../etc/passwd"), "etc/passwd");
    }
}
