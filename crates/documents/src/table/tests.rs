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
            refused("a.csv", b"Ref;Last_Name;last name\n1;a;b\n".to_vec()),
            refused("a.csv", b"Ref;;Boat\n1;a;b\n".to_vec()),
            refused("a.csv", b"Ref;Boat\n".to_vec()),
            refused(
                "a.csv",
                (0..20_000).map(|n| format!("c{n}")).collect::<Vec<_>>().join(";").into_bytes().into_iter().chain(*b"\n1;2\n").collect()
            ),
            refused("a.csv", vec![0, 1, 2, 3, 200, 0, 5]),
        ]
        .join("\n")
    );
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
            .starts_with("unpacks-too-far: “xl/workbook.xml” inside the file unpacks to")
    );
}

#[test]
fn a_document_type_definition_is_refused() {
    let said = refused("a.xlsx", packed("xl/workbook.xml", b"<?xml version='1.0'?><!DOCTYPE x [<!ENTITY a 'b'>]><x>&a;</x>"));
    assert!(said.starts_with("dtd: “xl/workbook.xml”"), "{said}");
}

#[test]
fn the_demo_workbook_reads_with_its_types() {
    let bytes = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/season.xlsx")).expect("the demo");
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
    let bytes = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/price-list.csv")).expect("the demo");
    let sheets = read("price-list.csv", bytes.into()).expect("reads");
    let prices = Sheet::recognise(&sheets[0]).expect("recognised");
    assert_eq!(prices.name, "price-list");
    assert!(prices.schema.columns().iter().any(|c| c.kind.name() == "money"));
}
