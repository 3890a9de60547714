//! Packs as others see them: their tags, bookmarks, numbers, and what can't be a part.

use std::collections::BTreeMap;
use std::process::Command;
use std::sync::Arc;

use jiff::civil::DateTime;
use lopdf::{Document, Object, dictionary};
use mangle_core::dispatch::{FixedField, Inclusion, Numbering, Pack, Part, PartContent};
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::from_json;
use mangle_core::value::Locale;
use mangle_documents::bound::Bound;
use mangle_documents::formats::{self, Content, Means, Template, fixed_fields};
use mangle_documents::layout::{FontSet, PdfWish, Standard, Typesetter};
use mangle_documents::pdf::{FixedFault, FixedPdf};
use serde_json::{Value, json};

use super::pages::{A4, docx};
use super::poppler::run;

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);
const WISH: PdfWish<'_> = PdfWish { title: "Welcome", moment: NOON, standard: None, password: None };

fn template(body: &str) -> Content {
    let bytes = docx(&format!("{body}{A4}"), &[]);
    Content::Template(formats::open("part.docx", bytes, FontSet::shipped()).expect("opens"))
}

fn text(text: &str) -> String {
    format!("<w:p><w:r><w:t xml:space=\"preserve\">{text}</w:t></w:r></w:p>")
}

/// “Page 3 of 6”.
fn numbered() -> String {
    let field = |name: &str| format!("<w:fldSimple w:instr=\" {name} \"><w:r><w:t>0</w:t></w:r></w:fldSimple>");
    let said = |text: &str| format!("<w:r><w:t xml:space=\"preserve\">{text}</w:t></w:r>");
    format!("<w:p>{}{}{}{}</w:p>", said("Page "), field("PAGE"), said(" of "), field("NUMPAGES"))
}

fn part(name: &str, include: Inclusion) -> Part {
    let content = PartContent::Template { id: 1, version: None };
    Part { name: name.into(), title: String::new(), content, include, repeat: String::new() }
}

fn one_of(name: &str, condition: &str) -> Part {
    part(name, Inclusion::OneOf { group: "Electricity".into(), condition: condition.into() })
}

fn pack(parts: Vec<(Part, Content)>, change: impl FnOnce(&mut Pack)) -> formats::Pack {
    let (parts, contents): (Vec<_>, Vec<_>) = parts.into_iter().unzip();
    let mut own = Pack { parts, ..Pack::default() };
    change(&mut own);
    let pack = formats::Pack::new(own, contents, Vec::new());
    assert!(pack.problems().is_empty(), "{:?}", pack.problems());
    pack
}

fn bound(pack: &formats::Pack, record: Value, answers: &[(&str, &str)], proof: bool) -> Result<Bound, String> {
    let sheet = from_json("holders", &json!([record])).map_err(|e| e.to_string())?;
    let context = Context::new(Locale::english(), NOON);
    let ties = Ties::default();
    let answers: BTreeMap<String, String> = answers.iter().map(|(about, given)| ((*about).into(), (*given).into())).collect();
    let means = Means { answers: &answers, ..Means::default() };
    let filled = pack.fill_with(&Scope::new(&sheet.records[0], &ties, &context), means).map_err(|e| e[0].to_string())?;
    pack.typeset(&filled, &Typesetter { proof, ..Typesetter::default() }).map_err(|e| e.to_string())
}

fn pdf(pack: &formats::Pack, record: Value, answers: &[(&str, &str)]) -> Vec<u8> {
    bound(pack, record, answers, false).expect("bound").pdf_as(WISH).expect("a PDF")
}

/// The words of each page.
fn words(pdf: &[u8]) -> Vec<String> {
    let all = run("pdftotext", &["-layout", "FILE", "-"], pdf);
    all.split('\u{c}').map(|page| page.split_whitespace().collect::<Vec<_>>().join(" ")).filter(|page| !page.is_empty()).collect()
}

fn bookmarks(pdf: &[u8]) -> Vec<String> {
    let outlines: Value = serde_json::from_str(&run("qpdf", &["--json", "--json-key=outlines", "FILE"], pdf)).expect("JSON");
    let mut found = Vec::new();
    fn walk(items: &Value, deep: usize, found: &mut Vec<String>) {
        for item in items.as_array().into_iter().flatten() {
            let page = item["destpageposfrom1"].as_i64().unwrap_or_default();
            found.push(format!("{}{} {page}", "-".repeat(deep), item["title"].as_str().unwrap_or_default()));
            walk(&item["kids"], deep + 1, found);
        }
    }
    walk(&outlines["outlines"], 0, &mut found);
    found
}

fn is_sound(pdf: &[u8]) {
    let said = run("qpdf", &["--check", "FILE"], pdf);
    assert!(said.contains("No syntax or stream encoding errors"), "{said}");
}

/// A tagged PDF with a heading and a link within it, by a program that no one here wrote.
fn rules() -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let (page, pdf) = (folder.path().join("rules.html"), folder.path().join("rules.pdf"));
    let html = "<html lang=en><title>Rules</title><h1 id=top>Harbour rules</h1><p>Speed limit 4 knots</p><table><tr><th>Berth</th><th>Depth</th></tr><tr><td>A 01</td><td>2.1 m</td></tr></table><p style='break-before:page'>Second page, <a href='#top'>to the top</a></p></html>";
    std::fs::write(&page, html).expect("written");
    let printed = Command::new("chromium")
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer", "--generate-pdf-document-outline"])
        .arg(format!("--user-data-dir={}", folder.path().join("profile").display()))
        .arg(format!("--print-to-pdf={}", pdf.display()))
        .arg(format!("file://{}", page.display()))
        .output()
        .expect("chromium");
    std::fs::read(&pdf).unwrap_or_else(|_| panic!("{}", String::from_utf8_lossy(&printed.stderr)))
}

fn fixed(bytes: Vec<u8>) -> Content {
    Content::Pdf(Arc::new(FixedPdf::open(bytes).expect("a PDF that can be a part")))
}

#[test]
fn tagged_parts_stay_tagged_and_pages_are_numbered_through() {
    let heading = |text: &str| format!("<w:p><w:pPr><w:outlineLvl w:val=\"0\"/></w:pPr><w:r><w:t>{text}</w:t></w:r></w:p>");
    let licence = format!("{}{}<w:p><w:r><w:br w:type=\"page\"/></w:r></w:p>{}", heading("Berth licence"), numbered(), numbered());
    let parts = vec![
        (Part { title: "Licence of [: name]".into(), ..part("Licence", Inclusion::Always) }, template(&licence)),
        (part("Rules", Inclusion::Always), fixed(rules())),
        (part("Map", Inclusion::Always), template(&numbered())),
    ];
    let own = pack(parts, |pack| {
        (pack.numbering, pack.contents) = (Numbering::Through, true);
        pack.cover = "Welcome, [: name]".into();
    });
    let record = json!({ "name": "Maren Vos" });
    let whole = pdf(&own, record.clone(), &[]);
    is_sound(&whole);
    let pages = words(&whole);
    assert_eq!(pages[0], "Welcome, Maren Vos");
    assert!(pages[1].starts_with("Contents Licence of Maren Vos") && pages[1].contains("Rules") && pages[1].ends_with('7'), "{}", pages[1]);
    assert_eq!([&pages[2], &pages[3], &pages[6]], ["Berth licence Page 3 of 7", "Page 4 of 7", "Page 7 of 7"]);
    let marks = bookmarks(&whole);
    assert_eq!(
        marks,
        ["Welcome, Maren Vos 1", "Contents 2", "Licence of Maren Vos 3", "-Berth licence 3", "Rules 5", "-Harbour rules 5", "Map 7"]
    );

    // The contents lead to the parts, and what led within a part still does.
    let links: Value = serde_json::from_str(&run("qpdf", &["--json=2", "--json-key=qpdf", "FILE"], &whole)).expect("JSON");
    let text = links.to_string();
    assert!(!text.contains("mangle-part"), "each link to a part leads to its page");
    assert!(text.matches("\"/GoTo\"").count() >= 6, "three entries of the contents, each with its title and number");
    let info = run("pdfinfo", &["FILE"], &whole);
    assert!(info.contains("Tagged:          yes") && info.contains("Title:           Welcome"), "{info}");
    let tags = run("pdfinfo", &["-struct-text", "FILE"], &whole);
    assert!(!tags.to_lowercase().contains("error"), "{tags}");
    assert_eq!(tags.lines().filter(|line| line.starts_with("  Part")).count(), 5, "{tags}");
    for expected in ["\"Speed limit 4 knots\"", "\"Berth licence\"", "\"2.1 m\"", "Table", "TH"] {
        assert!(tags.contains(expected), "{expected}: {tags}");
    }
    assert_eq!(whole, pdf(&own, record, &[]), "the same parts give the same bytes");
}

#[test]
fn each_part_is_counted_from_one_where_that_is_asked_for() {
    let parts =
        vec![(part("Plan [A] and [: B]", Inclusion::Always), template(&numbered())), (part("B", Inclusion::Always), template(&numbered()))];
    let whole = pdf(&pack(parts, |_| {}), json!({ "name": "x" }), &[]);
    assert_eq!(words(&whole), ["Page 1 of 1", "Page 1 of 1"]);
    assert_eq!(bookmarks(&whole)[0], "Plan [A] and [: B] 1", "a name is no placeholder");
    let catalog = run("qpdf", &["--json", "--json-key=pagelabels", "FILE"], &whole);
    assert_eq!(catalog.matches("\"/S\": \"/D\"").count(), 2, "{catalog}");
}

#[test]
fn parts_are_chosen_by_conditions_answers_and_lists() {
    let parts = || {
        vec![
            (part("Licence", Inclusion::Always), template(&text("Licence of [: name]"))),
            (part("Liveaboard", Inclusion::If { condition: "liveaboard".into() }), template(&text("Liveaboard"))),
            (part("Map", Inclusion::Ask { usually: false }), template(&text("Map"))),
            (one_of("Shore power", "amps > 16"), template(&text("32 A"))),
            (one_of("Plug", "amps > 0"), template(&text("16 A"))),
            (
                Part { repeat: "boats sort by boat".into(), title: "Pass of [: boat]".into(), ..part("Pass", Inclusion::Always) },
                template(&text("Pass of [: boat] for [: name]")),
            ),
        ]
    };
    let own = pack(parts(), |_| {});
    let boats = json!([{ "boat": "Teal" }, { "boat": "Heron" }]);
    let whole = pdf(&own, json!({ "name": "Maren", "liveaboard": true, "amps": 32, "boats": boats }), &[("map", "yes")]);
    assert_eq!(words(&whole), ["Licence of Maren", "Liveaboard", "Map", "32 A", "Pass of Heron for Maren", "Pass of Teal for Maren"]);
    assert_eq!(bookmarks(&whole)[4..], ["Pass of Heron 5", "Pass of Teal 6"]);
    let whole = pdf(&own, json!({ "name": "Jon", "liveaboard": false, "amps": 10, "boats": boats }), &[]);
    assert_eq!(words(&whole)[..2], ["Licence of Jon", "16 A"]);
    let none = bound(&own, json!({ "name": "Jon", "liveaboard": false, "amps": 0, "boats": boats }), &[], false);
    assert!(none.expect_err("no part of the group").contains("none of the parts of “Electricity” is for this record"));
    // The names of the repeated part are looked up in the list.
    let boat = own.placeholders().iter().find(|p| p.text == "[: boat]" && !p.line.is_empty()).expect("a placeholder");
    assert_eq!(boat.names[0].within, [Some(vec!["boats".to_owned()])]);

    let chosen = pack(vec![(one_of("Metered", ""), template(&text("Metered"))), (one_of("Flat", ""), template(&text("Flat")))], |_| {});
    assert_eq!(chosen.questions()[0].choices, ["Metered", "Flat"]);
    let said = |answers: &[(&str, &str)]| words(&pdf(&chosen, json!({ "name": "x" }), answers));
    assert_eq!([said(&[]), said(&[("Electricity", "Flat")])], [["Metered"], ["Flat"]]);

    let only = pack(vec![(part("Map", Inclusion::Ask { usually: false }), template(&text("Map")))], |_| {});
    let none = bound(&only, json!({ "name": "x" }), &[], false).expect_err("nothing to make");
    assert!(none.contains("no part of the pack is for this record"), "{none}");
}

#[test]
fn signature_fields_are_placed_on_the_pages_of_a_pdf() {
    let field =
        |placeholder: &str, page| FixedField { placeholder: placeholder.into(), marker: String::new(), page, left: 254, top: 1_270 };
    let with = |fields: Vec<FixedField>| {
        let content = PartContent::Pdf { file: "ab".into(), file_name: "rules.pdf".into(), fields };
        Part { content, ..part("Rules", Inclusion::Always) }
    };
    let placed = vec![field("[:signer holder initials]", 2), field("[:signer holder text \"Place\" width 5cm]", 1)];
    let letter = template(&text("[:signer harbour master signature]"));
    let own = pack(vec![(part("Letter", Inclusion::Always), letter), (with(placed), fixed(rules()))], |_| {});
    assert_eq!(own.placeholders().iter().map(|own| own.text.as_str()).filter(|text| text.contains("holder")).count(), 2);
    let sheet = from_json("holders", &json!([{ "name": "Maren" }])).expect("a sheet");
    let (context, ties) = (Context::new(Locale::english(), NOON), Ties::default());
    let filled = own.fill_with(&Scope::new(&sheet.records[0], &ties, &context), Means::default()).expect("filled");
    let made = own.typeset(&filled, &Typesetter::default()).expect("made");
    let mut found: Vec<_> = made
        .signers()
        .into_iter()
        .filter_map(|spot| {
            let place = filled.signer(spot.number)?;
            Some((spot.page, place.role.clone(), place.field.word(), spot.left.round(), spot.top.round(), spot.width.round()))
        })
        .collect();
    found.sort_by_key(|own| own.0);
    assert_eq!((found[0].0, found[0].1.as_str()), (0, "harbour master"));
    assert_eq!(found[1..], [(1, "holder".into(), "text", 72.0, 360.0, 142.0), (2, "holder".into(), "initials", 72.0, 360.0, 57.0)]);
    // By a marker text, wherever it is.
    let marked = |marker: &str, left, top| FixedField { marker: marker.into(), page: 9, left, top, ..field("[:signer holder tick]", 1) };
    let pdf = FixedPdf::open(rules()).expect("opens");
    let spots = |field: &FixedField| fixed_fields::spots(field, (14.0, 14.0), &pdf).map_err(|e| e.message);
    for (marker, page) in [("second  PAGE", 2), ("Haveneinfahrt", 0)] {
        let found = spots(&marked(marker, 0, 0));
        match page {
            0 => assert_eq!(found, Err(format!("“{marker}” is on no page of the PDF"))),
            page => {
                let [spot] = found.expect("found")[..] else { panic!("not one") };
                let seen = places(&rules(), page, "page,");
                assert!((spot.page, spot.number) == (page - 1, 0), "{spot:?}");
                assert!((spot.top + spot.height - seen.1).abs() < 3.0 && spot.left < seen.0, "{spot:?} {seen:?}");
                let moved = spots(&marked(marker, 100, -50)).expect("found")[0];
                assert_eq!(((moved.left - spot.left).round(), (moved.top - spot.top).round()), (28.0, -14.0));
            }
        }
    }
    let all = spots(&marked("th", 0, 0)).expect("found");
    assert!(all.len() > 2 && all.iter().any(|spot| spot.page == 0) && all.iter().any(|spot| spot.page == 1), "{all:?}");
    assert!(spots(&marked("Second page", 2_000, 0)).is_err_and(|why| why.contains("does not fit on page 2")));
    // One that is on no page, or does not fit on it, is told.
    let far = FixedField { left: 2_000, ..field("[:signer holder signature]", 1) };
    let wrong = formats::Pack::new(
        Pack { parts: vec![with(vec![field("[:signer holder date]", 3), far])], ..Pack::default() },
        vec![fixed(rules())],
        Vec::new(),
    );
    let said: Vec<String> = wrong.problems().iter().map(|own| format!("{}. {}", own.message, own.help)).collect();
    assert_eq!(
        said,
        [
            "part “Rules”: [:signer holder date] is on page 3 of 2. Choose another page.",
            "part “Rules”: [:signer holder signature] does not fit on page 1. Move it up or left, or make it smaller."
        ]
    );
}

#[test]
fn a_pack_within_a_pack_keeps_its_parts_and_signers_sign_across_them() {
    let signed = |role: &str| template(&text(&format!("[:signer {role} signature width 5cm height 1cm]")));
    let inner =
        pack(vec![(part("Holder", Inclusion::Always), signed("holder")), (part("Master", Inclusion::Always), signed("master"))], |_| {});
    let parts = vec![
        (part("Letter", Inclusion::Always), template(&text("Dear [: name]"))),
        (part("To sign", Inclusion::Always), Content::Template(Arc::new(inner))),
        (part("Guarantor", Inclusion::Always), signed("guarantor")),
    ];
    let own = pack(parts, |pack| pack.numbering = Numbering::Through);
    let sheet = from_json("holders", &json!([{ "name": "Maren" }])).expect("a sheet");
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
    let filled = own.fill_with(&Scope::new(&sheet.records[0], &ties, &context), Means::default()).expect("fills");
    let made = own.typeset(&filled, &Typesetter::default()).expect("typesets");
    let found: Vec<(String, usize)> =
        made.signers().into_iter().filter_map(|spot| Some((filled.signer(spot.number)?.role.clone(), spot.page))).collect();
    assert_eq!(found, [("holder".to_owned(), 1), ("master".to_owned(), 2), ("guarantor".to_owned(), 3)]);
    assert_eq!(bookmarks(&made.pdf_as(WISH).expect("a PDF")), ["Letter 1", "Holder 2", "Master 3", "Guarantor 4"]);
    // A trace tells of the placeholders of all of them.
    let traced = own.fill_traced(&Scope::new(&sheet.records[0], &ties, &context), Means::default());
    let printed = traced.trace.iter().find(|one| one.printed.as_deref() == Some("Maren")).expect("traced");
    assert_eq!(own.placeholders()[printed.placeholder].text, "[: name]");
}

/// Where a word ends on a page by another program: its right and its lower edge.
fn places(pdf: &[u8], page: usize, word: &str) -> (f64, f64) {
    let mut file = tempfile::NamedTempFile::new().expect("a file");
    std::io::Write::write_all(&mut file, pdf).expect("written");
    let (path, page) = (file.path().to_string_lossy().into_owned(), page.to_string());
    let said = Command::new("pdftotext").args(["-bbox", "-f", &page, "-l", &page, &path, "-"]).output().expect("pdftotext");
    let said = String::from_utf8_lossy(&said.stdout).into_owned();
    let line = said.lines().find(|line| line.contains(&format!(">{word}<"))).unwrap_or_else(|| panic!("{said}"));
    let number = |key: &str| line.split(&format!("{key}=\"")).nth(1).and_then(|rest| rest.split('"').next()?.parse().ok());
    (number("xMax").expect("a number"), number("yMax").expect("a number"))
}

fn qpdf(bytes: &[u8], arguments: &[&str]) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let (from, to) = (folder.path().join("from.pdf"), folder.path().join("to.pdf"));
    std::fs::write(&from, bytes).expect("written");
    let said = Command::new("qpdf").args(arguments).arg(&from).arg(&to).output().expect("qpdf");
    std::fs::read(&to).unwrap_or_else(|_| panic!("{}", String::from_utf8_lossy(&said.stderr)))
}

fn changed(bytes: &[u8], change: impl FnOnce(&mut Document)) -> Vec<u8> {
    let mut document = Document::load_mem(bytes).expect("a PDF");
    change(&mut document);
    let mut out = Vec::new();
    document.save_to(&mut out).expect("saved");
    out
}

#[test]
fn what_can_not_be_a_part_is_refused_in_words() {
    let rules = rules();
    let refused = |bytes: Vec<u8>| FixedPdf::open(bytes).expect_err("refused");
    assert_eq!(refused(b"Berth;Depth".to_vec()), FixedFault::NotOne);
    assert_eq!(refused(qpdf(&rules, &["--encrypt", "secret", "secret", "256", "--"])), FixedFault::Encrypted);
    assert_eq!(refused(qpdf(&rules, &["--encrypt", "", "owner", "256", "--"])), FixedFault::Encrypted, "also one that opens by itself");
    for cut in [rules.len() / 3, rules.len() - 200] {
        let fault = refused(rules[..cut].to_vec());
        assert!(matches!(&fault, FixedFault::Damaged(_)), "{fault}");
        assert!(fault.to_string().contains("Open it in a PDF viewer, save or print it"), "{fault}");
    }
    let signed = changed(&rules, |document| {
        let form = document.add_object(dictionary! { "SigFlags" => 3, "Fields" => Vec::<Object>::new() });
        document.catalog_mut().expect("a catalog").set("AcroForm", form);
    });
    assert_eq!(refused(signed), FixedFault::Signed);
    let long = changed(&rules, |document| {
        let first = document.page_iter().next().expect("a page");
        let pages = document.catalog().and_then(|c| c.get(b"Pages")).and_then(Object::as_reference).expect("pages");
        let node = document.get_dictionary_mut(pages).expect("pages");
        node.set("Kids", vec![Object::Reference(first); 2_000]);
        node.set("Count", 2_000);
    });
    let fault = refused(long);
    assert_eq!(fault.to_string(), "the PDF has 2,000 pages (maximum 1,000)");
    assert!(FixedPdf::open(rules).expect("a part").is_tagged());
}

#[test]
fn what_would_run_a_program_does_not_get_into_a_pack() {
    let rules = changed(&rules(), |document| {
        let script = document.add_object(dictionary! { "S" => "JavaScript", "JS" => Object::string_literal("app.alert(1)") });
        document.catalog_mut().expect("a catalog").set("OpenAction", script);
        let launch = dictionary! { "S" => "Launch", "F" => Object::string_literal("calc.exe") };
        let rect: Vec<Object> = [0, 0, 100, 100].map(Object::from).to_vec();
        let annotation = document.add_object(
            dictionary! { "Type" => "Annot", "Subtype" => "Link", "Rect" => rect.clone(), "A" => launch, "AA" => dictionary! { "E" => script } },
        );
        let other = document.add_object(dictionary! { "Type" => "Annot", "Subtype" => "Link", "Rect" => rect, "A" => script });
        let page = document.page_iter().next().expect("a page");
        document.get_dictionary_mut(page).expect("a page").set("Annots", vec![annotation.into(), other.into()]);
    });
    let parts = vec![(part("Rules", Inclusion::Always), fixed(rules)), (part("Letter", Inclusion::Always), template(&text("x")))];
    let whole = pdf(&pack(parts, |_| {}), json!({ "name": "x" }), &[]);
    is_sound(&whole);
    let all = run("qpdf", &["--json=2", "--json-key=qpdf", "FILE"], &whole);
    for gone in ["JavaScript", "Launch", "calc.exe", "app.alert", "OpenAction", "\"/AA\""] {
        assert!(!all.contains(gone), "{gone}");
    }
}

#[test]
fn a_standard_holds_for_all_parts() {
    let parts = |rules: Content| vec![(part("Letter", Inclusion::Always), template(&text("x"))), (part("Rules", Inclusion::Always), rules)];
    let made = |rules: Content| {
        let bound = bound(&pack(parts(rules), |_| {}), json!({ "name": "x" }), &[], false).expect("bound");
        bound.pdf_as(PdfWish { standard: Some(Standard::A2b), ..WISH }).map_err(|e| e.to_string())
    };
    let refused = made(fixed(rules())).expect_err("not PDF/A");
    assert!(refused.contains("“Rules” does not comply with PDF/A-2b. Replace it"), "{refused}");
    let letter = pack(vec![(part("Rules", Inclusion::Always), template(&text("Rules")))], |_| {});
    let archive = bound(&letter, json!({ "name": "x" }), &[], false).expect("bound");
    let archive = archive.pdf_as(PdfWish { standard: Some(Standard::A2b), ..WISH }).expect("PDF/A");
    let whole = made(fixed(archive)).expect("PDF/A");
    is_sound(&whole);
    let said = run("qpdf", &["--qdf", "--object-streams=disable", "FILE", "-"], &whole);
    for expected in ["<pdfaid:part>2</pdfaid:part>", "/OutputIntents", "/ID ["] {
        assert!(said.contains(expected), "{expected}");
    }
}

#[test]
fn a_proof_is_marked_on_every_page() {
    let parts = vec![(part("Letter", Inclusion::Always), template(&text("x"))), (part("Rules", Inclusion::Always), fixed(rules()))];
    let own = pack(parts, |pack| pack.cover = "Welcome".into());
    let whole = bound(&own, json!({ "name": "x" }), &[], true).expect("bound").pdf_as(WISH).expect("a PDF");
    is_sound(&whole);
    let pages = words(&whole);
    assert_eq!(pages.len(), 4);
    // The letters of a word that is turned are told one by one.
    let proof = |page: &String| "PROOF".chars().all(|letter| page.split(' ').any(|word| word == letter.to_string()));
    assert!(pages.iter().all(proof), "{pages:?}");
}

#[test]
fn pages_of_a_fixed_pdf_are_shown() {
    let parts = vec![(part("Letter", Inclusion::Always), template(&text("x"))), (part("Rules", Inclusion::Always), fixed(rules()))];
    let bound = bound(&pack(parts, |_| {}), json!({ "name": "x" }), &[], false).expect("bound");
    assert_eq!(bound.page_count(), 3);
    let (width, height) = bound.size(2).expect("a page");
    assert!((width - 612.0).abs() < 1.0 && (height - 792.0).abs() < 1.0, "{width} × {height}");
    let svg = bound.svg(1).expect("drawn");
    assert!(svg.starts_with("<svg") && svg.contains("path"), "{}", &svg[..200]);
    assert!(bound.svg(3).is_none());
}
