//! DOCX templates with lists, pictures, barcodes and signature fields, filled
//! and looked at with tools that no one here wrote.

use std::io::{Cursor, Read, Write};
use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::dispatch::{Plan, Setup, joint_record, joint_schema};
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Sheet, from_json};
use mangle_core::signing::FieldFont;
use mangle_core::value::Locale;
use mangle_documents::formats::Means;
use mangle_documents::formats::docx::Template;
use mangle_documents::layout::{FontSet, Typesetter};
use mangle_documents::picture::FolderPictures;
use mangle_documents::seal::{Drawn, Look, looks};

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);
const W: &str = "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\" xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\" xmlns:wp=\"http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing\" xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" xmlns:pic=\"http://schemas.openxmlformats.org/drawingml/2006/picture\"";
const A4: &str = "<w:sectPr><w:pgSz w:w=\"11906\" w:h=\"16838\"/><w:pgMar w:top=\"1440\" w:right=\"1440\" w:bottom=\"1440\" w:left=\"1440\"/></w:sectPr>";
const BASE: &str = "application/vnd.openxmlformats-officedocument.wordprocessingml";
const OFFICE: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";

/// A DOCX of a body, relations of its own and further parts.
fn docx(body: &str, relations: &str, more: &[(&str, &str, &str)]) -> Vec<u8> {
    docx_ending(A4, body, relations, more)
}

/// The same with another end of its last section.
fn docx_ending(end: &str, body: &str, relations: &str, more: &[(&str, &str, &str)]) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut put = |name: &str, content: &str| {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content.as_bytes()).expect("writes");
    };
    let overrides: String = more.iter().map(|(name, kind, _)| format!("<Override PartName=\"/{name}\" ContentType=\"{kind}\"/>")).collect();
    put(
        "[Content_Types].xml",
        &format!(
            "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Default Extension=\"xml\" ContentType=\"application/xml\"/><Override PartName=\"/word/document.xml\" ContentType=\"{BASE}.document.main+xml\"/>{overrides}</Types>"
        ),
    );
    let rels = |inner: &str| {
        format!("<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">{inner}</Relationships>")
    };
    let core = match more.iter().any(|(name, _, _)| *name == "docProps/core.xml") {
        true => {
            "<Relationship Id=\"r2\" Type=\"http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties\" Target=\"docProps/core.xml\"/>"
        }
        false => "",
    };
    put("_rels/.rels", &rels(&format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/officeDocument\" Target=\"word/document.xml\"/>{core}")));
    put("word/_rels/document.xml.rels", &rels(relations));
    put("word/document.xml", &format!("<w:document {W}><w:body>{body}{end}</w:body></w:document>"));
    for (name, _, content) in more {
        put(name, content);
    }
    writer.finish().expect("finishes").into_inner()
}

fn case() -> Sheet {
    let json = serde_json::json!({
        "Ref": "BQ-0031", "Boat": "Second Thoughts", "Site": "https://quay.example/boats?name=Second Thoughts", "Net": 405.5,
        "Findings": [
            { "Title": "Keel bolts", "Photos": [{ "File": "a.jpg", "Caption": "A bolt" }, { "File": "b.jpg", "Caption": "A nut" }] },
            { "Title": "Rigging", "Photos": [] },
            { "Title": "Sea cocks", "Photos": [{ "File": "a.jpg", "Caption": "The same bolt" }] },
        ],
    });
    from_json("cases", &json).expect("a case")
}

/// Photographs as a camera makes them.
fn photographs() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    for (name, shade) in [("a.jpg", 40u8), ("b.jpg", 180)] {
        let picture = image::RgbImage::from_fn(1600, 1200, |x, y| image::Rgb([(x % 251) as u8, (y % 241) as u8, shade]));
        picture.save(folder.path().join(name)).expect("saved");
    }
    folder
}

struct Made {
    docx: Vec<u8>,
    pdf: Vec<u8>,
    signers: Vec<mangle_documents::layout::MarkedSpot>,
    fonts: Vec<(u32, FieldFont)>,
}

fn make(template: &Template) -> Result<Made, String> {
    let problems: Vec<_> = template.problems().iter().map(|p| format!("{}: {p}", p.source)).collect();
    if !problems.is_empty() {
        return Err(problems.join("; "));
    }
    let (sheet, ties, context, folder) = (case(), Ties::default(), Context::new(Locale::english(), NOON), photographs());
    let pictures = FolderPictures(folder.path().to_owned());
    let scope = Scope::new(&sheet.records[0], &ties, &context);
    let filled = template.fill_with(&scope, Means { pictures: &pictures, ..Means::default() }).map_err(|e| e[0].to_string())?;
    let made = template.typeset(&filled, &Typesetter::default()).expect("typesets");
    Ok(Made {
        docx: template.docx(&filled).expect("written"),
        signers: made.signers(),
        fonts: made.signer_fonts().into_iter().collect(),
        pdf: made.pdf("x", NOON).expect("a PDF"),
    })
}

fn filled(body: &str) -> Made {
    make(&Template::open(docx(body, "", &[])).expect("opens")).expect("fills")
}

fn part(docx: &[u8], name: &str) -> String {
    let mut archive = zip::ZipArchive::new(Cursor::new(docx)).expect("a zip");
    let mut text = String::new();
    archive.by_name(name).expect(name).read_to_string(&mut text).expect("text");
    text
}

fn names(docx: &[u8]) -> Vec<String> {
    let archive = zip::ZipArchive::new(Cursor::new(docx)).expect("a zip");
    let mut names: Vec<String> = archive.file_names().map(|n| n.expect("a name").into_owned()).collect();
    names.sort();
    names
}

fn p(text: &str) -> String {
    format!("<w:p><w:r><w:t xml:space=\"preserve\">{text}</w:t></w:r></w:p>")
}

fn tool(program: &str, arguments: &[&str]) -> String {
    let output = std::process::Command::new(program).args(arguments).output().unwrap_or_else(|e| panic!("{program}: {e}"));
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn with_file<T>(bytes: &[u8], kind: &str, work: impl FnOnce(&str) -> T) -> T {
    let file = tempfile::Builder::new().suffix(kind).tempfile().expect("a file");
    std::fs::write(file.path(), bytes).expect("written");
    work(&file.path().to_string_lossy())
}

fn text_of(pdf: &[u8]) -> String {
    with_file(pdf, ".pdf", |path| tool("pdftotext", &["-layout", path, "-"])).split_whitespace().collect::<Vec<_>>().join(" ")
}

/// What python-docx finds: pictures with their sizes in points and descriptions.
fn drawings(docx: &[u8]) -> Vec<String> {
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let script = "import sys,docx\nd=docx.Document(sys.argv[1])\nids=[s._inline.docPr.get('id') for s in d.inline_shapes]\nassert len(ids)==len(set(ids)), ids\nfor s in d.inline_shapes: print(round(s.width.pt), round(s.height.pt), s._inline.docPr.get('descr'))";
    with_file(docx, ".docx", |path| tool(&python, &["-c", script, path])).lines().map(str::to_owned).collect()
}

#[test]
fn photographs_within_findings_within_a_case() {
    let body = [
        p("[:repeat for findings]"),
        p("[: turn.number]. [: title]"),
        p("[:repeat for photos][:picture file height 3cm] [: caption][:if not turn.last], [:end][:else]no photographs[:end]"),
        p("[:end]"),
        p("End of [: ref]"),
    ]
    .concat();
    let made = filled(&body);
    assert_eq!(drawings(&made.docx), ["113 85 a", "113 85 b", "113 85 a"]);
    let media: Vec<String> = names(&made.docx).into_iter().filter(|n| n.contains("media/")).collect();
    assert_eq!(media.len(), 2, "the same picture is stored once: {media:?}");
    assert!(made.docx.len() < 60_000, "resampled to its printed size: {} bytes", made.docx.len());
    assert!(part(&made.docx, "[Content_Types].xml").contains("Extension=\"jpeg\""));
    let text = text_of(&made.pdf);
    for line in ["1. Keel bolts", "A bolt,", "2. Rigging no photographs", "3. Sea cocks", "The same bolt End of BQ-0031"] {
        assert!(text.contains(line), "{line} in {text}");
    }
    let images = with_file(&made.pdf, ".pdf", |path| tool("pdfimages", &["-list", path]));
    assert_eq!(images.lines().skip(2).count(), 3, "{images}");
}

#[test]
fn a_record_of_a_picture_brings_its_alternative_text() {
    let made = filled(&p("[:repeat for findings.photos first 1][:picture turn.value width 4cm][:end]"));
    assert_eq!(drawings(&made.docx), ["113 85 A bolt"]);
}

#[test]
fn a_placeholder_picture_is_replaced_in_its_frame() {
    let drawing = "<w:p><w:r><w:drawing><wp:inline><wp:extent cx=\"1270000\" cy=\"1270000\"/><wp:docPr id=\"1\" name=\"x\" descr=\"[:picture findings.photos.file]\"/><a:graphic><a:graphicData uri=\"http://schemas.openxmlformats.org/drawingml/2006/picture\"><pic:pic><pic:nvPicPr><pic:cNvPr id=\"1\" name=\"x\"/><pic:cNvPicPr/></pic:nvPicPr><pic:blipFill><a:blip r:embed=\"old\"/><a:stretch><a:fillRect/></a:stretch></pic:blipFill><pic:spPr><a:xfrm><a:off x=\"0\" y=\"0\"/><a:ext cx=\"1270000\" cy=\"1270000\"/></a:xfrm></pic:spPr></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>";
    let made = filled(drawing);
    assert_eq!(drawings(&made.docx), ["100 75 a"]);
    let document = part(&made.docx, "word/document.xml");
    assert!(document.contains("r:embed=\"made1\"") && !document.contains("\"old\"") && !document.contains("[:"), "{document}");
}

#[test]
fn a_missing_picture_fails_its_record_in_words() {
    let template = Template::open(docx(&p("[:picture ref]"), "", &[])).expect("opens");
    let error = make(&template).err().expect("fails");
    assert_eq!(error, "[:picture ref] in the body: picture “BQ-0031” not found. Add the file or correct its name.");
}

#[test]
fn barcodes_are_drawn_as_lines_and_read_again() {
    let made = filled(&(p("[:barcode qr of ref size 3cm level H]") + &p("[:barcode code128 of ref height 2cm]")));
    assert_eq!(drawings(&made.docx)[0], "85 85 qr barcode of BQ-0031");
    let media: Vec<String> = names(&made.docx).into_iter().filter(|n| n.contains("media/")).collect();
    assert_eq!(media.iter().filter(|n| n.ends_with(".svg")).count(), 2, "{media:?}");
    let images = with_file(&made.pdf, ".pdf", |path| tool("pdfimages", &["-list", path]));
    assert_eq!(images.lines().skip(2).count(), 0, "lines, not dots: {images}");
    let python = std::env::var("MANGLE_PYTHON").expect("MANGLE_PYTHON");
    let read = with_file(&made.pdf, ".pdf", |path| {
        let folder = tempfile::tempdir().expect("a folder");
        let out = folder.path().join("page");
        tool("pdftoppm", &["-r", "150", "-png", path, &out.to_string_lossy()]);
        let script = "import sys,glob,zxingcpp\nfrom PIL import Image\nfor f in glob.glob(sys.argv[1]+'*.png'):\n    for b in zxingcpp.read_barcodes(Image.open(f)): print(b.format.name, b.text)";
        tool(&python, &["-c", script, &out.to_string_lossy()])
    });
    let mut lines: Vec<&str> = read.lines().collect();
    lines.sort_unstable();
    assert_eq!(lines, ["Code128 BQ-0031", "QRCode BQ-0031"]);
}

#[test]
fn signature_fields_know_their_page_and_place() {
    let body =
        p("Signed: [:signer holder signature width 5cm height 2cm]") + &p("[:page break]") + &p("[:signer harbour office tick optional]");
    let made = filled(&body);
    assert_eq!(drawings(&made.docx), ["142 57 signature of holder", "14 14 tick of harbour office"]);
    let places: Vec<(usize, i64)> = made.signers.iter().map(|s| (s.page, s.left.round() as i64)).collect();
    assert_eq!(places.len(), 2);
    assert!(places[0].0 == 0 && places[0].1 > 100 && places[1] == (1, 72), "{places:?}");
    let sizes: Vec<(i64, i64)> = made.signers.iter().map(|s| (s.width.round() as i64, s.height.round() as i64)).collect();
    assert_eq!(sizes, [(142, 57), (14, 14)]);
}

#[test]
fn signature_fields_are_found_in_headers_tables_and_repeated_blocks() {
    let cell = |text: &str| format!("<w:tc><w:tcPr><w:tcW w:w=\"4000\" w:type=\"dxa\"/></w:tcPr>{}</w:tc>", p(text));
    let table = format!(
        "<w:tbl><w:tblPr/><w:tblGrid><w:gridCol w:w=\"4000\"/><w:gridCol w:w=\"4000\"/></w:tblGrid><w:tr>{}{}</w:tr></w:tbl>",
        cell("For the yard"),
        cell("[:signer yard signature width 4cm height 1cm]")
    );
    let body =
        [table, p("[:repeat for findings]"), p("[: title]: [:signer holder tick]"), p("[:end]"), p("[:page break]"), p("Rules")].concat();
    let header = format!("<w:hdr {W}>{}</w:hdr>", p("[:signer holder initials width 2cm height 1cm]"));
    let relations = format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/header\" Target=\"header1.xml\"/>");
    let end = A4.replace("<w:sectPr>", "<w:sectPr><w:headerReference w:type=\"default\" r:id=\"r1\"/>");
    let parts = [("word/header1.xml", &*format!("{BASE}.header+xml"), &*header)];
    let made = make(&Template::open(docx_ending(&end, &body, &relations, &parts)).expect("opens")).expect("fills");
    // By page, width and height: the initials of both pages are the header's, above all else.
    let mut places: Vec<(usize, i64, i64)> =
        made.signers.iter().map(|spot| (spot.page, spot.width.round() as i64, spot.height.round() as i64)).collect();
    places.sort_unstable();
    let (initials, signature, tick) = ((57, 28), (113, 28), (14, 14));
    let at = |page: usize, (width, height): (i64, i64)| (page, width, height);
    assert_eq!(places, [at(0, tick), at(0, tick), at(0, tick), at(0, initials), at(0, signature), at(1, initials)]);
    let top = |wanted: (i64, i64)| made.signers.iter().filter(move |s| s.width.round() as i64 == wanted.0).map(|s| s.top);
    assert!(top(initials).all(|own| own < 72.0), "{:?}", made.signers);
    let signed = made.signers.iter().find(|s| s.width.round() as i64 == signature.0).expect("the yard's");
    // Where the second column begins, 4,000 twentieths of a point after the margin.
    assert_eq!((signed.left.round() as i64, signed.top.round() as i64), (272, 72), "{signed:?}");
    // One below the other.
    let ticks: Vec<f64> = top(tick).collect();
    assert!(ticks.windows(2).all(|two| two[0] < two[1]) && ticks[0] > signed.top, "{ticks:?}");
    // Nothing of them is printed before they are filled.
    let text = text_of(&made.pdf);
    assert_eq!(text, "For the yard Keel bolts: Rigging: Sea cocks: Rules");
}

#[test]
fn what_is_filled_in_has_the_font_of_the_text_around_its_field() {
    let look = "<w:rPr><w:rFonts w:ascii=\"Times New Roman\" w:hAnsi=\"Times New Roman\"/><w:b/><w:color w:val=\"1E3A5F\"/><w:sz w:val=\"28\"/></w:rPr>";
    let body = format!("<w:p><w:r>{look}<w:t>[:signer holder name]</w:t></w:r></w:p>") + &p("[:signer holder date]");
    let mut fonts = filled(&body).fonts;
    fonts.sort_by_key(|(number, _)| *number);
    let fonts: Vec<FieldFont> = fonts.into_iter().map(|(_, font)| font).collect();
    let serif = FieldFont { family: "Liberation Serif".into(), size: 14.0, colour: "1E3A5F".into(), bold: true, italic: false };
    assert_eq!(fonts[0], serif, "{fonts:?}");
    assert_eq!((fonts.len(), fonts[1].bold, fonts[1].colour.as_str()), (2, false, "000000"));
    // It is what is seen of it, as large as its place at most.
    for (height, size) in [(30.0, 14.0), (10.0, 8.0)] {
        let drawn = Drawn { look: Look::Text("Maren Vos", Some(&serif)), line: "", size: (170.0, height) };
        let pdf = looks(&[drawn], FontSet::shipped()).expect("drawn");
        with_file(&pdf, ".pdf", |path| {
            assert!(tool("pdffonts", &[path]).contains("LiberationSerif-Bold"));
            let seen = tool("pdftohtml", &["-xml", "-stdout", "-fontfullname", path]);
            let wanted = format!("size=\"{}\"", (size * 1.5f64).round());
            assert!(seen.contains(&wanted) && seen.contains("color=\"#1e3a5f\""), "{seen}");
        });
    }
}

#[test]
fn links_and_properties_are_filled() {
    let core = "<cp:coreProperties xmlns:cp=\"http://schemas.openxmlformats.org/package/2006/metadata/core-properties\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\"><dc:title>Survey of [: boat]</dc:title><dc:creator>[: not filled</dc:creator></cp:coreProperties>";
    let body = "<w:p><w:hyperlink r:id=\"r9\"><w:r><w:t>site</w:t></w:r></w:hyperlink></w:p>";
    let relations = format!("<Relationship Id=\"r9\" Type=\"{OFFICE}/hyperlink\" Target=\"%5B:%20site%5D\" TargetMode=\"External\"/>");
    let kind = "application/vnd.openxmlformats-package.core-properties+xml";
    let template = Template::open(docx(body, &relations, &[("docProps/core.xml", kind, core)])).expect("opens");
    let made = make(&template).expect("fills");
    assert!(part(&made.docx, "docProps/core.xml").contains("<dc:title>Survey of Second Thoughts</dc:title>"));
    let target = "Target=\"https://quay.example/boats?name=Second%20Thoughts\"";
    assert!(part(&made.docx, "word/_rels/document.xml.rels").contains(target));
    let pdf = with_file(&made.pdf, ".pdf", |path| tool("qpdf", &["--qdf", "--object-streams=disable", path, "-"]));
    assert!(pdf.contains("https://quay.example/boats?name=Second%20Thoughts"));
}

#[test]
fn a_list_begins_anew_for_each_finding() {
    let numbering = format!(
        "<w:numbering {W}><w:abstractNum w:abstractNumId=\"1\"><w:lvl w:ilvl=\"0\"><w:start w:val=\"1\"/><w:numFmt w:val=\"decimal\"/><w:lvlText w:val=\"%1)\"/></w:lvl></w:abstractNum><w:num w:numId=\"4\"><w:abstractNumId w:val=\"1\"/></w:num></w:numbering>"
    );
    let item = |text: &str| {
        format!("<w:p><w:pPr><w:numPr><w:ilvl w:val=\"0\"/><w:numId w:val=\"4\"/></w:numPr></w:pPr><w:r><w:t>{text}</w:t></w:r></w:p>")
    };
    let body = [p("[:repeat for findings]"), p("[: title]"), item("look"), item("mend"), p("[:end]")].concat();
    let relations = format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/numbering\" Target=\"numbering.xml\"/>");
    let template =
        Template::open(docx(&body, &relations, &[("word/numbering.xml", &format!("{BASE}.numbering+xml"), &numbering)])).expect("opens");
    let made = make(&template).expect("fills");
    assert_eq!(text_of(&made.pdf), "Keel bolts 1) look 2) mend Rigging 1) look 2) mend Sea cocks 1) look 2) mend");
    let lists = part(&made.docx, "word/numbering.xml");
    assert!(lists.contains("<w:num w:numId=\"5\">") && lists.contains("<w:num w:numId=\"6\">"), "{lists}");
}

#[test]
fn headers_see_the_names_that_the_body_sets() {
    let header = format!("<w:hdr {W}>{}</w:hdr>", p("[: mark]"));
    let relations = format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/header\" Target=\"header1.xml\"/>");
    let body = p("[:set mark = ref &amp; \" final\"]body");
    let body =
        format!("{body}<w:p><w:pPr>{}</w:pPr></w:p>", A4.replace("<w:pgSz", "<w:headerReference w:type=\"default\" r:id=\"r1\"/><w:pgSz"));
    let template = Template::open(docx(&body, &relations, &[("word/header1.xml", &format!("{BASE}.header+xml"), &header)])).expect("opens");
    let made = make(&template).expect("fills");
    assert!(part(&made.docx, "word/header1.xml").contains("BQ-0031 final"));
}

/// The headers of all sections, as python-docx finds them.
fn headers(docx: &[u8]) -> Vec<String> {
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let script = "import sys,docx\nfor s in docx.Document(sys.argv[1]).sections:\n    h=s.header\n    pics=len(h._element.xpath('.//pic:pic'))\n    assert all(r.target_part is not None for r in h.part.rels.values())\n    print('|'.join(p.text for p in h.paragraphs) + ' pictures ' + str(pics))";
    let out = with_file(docx, ".docx", |path| tool(&python, &["-c", script, path]));
    out.lines().map(str::to_owned).collect()
}

#[test]
fn a_repeated_sections_header_takes_the_record_of_its_turn() {
    let header =
        format!("<w:hdr {W}>{}{}</w:hdr>", p("[: title] of [: boat]"), p("[:repeat for photos first 1][:picture file height 1cm][:end]"));
    let relations = format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/header\" Target=\"header1.xml\"/>");
    let end = A4.replace("<w:pgSz", "<w:headerReference w:type=\"default\" r:id=\"r1\"/><w:pgSz");
    let kind = format!("{BASE}.header+xml");
    let more = [("word/header1.xml", kind.as_str(), header.as_str())];
    let body = p("[:repeat section for findings]Finding [: turn.number]");
    // The last section of the text, whose end stands between the turns and at the end.
    let template = Template::open(docx_ending(&end, &body, &relations, &more)).expect("opens");
    let within: Vec<usize> =
        template.placeholders().iter().filter(|p| p.text == "[: title]").flat_map(|p| p.names.iter().map(|n| n.within.len())).collect();
    assert_eq!(within, [1], "the header looks its names up items");
    let made = make(&template).expect("fills");
    let expected =
        ["Keel bolts of Second Thoughts| pictures 1", "Rigging of Second Thoughts| pictures 0", "Sea cocks of Second Thoughts| pictures 1"];
    assert_eq!(headers(&made.docx), expected);
    assert_eq!(
        text_of(&made.pdf),
        "Keel bolts of Second Thoughts Finding 1 Rigging of Second Thoughts Finding 2 Sea cocks of Second Thoughts Finding 3"
    );
    assert!(names(&made.docx).iter().filter(|n| n.starts_with("word/header1-turn")).count() == 3, "{:?}", names(&made.docx));
    assert!(!part(&made.docx, "word/header1.xml").contains("[:"));

    // A section that ends within the text, and one behind it without a header of its own.
    let body = format!("{body}<w:p><w:pPr>{end}</w:pPr></w:p>{}", p("The end of [: ref]"));
    let template = Template::open(docx(&body, &relations, &more)).expect("opens");
    let found = headers(&make(&template).expect("fills").docx);
    assert_eq!(found[..3], expected);
}

#[test]
fn in_a_joint_document_headers_take_their_records_and_its_locale() {
    let header = format!("<w:hdr {W}>{}</w:hdr>", p("[: boat]: [: net as number \"#,##0.00\"] of [: sum(outer.records.net)]"));
    let relations = format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/header\" Target=\"header1.xml\"/>");
    let end = A4.replace("<w:pgSz", "<w:headerReference w:type=\"default\" r:id=\"r1\"/><w:pgSz");
    let kind = format!("{BASE}.header+xml");
    let body = p("[:repeat section for records sort by boat]Berth of [: boat]");
    let more = [("word/header1.xml", kind.as_str(), header.as_str())];
    let template = Template::open(docx_ending(&end, &body, &relations, &more)).expect("opens");
    let boats = serde_json::json!([
        { "Boat": "Zeebries", "Net": 1405.5, "Language": "nl-NL" },
        { "Boat": "Second Thoughts", "Net": 1200, "Language": "" },
    ]);
    let sheet = from_json("boats", &boats).expect("records");
    let record = joint_record(joint_schema(&sheet.schema), &sheet.records.iter().collect::<Vec<_>>());
    let plan = Plan::new(&Setup { joint: true, locale_column: "language".into(), ..Setup::default() });
    let context = plan.context(&Context::new(Locale::english(), NOON), &record, 1, 1);
    let filled = template.fill(&Scope::new(&record, &plan.ties, &context)).expect("fills");
    let docx = template.docx(&filled).expect("written");
    let expected = ["Second Thoughts: 1,200.00 of 2605.5 pictures 0", "Zeebries: 1.405,50 of 2605,5 pictures 0"];
    assert_eq!(headers(&docx), expected);
}

#[test]
fn pages_end_within_paragraphs_that_lines_run_down_and_within_columns_with_lines() {
    let bars = "<w:p><w:pPr><w:tabs><w:tab w:val=\"bar\" w:pos=\"2835\"/></w:tabs></w:pPr><w:r><w:t>Before</w:t><w:br w:type=\"page\"/><w:t>behind</w:t><w:br w:type=\"column\"/><w:t>the last</w:t></w:r></w:p>";
    let ruled = A4.replace("</w:sectPr>", "<w:cols w:num=\"2\" w:space=\"708\" w:sep=\"1\"/></w:sectPr>");
    for (end, pages) in [(A4.to_owned(), 2..=3), (ruled, 2..=2)] {
        let template = Template::open(docx_ending(&end, bars, "", &[])).expect("opens");
        let made = template.unfilled().expect("pages");
        assert!(pages.contains(&made.page_count()), "{} pages", made.page_count());
    }
}

#[test]
fn a_templates_own_pages_have_the_lines_of_what_it_makes() {
    // A table's narrow column, a line of its own for logic, and values in a sentence.
    let cell = |width: u32, text: &str| format!("<w:tc><w:tcPr><w:tcW w:w=\"{width}\" w:type=\"dxa\"/></w:tcPr>{}</w:tc>", p(text));
    let row = format!("<w:tr>{}{}</w:tr>", cell(1500, "[: net as number \"0.00\" before \"about \"]"), cell(3000, "[: boat]"));
    let table = format!("<w:tbl><w:tblPr><w:tblLayout w:type=\"fixed\"/></w:tblPr>{row}</w:tbl>");
    let body = [
        p("[:if net &gt; 5 and boat is not blank]"),
        p("Dear [: boat before \"owner of the \"], we look forward to seeing you on [: today as date long] at the quay."),
        p("[:end]"),
        table,
        p("Kind regards"),
    ];
    let template = Template::open(docx(&body.concat(), "", &[])).expect("opens");
    let stand_ins = template.with_stand_ins().expect("pages");
    let base = |made: &mangle_documents::layout::Made| {
        made.text(0).into_iter().find(|spot| spot.text.contains("regards")).map(|spot| spot.base).expect("the last line")
    };
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOON));
    let filled = template.fill(&Scope::new(&sheet.records[0], &ties, &context)).expect("fills");
    let meant = base(&template.typeset(&filled, &Typesetter::default()).expect("pages"));
    let (own, written) = (base(&stand_ins), base(&template.unfilled().expect("pages")));
    assert!((own - meant).abs() < 16.0, "{own} instead of {meant}");
    assert!(written - meant > 40.0, "as written, it is longer: {written} and {meant}");
    // Every placeholder has its place.
    let marked: std::collections::BTreeSet<u32> = stand_ins.marks().iter().map(|m| m.number).collect();
    assert_eq!(marked.len(), template.placeholders().len());
}

#[test]
fn comments_are_left_out_and_the_person_is_told() {
    let comments = format!("<w:comments {W}><w:comment w:id=\"0\">{}</w:comment></w:comments>", p("too dear"));
    let body = "<w:p><w:commentRangeStart w:id=\"0\"/><w:ins w:id=\"3\"><w:r><w:t>[: boat]</w:t></w:r></w:ins><w:commentRangeEnd w:id=\"0\"/><w:r><w:commentReference w:id=\"0\"/></w:r></w:p>";
    let relations = format!("<Relationship Id=\"r1\" Type=\"{OFFICE}/comments\" Target=\"comments.xml\"/>");
    let template =
        Template::open(docx(body, &relations, &[("word/comments.xml", &format!("{BASE}.comments+xml"), &comments)])).expect("opens");
    assert_eq!((template.found().comments, template.found().revisions), (1, 1));
    let made = make(&template).expect("fills");
    assert!(!part(&made.docx, "word/comments.xml").contains("too dear"));
    assert!(part(&made.docx, "word/document.xml").contains("Second Thoughts"));
}

#[test]
fn a_document_of_an_ordinary_mail_merge_works_unchanged() {
    let field = |name: &str| {
        format!(
            "<w:r><w:fldChar w:fldCharType=\"begin\"/></w:r><w:r><w:instrText> MERGEFIELD {name} </w:instrText></w:r><w:r><w:fldChar w:fldCharType=\"separate\"/></w:r><w:r><w:t>«{name}»</w:t></w:r><w:r><w:fldChar w:fldCharType=\"end\"/></w:r>"
        )
    };
    let made = filled(&format!(
        "<w:p><w:r><w:t xml:space=\"preserve\">Boat </w:t></w:r>{}</w:p><w:p>{}</w:p>",
        field("BOAT"),
        field("Net \\# \"#,##0.00\"")
    ));
    assert_eq!(text_of(&made.pdf), "Boat Second Thoughts 405.50");
}

#[test]
fn unknown_parts_survive_untouched() {
    let chart = "<c:chartSpace xmlns:c=\"http://schemas.openxmlformats.org/drawingml/2006/chart\"><!-- [: boat] --></c:chartSpace>";
    let kind = "application/vnd.openxmlformats-officedocument.drawingml.chart+xml";
    let template = Template::open(docx(
        &p("[: boat]"),
        "",
        &[("word/charts/chart1.xml", kind, chart), ("customXml/item1.xml", "application/xml", "<x/>")],
    ))
    .expect("opens");
    let made = make(&template).expect("fills");
    assert_eq!((part(&made.docx, "word/charts/chart1.xml").as_str(), part(&made.docx, "customXml/item1.xml").as_str()), (chart, "<x/>"));
}

#[test]
fn a_template_is_shared_between_threads() {
    let template = Arc::new(Template::open(docx(&p("[:barcode qr of ref] [: boat]"), "", &[])).expect("opens"));
    let threads: Vec<_> = (0..4)
        .map(|_| {
            let t = template.clone();
            std::thread::spawn(move || make(&t).expect("fills").docx)
        })
        .collect();
    let made: Vec<Vec<u8>> = threads.into_iter().map(|t| t.join().expect("ends")).collect();
    assert!(made.iter().all(|m| *m == made[0]), "the same record gives the same bytes");
}

#[test]
fn a_text_box_for_older_programs_is_filled_too_but_counted_once() {
    let inner = format!("<w:txbxContent>{}</w:txbxContent>", p("Berth [: ref else \"none\"]"));
    let body = format!(
        "<w:p><w:r><mc:AlternateContent xmlns:mc=\"http://schemas.openxmlformats.org/markup-compatibility/2006\"><mc:Choice Requires=\"wps\"><w:drawing>{inner}</w:drawing></mc:Choice><mc:Fallback><w:pict>{inner}</w:pict></mc:Fallback></mc:AlternateContent></w:r></w:p>"
    );
    let template = Template::open(docx(&body, "", &[])).expect("opens");
    let again: Vec<bool> = template.placeholders().iter().map(|p| p.again).collect();
    assert_eq!(again, [false, true]);
    assert_eq!((template.needs()[0].uses, template.ways().len()), (1, 2));
    assert_eq!(part(&make(&template).expect("fills").docx, "word/document.xml").matches("Berth BQ-0031").count(), 2);
}

#[test]
fn parts_in_any_unicode_encoding_are_read_and_written() {
    let body = "<w:p><w:r><w:t>Dear [: boat], your boat “Möwe”</w:t></w:r></w:p>";
    let plain = docx(body, "", &[]);
    let (sheet, ties) = (case(), Ties::default());
    let context = Context::new(Locale::english(), NOON);
    let scope = Scope::new(&sheet.records[0], &ties, &context);
    let text = |package: Vec<u8>| {
        let template = Template::open(package).expect("opens");
        assert_eq!(template.problems(), []);
        template.pages(&template.fill(&scope).expect("fills")).expect("reads").lines()
    };
    let expected = text(plain.clone());
    for encode in [
        |text: &str| [b"\xef\xbb\xbf", text.as_bytes()].concat(),
        |text: &str| [vec![0xff, 0xfe], text.encode_utf16().flat_map(u16::to_le_bytes).collect()].concat(),
        |text: &str| [vec![0xfe, 0xff], text.encode_utf16().flat_map(u16::to_be_bytes).collect()].concat(),
    ] {
        let marked = crate::rezip(&plain, |name, content| match name {
            "word/document.xml" | "[Content_Types].xml" => encode(&String::from_utf8(content).expect("text")),
            _ => content,
        });
        assert_eq!(text(marked), expected);
    }
}

#[test]
fn the_documents_type_may_be_that_of_its_extension() {
    let package = docx("<w:p><w:r><w:t>Dear [: name],</w:t></w:r></w:p>", "", &[]);
    let by_default = crate::rezip(&package, |name, content| match name {
        "[Content_Types].xml" => String::from_utf8(content)
            .expect("text")
            .replace(
                "<Default Extension=\"xml\" ContentType=\"application/xml\"/>",
                &format!("<Default Extension=\"XML\" ContentType=\"{BASE}.document.main+xml\"/>"),
            )
            .replace(&format!("<Override PartName=\"/word/document.xml\" ContentType=\"{BASE}.document.main+xml\"/>"), "")
            .into_bytes(),
        _ => content,
    });
    assert_eq!(Template::open(by_default).expect("opens").placeholders().len(), 1);
}

#[test]
fn a_document_type_definition_counts_only_in_parts_that_are_read() {
    let unread = [("word/vbaData.xml", "application/vnd.ms-word.vbaData+xml", "<!DOCTYPE x><x/>")];
    assert!(Template::open(docx("<w:p/>", "", &unread)).is_ok());
    let read = crate::rezip(&docx("<w:p/>", "", &[]), |name, content| match name {
        "word/document.xml" => [b"<!DOCTYPE x>".to_vec(), content].concat(),
        _ => content,
    });
    assert_eq!(Template::open(read).expect_err("refused").code(), "dtd");
}
