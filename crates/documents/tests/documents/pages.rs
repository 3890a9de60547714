//! Pages of small documents written by hand, measured with poppler.

use std::io::{Cursor, Write};
use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Record, Schema};
use mangle_core::value::Locale;
use mangle_documents::formats::docx::Template;
use mangle_documents::layout::Typesetter;
use mangle_documents::model::{Block, Document, Inline};

use super::poppler::upright;

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);
const W: &str = "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\" xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\"";
pub const A4: &str = "<w:sectPr><w:pgSz w:w=\"11906\" w:h=\"16838\"/><w:pgMar w:top=\"1440\" w:right=\"1440\" w:bottom=\"1440\" w:left=\"1440\" w:header=\"720\" w:footer=\"720\"/></w:sectPr>";
const STYLES: &str = r#"<w:docDefaults><w:rPrDefault><w:rPr><w:rFonts w:ascii="Arial"/><w:sz w:val="20"/></w:rPr></w:rPrDefault></w:docDefaults>
    <w:style w:type="paragraph" w:default="1" w:styleId="N"><w:pPr><w:spacing w:after="120"/></w:pPr></w:style>
    <w:style w:type="paragraph" w:styleId="H"><w:basedOn w:val="N"/><w:pPr><w:keepNext/></w:pPr><w:rPr><w:b/><w:sz w:val="32"/><w:color w:val="5b3a6b"/></w:rPr></w:style>
    <w:style w:type="character" w:styleId="E"><w:rPr><w:i/></w:rPr></w:style>"#;

/// A DOCX of a body and further parts (name, content type, content).
pub fn docx(body: &str, more: &[(&str, &str, String)]) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut put = |name: &str, content: String| {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content.as_bytes()).expect("writes");
    };
    let base = "application/vnd.openxmlformats-officedocument.wordprocessingml";
    let overrides: String =
        more.iter().map(|(name, kind, _)| format!("<Override PartName=\"/word/{name}\" ContentType=\"{base}.{kind}+xml\"/>")).collect();
    put(
        "[Content_Types].xml",
        format!(
            "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Override PartName=\"/word/document.xml\" ContentType=\"{base}.document.main+xml\"/><Override PartName=\"/word/styles.xml\" ContentType=\"{base}.styles+xml\"/>{overrides}</Types>"
        ),
    );
    let relations: String = more
        .iter()
        .enumerate()
        .map(|(n, (name, kind, _))| format!("<Relationship Id=\"r{n}\" Type=\"{kind}\" Target=\"{name}\"/>"))
        .collect();
    put(
        "word/_rels/document.xml.rels",
        format!("<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">{relations}</Relationships>"),
    );
    put("word/document.xml", format!("<w:document {W}><w:body>{body}</w:body></w:document>"));
    put("word/styles.xml", format!("<w:styles {W}>{STYLES}</w:styles>"));
    for (name, _, content) in more {
        put(&format!("word/{name}"), content.clone());
    }
    writer.finish().expect("finishes").into_inner()
}

pub fn model(body: &str, more: &[(&str, &str, String)]) -> (Document, Vec<u8>) {
    let template = Template::open(docx(body, more)).expect("opens");
    assert!(template.problems().is_empty(), "{:?}", template.problems());
    let record = Record::new(Arc::new(Schema::new(Vec::new()).expect("schema")), Vec::new(), 1);
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
    let filled = template.fill(&Scope::new(&record, &ties, &context)).expect("fills");
    let pdf = template.typeset(&filled, &Typesetter::default()).expect("typesets").pdf("x", NOON).expect("a PDF");
    (template.pages(&filled).expect("reads"), pdf)
}

/// Words with their page and left, top corner in points.
fn words(pdf: &[u8]) -> Vec<(usize, String, f64, f64)> {
    let file = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(file.path(), pdf).expect("written");
    let output = std::process::Command::new("pdftotext").args(["-bbox", &file.path().to_string_lossy(), "-"]).output().expect("pdftotext");
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let mut page = 0;
    let mut found = Vec::new();
    for line in text.lines() {
        page += usize::from(line.contains("<page "));
        let attribute = |name: &str| line.split(&format!("{name}=\"")).nth(1)?.split('"').next()?.parse::<f64>().ok();
        if let (true, Some(x), Some(y)) = (line.contains("<word "), attribute("xMin"), attribute("yMin")) {
            let word = line.split('>').nth(1).unwrap_or("").split('<').next().unwrap_or("");
            found.push((page, word.to_owned(), x, y));
        }
    }
    found
}

fn at(words: &[(usize, String, f64, f64)], word: &str) -> (usize, f64, f64) {
    let found = words.iter().find(|w| w.1 == word).unwrap_or_else(|| panic!("no {word} among {words:?}"));
    (found.0, found.2, found.3)
}

pub fn p(properties: &str, text: &str) -> String {
    format!("<w:p><w:pPr>{properties}</w:pPr><w:r><w:t xml:space=\"preserve\">{text}</w:t></w:r></w:p>")
}

#[test]
fn margins_indents_and_spacing_are_where_the_document_puts_them() {
    let body = p("", "plain")
        + &p("<w:spacing w:before=\"480\"/><w:ind w:left=\"720\"/>", "indented")
        + &p("<w:jc w:val=\"right\"/>", "right")
        + A4;
    let (_, pdf) = model(&body, &[]);
    let words = words(&pdf);
    let (_, x, y) = at(&words, "plain");
    assert!((x - 72.0).abs() < 0.5 && (y - 72.0).abs() < 3.0, "{x} {y}");
    let (_, x, indented) = at(&words, "indented");
    assert!((x - 108.0).abs() < 0.5, "{x}");
    // A line of Arial 10 is 11.5 pt high; of 6 pt after it and 24 pt before the next
    // the larger counts.
    assert!((indented - y - 35.5).abs() < 0.6, "{}", indented - y);
    assert!(at(&words, "right").1 > 490.0);
}

#[test]
fn styles_lie_under_one_another() {
    let body = format!(
        "{}<w:p><w:r><w:rPr><w:rStyle w:val=\"E\"/><w:b/><w:u w:val=\"single\"/><w:sz w:val=\"24\"/></w:rPr><w:t>direct</w:t></w:r></w:p>{A4}",
        p("<w:pStyle w:val=\"H\"/>", "Heading")
    );
    let (document, _) = model(&body, &[]);
    let looks: Vec<String> = document.sections[0]
        .blocks
        .iter()
        .filter_map(|b| match b {
            Block::Paragraph(p) => p.inlines.first().map(|i| match i {
                Inline::Text(text, s) => format!(
                    "{text} {} {} b{} i{} u{:?} {:?} keep {} after {}",
                    s.font, s.size, s.bold, s.italic, s.underline, s.color, p.keep_next, p.space[1]
                ),
                other => format!("{other:?}"),
            }),
            Block::Table(_) => None,
        })
        .collect();
    assert_eq!(
        looks,
        [
            "Heading Arial 16 btrue ifalse uNone Some(\"5B3A6B\") keep true after 6",
            "direct Arial 12 btrue itrue uSingle None keep false after 6"
        ]
    );
}

#[test]
fn lists_count_and_hang() {
    let numbering = format!(
        "<w:numbering {W}><w:abstractNum w:abstractNumId=\"1\"><w:lvl w:ilvl=\"0\"><w:start w:val=\"1\"/><w:numFmt w:val=\"decimal\"/><w:lvlText w:val=\"%1.\"/><w:pPr><w:ind w:left=\"720\" w:hanging=\"360\"/></w:pPr></w:lvl></w:abstractNum><w:num w:numId=\"4\"><w:abstractNumId w:val=\"1\"/></w:num></w:numbering>"
    );
    let item = "<w:numPr><w:ilvl w:val=\"0\"/><w:numId w:val=\"4\"/></w:numPr>";
    let long = "word ".repeat(60);
    let body = p(item, "first") + &p(item, &format!("second {long}")) + A4;
    let (_, pdf) = model(&body, &[("numbering.xml", "numbering", numbering)]);
    let words = words(&pdf);
    assert!((at(&words, "1.").1 - 90.0).abs() < 0.5 && (at(&words, "2.").1 - 90.0).abs() < 0.5);
    assert!((at(&words, "first").1 - 108.0).abs() < 0.5);
    // Every line of the second item begins where its text does.
    let mut lines: Vec<(f64, f64)> = words.iter().filter(|w| w.1 == "word").map(|w| (w.3, w.2)).collect();
    lines.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let starts: Vec<f64> = lines.chunk_by(|a, b| (a.0 - b.0).abs() < 1.0).skip(1).map(|l| l[0].1).collect();
    assert!(!starts.is_empty() && starts.iter().all(|x| (x - 108.0).abs() < 0.5), "{starts:?}");
}

#[test]
fn tables_merge_cells_both_ways_and_repeat_their_header() {
    let cell = |properties: &str, text: &str| {
        format!("<w:tc><w:tcPr><w:tcW w:w=\"2400\" w:type=\"dxa\"/>{properties}</w:tcPr>{}</w:tc>", p("<w:spacing w:after=\"0\"/>", text))
    };
    let head = format!("<w:tr><w:trPr><w:tblHeader/></w:trPr>{}{}</w:tr>", cell("<w:gridSpan w:val=\"2\"/>", "Berths"), cell("", "Fee"));
    let rows: String = (1..=80)
        .map(|n| {
            let merge = if n % 2 == 1 { "<w:vMerge w:val=\"restart\"/>" } else { "<w:vMerge/>" };
            format!(
                "<w:tr>{}{}{}</w:tr>",
                cell(merge, &format!("pontoon{n}")),
                cell("", &format!("berth{n}")),
                cell("", &format!("fee{n}"))
            )
        })
        .collect();
    let grid = "<w:tblGrid><w:gridCol w:w=\"2400\"/><w:gridCol w:w=\"2400\"/><w:gridCol w:w=\"2400\"/></w:tblGrid>";
    let body = format!("<w:tbl><w:tblPr/>{grid}{head}{rows}</w:tbl>{}{A4}", p("", "after"));
    let (document, pdf) = model(&body, &[]);
    let Block::Table(table) = &document.sections[0].blocks[0] else { panic!("a table") };
    assert_eq!(table.columns, [Some(120.0); 3]);
    assert_eq!((table.rows[0].cells[0].columns, table.rows[1].cells[0].rows, table.rows[2].cells.len()), (2, 2, 2));
    let words = words(&pdf);
    let heads: Vec<usize> = words.iter().filter(|w| w.1 == "Berths").map(|w| w.0).collect();
    assert_eq!(heads, [1, 2], "the header stands on both pages");
    assert!(!words.iter().any(|w| w.1 == "pontoon2"), "a merged cell's own text is not shown");
    let (page, _, y) = at(&words, "berth3");
    assert_eq!((page, y), (at(&words, "fee3").0, at(&words, "fee3").2));
}

#[test]
fn headers_footers_and_page_numbers() {
    let header = |text: &str| format!("<w:hdr {W}>{}</w:hdr>", p("", text));
    let footer = format!(
        "<w:ftr {W}><w:p><w:r><w:t xml:space=\"preserve\">Page </w:t></w:r><w:fldSimple w:instr=\" PAGE \"><w:r><w:t>9</w:t></w:r></w:fldSimple><w:r><w:t xml:space=\"preserve\"> of </w:t></w:r><w:r><w:fldChar w:fldCharType=\"begin\"/></w:r><w:r><w:instrText> NUMPAGES </w:instrText></w:r><w:r><w:fldChar w:fldCharType=\"separate\"/></w:r><w:r><w:t>9</w:t></w:r><w:r><w:fldChar w:fldCharType=\"end\"/></w:r></w:p></w:ftr>"
    );
    let section = A4.replace(
        "<w:sectPr>",
        "<w:sectPr><w:headerReference w:type=\"default\" r:id=\"r0\"/><w:headerReference w:type=\"first\" r:id=\"r1\"/><w:footerReference w:type=\"default\" r:id=\"r2\"/><w:footerReference w:type=\"first\" r:id=\"r2\"/><w:titlePg/>",
    );
    let body = format!("{}<w:p><w:r><w:br w:type=\"page\"/></w:r></w:p>{}{section}", p("", "one"), p("", "two"));
    let (_, pdf) = model(
        &body,
        &[("header1.xml", "header", header("Later")), ("header2.xml", "header", header("Opening")), ("footer1.xml", "footer", footer)],
    );
    let words = words(&pdf);
    let (page, _, y) = at(&words, "Opening");
    assert!(page == 1 && (y - 36.0).abs() < 3.0, "{page} {y}");
    assert_eq!(at(&words, "Later").0, 2);
    assert_eq!(at(&words, "two").0, 2);
    let numbers: Vec<(usize, &str)> = words.iter().filter(|w| w.3 > 700.0).map(|w| (w.0, w.1.as_str())).collect();
    assert_eq!(numbers, [(1, "Page"), (1, "1"), (1, "of"), (1, "2"), (2, "Page"), (2, "2"), (2, "of"), (2, "2")]);
}

#[test]
fn sections_have_their_own_paper() {
    let landscape = "<w:p><w:pPr><w:sectPr><w:pgSz w:w=\"16838\" w:h=\"11906\" w:orient=\"landscape\"/><w:pgMar w:top=\"720\" w:right=\"720\" w:bottom=\"720\" w:left=\"720\"/></w:sectPr></w:pPr></w:p>";
    let (document, pdf) = model(&format!("{}{landscape}{}{A4}", p("", "wide"), p("", "high")), &[]);
    assert_eq!(document.sections.iter().map(|s| s.page.width.round() as i64).collect::<Vec<_>>(), [842, 595]);
    let words = words(&pdf);
    assert_eq!((at(&words, "wide").0, at(&words, "high").0), (1, 2));
    assert!((at(&words, "wide").1 - 36.0).abs() < 0.5);
}

#[test]
fn text_at_tab_stops() {
    let body = format!(
        "<w:p><w:pPr><w:tabs><w:tab w:val=\"right\" w:pos=\"9026\"/></w:tabs></w:pPr><w:r><w:t>left</w:t><w:tab/><w:t>edge</w:t></w:r></w:p><w:p><w:r><w:t>a</w:t><w:tab/><w:t>default</w:t></w:r></w:p>{A4}"
    );
    let (_, pdf) = model(&body, &[]);
    let words = words(&pdf);
    let (_, x, _) = at(&words, "edge");
    assert!((495.0..523.4).contains(&x), "{x}");
    assert!((at(&words, "default").1 - 108.0).abs() < 0.5);
}

#[test]
fn caps_hidden_text_and_special_signs() {
    let run = |properties: &str, content: &str| format!("<w:r><w:rPr>{properties}</w:rPr>{content}</w:r>");
    let body = format!(
        "<w:p>{}{}{}{}</w:p>{A4}",
        run("<w:caps/>", "<w:t>grace</w:t>"),
        run("<w:vanish/>", "<w:t>secret</w:t>"),
        run("", "<w:noBreakHyphen/><w:t>x &amp; y &lt; z \" \\ #let</w:t>"),
        run("", "<w:br/><w:t>below</w:t>"),
    );
    let (_, pdf) = model(&body, &[]);
    let text: String = words(&pdf).iter().map(|w| format!("{} ", w.1)).collect();
    assert!(text.starts_with("GRACE") && text.contains("&amp; y &lt; z") && text.contains("#let") && !text.contains("secret"), "{text}");
}

#[test]
fn odd_documents_still_give_pages() {
    for body in [
        String::new(),
        "<w:tbl/>".to_owned(),
        "<w:tbl><w:tr><w:tc/></w:tr></w:tbl>".to_owned(),
        "<w:p><w:pPr><w:spacing w:before=\"-5\" w:line=\"99999999\"/><w:ind w:left=\"NaN\"/></w:pPr><w:r><w:rPr><w:sz w:val=\"99999\"/></w:rPr><w:t>x</w:t></w:r></w:p>".to_owned(),
        "<w:p><w:pPr><w:numPr><w:ilvl w:val=\"77\"/><w:numId w:val=\"nothing\"/></w:numPr></w:pPr></w:p>".to_owned(),
        "<w:sectPr><w:pgSz w:w=\"1\" w:h=\"-4\"/><w:pgMar w:top=\"999999\" w:left=\"999999\"/></w:sectPr>".to_owned(),
    ] {
        let (_, pdf) = model(&body, &[]);
        assert!(pdf.starts_with(b"%PDF"), "{body}");
    }
}

#[test]
fn a_line_that_holds_only_a_bookmark_still_takes_its_height() {
    let mark = "<w:p><w:bookmarkStart w:id=\"0\" w:name=\"_GoBack\"/><w:bookmarkEnd w:id=\"0\"/></w:p>";
    let gap = |between: &str| {
        let (_, pdf) = model(&(p("", "first") + between + &p("", "second") + A4), &[]);
        let words = words(&pdf);
        at(&words, "second").2 - at(&words, "first").2
    };
    let empty = gap("<w:p/>");
    assert!(empty > gap("") + 10.0 && (gap(mark) - empty).abs() < 0.1, "{empty} {}", gap(mark));
}

#[test]
fn text_beside_the_end_of_a_table_of_contents_stays() {
    let char = |kind: &str| format!("<w:r><w:fldChar w:fldCharType=\"{kind}\"/></w:r>");
    let contents = format!(
        "<w:p>{}<w:r><w:instrText>TOC \\o \"1-3\"</w:instrText></w:r>{}<w:r><w:t>Saved 1</w:t></w:r></w:p><w:p>{}<w:r><w:t>kept</w:t></w:r></w:p>",
        char("begin"),
        char("separate"),
        char("end")
    );
    let heading = p("<w:outlineLvl w:val=\"0\"/>", "Berths");
    let (_, pdf) = model(&(contents.clone() + &heading + A4), &[]);
    let said: Vec<String> = words(&pdf).into_iter().map(|w| w.1).collect();
    assert!(said.contains(&"kept".to_owned()) && !said.contains(&"Saved".to_owned()), "{said:?}");
    assert_eq!(said.iter().filter(|w| *w == "Berths").count(), 2, "{said:?}");
    // Without headings the saved entries stay.
    let (_, pdf) = model(&(contents + A4), &[]);
    assert!(words(&pdf).iter().any(|w| w.1 == "Saved"));
}

#[test]
fn what_stands_apart_is_in_no_one_elses_way() {
    let numbered = A4.replace("</w:sectPr>", "<w:lnNumType w:countBy=\"1\"/></w:sectPr>");
    let drop = "<w:framePr w:dropCap=\"drop\" w:lines=\"2\" w:wrap=\"around\" w:vAnchor=\"text\"/><w:spacing w:after=\"0\" w:line=\"460\" w:lineRule=\"exact\"/>";
    let sentence = "All berths are kept for another season by whoever holds them now. ".repeat(6);
    let letter = format!("<w:p><w:pPr>{drop}</w:pPr><w:r><w:rPr><w:sz w:val=\"56\"/></w:rPr><w:t>W</w:t></w:r></w:p>");
    let (document, pdf) = model(&(letter.clone() + &p("", &sentence) + &numbered), &[]);
    // The letter is a drawing that the paragraph holds, and its line has no number.
    assert_eq!(document.sections[0].blocks.len(), 1);
    let words = words(&pdf);
    let numbers: Vec<u32> = words.iter().filter(|w| w.2 < 70.0).filter_map(|w| w.1.parse().ok()).collect();
    let mut lines: Vec<i64> = words.iter().filter(|w| w.2 > 71.0 && w.1 != "W").map(|w| w.3.round() as i64).collect();
    lines.dedup();
    assert_eq!(numbers, (1..=lines.len() as u32).collect::<Vec<_>>());
    // With nothing behind it to stand beside, and within a cell, it stays in the text.
    let cell = format!("<w:tbl><w:tr><w:tc>{letter}<w:p/></w:tc></w:tr></w:tbl>");
    let (document, _) = model(&(cell + &letter + A4), &[]);
    assert!(matches!(document.sections[0].blocks[..], [Block::Table(_), Block::Paragraph(_)]));
    // Two tables that stand apart in a row: the first stays, the second is held.
    let place = "<w:tblPr><w:tblpPr w:vertAnchor=\"text\" w:horzAnchor=\"margin\" w:tblpX=\"4000\" w:tblpY=\"1\"/></w:tblPr>";
    let table = format!("<w:tbl>{place}<w:tblGrid><w:gridCol w:w=\"1500\"/></w:tblGrid><w:tr><w:tc><w:p/></w:tc></w:tr></w:tbl>");
    let (document, _) = model(&(table.repeat(2) + &p("", &sentence) + A4), &[]);
    let [Block::Table(_), Block::Paragraph(held)] = &document.sections[0].blocks[..] else { panic!("{:?}", document.sections[0].blocks) };
    assert_eq!(held.inlines.iter().filter(|i| i.anchored().is_some()).count(), 1);
}

#[test]
fn a_table_has_no_lines_but_its_own() {
    let line = |side: &str| format!("<w:{side} w:val=\"single\" w:sz=\"8\" w:color=\"000000\"/>");
    let table = |sides: &[&str]| {
        let borders: String = sides.iter().map(|side| line(side)).collect();
        let cells = "<w:tc><w:tcPr><w:tcW w:w=\"3000\" w:type=\"dxa\"/></w:tcPr><w:p/></w:tc>".repeat(2);
        let row = format!("<w:tr><w:trPr><w:trHeight w:val=\"2000\"/></w:trPr>{cells}</w:tr>");
        format!(
            "<w:tbl><w:tblPr><w:tblBorders>{borders}</w:tblBorders></w:tblPr><w:tblGrid><w:gridCol w:w=\"3000\"/><w:gridCol w:w=\"3000\"/></w:tblGrid>{}</w:tbl>",
            row.repeat(2)
        )
    };
    let lines = |sides: &[&str]| upright(&model(&(table(sides) + A4), &[]).1, 1, 80.0, 160.0).len();
    assert_eq!(lines(&["top", "bottom", "insideH"]), 0);
    assert_eq!(lines(&["top", "bottom", "insideH", "insideV"]), 1);
    assert_eq!(lines(&["left", "right", "insideV"]), 3);
    assert_eq!(lines(&[]), 0);
}

#[test]
fn sections_that_can_not_be_set_as_they_say_are_told() {
    let told = |body: String| model(&body, &[]).0.left_out.iter().map(ToString::to_string).collect::<Vec<_>>();
    let columns = |inner: &str| A4.replace("</w:sectPr>", &format!("<w:cols w:equalWidth=\"0\">{inner}</w:cols></w:sectPr>"));
    let uneven = columns("<w:col w:w=\"2000\" w:space=\"500\"/><w:col w:w=\"6000\"/>");
    assert!(told(p("", "one") + &uneven).is_empty());
    let table = "<w:tbl><w:tblGrid><w:gridCol w:w=\"1500\"/></w:tblGrid><w:tr><w:tc><w:p/></w:tc></w:tr></w:tbl>";
    assert_eq!(
        told(table.to_owned() + &p("", "one") + &uneven),
        ["unequal column widths with a table taller than the column is not supported and is left out"]
    );
}

#[test]
fn lines_are_counted_anew_where_a_section_begins() {
    let section = A4.replace("</w:sectPr>", "<w:lnNumType w:countBy=\"1\" w:restart=\"newSection\"/></w:sectPr>");
    let within = section.replace("<w:pgSz", "<w:type w:val=\"continuous\"/><w:pgSz");
    let many = |count: usize, section: &str| {
        p("", "line").repeat(count) + &format!("<w:p><w:pPr>{section}</w:pPr><w:r><w:t>line</w:t></w:r></w:p>")
    };
    let (_, pdf) = model(&(many(69, &section) + &many(2, &section) + &many(4, &within) + &section), &[]);
    let numbers = |page: usize| -> Vec<usize> {
        words(&pdf).into_iter().filter(|w| w.0 == page && w.1 != "line").filter_map(|w| w.1.parse().ok()).collect()
    };
    let (one, two) = (numbers(1), numbers(2));
    assert!(one.len() < 70, "the first goes on over two pages");
    assert_eq!([one, two].concat(), (1..=70).collect::<Vec<_>>());
    // On a page of its own, and within one.
    assert_eq!(numbers(3), [1, 2, 3, 1, 2, 3, 4, 5]);
}

#[test]
fn text_boxes_in_text_boxes_are_written_once() {
    // Written twice at each depth they would grow without end.
    let shape = |inner: &str| {
        let open = "<w:p><w:r><w:drawing><wp:inline xmlns:wp=\"wp\"><wp:extent cx=\"2540000\" cy=\"1270000\"/><a:graphic xmlns:a=\"a\"><a:graphicData uri=\"/wordprocessingShape\"><wps:wsp xmlns:wps=\"wps\"><wps:spPr/><wps:txbx><w:txbxContent>";
        format!(
            "{open}{inner}</w:txbxContent></wps:txbx><wps:bodyPr/></wps:wsp></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>"
        )
    };
    let nested = (0..20).fold(p("", "innermost"), |inner, _| shape(&inner));
    let (document, pdf) = model(&(nested + A4), &[]);
    let told: Vec<String> = document.left_out.iter().map(ToString::to_string).collect();
    assert_eq!(told, ["text in a text box nested more than four deep is not supported and is left out"]);
    assert!(pdf.len() < 100_000, "{}", pdf.len());
    let (_, pdf) = model(&((0..4).fold(p("", "innermost"), |inner, _| shape(&inner)) + A4), &[]);
    assert!(words(&pdf).iter().any(|w| w.1 == "innermost"));
}

#[test]
fn a_section_with_a_tall_header_keeps_its_line_numbers_to_itself() {
    let header = format!("<w:hdr {W}>{}</w:hdr>", p("", &"A header of many lines. ".repeat(60)));
    let section =
        |inner: &str| A4.replace("<w:pgSz", &format!("{inner}<w:pgSz")).replace("</w:sectPr>", "<w:lnNumType w:countBy=\"1\"/></w:sectPr>");
    let first = format!("<w:p><w:pPr>{}</w:pPr></w:p>", section("<w:headerReference w:type=\"default\" r:id=\"r0\"/>"));
    let second = section("<w:headerReference w:type=\"default\" r:id=\"r1\"/>");
    let parts = [("header1.xml", "header", header), ("header2.xml", "header", format!("<w:hdr {W}><w:p/></w:hdr>"))];
    let (_, pdf) = model(&(p("", "one") + &first + &p("", "two") + &second), &parts);
    let numbered = |page: usize| words(&pdf).iter().any(|w| w.0 == page && w.2 < 70.0 && w.1 == "1");
    assert!(numbered(1) && numbered(2));
}

#[test]
fn words_wider_than_their_line_go_on_in_the_next() {
    let page = super::corpus::pages("text-long-words").remove(0);
    // A cell of 75 points with 5.4 at its sides: nothing reaches beyond it.
    let in_cell: Vec<&str> =
        page.iter().filter(|w| w.left < 141.0 && w.bottom < 220.0 && w.bottom > 90.0).map(|w| w.text.as_str()).collect();
    assert_eq!(in_cell[..4], ["Hafengesellsc", "haftsverwaltu", "ngsangelegen", "heiten"]);
    assert_eq!(in_cell[4..], ["see", "maud.quayle", "@brackwater-", "quay.example", "now"]);
    assert!(page.iter().all(|w| w.right < 595.3 - 70.85 + 0.1));
}

#[test]
fn tables_that_fit_their_content_have_room_for_the_longest_word() {
    let word = "Hafengesellschaftsverwaltung";
    let cell = |width: u32, text: &str| format!("<w:tc><w:tcPr><w:tcW w:w=\"{width}\" w:type=\"dxa\"/></w:tcPr>{}</w:tc>", p("", text));
    let table = |layout: &str| {
        let row = format!("<w:tr>{}{}</w:tr>", cell(1000, word), cell(8000, "beside it"));
        format!(
            "<w:tbl><w:tblPr><w:tblW w:w=\"0\" w:type=\"auto\"/>{layout}</w:tblPr><w:tblGrid><w:gridCol w:w=\"1000\"/><w:gridCol w:w=\"8000\"/></w:tblGrid>{row}</w:tbl>{}{A4}",
            p("", "")
        )
    };
    let columns = |layout: &str| {
        let (document, _) = model(&table(layout), &[]);
        let Block::Table(table) = &document.sections[0].blocks[0] else { panic!("no table") };
        table.columns.iter().map(|c| c.expect("a width")).collect::<Vec<f64>>()
    };
    let fixed = columns("<w:tblLayout w:type=\"fixed\"/>");
    assert_eq!(fixed, [50.0, 400.0]);
    let fitted = columns("");
    assert!(fitted[0] > 130.0 && fitted[0] < 170.0, "{fitted:?}");
    assert!((fitted[0] + fitted[1] - 450.0).abs() < 0.01, "the other gives what it needs: {fitted:?}");
}

#[test]
fn addresses_end_lines_at_hyphens_alone() {
    let lead = "The office keeps a list of every berth and of those who lie there in winter ";
    let shown = |address: &str| {
        let (_, pdf) = model(&(p("", &format!("{lead}{address} and so on to the end of this line.")) + A4), &[]);
        let texts: Vec<String> = words(&pdf).into_iter().map(|(_, text, ..)| text).collect();
        texts[16..texts.len() - 9].to_vec()
    };
    assert_eq!(shown("https://quay.example/rules/of/the/harbour"), ["https://quay.example/rules/of/the/harbour"]);
    assert_eq!(shown("www.quay.example/rules/of/the/harbour"), ["www.quay.example/rules/of/the/harbour"]);
    assert_eq!(shown("https://brackwater-quay.example/of/the/harbour"), ["https://brackwater-", "quay.example/of/the/harbour"]);
}

#[test]
fn a_box_in_a_header_stands_where_the_margins_of_its_own_section_put_it() {
    let shape = "<w:p><w:r><w:drawing><wp:anchor xmlns:wp=\"wp\" behindDoc=\"0\"><wp:positionH relativeFrom=\"margin\"><wp:posOffset>0</wp:posOffset></wp:positionH><wp:positionV relativeFrom=\"margin\"><wp:posOffset>1270000</wp:posOffset></wp:positionV><wp:extent cx=\"2540000\" cy=\"254000\"/><wp:wrapNone/><a:graphic xmlns:a=\"a\"><a:graphicData uri=\"/wordprocessingShape\"><wps:wsp xmlns:wps=\"wps\"><wps:spPr/><wps:txbx><w:txbxContent><w:p><w:r><w:t>BOXED</w:t></w:r></w:p></w:txbxContent></wps:txbx><wps:bodyPr/></wps:wsp></a:graphicData></a:graphic></wp:anchor></w:drawing></w:r></w:p>";
    let header = format!("<w:hdr {W}>{shape}</w:hdr>");
    // Of two sections the second begins lower: what stands 100 pt below its margin does, too.
    let section = |top: u32| {
        A4.replace("<w:sectPr>", "<w:sectPr><w:headerReference w:type=\"default\" r:id=\"r0\"/>")
            .replace("w:top=\"1440\"", &format!("w:top=\"{top}\""))
    };
    let body = format!("{}<w:p><w:pPr>{}</w:pPr></w:p>{}{}", p("", "one"), section(1440), p("", "two"), section(2440));
    let (_, pdf) = model(&body, &[("header1.xml", "header", header)]);
    let words = words(&pdf);
    let high: Vec<f64> = words.iter().filter(|w| w.1 == "BOXED").map(|w| w.3).collect();
    let [first, second] = high[..] else { panic!("{words:?}") };
    assert!((first - 172.0).abs() < 6.0, "{first}");
    assert!((second - first - 50.0).abs() < 0.6, "{first} {second}");
}

#[test]
fn pages_end_within_paragraphs_that_have_a_frame() {
    let frame = "<w:pBdr><w:top w:val=\"single\" w:sz=\"8\" w:space=\"4\"/><w:bottom w:val=\"single\" w:sz=\"8\" w:space=\"4\"/></w:pBdr><w:shd w:val=\"clear\" w:fill=\"EEEEEE\"/>";
    let broken = |kind: &str| {
        format!(
            "<w:p><w:pPr>{frame}</w:pPr><w:r><w:t>before</w:t></w:r><w:r><w:br w:type=\"{kind}\"/></w:r><w:r><w:t>behind</w:t></w:r></w:p>"
        )
    };
    let (_, pdf) = model(&(p(frame, "same") + &broken("page") + &p(frame, "last") + A4), &[]);
    let found = words(&pdf);
    let pages: Vec<(usize, &str)> = found.iter().map(|w| (w.0, w.1.as_str())).collect();
    assert_eq!(pages, [(1, "same"), (1, "before"), (2, "behind"), (2, "last")]);
    let columns = A4.replace("</w:sectPr>", "<w:cols w:num=\"2\" w:space=\"720\"/></w:sectPr>");
    let (_, pdf) = model(&(broken("column") + &columns), &[]);
    let found = words(&pdf);
    assert!(at(&found, "behind").0 == 1 && at(&found, "behind").1 > at(&found, "before").1 + 100.0, "{found:?}");
}
