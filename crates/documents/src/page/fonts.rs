//! The fonts that ship with Mangle, and which of them stands in for which.

use std::sync::LazyLock;

use typst::foundations::Bytes;
use typst::text::{Font, FontBook};

macro_rules! shipped {
    ($($file:literal),* $(,)?) => {
        [$(include_bytes!(concat!("../../fonts/", $file, ".ttf")).as_slice()),*]
    };
}

/// The faces, embedded in the program.
static FACES: [&[u8]; 26] = shipped![
    "LiberationSerif-Regular",
    "LiberationSerif-Bold",
    "LiberationSerif-Italic",
    "LiberationSerif-BoldItalic",
    "LiberationSans-Regular",
    "LiberationSans-Bold",
    "LiberationSans-Italic",
    "LiberationSans-BoldItalic",
    "LiberationMono-Regular",
    "LiberationMono-Bold",
    "LiberationMono-Italic",
    "LiberationMono-BoldItalic",
    "Carlito-Regular",
    "Carlito-Bold",
    "Carlito-Italic",
    "Carlito-BoldItalic",
    "Caladea-Regular",
    "Caladea-Bold",
    "Caladea-Italic",
    "Caladea-BoldItalic",
    "NotoSansArabic-Regular",
    "NotoSansArabic-Bold",
    "NotoSansHebrew-Regular",
    "NotoSansHebrew-Bold",
    "DejaVuSans",
    "DejaVuSans-Bold",
];

/// The fonts as the typesetter takes them.
pub(super) struct Fonts {
    pub book: FontBook,
    pub fonts: Vec<Font>,
}

pub(super) static FONTS: LazyLock<Fonts> = LazyLock::new(|| {
    let fonts: Vec<Font> = FACES.iter().filter_map(|face| Font::new(Bytes::new(*face), 0)).collect();
    Fonts { book: FontBook::from_fonts(&fonts), fonts }
});

/// A font that a document asks for and the one that shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FontUse {
    /// As the document names it.
    pub asked: String,
    /// The shipped family.
    pub shown: &'static str,
    /// Whether every line breaks where it does in the font asked for.
    pub same_widths: bool,
}

/// The shipped family that shows a font: one of the same widths where there is
/// one.
pub fn stand_in(asked: &str) -> FontUse {
    let folded: String = asked.to_lowercase().chars().filter(|c| !c.is_whitespace() && *c != '-').collect();
    let (shown, same_widths) = match folded.as_str() {
        "timesnewroman" | "times" | "liberationserif" | "tinos" => ("Liberation Serif", true),
        "arial" | "helvetica" | "liberationsans" | "arimo" => ("Liberation Sans", true),
        "couriernew" | "courier" | "liberationmono" | "cousine" => ("Liberation Mono", true),
        "calibri" | "carlito" => ("Carlito", true),
        "cambria" | "caladea" => ("Caladea", true),
        "dejavusans" => ("DejaVu Sans", true),
        "calibrilight" | "aptos" | "aptosdisplay" | "candara" | "corbel" | "segoeui" => ("Carlito", false),
        "consolas" | "lucidaconsole" | "menlo" | "monaco" => ("Liberation Mono", false),
        "georgia" | "garamond" | "bookantiqua" | "palatinolinotype" | "constantia" | "baskerville" => ("Caladea", false),
        name if name.contains("mono") || name.contains("code") => ("Liberation Mono", false),
        name if name.contains("serif") && !name.contains("sans") => ("Liberation Serif", false),
        _ => ("Liberation Sans", false),
    };
    FontUse { asked: asked.to_owned(), shown, same_widths }
}

/// Ascent, descent and extra distance between lines of a family, per point of
/// size, as its `hhea` table has them.
pub(super) fn line_metrics(family: &str, bold: bool, italic: bool) -> (f64, f64, f64) {
    let find = |bold: bool, italic: bool| {
        FONTS.fonts.iter().find(|f| {
            let info = f.info();
            info.family.eq_ignore_ascii_case(family)
                && (info.variant.weight.to_number() >= 600) == bold
                && (info.variant.style != typst::text::FontStyle::Normal) == italic
        })
    };
    match find(bold, italic).or_else(|| find(false, false)) {
        Some(font) => {
            let Ok(face) = ttf_parser::Face::parse(font.data().as_slice(), 0) else { return (0.9, 0.22, 0.03) };
            let per_em = f64::from(face.units_per_em()).max(1.0);
            (f64::from(face.ascender()) / per_em, -f64::from(face.descender()) / per_em, f64::from(face.line_gap()) / per_em)
        }
        None => (0.9, 0.22, 0.03),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_face_loads_and_every_stand_in_is_shipped() {
        assert_eq!(FONTS.fonts.len(), FACES.len());
        for asked in ["Times New Roman", "Arial", "Courier New", "Calibri", "Cambria", "Georgia", "Something Else"] {
            let shown = stand_in(asked).shown;
            assert!(FONTS.fonts.iter().any(|f| f.info().family == shown), "{asked} → {shown}");
        }
    }

    #[test]
    fn common_office_fonts_have_stand_ins_of_the_same_widths() {
        for asked in ["Times New Roman", "arial", "Calibri", "Cambria", "Courier New"] {
            assert!(stand_in(asked).same_widths, "{asked}");
        }
        assert!(!stand_in("Wedding Script").same_widths);
    }
}
