//! The fonts that ship with Mangle, those that a document or a person brings, and
//! which of them stands in for which.

use std::collections::HashMap;
use std::sync::{Arc, LazyLock};

use typst::foundations::Bytes;
use typst::text::{Font, FontBook, FontStyle};
use typst::utils::LazyHash;

use crate::model::TextStyle;

macro_rules! shipped {
    ($($file:literal),* $(,)?) => {
        [$(include_bytes!(concat!("../../fonts/", $file)).as_slice()),*]
    };
}

/// The faces, embedded in the program.
static FACES: [&[u8]; 38] = shipped![
    "LiberationSerif-Regular.ttf",
    "LiberationSerif-Bold.ttf",
    "LiberationSerif-Italic.ttf",
    "LiberationSerif-BoldItalic.ttf",
    "LiberationSans-Regular.ttf",
    "LiberationSans-Bold.ttf",
    "LiberationSans-Italic.ttf",
    "LiberationSans-BoldItalic.ttf",
    "LiberationMono-Regular.ttf",
    "LiberationMono-Bold.ttf",
    "LiberationMono-Italic.ttf",
    "LiberationMono-BoldItalic.ttf",
    "Carlito-Regular.ttf",
    "Carlito-Bold.ttf",
    "Carlito-Italic.ttf",
    "Carlito-BoldItalic.ttf",
    "Caladea-Regular.ttf",
    "Caladea-Bold.ttf",
    "Caladea-Italic.ttf",
    "Caladea-BoldItalic.ttf",
    "NotoSansArabic-Regular.ttf",
    "NotoSansArabic-Bold.ttf",
    "NotoSansHebrew-Regular.ttf",
    "NotoSansHebrew-Bold.ttf",
    "DejaVuSans.ttf",
    "DejaVuSans-Bold.ttf",
    "NotoSans-Regular.ttf",
    "NotoSans-Bold.ttf",
    "NotoSans-Italic.ttf",
    "NotoSans-BoldItalic.ttf",
    "NotoSerif-Regular.ttf",
    "NotoSerif-Bold.ttf",
    "NotoSansThai-Regular.ttf",
    "NotoSansThai-Bold.ttf",
    "NotoSansDevanagari-Regular.ttf",
    "NotoSansDevanagari-Bold.ttf",
    "DroidSansFallbackFull.ttf",
    "Symbola.ttf",
];

/// Fonts as the typesetter takes them.
#[derive(Debug)]
pub struct FontSet {
    pub(super) book: LazyHash<FontBook>,
    pub(super) fonts: Vec<Font>,
    /// Family in lowercase, bold, italic → the font.
    by_face: HashMap<(String, bool, bool), usize>,
    metrics: Vec<Metrics>,
}

/// Ascent, descent and extra distance between lines, per point of size, as the
/// `hhea` table has them (OpenType 1.9).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Metrics {
    pub ascent: f64,
    pub descent: f64,
    pub gap: f64,
}

static SHIPPED: LazyLock<Arc<FontSet>> =
    LazyLock::new(|| Arc::new(FontSet::of(FACES.iter().filter_map(|face| Font::new(Bytes::new(*face), 0)).collect())));

impl FontSet {
    /// The fonts that ship with Mangle.
    pub fn shipped() -> &'static Arc<FontSet> {
        &SHIPPED
    }

    fn of(fonts: Vec<Font>) -> FontSet {
        let mut by_face = HashMap::new();
        let mut metrics = Vec::with_capacity(fonts.len());
        for (at, font) in fonts.iter().enumerate() {
            let info = font.info();
            let italic = info.variant.style != FontStyle::Normal;
            by_face.insert((info.family.to_lowercase(), info.variant.weight.to_number() >= 600, italic), at);
            metrics.push(Metrics::of(font));
        }
        FontSet { book: LazyHash::new(FontBook::from_fonts(&fonts)), fonts, by_face, metrics }
    }

    /// These and further fonts (OpenType, TrueType, collections of them); those
    /// further ones that can't be read are left out.
    pub fn with(&self, files: impl IntoIterator<Item = Vec<u8>>) -> FontSet {
        let further = files.into_iter().flat_map(|file| Font::iter(Bytes::new(file)).collect::<Vec<_>>());
        // What is asked for first is found first: a document's own font wins.
        FontSet::of(self.fonts.iter().cloned().chain(further).collect())
    }

    fn has(&self, family: &str) -> bool {
        let family = family.to_lowercase();
        [(false, false), (true, false), (false, true), (true, true)]
            .into_iter()
            .any(|(bold, italic)| self.by_face.contains_key(&(family.clone(), bold, italic)))
    }

    /// The family that shows a font: itself, or one of the same widths where there
    /// is one.
    pub fn stand_in(&self, asked: &str) -> FontUse {
        if self.has(asked) {
            return FontUse { asked: asked.to_owned(), shown: asked.to_owned(), same_widths: true };
        }
        let (shown, same_widths) = shipped_for(asked);
        FontUse { asked: asked.to_owned(), shown: shown.to_owned(), same_widths }
    }

    fn face(&self, family: &str, bold: bool, italic: bool) -> Option<usize> {
        let family = family.to_lowercase();
        let find = |bold, italic| self.by_face.get(&(family.clone(), bold, italic)).copied();
        find(bold, italic).or_else(|| find(false, italic)).or_else(|| find(bold, false)).or_else(|| find(false, false))
    }

    pub(crate) fn metrics(&self, family: &str, bold: bool, italic: bool) -> Metrics {
        self.face(family, bold, italic).map_or(Metrics { ascent: 0.9, descent: 0.22, gap: 0.03 }, |at| self.metrics[at])
    }

    /// How wide a text is in its look, in points, where its font tells.
    pub(super) fn text_width(&self, text: &str, style: &TextStyle) -> Option<f64> {
        if style.small_caps || style.raise != Default::default() || style.kerning.is_some() || style.stretch != 0.0 {
            return None;
        }
        let shown = self.stand_in(&style.font).shown;
        let upper;
        let text = match style.caps {
            true => {
                upper = text.to_uppercase();
                &upper
            }
            false => text,
        };
        let own = self.width(&shown, style.bold, style.italic, text)?;
        Some(own * style.size + style.tracking * text.chars().count() as f64)
    }

    /// How wide text is per point of size, its signs one beside the other; `None`
    /// where the font lacks one or they are drawn together.
    pub(crate) fn width(&self, family: &str, bold: bool, italic: bool, text: &str) -> Option<f64> {
        let font = &self.fonts[self.face(family, bold, italic)?];
        let face = ttf_parser::Face::parse(font.data().as_slice(), font.index()).ok()?;
        let per_em = f64::from(face.units_per_em()).max(1.0);
        text.chars().try_fold(0.0, |sum, c| {
            // Scripts beyond the simple ones are shaped.
            if u32::from(c) >= 0x590 && !('\u{1e00}'..='\u{27ff}').contains(&c) {
                return None;
            }
            let glyph = face.glyph_index(c)?;
            Some(sum + f64::from(face.glyph_hor_advance(glyph)?) / per_em)
        })
    }
}

impl Metrics {
    fn of(font: &Font) -> Metrics {
        let Ok(face) = ttf_parser::Face::parse(font.data().as_slice(), font.index()) else {
            return Metrics { ascent: 0.9, descent: 0.22, gap: 0.03 };
        };
        let per_em = f64::from(face.units_per_em()).max(1.0);
        Metrics {
            ascent: f64::from(face.ascender()) / per_em,
            descent: -f64::from(face.descender()) / per_em,
            gap: f64::from(face.line_gap()).max(0.0) / per_em,
        }
    }
}

/// Font files that a person or a document brings: whether they can be used, and the
/// families in them.
pub fn families(file: &[u8]) -> Vec<String> {
    let mut found: Vec<String> = Font::iter(Bytes::new(file.to_vec())).map(|f| f.info().family.clone()).collect();
    found.sort();
    found.dedup();
    found
}

/// A font that a document asks for and the one that shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FontUse {
    /// As the document names it.
    pub asked: String,
    /// The family that shows it.
    pub shown: String,
    /// Whether every line breaks where it does in the font asked for.
    pub same_widths: bool,
}

/// The shipped family that shows a font, and whether it has the same widths.
fn shipped_for(asked: &str) -> (&'static str, bool) {
    let folded: String = asked.to_lowercase().chars().filter(|c| !c.is_whitespace() && *c != '-').collect();
    match folded.as_str() {
        "timesnewroman" | "times" | "tinos" => ("Liberation Serif", true),
        "arial" | "helvetica" | "arimo" => ("Liberation Sans", true),
        "couriernew" | "courier" | "cousine" => ("Liberation Mono", true),
        "calibri" => ("Carlito", true),
        "cambria" => ("Caladea", true),
        "calibrilight" | "aptos" | "aptosdisplay" | "candara" | "corbel" | "segoeui" => ("Carlito", false),
        "verdana" | "tahoma" | "lucidasans" => ("DejaVu Sans", false),
        "opensans" | "notosansdisplay" | "segoeuisymbol" => ("Noto Sans", false),
        "segoeuiemoji" | "applecoloremoji" => ("Symbola", false),
        "msmincho" | "msgothic" | "mspgothic" | "meiryo" | "yugothic" | "yumincho" | "simsun" | "nsimsun" | "simhei" | "microsoftyahei"
        | "dengxian" | "mingliu" | "pmingliu" | "microsoftjhenghei" | "malgungothic" | "batang" | "gulim" => ("Droid Sans Fallback", false),
        "consolas" | "lucidaconsole" | "menlo" | "monaco" => ("Liberation Mono", false),
        "georgia" | "garamond" | "bookantiqua" | "palatinolinotype" | "constantia" | "baskerville" => ("Caladea", false),
        name if name.contains("mono") || name.contains("code") => ("Liberation Mono", false),
        name if name.contains("serif") && !name.contains("sans") => ("Liberation Serif", false),
        _ => ("Liberation Sans", false),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_face_loads_and_every_stand_in_is_shipped() {
        let fonts = FontSet::shipped();
        assert_eq!(fonts.fonts.len(), FACES.len());
        for asked in ["Times New Roman", "Arial", "Courier New", "Calibri", "Cambria", "Georgia", "Something Else"] {
            assert!(fonts.has(&fonts.stand_in(asked).shown), "{asked}");
        }
    }

    #[test]
    fn common_office_fonts_have_stand_ins_of_the_same_widths() {
        let fonts = FontSet::shipped();
        for asked in ["Times New Roman", "arial", "Calibri", "Cambria", "Courier New", "Carlito"] {
            assert!(fonts.stand_in(asked).same_widths, "{asked}");
        }
        assert!(!fonts.stand_in("Wedding Script").same_widths);
    }

    #[test]
    fn widths_are_those_of_the_faces() {
        let fonts = FontSet::shipped();
        assert_eq!(fonts.width("Liberation Mono", false, false, "10.25"), Some(5.0 * 1229.0 / 2048.0));
        assert_eq!(fonts.width("Liberation Sans", false, false, "שלום"), None);
    }
}
