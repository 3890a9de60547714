//! PDFs as others see them: standards, attachments, passwords, bookmarks, fonts.

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Record, Schema};
use mangle_core::value::Locale;
use mangle_documents::formats::docx::Template;
use mangle_documents::layout::{Attached, AttachedKind, FontSet, PdfWish, Standard, Typesetter, families};

use super::corpus::{folder, open};
use super::poppler::{run, words};

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);
const WISH: PdfWish<'_> = PdfWish { title: "A letter", moment: NOON, standard: None, password: None };

fn made(name: &str, wish: PdfWish<'_>, attached: Option<Attached<'_>>) -> Result<Vec<u8>, String> {
    let template = open(name);
    let record = Record::new(std::sync::Arc::new(Schema::new(Vec::new()).expect("schema")), Vec::new(), 1);
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
    let filled = template.fill(&Scope::new(&record, &ties, &context)).expect("fills");
    let made = template.typeset(&filled, &Typesetter { attached, ..Typesetter::default() }).expect("typesets");
    made.pdf_as(wish).map_err(|e| e.to_string())
}

fn text(pdf: &[u8]) -> String {
    String::from_utf8_lossy(pdf).into_owned()
}

#[test]
fn pdfs_keep_the_standard_that_is_asked_for() {
    let attached = Attached { kind: AttachedKind::Json, bytes: b"{\"Ref\":\"BQ-0031\"}" };
    let whole = ["whole-letter", "whole-quote", "whole-contract", "page-footnotes", "page-contents", "table-styles", "drawing-inline"];
    for name in whole {
        let archive = made(name, PdfWish { standard: Some(Standard::A2b), ..WISH }, None).unwrap_or_else(|e| panic!("{name}: {e}"));
        let said = run("qpdf", &["--show-object=trailer", "FILE"], &archive);
        assert!(said.contains("/ID"), "{said}");
        assert!(text(&archive).contains("<pdfaid:part>2</pdfaid:part>"), "{name}");
        let archive =
            made(name, PdfWish { standard: Some(Standard::A3b), ..WISH }, Some(attached)).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!(text(&archive).contains("<pdfaid:part>3</pdfaid:part>"), "{name}");
        let aloud = made(name, PdfWish { standard: Some(Standard::Ua1), ..WISH }, None).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!(text(&aloud).contains("<pdfuaid:part>1</pdfuaid:part>"), "{name}");
    }
}

#[test]
fn pdfs_are_tagged_and_have_title_and_language() {
    let pdf = made("whole-letter", WISH, None).expect("a PDF");
    let said = run("pdfinfo", &["FILE"], &pdf);
    for expected in ["Title:           A letter", "Tagged:          yes"] {
        assert!(said.contains(expected), "{said}");
    }
    let catalog = run("qpdf", &["--json", "--json-key=qpdf", "FILE"], &pdf);
    assert!(catalog.contains("\"/Lang\": \"u:en-GB\"") || catalog.contains("\"/Lang\": \"u:en-gb\""), "no language");
}

#[test]
fn headings_are_bookmarks() {
    let pdf = made("page-contents", WISH, None).expect("a PDF");
    let outlines = run("qpdf", &["--json", "--json-key=outlines", "FILE"], &pdf);
    let mut titles: Vec<&str> =
        outlines.lines().filter_map(|l| l.trim().strip_prefix("\"title\": \"")).map(|l| l.trim_end_matches(['"', ','])).collect();
    titles.sort_unstable();
    assert_eq!(titles, ["Berths", "Fees", "When they are due", "Who may lie there", "Winter"], "{outlines}");
}

#[test]
fn the_record_is_attached() {
    let csv = Attached { kind: AttachedKind::Csv, bytes: b"Ref,Balance\nBQ-0031,480.5\n" };
    let pdf = made("whole-letter", WISH, Some(csv)).expect("a PDF");
    assert!(run("pdfdetach", &["-list", "FILE"], &pdf).contains("record.csv"));
    assert!(
        text(&made("whole-letter", PdfWish { standard: Some(Standard::A2b), ..WISH }, Some(csv)).expect_err("no attachments").into_bytes())
            .len()
            > 3
    );
}

#[test]
fn a_password_closes_with_aes_of_256_bits() {
    let pdf = made("whole-letter", PdfWish { password: Some("Möwe 31"), ..WISH }, None).expect("a PDF");
    let file = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(file.path(), &pdf).expect("written");
    let path = file.path().to_string_lossy().into_owned();
    let ask = |arguments: &[&str]| std::process::Command::new("qpdf").args(arguments).output().expect("qpdf");
    assert!(!ask(&["--check", &path]).status.success());
    let shown = ask(&["--password=Möwe 31", "--show-encryption", &path]);
    let said = String::from_utf8_lossy(&shown.stdout).into_owned();
    assert!(said.contains("R = 6") && said.contains("AESv3"), "{said}");
    let opened = ask(&["--password=Möwe 31", "--check", &path]);
    assert!(opened.status.success(), "{}", String::from_utf8_lossy(&opened.stderr));
    for wrong in ["", &"x".repeat(128)] {
        assert!(made("whole-letter", PdfWish { password: Some(wrong), ..WISH }, None).is_err());
    }
}

#[test]
fn the_same_pages_give_the_same_bytes() {
    for name in ["whole-letter", "drawing-shapes", "page-headers"] {
        assert!(made(name, WISH, None) == made(name, WISH, None), "{name}");
    }
}

#[test]
fn fonts_are_subset_and_embedded() {
    let pdf = made("text-fonts", WISH, None).expect("a PDF");
    let said = run("pdffonts", &["FILE"], &pdf);
    for family in ["Carlito", "LiberationSerif", "LiberationSans", "LiberationMono", "Caladea"] {
        assert!(said.lines().any(|l| l.contains(&format!("+{family}")) && l.contains(" yes yes yes")), "{family}: {said}");
    }
    assert!(pdf.len() < 120_000, "{} bytes", pdf.len());
}

/// A font of the house, called otherwise: its name table is cut to another name of
/// the same length.
fn renamed(from: &str, to: &str) -> Vec<u8> {
    assert_eq!(from.len(), to.len());
    let mut font = std::fs::read(folder().join("../../fonts/Caladea-Regular.ttf")).expect("a font");
    let wide = |s: &str| s.encode_utf16().flat_map(u16::to_be_bytes).collect::<Vec<u8>>();
    for (from, to) in [(from.as_bytes().to_vec(), to.as_bytes().to_vec()), (wide(from), wide(to))] {
        let mut at = 0;
        while let Some(found) = font[at..].windows(from.len()).position(|w| w == from) {
            font[at + found..at + found + from.len()].copy_from_slice(&to);
            at += found + from.len();
        }
    }
    font
}

#[test]
fn a_font_that_is_brought_in_is_used_and_one_that_is_missing_is_named() {
    let letter = |fonts: &std::sync::Arc<FontSet>| {
        let bytes = std::fs::read(folder().join("text-fonts.docx")).expect("the corpus");
        // The document asks for a font that is not here.
        let asked = super::rezip(&bytes, |name, content| match name {
            "word/document.xml" => String::from_utf8_lossy(&content).replace("\"Cambria\"", "\"Marigot\"").into_bytes(),
            _ => content,
        });
        Template::open_with(asked, fonts).expect("opens")
    };
    let missing = letter(FontSet::shipped()).page_notes().expect("notes");
    assert_eq!(missing.fonts.len(), 1);
    let said = &missing.said()[0];
    assert!(said.starts_with("font “Marigot” is missing and replaced by “Liberation Sans”"), "{said}");

    let font = renamed("Caladea", "Marigot");
    assert_eq!(families(&font), ["Marigot"]);
    assert!(families(b"no font").is_empty());
    let fonts = std::sync::Arc::new(FontSet::shipped().with([font, b"no font".to_vec()]));
    let template = letter(&fonts);
    assert!(template.page_notes().expect("notes").fonts.is_empty());
    let pdf = template.unfilled().expect("pages").pdf("x", NOON).expect("a PDF");
    assert!(run("pdffonts", &["FILE"], &pdf).contains("Marigot"));
}

#[test]
fn a_font_embedded_in_the_document_is_used() {
    const KEY: &str = "{01234567-89AB-CDEF-0123-456789ABCDEF}";
    let digits: Vec<u8> = KEY.bytes().filter(u8::is_ascii_hexdigit).collect();
    let key: Vec<u8> = digits.chunks(2).rev().map(|p| u8::from_str_radix(&String::from_utf8_lossy(p), 16).expect("digits")).collect();
    let mut covered = renamed("Caladea", "Marigot");
    (0..32).for_each(|at| covered[at] ^= key[at % 16]);
    let w = "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\" xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\"";
    let table = format!("<w:fonts {w}><w:font w:name=\"Marigot\"><w:embedRegular r:id=\"rId1\" w:fontKey=\"{KEY}\"/></w:font></w:fonts>");
    let relations = "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"rId1\" Type=\"x/font\" Target=\"fonts/font1.odttf\"/></Relationships>";
    let bytes = std::fs::read(folder().join("text-fonts.docx")).expect("the corpus");
    let more = [
        ("word/fontTable.xml", table.into_bytes()),
        ("word/_rels/fontTable.xml.rels", relations.as_bytes().to_vec()),
        ("word/fonts/font1.odttf", covered),
    ];
    let bytes = super::rezip_with(&bytes, &more, |name, content| {
        match name {
        "word/document.xml" => String::from_utf8_lossy(&content).replace("\"Cambria\"", "\"Marigot\"").into_bytes(),
        "[Content_Types].xml" => String::from_utf8_lossy(&content)
            .replace("</Types>", "<Override PartName=\"/word/fontTable.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.wordprocessingml.fontTable+xml\"/></Types>")
            .into_bytes(),
        _ => content,
    }
    });
    let template = Template::open(bytes).expect("opens");
    assert!(template.page_notes().expect("notes").fonts.is_empty());
    let pdf = template.unfilled().expect("pages").pdf("x", NOON).expect("a PDF");
    assert!(run("pdffonts", &["FILE"], &pdf).contains("Marigot"));
    assert!(!words(&pdf)[0].is_empty());
}
