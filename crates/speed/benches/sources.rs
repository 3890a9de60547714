//! How long sheets of 50 000 rows and 30 columns take to open beside the reading
//! libraries alone, and what is done with one that is open.

use std::fmt::Write;
use std::hint::black_box;
use std::io::Cursor;
use std::sync::Arc;
use std::time::Duration;

use calamine::{Reader, Xlsx};
use criterion::{Criterion, criterion_group, criterion_main};
use mangle_core::language::Context;
use mangle_core::records::{Filter, Sheet, View, recognise};
use mangle_core::value::Locale;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const ROWS: u32 = 50_000;
const COLUMNS: u16 = 30;

/// What stands in a cell: texts, numbers, dates and yes or no.
fn cell(row: u32, column: u16) -> String {
    match column % 5 {
        0 => format!("BQ-{:05} {column}", row.wrapping_mul(7_919) % ROWS),
        1 => format!("{}.25", row.wrapping_mul(31) % 5_000),
        2 => ["yes", "no"][(row % 2) as usize].to_owned(),
        3 => format!("2026-{:02}-{:02}", row % 12 + 1, row % 28 + 1),
        _ => format!("Möwe {} of the north pontoon", row % 300),
    }
}

fn delimited() -> Arc<[u8]> {
    let mut text = String::new();
    for column in 0..COLUMNS {
        let _ = write!(text, "{}Column {column}", if column > 0 { "," } else { "" });
    }
    for row in 0..ROWS {
        text.push('\n');
        for column in 0..COLUMNS {
            let _ = write!(text, "{}{}", if column > 0 { "," } else { "" }, cell(row, column));
        }
    }
    text.into_bytes().into()
}

fn workbook() -> Arc<[u8]> {
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    for column in 0..COLUMNS {
        sheet.write(0, column, format!("Column {column}")).expect("writes");
        for row in 0..ROWS {
            let text = cell(row, column);
            match text.parse::<f64>() {
                Ok(number) => sheet.write(row + 1, column, number),
                Err(_) => sheet.write(row + 1, column, text),
            }
            .map(|_| ())
            .expect("writes");
        }
    }
    book.save_to_buffer().expect("a workbook").into()
}

fn opened(name: &str, bytes: Arc<[u8]>) -> Sheet {
    let raw = mangle_documents::table::read(name, bytes).expect("reads").remove(0);
    let found = recognise(&raw);
    Sheet::read(&raw, found.columns, found.reading).expect("a sheet")
}

fn opening(c: &mut Criterion) {
    let (text, book) = (delimited(), workbook());
    let mut group = c.benchmark_group("a sheet of 50 000 rows and 30 columns");
    group.sample_size(10).measurement_time(Duration::from_secs(12));
    group.bench_function("CSV: the reading library alone", |b| {
        b.iter(|| csv::Reader::from_reader(&*text).records().map(|r| r.expect("reads").len()).sum::<usize>());
    });
    group.bench_function("CSV: brought in, types recognised", |b| {
        b.iter(|| {
            let raw = mangle_documents::table::read("large.csv", text.clone()).expect("reads").remove(0);
            recognise(&raw).columns.len()
        });
    });
    group.bench_function("XLSX: the reading library alone", |b| {
        b.iter(|| {
            let mut book: Xlsx<_> = calamine::open_workbook_from_rs(Cursor::new(book.clone())).expect("opens");
            book.worksheet_range("Sheet1").expect("reads").height()
        });
    });
    group.bench_function("XLSX: brought in, types recognised", |b| {
        b.iter(|| {
            let raw = mangle_documents::table::read("large.xlsx", book.clone()).expect("reads").remove(0);
            recognise(&raw).columns.len()
        });
    });
    group.finish();
}

fn looking(c: &mut Criterion) {
    let sheet = opened("large.csv", delimited());
    let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
    let filter = Filter::read("column 1 > 2500 and column 2 and column 4 contains \"möwe 12\"", &sheet.schema).expect("reads");
    let mut group = c.benchmark_group("looking at 50 000 rows and 30 columns");
    group.sample_size(10).measurement_time(Duration::from_secs(5));
    let looks = [
        ("filtered by three conditions", View { filter: Some(&filter), ..View::default() }),
        ("sorted by number and date", View { sort: &[(1, true), (3, false)], ..View::default() }),
        ("sorted by text", View { sort: &[(0, false)], ..View::default() }),
        ("filtered and sorted", View { filter: Some(&filter), sort: &[(0, true), (1, false)], ..View::default() }),
        ("found by text", View { find: "möwe 299", ..View::default() }),
    ];
    for (name, view) in looks {
        group.bench_function(name, |b| b.iter(|| black_box(view.rows(&sheet, &context)).len()));
    }
    group.finish();
}

criterion_group!(sources, opening, looking);
criterion_main!(sources);
