use std::io::Write;

use mangle_core::records::{ColumnType, Sheet};

use super::*;

fn read_text(bytes: &[u8]) -> RawSheet {
    read("holders.csv", bytes.to_vec().into()).expect("reads").remove(0)
}

fn refused(name: &str, bytes: Vec<u8>) -> String {
    let error = read(name, bytes.into()).expect_err("is refused");
    format!("{}: {error}", error.code())
}

fn cell(text: &str) -> Cell {
    Cell::Text(text.into())
}

#[test]
fn any_usual_delimiter() {
    for text in [
        "Ref,Boat\nBQ-0003,\"Möwe, alt\"\n",
        "Ref;Boat\nBQ-0003;Möwe, alt\n",
        "Ref\tBoat\nBQ-0003\tMöwe, alt\n",
        "Ref|Boat\r\nBQ-0003|Möwe, alt\r\n",
    ] {
        let sheet = read_text(text.as_bytes());
        assert_eq!(sheet.header, ["Ref", "Boat"], "{text:?}");
        assert_eq!(sheet.rows, [[cell("BQ-0003"), cell("Möwe, alt")]], "{text:?}");
    }
}

#[test]
fn any_usual_encoding() {
    let text = "Ref;Boat\nBQ-0048;Möwe\n";
    let utf16 = |order: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(order).collect::<Vec<u8>>();
    let mut marked = vec![0xff, 0xfe];
    marked.extend(utf16(u16::to_le_bytes));
    let windows = text.chars().map(|c| if c == 'ö' { 0xf6 } else { c as u8 }).collect();
    for bytes in [text.as_bytes().to_vec(), format!("\u{feff}{text}").into_bytes(), marked, utf16(u16::to_be_bytes), windows] {
        assert_eq!(read_text(&bytes).rows, [[cell("BQ-0048"), cell("Möwe")]]);
    }
}

#[test]
fn blank_rows_and_nameless_blank_columns_are_dropped() {
    let sheet = read_text(b"\n;;;\nRef;;Boat;\n;;;\nBQ-1;;Grace;\n");
    assert_eq!(sheet.header, ["Ref", "Boat"]);
    assert_eq!(sheet.rows, [[cell("BQ-1"), cell("Grace")]]);
}

#[test]
fn wrong_files_are_named_for_what_they_are() {
    insta::assert_snapshot!(
        [
            refused("a.csv", Vec::new()),
            refused("a.csv", b"%PDF-1.7\n1 0 obj".to_vec()),
            refused("a.xlsx", b"PK\x03\x04 cut off".to_vec()),
            refused("a.csv", b"\n;;\n".to_vec()),
            refused(
                "a.csv",
                (0..20_000).map(|n| format!("c{n}")).collect::<Vec<_>>().join(";").into_bytes().into_iter().chain(*b"\n1;2\n").collect()
            ),
            refused("a.csv", vec![0, 1, 2, 3, 200, 0, 5]),
        ]
        .join("\n")
    );
}

#[test]
fn a_header_is_mended_and_never_a_reason_to_refuse() {
    let sheet = read_text(b"Ref;Total;;Total;total;Column C\n1;2;3;4;5;6\n");
    assert_eq!(sheet.header, ["Ref", "Total", "Column C (2)", "Total (2)", "total (3)", "Column C"]);
    assert_eq!(sheet.notes.len(), 3);
    assert_eq!(sheet.notes[0], "A column has no name in the file; it is called “Column C (2)” here.");
    assert!(sheet.notes[1].starts_with("Another column is called “Total” already; this one is “Total (2)” here."), "{:?}", sheet.notes);
    // A header alone is a sheet to be filled.
    let sheet = read_text(b"Ref;Boat\n");
    assert_eq!((sheet.header.len(), sheet.rows.len()), (2, 0));
}

/// A workbook of one sheet whose cells are given as XML, and what its styles are.
fn xlsx(cells: &str, formats: &str, more: &[(&str, &str)]) -> Vec<u8> {
    const MAIN: &str = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    const TYPE: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let relations = |inner: String| {
        format!("<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">{inner}</Relationships>")
    };
    let parts = [
        ("[Content_Types].xml", "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"xml\" ContentType=\"application/xml\"/></Types>".to_owned()),
        ("_rels/.rels", relations(format!("<Relationship Id=\"r1\" Type=\"{TYPE}/officeDocument\" Target=\"xl/workbook.xml\"/>"))),
        ("xl/workbook.xml", format!("<workbook xmlns=\"{MAIN}\" xmlns:r=\"{TYPE}\"><sheets><sheet name=\"Dues\" sheetId=\"1\" r:id=\"r1\"/></sheets></workbook>")),
        ("xl/_rels/workbook.xml.rels", relations(format!("<Relationship Id=\"r1\" Type=\"{TYPE}/worksheet\" Target=\"worksheets/sheet1.xml\"/><Relationship Id=\"r2\" Type=\"{TYPE}/styles\" Target=\"styles.xml\"/>"))),
        ("xl/styles.xml", format!("<styleSheet xmlns=\"{MAIN}\">{formats}</styleSheet>")),
        ("xl/worksheets/sheet1.xml", format!("<worksheet xmlns=\"{MAIN}\"><sheetData>{cells}</sheetData></worksheet>")),
    ];
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let parts = parts.iter().map(|(name, content)| (*name, content.as_str())).chain(more.iter().copied());
    for (name, content) in parts {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content.as_bytes()).expect("writes");
    }
    writer.finish().expect("finishes").into_inner()
}

const ITEMS: &str = "<row r=\"3\"><c r=\"B3\" t=\"inlineStr\"><is><t>Item</t></is></c><c r=\"C3\" t=\"inlineStr\"><is><t>Qty</t></is></c><c r=\"D3\" t=\"inlineStr\"><is><t>Price</t></is></c><c r=\"E3\" t=\"inlineStr\"><is><t>Rate</t></is></c><c r=\"F3\" t=\"inlineStr\"><is><t>Amount</t></is></c></row>";

#[test]
fn formulas_without_a_stored_value_are_calculated_or_told() {
    let row = |n: usize, formula: &str| {
        format!(
            "<row r=\"{n}\"><c r=\"B{n}\" t=\"inlineStr\"><is><t>Zinc</t></is></c><c r=\"C{n}\"><v>2</v></c><c r=\"D{n}\"><v>12.5</v></c><c r=\"F{n}\"><f>{formula}</f></c></row>"
        )
    };
    let cells = format!("{ITEMS}{}{}", row(4, "C4*D4"), row(5, "ROUND(F4/3;2)+SUM(C4:C5)".replace(';', ",").as_str()));
    let sheet = read("dues.xlsx", xlsx(&cells, "", &[]).into()).expect("reads").remove(0);
    let amounts: Vec<String> = sheet.rows.iter().map(|r| r.last().map(Cell::as_text).unwrap_or_default()).collect();
    assert_eq!(amounts, ["25", "12.33"]);
    assert_eq!(sheet.notes, ["Some cells contain formulas without a stored value (2). The values were calculated here."]);
    let cells = format!("{ITEMS}{}", row(4, "VLOOKUP(B4,Prices!A:B,2)"));
    let sheet = read("dues.xlsx", xlsx(&cells, "", &[]).into()).expect("reads").remove(0);
    assert!(matches!(sheet.rows[0].last(), Some(Cell::Error(said)) if said == "=VLOOKUP(B4,Prices!A:B,2)"), "{:?}", sheet.rows);
    assert!(
        sheet.notes[0].starts_with("One cell contains a formula without a stored value. 1 could not be calculated here, the first in F4:"),
        "{:?}",
        sheet.notes
    );
}

#[test]
fn number_formats_say_what_is_money_and_what_a_percentage() {
    let formats = "<numFmts count=\"1\"><numFmt numFmtId=\"164\" formatCode=\"[$£-809]#,##0.00\"/></numFmts><cellXfs count=\"3\"><xf numFmtId=\"0\"/><xf numFmtId=\"164\"/><xf numFmtId=\"10\"/></cellXfs>";
    let row = |n: usize| {
        format!(
            "<row r=\"{n}\"><c r=\"C{n}\"><v>2</v></c><c r=\"D{n}\" s=\"1\"><v>12.5</v></c><c r=\"E{n}\" s=\"2\"><v>0.1</v></c><c r=\"F{n}\"{}><v>1</v></c></row>",
            if n == 4 { " s=\"1\"" } else { "" }
        )
    };
    let bytes = xlsx(&format!("{ITEMS}{}{}", row(4), row(5)), formats, &[]);
    let sheet = Sheet::recognise(&read("dues.xlsx", bytes.into()).expect("reads")[0]).expect("a sheet");
    let kinds: Vec<String> = sheet.schema.columns().iter().map(|c| format!("{} {}", c.name, c.kind)).collect();
    // One cell in pounds among others makes no column of pounds.
    assert_eq!(kinds, ["Item text", "Qty number", "Price money GBP", "Rate percent", "Amount number"]);
}

#[test]
fn only_parts_that_are_read_are_looked_through() {
    let macros = [("xl/drawings/note.xml", "<!DOCTYPE x><x/>"), ("customXml/item1.xml", "<!DOCTYPE x><x/>")];
    let cells = format!("{ITEMS}<row r=\"4\"><c r=\"C4\"><v>2</v></c></row>");
    assert_eq!(read("dues.xlsx", xlsx(&cells, "", &macros).into()).expect("reads")[0].rows.len(), 1);
}

#[test]
fn an_indented_opendocument_sheet_reads_like_one_in_a_line() {
    let raw = read_text("Ref;Boat\nA10;Möwe\nA12;Old  Tern\n".as_bytes());
    let sheet = Sheet::recognise(&raw).expect("a sheet");
    let records: Vec<&mangle_core::records::Record> = sheet.records.iter().collect();
    let plain = write(Format::Ods, "Berths", sheet.schema.columns(), &records).expect("writes");
    let mut source = zip::ZipArchive::new(std::io::Cursor::new(plain.clone())).expect("a package");
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for at in 0..source.len() {
        let mut part = source.by_index(at).expect("a part");
        let name = part.name().expect("a name").into_owned();
        let mut content = String::new();
        std::io::Read::read_to_string(&mut part, &mut content).expect("reads");
        for tag in ["<table:table-row", "<table:table-cell", "</table:table-row>", "</table:table>"] {
            content = content.replace(tag, &format!("\n   {tag}"));
        }
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content.as_bytes()).expect("writes");
    }
    let indented = writer.finish().expect("finishes").into_inner();
    let rows = |bytes: Vec<u8>| read("berths.ods", bytes.into()).expect("reads").remove(0).rows;
    assert_eq!(rows(indented), rows(plain));
}

#[test]
fn repeated_cells_of_a_small_file_do_not_fill_the_memory() {
    let content = "<office:document-content xmlns:office=\"o\" xmlns:table=\"t\"><office:body><office:spreadsheet><table:table table:name=\"A\"><table:table-row table:number-rows-repeated=\"6000\"><table:table-cell table:number-columns-repeated=\"16384\" office:value-type=\"float\" office:value=\"1\"/></table:table-row></table:table></office:spreadsheet></office:body></office:document-content>";
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, content) in [("mimetype", "application/vnd.oasis.opendocument.spreadsheet"), ("content.xml", content)] {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content.as_bytes()).expect("writes");
    }
    let said = refused("a.ods", writer.finish().expect("finishes").into_inner());
    assert!(said.starts_with("too-large: the table from the first to the last cell of the sheet “A”"), "{said}");
}

#[test]
fn an_old_binary_workbook_reads_as_well() {
    let bytes = std::fs::read("tests/sheets/berths.xls").expect("the workbook");
    let sheet = Sheet::recognise(&read("berths.xls", bytes.clone().into()).expect("reads")[0]).expect("a sheet");
    let shown: Vec<String> = sheet.records[0].values().iter().map(mangle_core::records::shown).collect();
    assert_eq!(shown, ["A10", "Möwe", "11.4", "1 Apr 2019"]);
    assert!(refused("berths.xls", bytes[..700].to_vec()).starts_with("wrong-kind: this is a legacy or password-protected office file"));
}

/// A zip of one part that unpacks to far more than it holds.
fn packed(name: &str, content: &[u8]) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
    writer.write_all(content).expect("writes");
    writer.finish().expect("finishes").into_inner()
}

#[test]
fn a_part_that_unpacks_too_far_is_refused_while_it_is_read() {
    assert!(
        refused("a.xlsx", packed("xl/workbook.xml", &vec![b' '; 8 << 20]))
            .starts_with("unpacks-too-far: “xl/workbook.xml” inside the file expands to")
    );
}

#[test]
fn a_document_type_definition_is_refused() {
    let said = refused("a.xlsx", packed("xl/workbook.xml", b"<?xml version='1.0'?><!DOCTYPE x [<!ENTITY a 'b'>]><x>&a;</x>"));
    assert!(said.starts_with("dtd: “xl/workbook.xml”"), "{said}");
}

#[test]
fn the_demo_workbook_reads_with_its_types() {
    let bytes = std::fs::read("../../demo/season.xlsx").expect("the demo");
    let sheets = read("season.xlsx", bytes.into()).expect("reads");
    assert_eq!(
        sheets.iter().map(|s| (s.name.as_str(), s.rows.len())).collect::<Vec<_>>(),
        [("Holders", 214), ("Visitors", 38), ("Staff", 9)]
    );
    let holders = Sheet::recognise(&sheets[0]).expect("recognised");
    let kind = |name: &str| holders.schema.column(&mangle_core::language::Folded::new(name)).map(|c| c.kind.name());
    assert_eq!(
        ["Ref", "E-mail", "Balance", "Due date", "Days overdue", "Liveaboard", "LOA", "Insurance until"]
            .map(|n| kind(n).unwrap_or("missing")),
        ["text", "e-mail", "money", "date", "number", "yes/no", "number", "date"]
    );
    assert!(matches!(holders.schema.columns()[0].kind, ColumnType::Text));
}

#[test]
fn a_semicolon_list_in_windows_1252_reads_its_decimal_commas() {
    let bytes = std::fs::read("../../demo/price-list.csv").expect("the demo");
    let sheets = read("price-list.csv", bytes.into()).expect("reads");
    let prices = Sheet::recognise(&sheets[0]).expect("recognised");
    assert_eq!(prices.name, "price-list");
    assert!(prices.schema.columns().iter().any(|c| c.kind == ColumnType::Number));
}

/// A workbook of the least parts: its sheet's rows, its styles' formats, and
/// whether its days count from 1904.
fn workbook(rows: &str, from_1904: bool) -> Vec<u8> {
    workbook_with(rows, "", from_1904)
}

/// The same with what stands behind the rows.
fn workbook_with(rows: &str, behind: &str, from_1904: bool) -> Vec<u8> {
    let main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    let office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let package = "http://schemas.openxmlformats.org/package/2006";
    parts(&[
        (
            "[Content_Types].xml",
            format!(
                "<Types xmlns=\"{package}/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Override PartName=\"/xl/workbook.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml\"/></Types>"
            ),
        ),
        (
            "_rels/.rels",
            format!(
                "<Relationships xmlns=\"{package}/relationships\"><Relationship Id=\"r1\" Type=\"{office}/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/workbook.xml",
            format!(
                "<workbook xmlns=\"{main}\" xmlns:r=\"{office}\"><workbookPr date1904=\"{}\"/><sheets><sheet name=\"Berths\" sheetId=\"1\" r:id=\"r1\"/></sheets></workbook>",
                u8::from(from_1904)
            ),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            format!(
                "<Relationships xmlns=\"{package}/relationships\"><Relationship Id=\"r1\" Type=\"{office}/worksheet\" Target=\"worksheets/sheet1.xml\"/><Relationship Id=\"r2\" Type=\"{office}/styles\" Target=\"styles.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/styles.xml",
            format!("<styleSheet xmlns=\"{main}\"><cellXfs count=\"2\"><xf numFmtId=\"0\"/><xf numFmtId=\"14\"/></cellXfs></styleSheet>"),
        ),
        ("xl/worksheets/sheet1.xml", format!("<worksheet xmlns=\"{main}\"><sheetData>{rows}</sheetData>{behind}</worksheet>")),
    ])
}

/// A zip of some parts.
fn parts(parts: &[(&str, String)]) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, content) in parts {
        writer.start_file(*name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content.as_bytes()).expect("writes");
    }
    writer.finish().expect("finishes").into_inner()
}

fn text_cell(at: &str, text: &str) -> String {
    format!("<c r=\"{at}\" t=\"inlineStr\"><is><t>{text}</t></is></c>")
}

#[test]
fn days_count_from_1900_or_1904_as_the_workbook_says() {
    let rows = format!("<row r=\"1\">{}</row><row r=\"2\"><c r=\"A2\" s=\"1\"><v>46349</v></c></row>", text_cell("A1", "Due"));
    let first = |bytes: Vec<u8>| match &read("a.xlsx", bytes.into()).expect("reads")[0].rows[0][0] {
        Cell::Date(moment) => moment.date().to_string(),
        other => format!("{other:?}"),
    };
    assert_eq!(first(workbook(&rows, false)), "2026-11-23");
    assert_eq!(first(workbook(&rows, true)), "2030-11-24");
}

#[test]
fn formulas_give_their_results_and_errors_stay_errors() {
    let heads: String = ["A1", "B1", "C1", "D1"].iter().zip(["Sum", "Wrong", "Paid", "Note"]).map(|(at, t)| text_cell(at, t)).collect();
    let rows = format!(
        "<row r=\"1\">{heads}</row><row r=\"2\"><c r=\"A2\"><f>1+1.5</f><v>2.5</v></c><c r=\"B2\" t=\"e\"><f>1/0</f><v>#DIV/0!</v></c><c r=\"C2\" t=\"b\"><v>1</v></c><c r=\"D2\" t=\"str\"><f>\"a\"</f><v>a</v></c></row>"
    );
    let sheet = read("a.xlsx", workbook(&rows, false).into()).expect("reads").remove(0);
    assert_eq!(sheet.rows[0][0], Cell::Number("2.5".parse().expect("a number")));
    assert!(matches!(&sheet.rows[0][1], Cell::Error(_)), "{:?}", sheet.rows[0][1]);
    assert_eq!((&sheet.rows[0][2], &sheet.rows[0][3]), (&Cell::Bool(true), &cell("a")));
}

#[test]
fn cells_far_apart_do_not_fill_the_memory() {
    let rows = format!(
        "<row r=\"1\">{}</row><row r=\"2\">{}</row><row r=\"1048576\">{}</row>",
        text_cell("A1", "Ref"),
        text_cell("A2", "BQ-1"),
        text_cell("XFD1048576", "far")
    );
    let said = read("a.xlsx", workbook(&rows, false).into());
    assert!(said.is_err() || said.is_ok_and(|s| s[0].rows.len() < 10), "refused or trimmed, not spread out");
}

#[test]
fn an_opendocument_sheet_reads_with_its_repeats() {
    let name = |prefix: &str| format!("urn:oasis:names:tc:opendocument:xmlns:{prefix}:1.0");
    let content = format!(
        "<office:document-content xmlns:office=\"{}\" xmlns:table=\"{}\" xmlns:text=\"{}\"><office:body><office:spreadsheet><table:table table:name=\"Berths\">\
         <table:table-row><table:table-cell office:value-type=\"string\"><text:p>Ref</text:p></table:table-cell><table:table-cell office:value-type=\"string\"><text:p>Due</text:p></table:table-cell><table:table-cell office:value-type=\"string\"><text:p>Paid</text:p></table:table-cell></table:table-row>\
         <table:table-row table:number-rows-repeated=\"2\"><table:table-cell office:value-type=\"string\"><text:p>BQ-1</text:p></table:table-cell><table:table-cell office:value-type=\"date\" office:date-value=\"2026-11-23\"><text:p>23.11.26</text:p></table:table-cell><table:table-cell office:value-type=\"boolean\" office:boolean-value=\"true\"><text:p>WAHR</text:p></table:table-cell></table:table-row>\
         </table:table></office:spreadsheet></office:body></office:document-content>",
        name("office"),
        name("table"),
        name("text")
    );
    let bytes = parts(&[
        ("mimetype", "application/vnd.oasis.opendocument.spreadsheet".to_owned()),
        ("content.xml", content),
        ("META-INF/manifest.xml", "<manifest:manifest xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\"/>".to_owned()),
    ]);
    let sheet = read("a.ods", bytes.into()).expect("reads").remove(0);
    assert_eq!((sheet.header.as_slice(), sheet.rows.len()), (["Ref", "Due", "Paid"].map(String::from).as_slice(), 2));
    assert!(matches!(&sheet.rows[1][1], Cell::Date(moment) if moment.date().to_string() == "2026-11-23"), "{:?}", sheet.rows[1]);
    assert_eq!(sheet.rows[1][2], Cell::Bool(true));
}

/// The one sheet of a file, a line a row, its header first.
fn told(name: &str, bytes: Vec<u8>) -> Vec<String> {
    let sheet = read(name, bytes.into()).expect("reads").remove(0);
    let rows = sheet.rows.iter().map(|row| row.iter().map(Cell::as_text).collect::<Vec<_>>().join(" | "));
    std::iter::once(sheet.header.join(" | ")).chain(rows).collect()
}

#[test]
fn cells_joined_over_rows_are_each_rows_own_and_hidden_ones_are_read() {
    let row = |number: u8, more: &str, cells: &[(&str, &str)]| {
        let cells: String = cells.iter().map(|(at, text)| text_cell(at, text)).collect();
        format!("<row r=\"{number}\"{more}>{cells}</row>")
    };
    let rows = [
        row(1, "", &[("A1", "Pontoon"), ("B1", "Berth"), ("C1", "Note")]),
        row(2, "", &[("A2", "A"), ("B2", "A1"), ("C2", "both")]),
        row(3, " hidden=\"1\"", &[("B3", "A2")]),
        row(4, "", &[("A4", "B"), ("B4", "B1")]),
    ];
    let joined =
        "<mergeCells count=\"3\"><mergeCell ref=\"A2:A3\"/><mergeCell ref=\"B4:C4\"/><mergeCell ref=\"A4:A1048576\"/></mergeCells>";
    let want = ["Pontoon | Berth | Note", "A | A1 | both", "A | A2 | ", "B | B1 | "];
    assert_eq!(told("a.xlsx", workbook_with(&rows.concat(), joined, false)), want);

    let name = |prefix: &str| format!("urn:oasis:names:tc:opendocument:xmlns:{prefix}:1.0");
    let cell =
        |text: &str, more: &str| format!("<table:table-cell office:value-type=\"string\"{more}><text:p>{text}</text:p></table:table-cell>");
    let row = |cells: &[String]| format!("<table:table-row>{}</table:table-row>", cells.concat());
    let (covered, blank) = ("<table:covered-table-cell/>".to_owned(), "<table:table-cell/>".to_owned());
    let content = format!(
        "<office:document-content xmlns:office=\"{}\" xmlns:table=\"{}\" xmlns:text=\"{}\"><office:body><office:spreadsheet><table:table table:name=\"Berths\">{}{}{}{}</table:table></office:spreadsheet></office:body></office:document-content>",
        name("office"),
        name("table"),
        name("text"),
        row(&[cell("Pontoon", ""), cell("Berth", ""), cell("Note", "")]),
        row(&[cell("A", " table:number-rows-spanned=\"2\""), cell("A1", ""), cell("both", "")]),
        row(&[covered.clone(), cell("A2", ""), blank.clone()]),
        row(&[cell("B", ""), cell("B1", " table:number-columns-spanned=\"2\""), covered]),
    );
    let bytes = parts(&[
        ("mimetype", "application/vnd.oasis.opendocument.spreadsheet".to_owned()),
        ("content.xml", content),
        ("META-INF/manifest.xml", "<manifest:manifest xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\"/>".to_owned()),
    ]);
    assert_eq!(told("a.ods", bytes), want);
}

#[test]
fn quoted_fields_hold_delimiters_quotes_and_line_breaks() {
    let sheet = read_text(b"Ref;Note\r\n1;\"a;b\"\r\n2;\"he said \"\"yes\"\"\"\r\n3;\"two\r\nlines\"\r\n");
    assert_eq!(sheet.rows.iter().map(|r| r[1].as_text()).collect::<Vec<_>>(), ["a;b", "he said \"yes\"", "two\r\nlines"]);
}

#[test]
fn short_and_long_rows_keep_to_the_header() {
    let sheet = read_text(b"Ref;Boat;Berth\nBQ-1;Grace\nBQ-2;Burza;C14\n");
    assert_eq!(sheet.rows, [vec![cell("BQ-1"), cell("Grace")], vec![cell("BQ-2"), cell("Burza"), cell("C14")]]);
}

#[test]
fn quotes_lines_within_cells_and_ragged_rows_stay_as_they_are() {
    let text = "Ref;Note;Fee\r\nBQ-1;\"two\r\nlines; and \"\"quotes\"\"\";12,50\r\nBQ-2\r\nBQ-3;plain;1;too many\r\n;;\r\n";
    assert_eq!(read_text(text.as_bytes()).header, ["Ref", "Note", "Fee", "Column D"]);
    let sheet = read_text(text.replace(";too many", "").as_bytes());
    assert_eq!(sheet.rows.len(), 3);
    assert_eq!(sheet.rows[0][1], cell("two\r\nlines; and \"quotes\""));
    assert_eq!(sheet.rows[1], [cell("BQ-2")]);
}

#[test]
fn text_that_begins_like_a_formula_is_text() {
    let sheet = read_text(b"Ref,Note\nBQ-1,=cmd|'/c calc'!A1\nBQ-2,@SUM(A1)\n");
    assert_eq!([&sheet.rows[0][1], &sheet.rows[1][1]], [&cell("=cmd|'/c calc'!A1"), &cell("@SUM(A1)")]);
}

#[test]
fn a_million_empty_rows_are_no_rows() {
    let mut text = b"Ref;Boat\nBQ-1;Grace\n".to_vec();
    text.extend(b";\n".repeat(1_000_000));
    text.extend(b"BQ-2;Burza\n");
    assert_eq!(read_text(&text).rows.len(), 2);
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    for (row, ref_no) in [(0, "Ref"), (1, "BQ-1"), (1_048_575, "BQ-2")] {
        sheet.write(row, 0, ref_no).expect("writes");
    }
    let sheet = read("a.xlsx", book.save_to_buffer().expect("a workbook").into()).expect("reads").remove(0);
    assert_eq!(sheet.rows, [[cell("BQ-1")], [cell("BQ-2")]]);
}

#[test]
fn formulas_give_their_results_and_errors_are_kept_as_errors() {
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    sheet.write(0, 0, "Fee").expect("writes");
    sheet.write(1, 0, rust_xlsxwriter::Formula::new("=12*2").set_result("24")).expect("writes");
    sheet.write(2, 0, rust_xlsxwriter::Formula::new("=1/0").set_result("#DIV/0!")).expect("writes");
    let sheet = read("a.xlsx", book.save_to_buffer().expect("a workbook").into()).expect("reads").remove(0);
    assert_eq!(sheet.rows[0][0], Cell::Number(24.into()));
    assert!(!matches!(sheet.rows[1][0], Cell::Number(_)), "{:?}", sheet.rows[1][0]);
}
