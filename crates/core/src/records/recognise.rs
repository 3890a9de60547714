//! What the columns of a sheet hold: each gets the narrowest type that nearly
//! all of its cells fit, so that one typing error is marked and does not turn a
//! column of dates into text.

use jiff::civil::Date;
use serde::{Deserialize, Serialize};

use super::json::nested_column;
use super::{Cell, Column, ColumnType, RawSheet};
use crate::language::NULL_DATE;
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
    recognise_as(raw, TYPED)
}

/// The same in an office that reads numbers and dates so, unless the cells speak
/// against it.
pub fn recognise_as(raw: &RawSheet, home: Reading) -> Recognised {
    let reading = if raw.typed { TYPED } else { reading(raw, home) };
    let columns: Vec<Column> = raw
        .header
        .iter()
        .enumerate()
        .map(|(index, name)| {
            let cells: Vec<&Cell> = raw.rows.iter().filter_map(|row| row.get(index)).filter(|c| !c.is_blank()).take(LOOKED_AT).collect();
            match cells.iter().any(|c| matches!(c, Cell::Nested(_))) {
                true => nested_column(name, &cells, reading),
                // What the format of all numbers says is what people see.
                false => match raw.told.get(index).copied().flatten() {
                    Some(told) if cells.iter().all(|c| told.read(c, reading).is_some()) => Column::new(name.trim(), told),
                    _ => Column::new(name.trim(), kind_of(&cells, reading)),
                },
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
fn reading(raw: &RawSheet, home: Reading) -> Reading {
    let usual = [('.', DateOrder::DayFirst), (',', DateOrder::DayFirst), ('.', DateOrder::MonthFirst)]
        .map(|(decimal, order)| Reading { decimal, order });
    let candidates = [home, usual[0], usual[1], usual[2]];
    let mut scores = [0usize; 4];
    let typed = raw.rows.iter().take(LOOKED_AT).flatten().filter_map(|cell| match cell {
        Cell::Text(text) if text.len() <= 40 && reads_in_ways(text) => Some(text),
        _ => None,
    });
    for text in typed {
        for (score, how) in scores.iter_mut().zip(candidates) {
            *score += usize::from(read::number(text, how).is_some() || read::money(text, how).is_some() || read::date(text, how).is_some());
        }
    }
    // The first of the best: as the office reads, unless the cells speak against it.
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

/// The narrowest type that nearly all cells fit. What is certain only by its name or by
/// rare words is left as it was typed: a number is money only with a sign or code, and
/// one that nobody would take for a yes/no value stays text.
pub(super) fn kind_of(cells: &[&Cell], how: Reading) -> ColumnType {
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
    if fits(ColumnType::YesNo) && says_yes_or_no(cells) {
        return ColumnType::YesNo;
    }
    let others = [ColumnType::Time, ColumnType::Date, ColumnType::Email, ColumnType::Percent, ColumnType::Number];
    others.into_iter().find(|kind| might(*kind, cells) && fits(*kind)).unwrap_or(ColumnType::Text)
}

/// Whether cells that read as yes and no are meant so: both occur, or one of them as a
/// whole word of English, German or French. “N” alone may be a point of the compass.
fn says_yes_or_no(cells: &[&Cell]) -> bool {
    const WORDS: [&str; 8] = ["yes", "no", "true", "false", "ja", "nein", "oui", "non"];
    let (mut yes, mut no) = (false, false);
    cells.iter().any(|cell| {
        let said = match cell {
            Cell::Bool(_) => return true,
            Cell::Text(text) if WORDS.iter().any(|w| w.eq_ignore_ascii_case(text.trim())) => return true,
            Cell::Text(text) => read::yes_no(text),
            _ => None,
        };
        yes |= said == Some(true);
        no |= said == Some(false);
        yes && no
    })
}

/// Whether cells that carry a type of their own speak for it: a number alone is no
/// percentage, and a moment is a time of day only on the null date.
fn might(kind: ColumnType, cells: &[&Cell]) -> bool {
    match kind {
        ColumnType::Percent => !cells.iter().any(|cell| matches!(cell, Cell::Number(_))),
        ColumnType::Time => !cells.iter().any(|cell| matches!(cell, Cell::Date(moment) if moment.date() != NULL_DATE)),
        _ => true,
    }
}

/// The currency that most cells carry.
fn currency(cells: &[&Cell], how: Reading) -> Option<Currency> {
    cells.iter().find_map(|cell| match cell {
        Cell::Text(text) => read::money(text, how).map(|m| m.currency),
        _ => None,
    })
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
        assert_eq!(column("Yearly fee", &["1480.00", "960.00"]), ColumnType::Number, "no name makes money");
        assert_eq!(column("Discount", &["10%", "7.5 %"]), ColumnType::Percent);
        assert_eq!(column("Opens", &["9:30", "10:00"]), ColumnType::Time);
        assert_eq!(column("Balance", &["(12.00)", "7.50"]), ColumnType::Number);
        assert_eq!(column("Berth", &["C14", "A02"]), ColumnType::Text);
        assert_eq!(column("Postcode", &["01067", "8021"]), ColumnType::Text);
        assert_eq!(column("Mobile", &["", ""]), ColumnType::Text);
    }

    #[test]
    fn a_type_that_is_only_guessed_leaves_the_text_as_it_was_typed() {
        assert_eq!(column("Heading", &["N"]), ColumnType::Text);
        assert_eq!(column("Heading", &["N", "n", "N"]), ColumnType::Text);
        assert_eq!(column("Member", &["Y", "N"]), ColumnType::YesNo);
        assert_eq!(column("Member", &["no", "no"]), ColumnType::YesNo);
        assert_eq!(column("Dish", &["waar", "waar"]), ColumnType::Text);
        // A plain number prints with the places that were typed.
        let raw = RawSheet { header: vec!["Room".into()], rows: vec![vec![Cell::Text("1.10".into())]], ..RawSheet::default() };
        let sheet = crate::records::Sheet::recognise(&raw).expect("a sheet");
        assert_eq!(crate::records::shown(&sheet.records[0].values()[0]), "1.10");
    }

    #[test]
    fn the_office_says_how_numbers_and_dates_are_read_where_no_cell_does() {
        let raw = RawSheet { header: vec!["Due".into()], rows: vec![vec![Cell::Text("03/04/2026".into())]], ..RawSheet::default() };
        let american = Reading { decimal: '.', order: DateOrder::MonthFirst };
        assert_eq!(recognise(&raw).reading.order, DateOrder::DayFirst);
        assert_eq!(recognise_as(&raw, american).reading, american);
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
        assert_eq!(found.columns[0].kind, ColumnType::Number);
    }
}
