//! What all documents of a template share: styles, lists, pictures, the parts
//! that headers and footers come from. Read once per template.

use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

use quick_xml::events::Event;
use quick_xml::reader::Reader;
use roxmltree::Node;
use typst::foundations::Bytes;

use super::numbering::Numbering;
use super::properties::{Theme, color};
use super::styles::Styles;
use super::xml::{Ask, parse};
use crate::OpenError;
use crate::formats::docx::{Added, PartKind, Parts};
use crate::layout::{FontSet, Pictures};
use crate::model::{Line, NumberFormat, TextStyle};
use crate::package::Package;

/// The most fonts that a document brings.
const MOST_FONTS: usize = 64;

/// The most that a page's last line may hang into the margin, in points.
const MOST_HANG: f64 = 2.5;

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
    /// The main text, and the width between its margins once it was asked for.
    text: Arc<[u8]>,
    room: OnceLock<f64>,
    numbering_part: String,
    /// Tables reach into the left margin by their cell margin (older documents).
    pub(super) tables_hang: bool,
    pub(super) settings: Settings,
    fonts: Arc<FontSet>,
    /// The parts of footnotes and endnotes.
    pub(super) notes: [Option<String>; 2],
}

/// What the document's settings say (ECMA-376 part 1, 17.15).
#[derive(Debug, Clone, Copy)]
pub(super) struct Settings {
    /// Whether words are parted at the ends of lines.
    pub hyphenate: bool,
    /// Whether even pages have headers and footers of their own.
    pub even_and_odd: bool,
    /// Whether spaces between paragraphs add up.
    pub adds_spaces: bool,
    /// How footnotes and endnotes are numbered.
    pub note_formats: [NumberFormat; 2],
}

impl Default for Settings {
    fn default() -> Self {
        Settings {
            hyphenate: false,
            even_and_odd: false,
            adds_spaces: false,
            note_formats: [NumberFormat::Decimal, NumberFormat::LowerRoman],
        }
    }
}

impl Settings {
    fn read<'a>(root: Node<'a, 'a>) -> Settings {
        let mut settings = Settings {
            hyphenate: root.toggle("autoHyphenation") == Some(true),
            even_and_odd: root.toggle("evenAndOddHeaders") == Some(true),
            adds_spaces: root.child("compat").is_some_and(|c| c.toggle("doNotUseHTMLParagraphAutoSpacing") == Some(true)),
            ..Settings::default()
        };
        for (to, name) in settings.note_formats.iter_mut().zip(["footnotePr", "endnotePr"]) {
            if let Some(format) = root.child(name).and_then(|p| p.val("numFmt")) {
                *to = NumberFormat::of(format);
            }
        }
        settings
    }
}

/// Reads the theme's fonts and colours (ECMA-376 part 1, 20.1.6).
fn theme<'a>(root: Node<'a, 'a>) -> Theme {
    let face = |kind: &str, script: &str| {
        let name = root.find(kind)?.child(script)?.attr("typeface")?;
        (!name.is_empty()).then(|| Arc::from(name))
    };
    let colors = root.find("clrScheme").into_iter().flat_map(|s| s.elements()).filter_map(|slot| {
        let own = slot.elements().next()?;
        Some((slot.name().to_owned(), own.attr("lastClr").or_else(|| own.attr("val")).and_then(color)?))
    });
    Theme {
        major: face("majorFont", "latin"),
        minor: face("minorFont", "latin"),
        major_complex: face("majorFont", "cs"),
        minor_complex: face("minorFont", "cs"),
        colors: colors.collect(),
    }
}

impl Look {
    /// Reads what a template's documents share.
    pub(crate) fn read(package: &Package, parts: &Parts, fonts: &Arc<FontSet>) -> Result<Look, OpenError> {
        let read = |kind: PartKind| parts.first(kind).map(|name| package.part(name).map(|bytes| (name, bytes))).transpose();
        let broken = |part: &str| {
            let part = part.to_owned();
            move |why: String| OpenError::Part { part, why }
        };
        let theme = match read(PartKind::Theme)? {
            Some((name, bytes)) => theme(parse(&bytes).map_err(broken(name))?.root_element()),
            None => Theme::default(),
        };
        let styles = match read(PartKind::Styles)? {
            Some((name, bytes)) => Styles::read(parse(&bytes).map_err(broken(name))?.root_element(), theme),
            None => Styles::default(),
        };
        let numbering = match read(PartKind::Numbering)? {
            Some((name, bytes)) => Numbering::read(parse(&bytes).map_err(broken(name))?.root_element(), &styles.theme),
            None => Numbering::default(),
        };
        let (mut tab, mut tables_hang, mut settings) = (36.0, true, Settings::default());
        if let Some((name, bytes)) = read(PartKind::Settings)? {
            let document = parse(&bytes).map_err(broken(name))?;
            let root = document.root_element();
            tab = root.child("defaultTabStop").and_then(|t| t.twips("val")).filter(|t| *t > 1.0).unwrap_or(36.0);
            let mode = root.child("compat").into_iter().flat_map(|c| c.elements()).find(|s| s.attr("name") == Some("compatibilityMode"));
            settings = Settings::read(root);
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
            text: read(PartKind::Document)?.map(|(_, text)| text).unwrap_or_default(),
            room: OnceLock::new(),
            numbering_part: parts.first(PartKind::Numbering).unwrap_or_default().to_owned(),
            tables_hang,
            settings,
            fonts: with_embedded(package, parts, fonts)?,
            notes: [notes_part(package, parts, "footnotes")?, notes_part(package, parts, "endnotes")?],
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
        *self.room.get_or_init(|| parse(&self.text).map_or(468.0, |document| room(document.root_element())))
    }

    /// The first number free for lists.
    pub(crate) fn next_list(&self) -> u32 {
        self.numbering.next_number()
    }

    /// The part that defines lists.
    pub(crate) fn numbering_part(&self) -> &str {
        &self.numbering_part
    }

    /// The fonts that show its text.
    pub(crate) fn fonts(&self) -> &FontSet {
        &self.fonts
    }

    /// What a line of the default style has beyond its font's own distance; no more
    /// than a hair.
    pub(super) fn hangs(&self) -> f64 {
        let mut layer = self.styles.defaults.paragraph.clone();
        let mut text = TextStyle { font: Arc::from("Times New Roman"), size: 10.0, ..TextStyle::default() };
        self.styles.defaults.text.over(&mut text);
        if let Some(style) = self.styles.paragraph(None) {
            style.paragraph.over(&mut layer);
            style.text.over_style(&mut text);
        }
        match layer.line {
            Some(Line::Times(times)) if times > 1.0 => {
                let metrics = self.fonts.metrics(&self.fonts.stand_in(&text.font).shown, false, false);
                let beyond = (metrics.ascent + metrics.descent + metrics.gap) * text.size * (times - 1.0);
                if beyond <= MOST_HANG { beyond } else { 0.0 }
            }
            _ => 0.0,
        }
    }

    /// The distance of tab stops that no paragraph sets, in points.
    pub(super) fn tab_distance(&self) -> f64 {
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

/// The fonts with those that the document brings itself (ECMA-376 part 1, 17.8).
fn with_embedded(package: &Package, parts: &Parts, fonts: &Arc<FontSet>) -> Result<Arc<FontSet>, OpenError> {
    let Some(table) = parts.first(PartKind::Fonts) else { return Ok(fonts.clone()) };
    let relations = parts.relations().get(table);
    let bytes = package.part(table)?;
    // A table that can't be read costs the fonts, not the document.
    let Ok(document) = parse(&bytes) else { return Ok(fonts.clone()) };
    let mut files = Vec::new();
    for font in document.root_element().elements().filter(|f| f.name() == "font") {
        for face in ["embedRegular", "embedBold", "embedItalic", "embedBoldItalic"].iter().filter_map(|n| font.child(n)) {
            let target = face.attr("id").and_then(|id| relations?.get(id));
            if let Some(target) = target.filter(|t| package.has(t))
                && files.len() < MOST_FONTS
            {
                files.push(uncovered(package.part(target)?.to_vec(), face.attr("fontKey").unwrap_or_default()));
            }
        }
    }
    Ok(if files.is_empty() { fonts.clone() } else { Arc::new(fonts.with(files)) })
}

/// An embedded font as its file: its first 32 bytes are covered by a key (17.8.1).
fn uncovered(mut file: Vec<u8>, key: &str) -> Vec<u8> {
    let digits: Vec<u8> = key.bytes().filter(u8::is_ascii_hexdigit).filter_map(|b| char::from(b).to_digit(16)).map(|d| d as u8).collect();
    if digits.len() == 32 {
        let key: Vec<u8> = digits.chunks(2).rev().map(|pair| pair[0] << 4 | pair[1]).collect();
        for (at, byte) in file.iter_mut().take(32).enumerate() {
            *byte ^= key[at % 16];
        }
    }
    file
}

/// The part of footnotes or endnotes: the one whose root is called so.
fn notes_part(package: &Package, parts: &Parts, root: &str) -> Result<Option<String>, OpenError> {
    for (name, _) in parts.with_text().filter(|(_, kind)| *kind == PartKind::Notes) {
        if is_root(&package.part(name)?, root) {
            return Ok(Some(name.to_owned()));
        }
    }
    Ok(None)
}

/// Whether the first element of a part has this local name.
fn is_root(bytes: &[u8], name: &str) -> bool {
    let mut reader = Reader::from_reader(bytes);
    loop {
        match reader.read_event() {
            Ok(Event::Start(tag) | Event::Empty(tag)) => return tag.local_name().as_ref() == name,
            Ok(Event::Eof) | Err(_) => return false,
            Ok(_) => {}
        }
    }
}

/// The width between the margins of the first section, in points.
pub(super) fn room<'a>(root: Node<'a, 'a>) -> f64 {
    let section = root.find("sectPr");
    let side = |element: &str, name: &str, own: f64| section.and_then(|s| s.child(element)).and_then(|e| e.twips(name)).unwrap_or(own);
    let room = side("pgSz", "w", 612.0) - side("pgMar", "left", 72.0) - side("pgMar", "right", 72.0);
    room.clamp(36.0, 5000.0)
}
