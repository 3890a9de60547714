//! What the columns of a sheet hold: each gets the narrowest type that nearly
//! all of its cells fit, so that one typing error is marked and does not turn a
//! column of dates into text.

use jiff::civil::Date;
use serde::{Deserialize, Serialize};

use super::json::nested_column;
use super::{Cell, Column, ColumnType, RawSheet};
use crate::language::Folded;
use crate::value::read::{self, Reading};
use crate::value::{Currency, DateOrder};

/// How many cells are looked at in each column.
const LOOKED_AT: usize = 2_000;
/// How cells with types of their own are read.
const TYPED: Reading = Reading { decimal: '.', order: DateOrder::DayFirst };

/// The columns with their types, and how the sheet's text is read.
#[derive(Debug, Clone, PartialEq)]
pub struct Recognised {
    /// The columns in their order.
    pub columns: Vec<Column>,
    /// The decimal mark and the order of dates, one for the whole sheet.
    pub reading: Reading,
    /// Columns whose dates can be read day first and month first, where no cell of
    /// the sheet tells which; a person is asked once.
    pub unsure: Vec<UnsureDates>,
}

/// A column whose dates can be read two ways.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct UnsureDates {
    /// The column's name.
    pub column: String,
    /// A cell that reads differently.
    pub example: String,
    /// What it is with the day first.
    pub day_first: Date,
    /// What it is with the month first.
    pub month_first: Date,
}

/// Recognises the types of a sheet's columns.
pub fn recognise(raw: &RawSheet) -> Recognised {
    let reading = if raw.typed { TYPED } else { reading(raw) };
    let columns: Vec<Column> = raw
        .header
        .iter()
        .enumerate()
        .map(|(index, name)| {
            let cells: Vec<&Cell> = raw.rows.iter().filter_map(|row| row.get(index)).filter(|c| !c.is_blank()).take(LOOKED_AT).collect();
            match cells.iter().any(|c| matches!(c, Cell::Nested(_))) {
                true => nested_column(name, &cells, reading),
                false => Column::new(name.trim(), kind(if raw.typed { "" } else { name }, &cells, reading)),
            }
        })
        .collect();
    let unsure = if raw.typed { Vec::new() } else { unsure(raw, &columns) };
    Recognised { columns, reading, unsure }
}

/// The columns whose dates no cell of the sheet decides.
fn unsure(raw: &RawSheet, columns: &[Column]) -> Vec<UnsureDates> {
    let [day, month] = [DateOrder::DayFirst, DateOrder::MonthFirst].map(|order| Reading { decimal: '.', order });
    let mut found: Vec<UnsureDates> = Vec::new();
    for (index, column) in columns.iter().enumerate().filter(|(_, c)| c.kind == ColumnType::Date) {
        for cell in raw.rows.iter().filter_map(|row| row.get(index)) {
            let Cell::Text(text) = cell else { continue };
            // ISO 8601 reads one way in any order.
            if text.as_bytes().get(4) == Some(&b'-') {
                continue;
            }
            match (read::date(text, day), read::date(text, month)) {
                (Some(day_first), Some(month_first))
                    if day_first != month_first && found.last().is_none_or(|last| last.column != column.name) =>
                {
                    found.push(UnsureDates { column: column.name.clone(), example: text.to_string(), day_first, month_first });
                }
                // One cell that can be read one way only tells for all.
                (Some(_), None) | (None, Some(_)) => return Vec::new(),
                _ => {}
            }
        }
    }
    found
}

/// The reading under which most typed cells are numbers or dates.
fn reading(raw: &RawSheet) -> Reading {
    let candidates = [('.', DateOrder::DayFirst), (',', DateOrder::DayFirst), ('.', DateOrder::MonthFirst)]
        .map(|(decimal, order)| Reading { decimal, order });
    let mut scores = [0usize; 3];
    let typed = raw.rows.iter().take(LOOKED_AT).flatten().filter_map(|cell| match cell {
        Cell::Text(text) if text.len() <= 40 && reads_in_ways(text) => Some(text),
        _ => None,
    });
    for text in typed {
        for (score, how) in scores.iter_mut().zip(candidates) {
            *score += usize::from(read::number(text, how).is_some() || read::money(text, how).is_some() || read::date(text, how).is_some());
        }
    }
    // The first of the best: reading by day and decimal point unless the cells speak against it.
    let mut best = 0;
    for index in 1..candidates.len() {
        if scores[index] > scores[best] {
            best = index;
        }
    }
    candidates[best]
}

/// Whether a text may be read differently by another decimal mark or order of dates:
/// digits, parted by something, in another form than that of ISO 8601, with no more
/// letters before them than a currency has. Months by name have no order.
fn reads_in_ways(text: &str) -> bool {
    let bytes = text.as_bytes();
    let parted = bytes.iter().any(|b| matches!(b, b'.' | b',' | b'/' | b'-' | b' '));
    let iso = bytes.len() >= 10 && bytes[4] == b'-' && bytes[7] == b'-';
    let letters = text.chars().take_while(|c| c.is_alphabetic()).count();
    parted && !iso && matches!(letters, 0 | 3) && bytes.iter().any(u8::is_ascii_digit)
}

/// The type of values without a name that would tell money.
pub(super) fn kind_of(cells: &[&Cell], how: Reading) -> ColumnType {
    kind("", cells, how)
}

fn kind(name: &str, cells: &[&Cell], how: Reading) -> ColumnType {
    if cells.is_empty() {
        return ColumnType::Text;
    }
    // Nine in ten must fit; in a short column one may fail when three fit.
    let may_fail = (cells.len() / 10).max(usize::from(cells.len() >= 4));
    // It is known soon that most texts are no numbers.
    let fits = |kind: ColumnType| cells.iter().filter(|cell| kind.read(cell, how).is_none()).take(may_fail + 1).count() <= may_fail;
    // Where nearly all are amounts, one of the first is.
    if let Some(money) = currency(&cells[..=may_fail.min(cells.len() - 1)], how).map(ColumnType::Money)
        && fits(money)
    {
        return money;
    }
    for kind in [ColumnType::YesNo, ColumnType::Date, ColumnType::Email] {
        if fits(kind) {
            return kind;
        }
    }
    match fits(ColumnType::Number) {
        true if names_money(name) && cells.iter().all(|c| !matches!(c, Cell::Number(n) if n.scale() > 2)) => {
            ColumnType::Money(Currency::EUR)
        }
        true => ColumnType::Number,
        false => ColumnType::Text,
    }
}

/// The currency that most cells carry.
fn currency(cells: &[&Cell], how: Reading) -> Option<Currency> {
    cells.iter().find_map(|cell| match cell {
        Cell::Text(text) => read::money(text, how).map(|m| m.currency),
        _ => None,
    })
}

/// Names under which plain numbers are amounts of money.
fn names_money(name: &str) -> bool {
    const NAMES: [&str; 14] =
        ["balance", "fee", "deposit", "price", "amount", "total", "net", "gross", "vat", "paid", "betrag", "preis", "saldo", "montant"];
    let folded = Folded::new(name);
    let words: Vec<String> = name.to_lowercase().split(|c: char| !c.is_alphanumeric()).map(str::to_owned).collect();
    NAMES.iter().any(|n| words.iter().any(|w| w == n) || folded.as_str() == *n)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn column(name: &str, cells: &[&str]) -> ColumnType {
        let raw = RawSheet {
            name: "Holders".into(),
            header: vec![name.into()],
            rows: cells.iter().map(|c| vec![Cell::Text((*c).into())]).collect(),
            ..RawSheet::default()
        };
        recognise(&raw).columns[0].kind
    }

    #[test]
    fn types_are_recognised_from_the_cells() {
        assert_eq!(column("Due", &["30.09.2026", "1 Jul 2026", ""]), ColumnType::Date);
        assert_eq!(column("Mail", &["a@b.example", "c@d.example"]), ColumnType::Email);
        assert_eq!(column("Liveaboard", &["yes", "no", "no"]), ColumnType::YesNo);
        assert_eq!(column("LOA", &["11.4", "9"]), ColumnType::Number);
        assert_eq!(column("Fee", &["€1,480.00", "€960.00"]), ColumnType::Money(Currency::EUR));
        assert_eq!(column("Yearly fee", &["1480.00", "960.00"]), ColumnType::Money(Currency::EUR));
        assert_eq!(column("Berth", &["C14", "A02"]), ColumnType::Text);
        assert_eq!(column("Postcode", &["01067", "8021"]), ColumnType::Text);
        assert_eq!(column("Mobile", &["", ""]), ColumnType::Text);
    }

    #[test]
    fn dates_that_read_two_ways_are_asked_about_unless_a_cell_tells() {
        let unsure = |cells: &[&str]| {
            let rows = cells.iter().map(|c| vec![Cell::Text((*c).into())]).collect();
            let raw = RawSheet { name: "Holders".into(), header: vec!["Due".into()], rows, ..RawSheet::default() };
            recognise(&raw).unsure.into_iter().map(|u| format!("{} {} {}", u.example, u.day_first, u.month_first)).collect::<Vec<_>>()
        };
        assert_eq!(unsure(&["03/04/2026", "05/06/2026"]), ["03/04/2026 2026-04-03 2026-03-04"]);
        assert!(unsure(&["03/04/2026", "31/12/2026"]).is_empty());
        assert!(unsure(&["03/04/2026", "12/31/2026"]).is_empty());
        assert!(unsure(&["03.04.2026", "2026-04-05", "3 April 2026", "04/04/2026"]).is_empty());
    }

    #[test]
    fn one_typing_error_does_not_change_a_column() {
        assert_eq!(column("Due", &["30.09.2026", "31.02.2026", "1.7.2026", "2.7.2026"]), ColumnType::Date);
    }

    #[test]
    fn the_decimal_comma_is_seen_from_the_cells() {
        let raw = RawSheet {
            name: "Prices".into(),
            header: vec!["Preis".into()],
            rows: ["12,50", "1.480,00", "3,75"].map(|c| vec![Cell::Text(c.into())]).to_vec(),
            ..RawSheet::default()
        };
        let found = recognise(&raw);
        assert_eq!(found.reading.decimal, ',');
        assert_eq!(found.columns[0].kind, ColumnType::Money(Currency::EUR));
    }
}
