use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::Sheet;
use mangle_core::value::Locale;

use std::io::{Cursor, Write};

use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use super::*;
use crate::layout::Typesetter;
use crate::model::Block;

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

fn demo(name: &str) -> Vec<u8> {
    std::fs::read(format!("../../demo/{name}")).expect("the demo world")
}

fn holders() -> Sheet {
    let raw = crate::table::read("season.xlsx", demo("season.xlsx").into()).expect("reads").remove(0);
    Sheet::recognise(&raw).expect("recognised")
}

fn ties() -> Ties {
    Ties::new([("due", "Due date"), ("harbour due", "Yearly fee")])
}

fn filled(template: &Template, sheet: &Sheet, number: usize) -> Filled {
    let (ties, context) = (ties(), Context::new(Locale::english(), NOON));
    template.fill(&Scope::new(&sheet.records[number - 1], &ties, &context)).expect("fills")
}

/// Runs a program that no one here wrote over a file.
fn tool(program: &str, arguments: &[&str], bytes: &[u8], extension: &str) -> String {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join(format!("in.{extension}"));
    std::fs::write(&path, bytes).expect("written");
    let arguments: Vec<String> = arguments.iter().map(|a| a.replace("FILE", &path.to_string_lossy())).collect();
    let output = std::process::Command::new(program).args(&arguments).output().unwrap_or_else(|e| panic!("{program}: {e}"));
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

#[test]
fn placeholders_are_listed_with_their_places() {
    let template = Template::open(demo("reminder.docx")).expect("opens");
    assert!(template.problems().is_empty(), "{:?}", template.problems());
    let list: Vec<String> = template.placeholders().iter().map(|p| format!("{:6} {}", p.place.words(), p.text)).collect();
    insta::assert_snapshot!(list.join("\n"));
}

#[test]
fn letters_read_as_they_should() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let text = |number: usize| {
        let made = template.typeset(&filled(&template, &sheet, number), &Typesetter::default()).expect("typesets");
        assert_eq!(made.page_count(), 1, "row {number}");
        tool("pdftotext", &["-layout", "FILE", "-"], &made.pdf("Reminder", NOON).expect("a PDF"), "pdf")
    };
    insta::assert_snapshot!([214, 31, 3, 104].map(|n| format!("=== row {n}\n{}", text(n))).join("\n"));
}

#[test]
fn the_pdf_is_sound_tagged_and_its_fonts_are_embedded_and_subset() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let make = || {
        template
            .typeset(&filled(&template, &sheet, 214), &Typesetter::default())
            .expect("typesets")
            .pdf("Reminder BQ-0214", NOON)
            .expect("a PDF")
    };
    let pdf = make();
    assert_eq!(pdf, make(), "the same input gives the same bytes");
    assert!(pdf.len() < 60_000, "{} bytes", pdf.len());
    tool("qpdf", &["--check", "FILE"], &pdf, "pdf");
    let fonts = tool("pdffonts", &["FILE"], &pdf, "pdf");
    let rows: Vec<&str> = fonts.lines().skip(2).collect();
    assert!(rows.iter().any(|l| l.contains("LiberationSerif")) && rows.iter().any(|l| l.contains("LiberationSans-Bold")), "{fonts}");
    assert!(rows.iter().all(|l| l.contains("yes yes yes")), "{fonts}");
    let info = tool("pdfinfo", &["FILE"], &pdf, "pdf");
    assert!(info.contains("Title:           Reminder BQ-0214") && info.contains("Tagged:          yes") && info.contains("(A4)"), "{info}");
}

#[test]
fn a_proof_says_so_across_the_page() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let made = template.typeset(&filled(&template, &sheet, 214), &Typesetter { proof: true, ..Typesetter::default() }).expect("typesets");
    let text = tool("pdftotext", &["FILE", "-"], &made.pdf("x", NOON).expect("a PDF"), "pdf");
    // Rotated, its letters come out one by one, from the lower left to the upper right.
    let signs: String = text.lines().map(str::trim).filter(|l| l.len() == 1).rev().collect();
    assert_eq!(signs, "PROOF", "{text}");
}

#[test]
fn a_right_to_left_name_is_drawn_with_a_font_that_has_it() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let pdf = template.typeset(&filled(&template, &sheet, 104), &Typesetter::default()).expect("typesets").pdf("x", NOON).expect("a PDF");
    assert!(tool("pdffonts", &["FILE"], &pdf, "pdf").contains("NotoSansArabic"));
}

#[test]
fn the_filled_docx_opens_elsewhere_and_keeps_every_other_part() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let out = template.docx(&filled(&template, &sheet, 214)).expect("writes");
    let (before, after) =
        (Package::open(demo("reminder.docx").into(), "").expect("opens"), Package::open(out.clone().into(), "").expect("opens"));
    let changed = ["word/document.xml", "word/footer1.xml"];
    for name in before.names() {
        let same = before.part(name).expect("a part") == after.part(name).expect("the same part");
        assert_eq!(same, !changed.contains(&name), "{name}");
    }
    let python = std::env::var("MANGLE_PYTHON").unwrap_or_else(|_| "python3".to_owned());
    let script = "import docx,sys; d=docx.Document(sys.argv[1]); print('\\n'.join(p.text for p in d.paragraphs)); print([[c.text for c in r.cells] for t in d.tables for r in t.rows]); print([(r.text, r.bold) for r in d.paragraphs[0].runs])";
    insta::assert_snapshot!(tool(&python, &["-c", script, "FILE"], &out, "docx"));
}

#[test]
fn the_page_model_of_the_letter() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let pages = template.pages(&filled(&template, &sheet, 214)).expect("reads");
    let section = &pages.sections[0];
    let mut said = vec![format!("page {:?}", section.page)];
    for (name, blocks) in [("header", &section.header.usual), ("body", &section.blocks), ("footer", &section.footer.usual)] {
        said.extend(blocks.iter().map(|b| match b {
            Block::Paragraph(p) => format!(
                "{name}: {:?} indent {:?} space {:?} {:?} marker {:?} {} inlines",
                p.align,
                p.indent,
                p.space,
                p.line,
                p.marker.as_ref().map(|m| &m.text),
                p.inlines.len()
            ),
            Block::Table(t) => format!("{name}: table {:?} {} rows", t.columns, t.rows.len()),
        }));
    }
    insta::assert_snapshot!(said.join("\n"));
}

#[test]
fn wrong_files_are_refused_in_a_sentence() {
    let said = |bytes: Vec<u8>| Template::open(bytes).map(|_| ()).expect_err("refused").to_string();
    let whole = demo("reminder.docx");
    let mut list = vec![said(Vec::new()), said(b"%PDF-1.4".to_vec()), said(demo("season.xlsx")), said(demo("price-list.csv"))];
    let cut = Template::open(whole[..whole.len() / 2].to_vec()).map(|_| ()).expect_err("refused");
    assert_eq!(cut.code(), "damaged-file");
    list.push(said(with_document(&whole, b"<?xml version='1.0'?><!DOCTYPE w [<!ENTITY a 'b'>]><w/>")));
    list.push(said(with_document(&whole, b"<w:document xmlns:w='x'><w:body></w:document>")));
    insta::assert_snapshot!(list.join("\n"));
    let bomb = with_document(&whole, &[b"<x>".as_slice(), &vec![b' '; 12 << 20]].concat());
    assert_eq!(Template::open(bomb).map(|_| ()).expect_err("refused").code(), "unpacks-too-far");
}

/// The demo letter with another document part.
fn with_document(docx: &[u8], document: &[u8]) -> Vec<u8> {
    let package = Package::open(docx.to_vec().into(), "").expect("opens");
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for name in package.names() {
        writer.start_file(name, SimpleFileOptions::default()).expect("starts");
        let bytes = package.part(name).expect("a part");
        writer.write_all(if name == "word/document.xml" { document } else { &bytes }).expect("writes");
    }
    writer.finish().expect("finishes").into_inner()
}

#[test]
fn joined_pdfs_have_all_pages_and_a_bookmark_each() {
    let (template, sheet) = (Template::open(demo("reminder.docx")).expect("opens"), holders());
    let pdf = |n: usize| {
        template.typeset(&filled(&template, &sheet, n), &Typesetter::default()).expect("typesets").pdf("x", NOON).expect("a PDF")
    };
    let joined = crate::pdf::join("Reminders", [3, 104, 214].map(|n| (format!("Reminder {n} – ö"), pdf(n)))).expect("joins");
    tool("qpdf", &["--check", "FILE"], &joined, "pdf");
    assert!(tool("pdfinfo", &["FILE"], &joined, "pdf").contains("Pages:           3"));
    let text = tool("pdftotext", &["FILE", "-"], &joined, "pdf");
    assert!(text.contains("De Grauwe Gans") && text.contains("La Golondrina"), "{text}");
    assert!(crate::pdf::join("x", [("x".to_owned(), b"no PDF".to_vec())]).is_err());
}

#[test]
fn templates_are_shared_between_threads() {
    fn shared<T: Send + Sync>() {}
    shared::<Arc<Template>>();
}
