//! Marks, attestations and seals of PDFs, as far as they need no timestamp authority.

use jiff::civil::DateTime;
use lopdf::{Document, Object};
use mangle_documents::layout::{FontSet, PdfWish};
use mangle_documents::pdf::close;
use mangle_documents::seal::{
    Attestation, Drawn, Look, Mark, Person, SealFault, SealKey, SealText, Step, TimestampFault, attest, attestation, looks, mark, seal,
    verify,
};

use super::poppler::run;

const NOW: DateTime = DateTime::constant(2026, 11, 23, 9, 42, 0, 0);

fn rules() -> Vec<u8> {
    std::fs::read("../../demo/harbour-rules.pdf").expect("the demo world")
}

fn own(name: &str, page: usize) -> Mark {
    Mark {
        page,
        left: 90.0,
        top: 400.0,
        width: 170.0,
        height: 51.0,
        name: name.into(),
        label: "signature of Maren Vos (holder)".into(),
        value: "Maren Vos".into(),
    }
}

/// A PDF with that mark.
fn marked(pdf: &[u8], own: Mark) -> Result<Vec<u8>, SealFault> {
    let drawn = Drawn { look: Look::Typed("Maren Vos"), line: "Signed by Maren Vos", size: (own.width, own.height) };
    mark(pdf, &[own], &looks(&[drawn], FontSet::shipped()).expect("drawn"))
}

#[test]
fn marks_are_added_at_the_end_and_what_was_there_stays_byte_for_byte() {
    let before = rules();
    let once = marked(&before, own("holder 1", 0)).expect("marked");
    let twice = marked(&once, Mark { top: 500.0, ..own("master 1", 0) }).expect("marked again");
    assert!(once.starts_with(&before) && twice.starts_with(&once));
    assert!(once.len() - before.len() < 16_000, "{} bytes for a mark", once.len() - before.len());
    let text = run("pdftotext", &["-layout", "FILE", "-"], &twice);
    assert!(text.matches("Signed by Maren Vos").count() == 2 && text.contains("Harbour"), "{text}");
    let checked = run("qpdf", &["--check", "FILE"], &twice);
    assert!(checked.contains("No syntax or stream encoding errors"), "{checked}");
    // Each is a field of the form, read-only, with a tag that names it.
    let document = Document::load_mem(&twice).expect("read");
    let is_field =
        |object: &Object| object.as_dict().is_ok_and(|d| d.get(b"FT").is_ok() && d.get(b"Ff").and_then(Object::as_i64).ok() == Some(1));
    let fields = document.objects.values().filter(|object| is_field(object)).count();
    let tags = document
        .objects
        .values()
        .filter_map(|o| o.as_dict().ok())
        .filter(|d| d.get(b"S").and_then(Object::as_name).is_ok_and(|s| s == b"Form"));
    assert_eq!((fields, tags.count()), (2, 2));
    assert_eq!(marked(&before, own("x", 9)), Err(SealFault::NoPage(10)));
    assert_eq!(marked(&close(&before, "secret").expect("closed"), own("x", 0)), Err(SealFault::Closed));
    assert!(matches!(mark(b"%PDF-1.7 nothing", &[], b""), Err(SealFault::Unreadable(_))));
}

#[test]
fn a_mark_is_upright_at_its_place_on_a_page_that_is_shown_turned() {
    for turned in [0, 90, 180, 270, -90] {
        let mut document = Document::load_mem(&rules()).expect("read");
        let page = document.page_iter().next().expect("a page");
        let dict = document.get_dictionary_mut(page).expect("a page");
        dict.set("Rotate", turned);
        // What is seen begins somewhere else than the page.
        dict.set("CropBox", vec![Object::Integer(10), 20.into(), 590.into(), 830.into()]);
        let mut bytes = Vec::new();
        document.save_to(&mut bytes).expect("written");
        let marked = marked(&bytes, own("holder 1", 0)).expect("marked");
        let words = run("pdftotext", &["-bbox", "-l", "1", "-cropbox", "FILE", "-"], &marked);
        let line = words.lines().rfind(|line| line.contains(">Maren<")).unwrap_or_else(|| panic!("{turned}: {words}"));
        let number = |name: &str| -> f64 {
            let behind = line.split_once(&format!("{name}=\"")).expect("a box").1;
            behind.split('"').next().and_then(|n| n.parse().ok()).expect("a number")
        };
        let [left, top, right, bottom] = ["xMin", "yMin", "xMax", "yMax"].map(number);
        assert!(left >= 89.0 && right <= 261.0 && top >= 395.0 && bottom <= 455.0 && right - left > bottom - top, "{turned}: {line}");
    }
}

#[test]
fn every_kind_of_mark_is_as_large_as_its_place() {
    let png = {
        let mut out = std::io::Cursor::new(Vec::new());
        image::RgbaImage::new(40, 10).write_to(&mut out, image::ImageFormat::Png).expect("a picture");
        out.into_inner()
    };
    let all = [
        Look::Drawn(&png),
        Look::Typed("A very long name that is wider than the place for it"),
        Look::Text("\"#panic(1)\\", None),
        Look::Tick,
    ];
    let all = all.map(|look| Drawn { look, line: "Signed by X on 2026-11-23 09:42 UTC", size: (60.0, 40.0) });
    let pdf = looks(&all, FontSet::shipped()).expect("drawn");
    let said = run("pdfinfo", &["-l", "9", "FILE"], &pdf);
    assert!(said.contains("Pages:           4") && said.matches("60 x 40 pts").count() == 4, "{said}");
    // A mark more or less than there are pages is refused.
    assert!(matches!(mark(&rules(), &[own("x", 0)], &pdf), Err(SealFault::Appearance(_))));
}

#[test]
fn an_attestation_is_tagged_and_no_seal_is_made_without_a_timestamp() {
    let person = Person { name: "Maren Vos".into(), role: "holder".into(), lines: vec![("Signed".into(), "2026-11-23".into())] };
    let step = Step { at: "2026-11-23 09:42 UTC".into(), who: "Maren Vos".into(), what: "signed".into() };
    let wish = PdfWish { title: "Licence", moment: NOW, standard: None, password: None };
    let words = ["Attestation", "Signers", "Events", "The end."];
    let known = [("Document".to_owned(), "ab".repeat(32))];
    let pages = attestation("Licence", &words, &known, &[person], &vec![step; 80], wish, FontSet::shipped()).expect("typeset");
    let before = marked(&rules(), own("holder 1", 0)).expect("marked");
    let with = attest(&before, Attestation { pages: &pages, record: b"{\"revisions\":[]}", at: "D:20261123094200Z" }).expect("added");
    assert!(with.starts_with(&before));
    let pages_of = |pdf: &[u8]| Document::load_mem(pdf).expect("read").get_pages().len();
    assert_eq!(pages_of(&with), pages_of(&before) + pages_of(&pages));
    assert!(run("pdftotext", &["FILE", "-"], &with).contains("Attestation"));
    assert!(run("qpdf", &["--check", "FILE"], &with).contains("No syntax or stream encoding errors"));
    assert!(run("pdfinfo", &["FILE"], &with).contains("Tagged:          yes"));

    assert!(!verify(&rules()).ours);
    let unsealed = verify(&with);
    assert!(unsealed.ours && unsealed.change.is_some() && unsealed.sealed.is_none());
    let key = SealKey::create("Brackwater Quay", 1_790_000_000).expect("a key");
    assert_eq!(key.subject(), "CN=Brackwater Quay,O=Brackwater Quay");
    let again = SealKey::of(key.private().to_vec(), key.chain().to_vec()).expect("kept");
    assert_eq!(again.subject(), key.subject());
    let other = SealKey::create("Other", 1_790_000_000).expect("a key");
    assert!(SealKey::of(key.private().to_vec(), other.chain().to_vec()).is_err(), "the certificate of another key");
    assert!(SealKey::from_pkcs12(b"no file", "x").is_err());
    let text = SealText { name: "Brackwater Quay", reason: "Sealed by Mangle", at: "D:20261123094200Z" };
    let away = seal(&with, &key, text, None, &mut |_| Err(TimestampFault::Away("it can't be reached".into())));
    assert_eq!(away, Err(SealFault::Timestamp(TimestampFault::Away("it can't be reached".into()))));
    // What is answered must be a timestamp of what was asked.
    for answer in [&b""[..], b"\x30\x03\x02\x01\x00", b"\x30\x05\x30\x03\x02\x01\x02"] {
        assert!(matches!(seal(&with, &key, text, None, &mut |_| Ok(answer.to_vec())), Err(SealFault::Timestamp(_))));
    }
}
