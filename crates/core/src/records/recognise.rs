//! What the columns of a sheet hold: each gets the narrowest type that nearly
//! all of its cells fit, so that one typing error is marked and does not turn a
//! column of dates into text.

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
}

/// Recognises the types of a sheet's columns.
pub fn recognise(raw: &RawSheet) -> Recognised {
    let reading = if raw.typed { TYPED } else { reading(raw) };
    let columns = raw
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
    Recognised { columns, reading }
}

/// The reading under which most typed cells are numbers or dates.
fn reading(raw: &RawSheet) -> Reading {
    let candidates = [('.', DateOrder::DayFirst), (',', DateOrder::DayFirst), ('.', DateOrder::MonthFirst)]
        .map(|(decimal, order)| Reading { decimal, order });
    let mut scores = [0usize; 3];
    let typed = raw.rows.iter().take(LOOKED_AT).flatten().filter_map(|cell| match cell {
        Cell::Text(text) if text.len() <= 40 && text.contains(|c: char| c.is_ascii_digit()) => Some(text),
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

/// The type of values without a name that would tell money.
pub(super) fn kind_of(cells: &[&Cell], how: Reading) -> ColumnType {
    kind("", cells, how)
}

fn kind(name: &str, cells: &[&Cell], how: Reading) -> ColumnType {
    if cells.is_empty() {
        return ColumnType::Text;
    }
    let fits = |kind: ColumnType| cells.iter().filter(|cell| kind.read(cell, how).is_some()).count();
    // Nine in ten must fit; in a short column one may fail when three fit.
    let nearly_all = |count: usize| count * 10 >= cells.len() * 9 || (cells.len() >= 4 && count + 1 >= cells.len());
    if let Some(currency) = currency(cells, how) {
        let money = ColumnType::Money(currency);
        if nearly_all(fits(money)) {
            return money;
        }
    }
    let numbers = fits(ColumnType::Number);
    for kind in [ColumnType::YesNo, ColumnType::Date, ColumnType::Email] {
        if nearly_all(fits(kind)) {
            return kind;
        }
    }
    match nearly_all(numbers) {
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
            typed: false,
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
    fn one_typing_error_does_not_change_a_column() {
        assert_eq!(column("Due", &["30.09.2026", "31.02.2026", "1.7.2026", "2.7.2026"]), ColumnType::Date);
    }

    #[test]
    fn the_decimal_comma_is_seen_from_the_cells() {
        let raw = RawSheet {
            name: "Prices".into(),
            header: vec!["Preis".into()],
            rows: ["12,50", "1.480,00", "3,75"].map(|c| vec![Cell::Text(c.into())]).to_vec(),
            typed: false,
        };
        let found = recognise(&raw);
        assert_eq!(found.reading.decimal, ',');
        assert_eq!(found.columns[0].kind, ColumnType::Money(Currency::EUR));
    }
}
