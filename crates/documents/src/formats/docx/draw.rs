//! What is drawn into a filled document: pictures, barcodes, signature fields.
//! Their files and relations are gathered while the parts are filled.

use std::collections::HashMap;
use std::fmt::Write as _;
use std::sync::{Arc, Mutex};

use mangle_core::language::plain;
use mangle_core::language::syntax::{SignerField, Sizes, Symbology};
use mangle_core::language::{Fault, Folded, Scope};
use mangle_core::template::{Draw, Drawing, FillError};
use mangle_core::value::{Locale, Value};
use sha2::{Digest, Sha256};

use super::Part;
use super::look::Look;
use crate::barcode;
use crate::formats::SignerPlace;
use crate::picture::{self, Pictures, Prepared};

/// English metric units to the point (ECMA-376 part 1, 20.1.2.1).
const EMU: f64 = 12_700.0;
/// How many prepared pictures a template keeps from record to record.
const KEPT: usize = 64;

/// What filling adds to a document.
#[derive(Debug, Default)]
pub struct Added {
    /// Files by their names in the package.
    pub(crate) media: Vec<(Arc<str>, Arc<[u8]>)>,
    /// Part → relation id and file.
    pub(crate) relations: HashMap<String, Vec<(String, Arc<str>)>>,
    /// Lists that count like another, from its beginning.
    pub(crate) lists: Vec<(String, String)>,
    /// Signature fields by the number of their drawing.
    pub(crate) signers: HashMap<u32, SignerPlace>,
    /// Headers and footers of turns.
    pub(crate) parts: Vec<AddedPart>,
    /// Small parts that changed: relations with filled targets, properties.
    pub(crate) spliced: HashMap<String, Vec<u8>>,
    /// Where links with placeholders lead, by their target in the template.
    pub(crate) links: HashMap<String, String>,
}

/// A header or footer that takes the record of a turn.
#[derive(Debug)]
pub(crate) struct AddedPart {
    /// Its name in the package.
    pub name: String,
    /// The template's part that it is like.
    pub of: String,
    /// The document's relation to it.
    pub relation: String,
    pub bytes: Vec<u8>,
}

/// Pictures prepared for earlier records, by content and size.
#[derive(Debug, Default)]
pub(super) struct Shelf(Mutex<HashMap<[u8; 32], Prepared>>);

impl Shelf {
    fn get(&self, key: &[u8; 32]) -> Option<Prepared> {
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).get(key).cloned()
    }

    fn keep(&self, key: [u8; 32], prepared: &Prepared) {
        let mut kept = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if kept.len() >= KEPT {
            kept.clear();
        }
        kept.insert(key, prepared.clone());
    }
}

/// Draws into one document.
pub(super) struct Artist<'a> {
    pub pictures: &'a dyn Pictures,
    pub shelf: &'a Shelf,
    /// The first list number free.
    pub next_list: u32,
    /// The part that is being filled.
    pub part: String,
    pub added: Added,
    /// Drawings so far.
    pub drawn: u32,
    /// The template's parts with text, the document first.
    pub parts: &'a [Part],
    pub look: &'a Look,
}

impl Draw for Artist<'_> {
    fn draw(&mut self, drawing: &Drawing<'_>, instead: Option<&[u8]>) -> Result<Option<Vec<u8>>, Fault> {
        match drawing {
            Drawing::Picture { value, sizes } => self.picture(value, sizes, instead).map_err(|e| Fault::Drawing(e.to_string())),
            Drawing::Barcode { code, value, with } => {
                let symbol = barcode::encode(code.symbology, code.level, value, with).map_err(|e| Fault::Drawing(e.to_string()))?;
                let frame = instead.and_then(frame_of);
                let (width, height) = size_of_symbol(&symbol, &code.sizes, frame);
                let rows = if symbol.bars { (height / width * symbol.width as f64).round().max(1.0) as usize } else { symbol.height };
                let prepared =
                    Prepared { bytes: symbol.png(rows, 8).into(), kind: "png", vector: Some(symbol.svg(rows).into()), width, height };
                let what = if code.symbology == Symbology::Payment {
                    "payment code".to_owned()
                } else {
                    format!("{} barcode", code.symbology.word())
                };
                let text = match code.symbology {
                    Symbology::Payment => what,
                    _ => format!("{what} of {}", plain(value, &Locale::english()).unwrap_or_default()),
                };
                Ok(Some(self.place(&prepared, &text, instead)))
            }
            Drawing::Signer(field) => Ok(Some(self.signer(field))),
        }
    }

    fn list_anew(&mut self, list: &str) -> String {
        let number = self.next_list.to_string();
        self.next_list += 1;
        self.added.lists.push((number.clone(), list.to_owned()));
        number
    }

    fn beside(&mut self, relation: &str, scope: &Scope<'_>) -> Result<Option<String>, Vec<FillError>> {
        let Some(document) = self.parts.first().filter(|d| d.name == self.part) else { return Ok(None) };
        let of = self.look.relation(&document.name, relation);
        let Some(part) = self.parts.iter().find(|p| Some(p.name.as_str()) == of).filter(|p| !p.program.is_static()) else {
            return Ok(None);
        };
        let number = self.added.parts.len() + 1;
        let stem = part.name.strip_suffix(".xml").unwrap_or(&part.name);
        let name = format!("{stem}-turn{number}.xml");
        let outer = std::mem::replace(&mut self.part, name.clone());
        let mut bytes = Vec::new();
        let errors = part.program.fill(scope, &mut bytes, self).errors;
        self.part = outer;
        if !errors.is_empty() {
            return Err(errors);
        }
        let relation = format!("turn{number}");
        self.added.parts.push(AddedPart { name, of: part.name.clone(), relation: relation.clone(), bytes });
        Ok(Some(relation))
    }
}

impl Artist<'_> {
    /// Begins the next part.
    pub fn begin(&mut self, part: &str) {
        self.part = part.to_owned();
    }

    fn picture(&mut self, value: &Value, sizes: &Sizes, instead: Option<&[u8]>) -> Result<Option<Vec<u8>>, picture::PictureFault> {
        let (name, alternative) = named(value);
        if name.is_empty() {
            return Ok(None);
        }
        let bytes = match picture::data_address(&name) {
            Some(bytes) => bytes?,
            None => self.pictures.load(&name)?,
        };
        let shown = if name.starts_with("data:") { "picture in the record" } else { &name };
        let frame = instead.and_then(frame_of);
        let key = Sha256::new().chain_update(&*bytes).chain_update(format!("{sizes:?} {frame:?} {}", self.look.room())).finalize().into();
        let prepared = match self.shelf.get(&key) {
            Some(ready) => ready,
            None => {
                let ready = picture::prepare(shown, &bytes, sizes, frame, self.look.room())?;
                self.shelf.keep(key, &ready);
                ready
            }
        };
        let stem = shown.rsplit(['/', '\\']).next().unwrap_or(shown);
        let stem = stem.rsplit_once('.').map_or(stem, |(stem, _)| stem);
        Ok(Some(self.place(&prepared, alternative.as_deref().unwrap_or(stem), instead)))
    }

    /// The file of a picture in the package; the same bytes are stored once.
    fn file(&mut self, bytes: &Arc<[u8]>, kind: &str) -> Arc<str> {
        let digest = Sha256::digest(bytes);
        let name: String = digest.iter().take(8).map(|b| format!("{b:02x}")).collect();
        let path: Arc<str> = format!("word/media/made-{name}.{kind}").into();
        if !self.added.media.iter().any(|(own, _)| *own == path) {
            self.added.media.push((path.clone(), bytes.clone()));
        }
        path
    }

    /// A relation of the part at hand to a file.
    fn relation(&mut self, file: &Arc<str>) -> String {
        let own = self.added.relations.entry(self.part.clone()).or_default();
        if let Some((id, _)) = own.iter().find(|(_, target)| target == file) {
            return id.clone();
        }
        let id = format!("made{}", own.len() + 1);
        own.push((id.clone(), file.clone()));
        id
    }

    fn place(&mut self, prepared: &Prepared, alternative: &str, instead: Option<&[u8]>) -> Vec<u8> {
        let file = self.file(&prepared.bytes, prepared.kind);
        let dots = self.relation(&file);
        let lines = prepared.vector.as_ref().map(|vector| {
            let file = self.file(vector, "svg");
            self.relation(&file)
        });
        let blip = blip(&dots, lines.as_deref());
        match instead {
            Some(drawing) => replaced(drawing, &blip, (prepared.width, prepared.height), alternative),
            None => self.inline(&blip, (prepared.width, prepared.height), "Picture", alternative),
        }
    }

    fn inline(&mut self, blip: &str, (width, height): (f64, f64), name: &str, alternative: &str) -> Vec<u8> {
        self.drawn += 1;
        // Numbers of our own, above those that a template's drawings have.
        let id = 1_500_000_000 + self.drawn;
        let (cx, cy) = ((width * EMU).round() as i64, (height * EMU).round() as i64);
        let (name, alternative) = (escape(name), escape(alternative));
        let main = "http://schemas.openxmlformats.org/drawingml/2006";
        let word = "http://schemas.openxmlformats.org/wordprocessingml/2006/main";
        format!(
            "<w:drawing xmlns:w=\"{word}\"><wp:inline xmlns:wp=\"{main}/wordprocessingDrawing\" distT=\"0\" distB=\"0\" distL=\"0\" distR=\"0\"><wp:extent cx=\"{cx}\" cy=\"{cy}\"/><wp:docPr id=\"{id}\" name=\"{name} {n}\" descr=\"{alternative}\"/><wp:cNvGraphicFramePr><a:graphicFrameLocks xmlns:a=\"{main}/main\" noChangeAspect=\"1\"/></wp:cNvGraphicFramePr><a:graphic xmlns:a=\"{main}/main\"><a:graphicData uri=\"{main}/picture\"><pic:pic xmlns:pic=\"{main}/picture\"><pic:nvPicPr><pic:cNvPr id=\"{id}\" name=\"{name} {n}\"/><pic:cNvPicPr/></pic:nvPicPr><pic:blipFill>{blip}<a:stretch><a:fillRect/></a:stretch></pic:blipFill><pic:spPr><a:xfrm><a:off x=\"0\" y=\"0\"/><a:ext cx=\"{cx}\" cy=\"{cy}\"/></a:xfrm><a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom></pic:spPr></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing>",
            n = self.drawn
        )
        .into_bytes()
    }

    /// A signature field is a picture of nothing that keeps its place free.
    fn signer(&mut self, field: &SignerField) -> Vec<u8> {
        let place = SignerPlace::of(field);
        let label = if field.label.is_empty() { field.field.word() } else { &field.label };
        let nothing: Arc<[u8]> = NOTHING.clone();
        let file = self.file(&nothing, "png");
        let relation = self.relation(&file);
        let drawing = self.inline(&blip(&relation, None), place.size, "Field", &format!("{label} of {}", field.role.text));
        self.added.signers.insert(1_500_000_000 + self.drawn, place);
        drawing
    }
}

/// One see-through dot.
static NOTHING: std::sync::LazyLock<Arc<[u8]>> = std::sync::LazyLock::new(|| {
    let mut out = std::io::Cursor::new(Vec::new());
    let _ = image::RgbaImage::new(1, 1).write_to(&mut out, image::ImageFormat::Png);
    out.into_inner().into()
});

/// The picture's name, and its alternative text where the value is a record that
/// has one.
fn named(value: &Value) -> (String, Option<String>) {
    let text = |value: &Value| plain(value, &Locale::english()).unwrap_or_default().trim().to_owned();
    match value {
        Value::Record(record) => {
            let first = |names: &[&str]| names.iter().find_map(|name| record.get(&Folded::new(name)).filter(|v| !v.is_blank()).map(text));
            let name = first(&["file", "data", "url", "address", "photo", "picture", "image"]).unwrap_or_default();
            (name, first(&["alternative text", "alt", "caption", "description", "title"]))
        }
        Value::List(items) => items.iter().find(|i| !i.is_blank()).map(named).unwrap_or_default(),
        other => (text(other), None),
    }
}

/// The printed size of a symbol: square ones as asked for or 2.5 cm, bars 1.2 cm
/// high and 0.33 mm a module wide (GS1 General Specifications, 5.2.1).
fn size_of_symbol(symbol: &barcode::Symbol, sizes: &Sizes, frame: Option<(f64, f64)>) -> (f64, f64) {
    let across = symbol.width as f64;
    if symbol.bars {
        let own = (across * 0.33 * 72.0 / 25.4, 34.0);
        return match (sizes.fit, sizes.width, sizes.height, frame) {
            (Some(size), ..) => size,
            (None, None, None, Some(frame)) => frame,
            (None, width, height, _) => (width.unwrap_or(own.0), height.unwrap_or(own.1)),
        };
    }
    let own = (71.0, 71.0 * symbol.height as f64 / across);
    picture::printed(own, sizes, frame, f64::MAX)
}

/// A relation to dots, and to lines for programs that draw them (MS-ODRAWXML 2.2.6).
fn blip(dots: &str, lines: Option<&str>) -> String {
    let relations = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let mut out =
        format!("<a:blip xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" xmlns:r=\"{relations}\" r:embed=\"{dots}\"");
    match lines {
        None => out.push_str("/>"),
        Some(lines) => {
            let _ = write!(
                out,
                "><a:extLst><a:ext uri=\"{{96DAC541-7B7A-43D3-8B79-37D633B846F1}}\"><asvg:svgBlip xmlns:asvg=\"http://schemas.microsoft.com/office/drawing/2016/SVG/main\" r:embed=\"{lines}\"/></a:ext></a:extLst></a:blip>"
            );
        }
    }
    out
}

/// The box of a drawing, in points.
fn frame_of(drawing: &[u8]) -> Option<(f64, f64)> {
    let text = std::str::from_utf8(drawing).ok()?;
    let side = |name: &str| attribute(text, "extent", name).and_then(|r| text[r].parse::<f64>().ok()).map(|n| n / EMU).filter(|n| *n > 0.5);
    Some((side("cx")?, side("cy")?))
}

/// Where the value of an attribute stands in the first tag of a local name.
fn attribute(text: &str, element: &str, name: &str) -> Option<std::ops::Range<usize>> {
    let mut from = 0;
    while let Some(at) = text[from..].find('<') {
        let start = from + at + 1;
        let end = start + text[start..].find('>')?;
        let tag = &text[start..end];
        let local = tag.split([' ', '/', '\n', '\t']).next()?.rsplit(':').next()?;
        if local == element {
            let value = tag.find(&format!(" {name}=\"")).map(|at| start + at + name.len() + 3)?;
            return Some(value..value + text[value..].find('"')?);
        }
        from = end;
    }
    None
}

/// A drawing of the template with another picture, size and alternative text.
fn replaced(drawing: &[u8], blip: &str, (width, height): (f64, f64), alternative: &str) -> Vec<u8> {
    let mut text = String::from_utf8_lossy(drawing).into_owned();
    let mut set = |element: &str, name: &str, value: &str| {
        if let Some(range) = attribute(&text, element, name) {
            text.replace_range(range, value);
        }
    };
    let (cx, cy) = (((width * EMU).round() as i64).to_string(), ((height * EMU).round() as i64).to_string());
    set("extent", "cx", &cx);
    set("extent", "cy", &cy);
    set("docPr", "descr", &escape(alternative));
    set("cNvPr", "descr", &escape(alternative));
    // The picture's own frame: the `ext` behind its `off`.
    if let Some(at) = text.find("<a:off") {
        let (head, tail) = text.split_at(at);
        let mut tail = tail.to_owned();
        for (name, value) in [("cx", &cx), ("cy", &cy)] {
            if let Some(range) = attribute(&tail, "ext", name) {
                tail.replace_range(range, value);
            }
        }
        text = format!("{head}{tail}");
    }
    if let Some(start) = text.find("<a:blip")
        && let Some(length) = text[start..].find("</a:blip>").map(|at| at + 9).or_else(|| text[start..].find("/>").map(|at| at + 2))
    {
        let first_close = text[start..].find("/>").map_or(usize::MAX, |at| at + 2);
        let tag_end = text[start..].find('>').map_or(0, |at| at + 1);
        // A tag that closes itself ends there, whatever follows.
        let length = if first_close == tag_end { first_close } else { length };
        text.replace_range(start..start + length, blip);
    }
    text.into_bytes()
}

/// Text for an attribute.
pub(super) fn escape(text: &str) -> String {
    quick_xml::escape::escape(text.chars().filter(|c| !c.is_control()).collect::<String>()).into_owned()
}
