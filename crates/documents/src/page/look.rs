//! What all documents of a template share: styles, lists, pictures, the parts
//! that headers and footers come from. Read once per template.

use std::collections::HashMap;
use std::sync::Arc;

use typst::foundations::Bytes;

use super::numbering::Numbering;
use super::properties::Theme;
use super::styles::Styles;
use super::xml::{Ask, parse};
use crate::OpenError;
use crate::docx::{Added, PartKind, Parts};
use crate::package::Package;

/// Pictures by part name.
pub type Pictures = HashMap<Arc<str>, Bytes>;

/// What the documents of a template share.
#[derive(Debug)]
pub struct Look {
    pub(super) styles: Styles,
    pub(super) numbering: Numbering,
    pictures: Pictures,
    pub(super) document: String,
    /// Part → relation id → target.
    pub(super) relations: HashMap<String, HashMap<String, String>>,
    /// The distance of tab stops that no paragraph sets.
    tab: f64,
    room: f64,
    numbering_part: String,
    /// Tables reach into the left margin by their cell margin (older documents).
    pub(super) tables_hang: bool,
}

impl Look {
    /// Reads what a template's documents share.
    pub(crate) fn read(package: &Package, parts: &Parts) -> Result<Look, OpenError> {
        let read = |kind: PartKind| parts.first(kind).map(|name| package.part(name).map(|bytes| (name, bytes))).transpose();
        let broken = |part: &str| {
            let part = part.to_owned();
            move |why: String| OpenError::Part { part, why }
        };
        let mut theme = Theme::default();
        if let Some((name, bytes)) = read(PartKind::Theme)? {
            let document = parse(&bytes).map_err(broken(name))?;
            let face = |kind: &str| {
                let latin = document.root_element().find(kind)?.child("latin")?.attr("typeface")?;
                (!latin.is_empty()).then(|| Arc::from(latin))
            };
            theme = Theme { major: face("majorFont"), minor: face("minorFont") };
        }
        let styles = match read(PartKind::Styles)? {
            Some((name, bytes)) => Styles::read(parse(&bytes).map_err(broken(name))?.root_element(), theme),
            None => Styles::default(),
        };
        let numbering = match read(PartKind::Numbering)? {
            Some((name, bytes)) => Numbering::read(parse(&bytes).map_err(broken(name))?.root_element(), &styles.theme),
            None => Numbering::default(),
        };
        let (mut tab, mut tables_hang) = (36.0, true);
        if let Some((name, bytes)) = read(PartKind::Settings)? {
            let document = parse(&bytes).map_err(broken(name))?;
            let root = document.root_element();
            tab = root.child("defaultTabStop").and_then(|t| t.twips("val")).filter(|t| *t > 1.0).unwrap_or(36.0);
            let mode = root.child("compat").into_iter().flat_map(|c| c.elements()).find(|s| s.attr("name") == Some("compatibilityMode"));
            tables_hang = mode.and_then(|m| m.number("val")).is_none_or(|mode| mode < 15.0);
        }
        let mut pictures = Pictures::new();
        for target in parts.targets() {
            let kind = target.rsplit_once('.').map(|(_, e)| e.to_ascii_lowercase());
            if matches!(kind.as_deref(), Some("png" | "jpg" | "jpeg" | "gif" | "webp" | "svg"))
                && package.has(target)
                && !pictures.contains_key(target)
            {
                pictures.insert(Arc::from(target), Bytes::new(package.part(target)?));
            }
        }
        Ok(Look {
            styles,
            numbering,
            pictures,
            document: parts.first(PartKind::Document).unwrap_or_default().to_owned(),
            relations: parts.relations().clone(),
            tab,
            room: room(package, parts)?,
            numbering_part: parts.first(PartKind::Numbering).unwrap_or_default().to_owned(),
            tables_hang,
        })
    }

    /// The template's pictures and those that filling added.
    pub(crate) fn pictures_with(&self, added: &Added) -> Pictures {
        let mut all = self.pictures.clone();
        all.extend(added.media.iter().map(|(name, bytes)| (name.clone(), Bytes::new(bytes.clone()))));
        all
    }

    /// The width of the text of the first section, in points.
    pub(crate) fn room(&self) -> f64 {
        self.room
    }

    /// The first number free for lists.
    pub(crate) fn next_list(&self) -> u32 {
        self.numbering.next_number()
    }

    /// The part that defines lists.
    pub(crate) fn numbering_part(&self) -> &str {
        &self.numbering_part
    }

    /// The distance of tab stops that no paragraph sets, in points.
    pub fn tab_distance(&self) -> f64 {
        self.tab
    }

    /// What a relation of a part of the template leads to.
    pub(crate) fn relation(&self, part: &str, id: &str) -> Option<&str> {
        self.relations.get(part).and_then(|r| r.get(id)).map(String::as_str)
    }

    /// The document's relations that lead to a part.
    pub(crate) fn relations_to(&self, part: &str) -> impl Iterator<Item = &str> {
        let own = self.relations.get(&self.document).into_iter().flatten();
        own.filter(move |(_, target)| *target == part).map(|(id, _)| id.as_str())
    }

    /// What a relation of a part leads to.
    pub(super) fn target<'a>(&'a self, added: &'a Added, part: &str, id: &str) -> Option<&'a str> {
        // A turn's header has the relations of the one that it is like.
        let of = added.parts.iter().find(|own| own.name == part).map_or(part, |own| &own.of);
        let own = self.relation(of, id);
        let turn = || added.parts.iter().find(|own| part == self.document && own.relation == id).map(|own| own.name.as_str());
        own.or_else(turn).or_else(|| added.relations.get(part)?.iter().find(|(own, _)| own == id).map(|(_, target)| target.as_ref()))
    }

    /// Whether there is a picture of this name.
    pub(super) fn picture<'a>(&'a self, added: &'a Added, part: &str) -> Option<&'a Arc<str>> {
        let own = self.pictures.get_key_value(part).map(|(name, _)| name);
        own.or_else(|| added.media.iter().map(|(name, _)| name).find(|name| &***name == part))
    }
}

/// The width between the margins of the first section.
fn room(package: &Package, parts: &Parts) -> Result<f64, OpenError> {
    let Some(name) = parts.first(PartKind::Document) else { return Ok(451.0) };
    let bytes = package.part(name)?;
    let document = parse(&bytes).map_err(|why| OpenError::Part { part: name.to_owned(), why })?;
    let section = document.root_element().find("sectPr");
    let side = |element: &str, name: &str, own: f64| section.and_then(|s| s.child(element)).and_then(|e| e.twips(name)).unwrap_or(own);
    let room = side("pgSz", "w", 595.3) - side("pgMar", "left", 72.0) - side("pgMar", "right", 72.0);
    Ok(room.clamp(36.0, 5000.0))
}
