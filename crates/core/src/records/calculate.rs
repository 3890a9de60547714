//! Formulas of a workbook that have no stored value, as programs write them: worked out
//! here where every function in them is known.
//!
//! A formula becomes an expression of the placeholder language: each reference to cells
//! (`C2`, `$A$1:B9`) becomes a quoted name that holds their values.

use std::collections::HashMap;
use std::sync::Arc;

use jiff::civil::{DateTime, Time};

use super::{Cell, Column, ColumnType, Record, Schema};
use crate::language::syntax::{Expr, Name};
use crate::language::{Context, Scope, Ties, value};
use crate::value::{Locale, Misfit, Value};

/// The most cells that the formulas of one sheet may read in all.
const MOST_READ: usize = 5_000_000;

/// A formula and the place of its cell in the sheet, from 0.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CellFormula {
    /// The row.
    pub row: usize,
    /// The column.
    pub column: usize,
    /// The formula, without the sign of equality before it.
    pub text: String,
}

/// A formula that can't be worked out here.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Uncalculated {
    /// Its cell, as a sheet names it: `C2`.
    pub cell: String,
    /// Why.
    pub why: String,
}

/// A formula ready to be worked out.
struct Ready {
    expr: Expr,
    /// The stretches of cells that it reads, and the names that stand for them.
    reads: Vec<(Name, Area)>,
    /// How many of these, and of the cells of the next, are known to wait for nothing.
    seen: (usize, usize),
}

impl Ready {
    /// The next cell that must be worked out before. What is worked out stays so: each cell
    /// is looked at once, however often this is asked.
    fn needs(&mut self, open: &HashMap<(usize, usize), Ready>) -> Option<(usize, usize)> {
        while let Some((_, area)) = self.reads.get(self.seen.0) {
            while let Some(cell) = area.cell(self.seen.1) {
                if open.contains_key(&cell) {
                    return Some(cell);
                }
                self.seen.1 += 1;
            }
            self.seen = (self.seen.0 + 1, 0);
        }
        None
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Area {
    rows: (usize, usize),
    columns: (usize, usize),
}

/// A table and where its first cell stands in its sheet, as row and column from 0.
#[derive(Debug)]
pub struct Table<'c> {
    /// Its rows.
    pub rows: &'c mut [Vec<Cell>],
    /// The place of the first cell of the first row.
    pub first: (usize, usize),
}

/// Works out formulas, whose cells are blank, at a moment. What can't be worked out is an
/// error in its cell, and is told.
pub fn calculate(mut cells: Table<'_>, formulas: &[CellFormula], moment: DateTime) -> Vec<Uncalculated> {
    let mut told = Vec::new();
    let mut open: HashMap<(usize, usize), Ready> = HashMap::new();
    let mut left = MOST_READ;
    for formula in formulas {
        let read = ready(&formula.text).and_then(|ready| {
            let size = |area: &Area| (area.rows.1 - area.rows.0 + 1).saturating_mul(area.columns.1 - area.columns.0 + 1);
            let all = ready.reads.iter().fold(0usize, |sum, (_, area)| sum.saturating_add(size(area)));
            left = left.checked_sub(all).ok_or_else(|| "the formulas read too many cells".to_owned())?;
            Ok(ready)
        });
        match read {
            Ok(ready) => {
                open.insert((formula.row, formula.column), ready);
            }
            Err(why) => {
                cells.put((formula.row, formula.column), Cell::Error(format!("={}", formula.text)));
                told.push(Uncalculated { cell: cell_name(formula.row, formula.column), why });
            }
        }
    }
    let (schema, ties) = (Arc::new(Schema::default()), Ties::default());
    let record = Record::new(schema, Vec::new(), 0);
    let context = Context::new(Locale::english(), moment);
    // In the order in which they need each other; what is left waits for itself.
    let mut ways: Vec<(usize, usize)> = formulas.iter().rev().map(|f| (f.row, f.column)).collect();
    let mut waiting: std::collections::HashSet<(usize, usize)> = std::collections::HashSet::new();
    while let Some(at) = ways.last().copied() {
        let Some(mut ready) = open.remove(&at) else {
            ways.pop();
            continue;
        };
        let in_itself = ready.seen == (0, 0) && ready.reads.iter().any(|(_, area)| area.holds(at));
        let needed = if in_itself { Some(at) } else { ready.needs(&open) };
        match needed {
            Some(cell) if !in_itself && !waiting.contains(&cell) => {
                waiting.insert(at);
                open.insert(at, ready);
                ways.push(cell);
                continue;
            }
            Some(_) => {
                cells.put(at, Cell::Error("the formula needs its own value".to_owned()));
                told.push(Uncalculated { cell: cell_name(at.0, at.1), why: "it needs its own value".to_owned() });
            }
            None => {
                let scope = Scope::new(&record, &ties, &context).clause(Vec::new());
                for (name, area) in &ready.reads {
                    scope.set(name, area.value(&cells));
                }
                let found = match scope.value(&ready.expr) {
                    Ok(Value::List(_) | Value::Record(_)) => Cell::Error("the formula returns more than one value".to_owned()),
                    Ok(value) => Cell::of(&value),
                    Err(error) => Cell::Error(error.to_string()),
                };
                cells.put(at, found);
            }
        }
        waiting.remove(&at);
        ways.pop();
    }
    told
}

impl Table<'_> {
    fn place(&self, (row, column): (usize, usize)) -> Option<(usize, usize)> {
        Some((row.checked_sub(self.first.0)?, column.checked_sub(self.first.1)?))
    }

    fn at(&self, place: (usize, usize)) -> Value {
        let cell = self.place(place).and_then(|(row, column)| self.rows.get(row)?.get(column));
        cell.map_or(Value::Blank, of_cell)
    }

    fn put(&mut self, place: (usize, usize), cell: Cell) {
        let Some((row, column)) = self.place(place) else { return };
        if let Some(row) = self.rows.get_mut(row) {
            if row.len() <= column {
                row.resize(column + 1, Cell::Blank);
            }
            row[column] = cell;
        }
    }
}

impl Area {
    fn cells(self) -> impl Iterator<Item = (usize, usize)> {
        (0..).map_while(move |at| self.cell(at))
    }

    /// Its cell of a number, in reading order.
    fn cell(self, at: usize) -> Option<(usize, usize)> {
        let wide = self.columns.1 - self.columns.0 + 1;
        let (row, column) = (self.rows.0 + at / wide, self.columns.0 + at % wide);
        (row <= self.rows.1).then_some((row, column))
    }

    fn holds(self, (row, column): (usize, usize)) -> bool {
        (self.rows.0..=self.rows.1).contains(&row) && (self.columns.0..=self.columns.1).contains(&column)
    }

    /// What its cells hold: one value, or the list of them in reading order.
    fn value(self, table: &Table<'_>) -> Value {
        if self.rows.0 == self.rows.1 && self.columns.0 == self.columns.1 {
            return table.at((self.rows.0, self.columns.0));
        }
        Value::List(self.cells().map(|cell| table.at(cell)).collect())
    }
}

fn of_cell(cell: &Cell) -> Value {
    match cell {
        Cell::Blank | Cell::Nested(_) => Value::Blank,
        Cell::Text(text) => Value::Text(text.clone()),
        Cell::Number(number) => Value::Number(*number),
        Cell::Bool(yes) => Value::Bool(*yes),
        Cell::Date(moment) if moment.time() == Time::midnight() => Value::Date(moment.date()),
        Cell::Date(moment) => Value::DateTime(*moment),
        Cell::Error(error) => {
            let column = Column::new("the cell", ColumnType::Number);
            Value::Misfit(Arc::new(Misfit { column: column.name, text: error.clone(), kind: column.kind, why: None }))
        }
    }
}

/// Reads a formula: references become names.
fn ready(text: &str) -> Result<Ready, String> {
    let bytes = text.as_bytes();
    let (mut out, mut reads, mut at) = (String::with_capacity(text.len() + 16), Vec::new(), 0);
    while at < bytes.len() {
        let before = text[..at].chars().next_back();
        match bytes[at] {
            b'"' => {
                // A text, in which a quote is written twice.
                let end = text[at + 1..].find('"').map_or(bytes.len(), |end| at + 1 + end + 1);
                out.push_str(&text[at..end]);
                at = end;
            }
            b'!' | b'[' | b'{' => return Err("it reads another sheet, a table or an array".to_owned()),
            _ if before.is_none_or(|c| !is_part(c)) && reference(&text[at..]).is_some() => {
                let Some((area, length)) = reference(&text[at..]) else { continue };
                let name = Name::new(text[at..at + length].replace('$', ""), true);
                out.push_str(&format!("'{}'", name.text));
                reads.push((name, area));
                at += length;
            }
            _ => {
                let Some(c) = text[at..].chars().next() else { break };
                out.push(c);
                at += c.len_utf8();
            }
        }
    }
    let expr = value(&out).map_err(|error| error.to_string())?;
    Ok(Ready { expr, reads, seen: (0, 0) })
}

fn is_part(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '_' | '.' | '$')
}

/// A cell or a stretch of them at the start of a text, and how long it is written.
fn reference(text: &str) -> Option<(Area, usize)> {
    let (first, length) = cell_at(text)?;
    let rest = &text[length..];
    let (last, length) = match rest.strip_prefix(':').and_then(cell_at) {
        Some((last, more)) => (last, length + 1 + more),
        None => (first, length),
    };
    // `A1(` is a function, `A1x` a name.
    let after = text[length..].chars().next();
    if after.is_some_and(|c| is_part(c) || matches!(c, '(' | '!' | ':')) {
        return None;
    }
    let ordered = |a: usize, b: usize| (a.min(b), a.max(b));
    Some((Area { rows: ordered(first.0, last.0), columns: ordered(first.1, last.1) }, length))
}

/// `$C$2` as row and column from 0.
fn cell_at(text: &str) -> Option<((usize, usize), usize)> {
    let bytes = text.as_bytes();
    let dollar = |at: usize| usize::from(bytes.get(at) == Some(&b'$'));
    let start = dollar(0);
    let letters = bytes[start..].iter().take_while(|b| b.is_ascii_alphabetic()).count();
    let digits_from = start + letters + dollar(start + letters);
    let digits = bytes.get(digits_from..)?.iter().take_while(|b| b.is_ascii_digit()).count();
    if !(1..=3).contains(&letters) || !(1..=7).contains(&digits) {
        return None;
    }
    let column = bytes[start..start + letters].iter().fold(0, |sum, b| sum * 26 + usize::from(b.to_ascii_uppercase() - b'A') + 1);
    let row: usize = text[digits_from..digits_from + digits].parse().ok()?;
    Some(((row.checked_sub(1)?, column - 1), digits_from + digits))
}

/// Row and column from 0 as a sheet names the cell.
fn cell_name(row: usize, column: usize) -> String {
    format!("{}{}", super::column::letters(column), row + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn worked(rows: &[&[&str]]) -> (Vec<String>, Vec<String>) {
        let mut formulas = Vec::new();
        let mut cells: Vec<Vec<Cell>> = Vec::new();
        for (row, line) in rows.iter().enumerate() {
            let cell = |(column, text): (usize, &&str)| match text.strip_prefix('=') {
                Some(formula) => {
                    formulas.push(CellFormula { row, column, text: formula.to_owned() });
                    Cell::Blank
                }
                None if text.is_empty() => Cell::Blank,
                None => text.parse().map_or_else(|_| Cell::Text((*text).into()), Cell::Number),
            };
            cells.push(line.iter().enumerate().map(cell).collect());
        }
        let now = "2026-11-23T09:42:00".parse().expect("a moment");
        let told = calculate(Table { rows: &mut cells, first: (0, 0) }, &formulas, now)
            .into_iter()
            .map(|t| format!("{}: {}", t.cell, t.why))
            .collect();
        (formulas.iter().map(|f| cells[f.row][f.column].as_text()).collect(), told)
    }

    #[test]
    fn formulas_are_worked_out_from_their_cells_in_any_order() {
        let (values, told) = worked(&[
            &["Item", "Qty", "Price", "Amount"],
            &["Zinc \"A1\"", "2", "12.5", "=B2*$C$2"],
            &["Rope", "3", "1", "=C3*B3"],
            &["Sum", "", "", "=SUM(D2:D3)*(1+E4)", "20"],
            &["=IF(D4>50;\"A1 & more\",\"less\")", "=A2&\"!\"", "=ROUND(D4/7,2)"],
        ]);
        assert_eq!(values, ["25", "3", "588", "A1 & more", "Zinc \"A1\"!", "84"]);
        assert_eq!(told, Vec::<String>::new());
    }

    #[test]
    fn what_can_not_be_worked_out_is_told_and_never_blank() {
        let (values, told) = worked(&[&["=VLOOKUP(1,A2:B3,2)", "=Prices!A1", "=C1+1", "=1/0", "=E2", "", ""], &["", "", "", "", "=E1"]]);
        assert_eq!(values[0], "=VLOOKUP(1,A2:B3,2)");
        assert!(told[0].starts_with("A1: unknown function “VLOOKUP”"), "{told:?}");
        assert_eq!(told[1], "B1: it reads another sheet, a table or an array");
        assert!(told[2..].iter().all(|t| t.ends_with("it needs its own value")) && told.len() == 4, "{told:?}");
        assert_eq!(values[3], "division by zero");
    }

    #[test]
    fn a_table_may_begin_anywhere_in_its_sheet() {
        let mut rows = vec![vec![Cell::Number(2.into()), Cell::Number(3.into()), Cell::Blank]];
        let formula = CellFormula { row: 4, column: 3, text: "B5*C5+A1".into() };
        let now = "2026-11-23T09:42:00".parse().expect("a moment");
        assert_eq!(calculate(Table { rows: &mut rows, first: (4, 1) }, &[formula], now), []);
        assert_eq!(rows[0][2].as_text(), "6");
    }

    #[test]
    fn a_long_chain_of_formulas_is_no_deep_recursion() {
        let lines: Vec<Vec<String>> =
            (1..=20_000).map(|n| vec!["1".to_owned(), if n == 1 { "=A1".into() } else { format!("=B{}+A{n}", n - 1) }]).collect();
        let lines: Vec<Vec<&str>> = lines.iter().map(|l| l.iter().map(String::as_str).collect()).collect();
        let lines: Vec<&[&str]> = lines.iter().map(Vec::as_slice).collect();
        assert_eq!(worked(&lines).0.last().map(String::as_str), Some("20000"));
    }

    #[test]
    fn a_sum_over_many_formulas_looks_at_each_once() {
        // The sum comes first: each of the others is worked out for it.
        let mut rows: Vec<&[&str]> = vec![&["=1+1", ""]; 60_000];
        rows[0] = &["=SUM(A2:A60000)", ""];
        assert_eq!(worked(&rows).0[0], "119998");
    }
}
