//! Sheets out: CSV (RFC 4180), XLSX (ECMA-376), ODS (OpenDocument 1.3) and JSON
//! (RFC 8259). Text that begins like a formula stays text in each of them.

use std::collections::HashMap;
use std::io::{Cursor, Write};

use mangle_core::records::{Cell, Column, Record, shown, to_json};
use mangle_core::value::{Currency, Value};
use quick_xml::escape::escape;
use rust_xlsxwriter::{ExcelDateTime, Format as Look, Workbook, XlsxError};
use zip::write::SimpleFileOptions;

/// What a sheet is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// Text parted by commas, in UTF-8 with its mark.
    Csv,
    /// Office Open XML.
    Xlsx,
    /// OpenDocument.
    Ods,
    /// An array of objects, with what hangs on each record.
    Json,
}

impl Format {
    /// Reads a format's name, which is its files' extension.
    pub fn parse(name: &str) -> Option<Format> {
        [Format::Csv, Format::Xlsx, Format::Ods, Format::Json].into_iter().find(|f| f.extension() == name)
    }

    /// The extension of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Csv => "csv",
            Format::Xlsx => "xlsx",
            Format::Ods => "ods",
            Format::Json => "json",
        }
    }

    /// Its media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Format::Csv => "text/csv; charset=utf-8",
            Format::Xlsx => "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
            Format::Ods => ODS,
            Format::Json => "application/json",
        }
    }
}

const ODS: &str = "application/vnd.oasis.opendocument.spreadsheet";

/// Why a sheet can't be written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// A workbook holds no more.
    #[error("the export failed: {0}. Export as CSV or export fewer rows.")]
    Workbook(#[from] XlsxError),
    /// Something else went wrong.
    #[error("the file can't be written: {0}")]
    Other(String),
}

impl WriteError {
    /// A short name for programs.
    pub fn code(&self) -> &'static str {
        "export"
    }
}

/// Records as a file. Records and lists within them go out whole in JSON only; a
/// table shows how many there are.
pub fn write(format: Format, name: &str, columns: &[Column], records: &[&Record]) -> Result<Vec<u8>, WriteError> {
    match format {
        Format::Csv => csv(columns, records),
        Format::Xlsx => xlsx(name, columns, records),
        Format::Ods => ods(name, columns, records),
        Format::Json => {
            let all: Vec<_> = records.iter().map(|r| to_json(r)).collect();
            serde_json::to_vec_pretty(&all).map_err(|e| WriteError::Other(e.to_string()))
        }
    }
}

fn csv(columns: &[Column], records: &[&Record]) -> Result<Vec<u8>, WriteError> {
    let broken = |e: ::csv::Error| WriteError::Other(e.to_string());
    // The mark tells programs of older days that it is UTF-8.
    let mut writer = ::csv::Writer::from_writer(b"\xef\xbb\xbf".to_vec());
    writer.write_record(columns.iter().map(|c| c.name.as_str())).map_err(broken)?;
    for record in records {
        writer.write_record(record.values().iter().map(plain)).map_err(broken)?;
    }
    writer.into_inner().map_err(|e| WriteError::Other(e.to_string()))
}

/// A value in forms that read the same everywhere. A spreadsheet would run text that
/// begins as a formula does: an apostrophe before it makes it text.
fn plain(value: &Value) -> String {
    match value {
        Value::List(_) | Value::Record(_) => shown(value),
        Value::Text(text) if text.starts_with(['=', '@', '\t', '\r']) || (text.starts_with(['+', '-']) && !is_number(text)) => {
            format!("'{text}")
        }
        Value::Misfit(misfit) if misfit.why.is_some() => String::new(),
        other => Cell::of(other).as_text(),
    }
}

/// Telephone numbers and amounts begin with a sign as well.
fn is_number(text: &str) -> bool {
    text.chars().skip(1).all(|c| c.is_ascii_digit() || " .,-/()".contains(c))
}

fn xlsx(name: &str, columns: &[Column], records: &[&Record]) -> Result<Vec<u8>, WriteError> {
    let mut workbook = Workbook::new();
    let sheet = workbook.add_worksheet();
    sheet.set_name(sheet_name(name))?;
    let (head, day, moment) =
        (Look::new().set_bold(), Look::new().set_num_format("yyyy-mm-dd"), Look::new().set_num_format("yyyy-mm-dd hh:mm"));
    let percent = Look::new().set_num_format("0.##%");
    let mut amounts = HashMap::new();
    for (at, column) in columns.iter().enumerate() {
        sheet.set_column_width(at as u16, (column.name.chars().count() as f64 + 2.0).clamp(10.0, 40.0))?;
        sheet.write_string_with_format(0, at as u16, &column.name, &head)?;
    }
    sheet.set_freeze_panes(1, 0)?;
    for (row, record) in records.iter().enumerate() {
        let row = row as u32 + 1;
        for (at, value) in record.values().iter().enumerate() {
            let at = at as u16;
            let exact = |n: &rust_decimal::Decimal| n.normalize().to_string();
            let number = match value {
                Value::Number(number) | Value::Percent(number) => Some(exact(number)),
                Value::Money(money) => Some(exact(&money.amount)),
                _ => None,
            };
            // A workbook's numbers are binary and hold fifteen digits.
            match (value, number) {
                (_, Some(text)) if text.trim_start_matches(['-', '0', '.']).len() <= 16 => {
                    let number = text.parse::<f64>().unwrap_or_default();
                    match value {
                        Value::Percent(_) => sheet.write_number_with_format(row, at, number, &percent)?,
                        Value::Money(money) => {
                            let look = amounts.entry(money.currency).or_insert_with(|| amount_look(money.currency));
                            sheet.write_number_with_format(row, at, number, look)?
                        }
                        _ => sheet.write_number(row, at, number)?,
                    };
                }
                (_, Some(text)) => {
                    sheet.write_string(row, at, text)?;
                }
                (Value::Blank, _) => {}
                (Value::Bool(yes), _) => {
                    sheet.write_boolean(row, at, *yes)?;
                }
                (Value::Date(_) | Value::DateTime(_), _) => {
                    let look = if matches!(value, Value::Date(_)) { &day } else { &moment };
                    let text = Cell::of(value).as_text();
                    match ExcelDateTime::parse_from_str(&text) {
                        Ok(date) => sheet.write_datetime_with_format(row, at, &date, look)?,
                        // Before 1900 a workbook has no dates.
                        Err(_) => sheet.write_string(row, at, text)?,
                    };
                }
                (Value::Misfit(misfit), _) if misfit.why.is_some() => {}
                (other, _) => {
                    sheet.write_string(
                        row,
                        at,
                        if matches!(other, Value::List(_) | Value::Record(_)) { shown(other) } else { Cell::of(other).as_text() },
                    )?;
                }
            }
        }
    }
    Ok(workbook.save_to_buffer()?)
}

/// A name that a sheet may have: at most 31 signs, and none of `[]:*?/\`.
fn sheet_name(name: &str) -> String {
    let clean: String = name.chars().map(|c| if "[]:*?/\\".contains(c) { '-' } else { c }).take(31).collect();
    let clean = clean.trim_matches('\'').trim();
    if clean.is_empty() { "Sheet".to_owned() } else { clean.to_owned() }
}

fn ods(name: &str, columns: &[Column], records: &[&Record]) -> Result<Vec<u8>, WriteError> {
    let broken = |e: &dyn std::fmt::Display| WriteError::Other(e.to_string());
    let mut content = String::with_capacity(records.len() * columns.len() * 40 + 2_000);
    content.push_str("<?xml version=\"1.0\" encoding=\"UTF-8\"?><office:document-content xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" xmlns:table=\"urn:oasis:names:tc:opendocument:xmlns:table:1.0\" xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\" xmlns:style=\"urn:oasis:names:tc:opendocument:xmlns:style:1.0\" xmlns:number=\"urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0\" office:version=\"1.3\"><office:automatic-styles><number:date-style style:name=\"D\"><number:year number:style=\"long\"/><number:text>-</number:text><number:month number:style=\"long\"/><number:text>-</number:text><number:day number:style=\"long\"/></number:date-style><style:style style:name=\"day\" style:family=\"table-cell\" style:data-style-name=\"D\"/></office:automatic-styles><office:body><office:spreadsheet>");
    content.push_str(&format!(
        "<table:table table:name=\"{}\"><table:table-column table:number-columns-repeated=\"{}\"/><table:table-row>",
        escape(sheet_name(name)),
        columns.len().max(1)
    ));
    columns.iter().for_each(|c| text_cell(&c.name, &mut content));
    content.push_str("</table:table-row>");
    for record in records {
        content.push_str("<table:table-row>");
        record.values().iter().for_each(|value| ods_cell(value, &mut content));
        content.push_str("</table:table-row>");
    }
    content.push_str("</table:table></office:spreadsheet></office:body></office:document-content>");
    let manifest = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><manifest:manifest xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\" manifest:version=\"1.3\"><manifest:file-entry manifest:full-path=\"/\" manifest:version=\"1.3\" manifest:media-type=\"{ODS}\"/><manifest:file-entry manifest:full-path=\"content.xml\" manifest:media-type=\"text/xml\"/></manifest:manifest>"
    );
    let mut package = zip::ZipWriter::new(Cursor::new(Vec::new()));
    // The media type stands first and unpacked (OpenDocument 1.3 part 2, 3.3).
    let stored = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (part, bytes, how) in [
        ("mimetype", ODS.as_bytes(), stored),
        ("content.xml", content.as_bytes(), SimpleFileOptions::default()),
        ("META-INF/manifest.xml", manifest.as_bytes(), SimpleFileOptions::default()),
    ] {
        package.start_file(part, how).map_err(|e| broken(&e))?;
        package.write_all(bytes).map_err(|e| broken(&e))?;
    }
    Ok(package.finish().map_err(|e| broken(&e))?.into_inner())
}

/// An amount in its currency (ECMA-376 part 1, 18.8.31).
fn amount_look(currency: Currency) -> Look {
    let places = match currency.places() {
        0 => String::new(),
        places => format!(".{}", "0".repeat(places as usize)),
    };
    Look::new().set_num_format(format!("[${currency}] #,##0{places}"))
}

fn ods_cell(value: &Value, out: &mut String) {
    let text = Cell::of(value).as_text();
    let typed = |kind: &str, attribute: &str, shown: &str, more: &str| {
        format!("<table:table-cell {more}office:value-type=\"{kind}\" {attribute}><text:p>{}</text:p></table:table-cell>", escape(shown))
    };
    match value {
        Value::Blank => out.push_str("<table:table-cell/>"),
        Value::Misfit(misfit) if misfit.why.is_some() => out.push_str("<table:table-cell/>"),
        Value::Number(_) => out.push_str(&typed("float", &format!("office:value=\"{text}\""), &text, "")),
        Value::Money(money) => {
            let attributes = format!("office:currency=\"{}\" office:value=\"{text}\"", money.currency);
            out.push_str(&typed("currency", &attributes, &text, ""));
        }
        Value::Percent(_) => out.push_str(&typed("percentage", &format!("office:value=\"{text}\""), &shown(value), "")),
        Value::Bool(yes) => out.push_str(&typed("boolean", &format!("office:boolean-value=\"{yes}\""), &text, "")),
        Value::Date(_) => out.push_str(&typed("date", &format!("office:date-value=\"{text}\""), &text, "table:style-name=\"day\" ")),
        Value::DateTime(moment) => out.push_str(&typed("date", &format!("office:date-value=\"{moment}\""), &text, "")),
        Value::List(_) | Value::Record(_) => text_cell(&shown(value), out),
        Value::Text(_) | Value::Misfit(_) => {
            text_cell(&text, out);
        }
    }
}

/// Lines are paragraphs; spaces in a row are told one by one (6.1.2 and 6.1.3).
fn text_cell(text: &str, out: &mut String) {
    out.push_str("<table:table-cell office:value-type=\"string\">");
    for line in text.split('\n') {
        let clean: String = line.chars().filter(|c| !c.is_control() || *c == '\t').collect();
        out.push_str("<text:p>");
        let mut spaces = 0;
        for c in escape(clean.as_str()).chars() {
            match c {
                ' ' if spaces > 0 => out.push_str("<text:s/>"),
                '\t' => out.push_str("<text:tab/>"),
                c => out.push(c),
            }
            spaces = if c == ' ' { spaces + 1 } else { 0 };
        }
        out.push_str("</text:p>");
    }
    out.push_str("</table:table-cell>");
}

#[cfg(test)]
mod tests {
    use mangle_core::records::{Sheet, from_json};

    use super::*;
    use crate::table::read;

    fn sheet() -> Sheet {
        let json = serde_json::json!([
            { "Ref": "BQ-1", "Name": "Jörg  Brückner\nHafen", "Balance": 48112.5, "Due": "2026-09-30", "Live": true, "Note": "=cmd|'/c calc'!A1", "Phone": "+44 1632 960 001", "Lines": [{ "Item": "Zinc" }] },
            { "Ref": "BQ-2", "Name": "<Ada & Co>", "Balance": 0.1, "Due": null, "Live": false, "Note": "-2+3+cmd", "Phone": "", "Lines": [] }
        ]);
        from_json("Holders: 2026", &json).expect("holders")
    }

    fn written(format: Format) -> Vec<u8> {
        let sheet = sheet();
        write(format, &sheet.name, sheet.schema.columns(), &sheet.records.iter().collect::<Vec<_>>()).expect("writes")
    }

    /// What is written reads back with the same values.
    #[test]
    fn every_format_reads_back_as_it_was() {
        for format in [Format::Xlsx, Format::Ods, Format::Csv] {
            let raw = read(&format!("holders.{}", format.extension()), written(format).into()).expect("reads").remove(0);
            assert_eq!(raw.header, ["Ref", "Name", "Balance", "Due", "Live", "Note", "Phone", "Lines"], "{format:?}");
            let text = |row: usize, at: usize| raw.rows[row].get(at).map(Cell::as_text).unwrap_or_default();
            assert_eq!(text(0, 1), "Jörg  Brückner\nHafen", "{format:?}");
            assert_eq!([text(0, 2), text(1, 2), text(0, 3), text(0, 4)], ["48112.5", "0.1", "2026-09-30", "yes"], "{format:?}");
            assert_eq!([text(1, 1), text(0, 6), text(0, 7)], ["<Ada & Co>", "+44 1632 960 001", "1 record"], "{format:?}");
            // Text stays text: never a formula.
            let note = if format == Format::Csv { ["'=cmd|'/c calc'!A1", "'-2+3+cmd"] } else { ["=cmd|'/c calc'!A1", "-2+3+cmd"] };
            assert_eq!([text(0, 5), text(1, 5)], note, "{format:?}");
        }
    }

    #[test]
    fn json_goes_out_with_all_that_hangs_on_a_record() {
        let json: serde_json::Value = serde_json::from_slice(&written(Format::Json)).expect("JSON");
        assert_eq!(json[0]["Lines"][0]["Item"], "Zinc");
        assert_eq!(json[0]["Balance"], serde_json::json!(48112.5));
    }
}
