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
use crate::docx::{PartKind, Parts};
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
            tables_hang,
        })
    }

    /// The pictures of its relations.
    pub fn pictures(&self) -> &Pictures {
        &self.pictures
    }

    /// The distance of tab stops that no paragraph sets, in points.
    pub fn tab_distance(&self) -> f64 {
        self.tab
    }

    /// What a relation of a part leads to.
    pub(super) fn target(&self, part: &str, id: &str) -> Option<&str> {
        self.relations.get(part)?.get(id).map(String::as_str)
    }
}
