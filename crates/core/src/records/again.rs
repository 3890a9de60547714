//! A newer file for a sheet that is there already: what it adds, changes and no
//! longer has, row by row of one key.

use std::collections::{HashMap, HashSet};

use super::relation::key as key_of;
use super::{Cell, ColumnType, RawSheet, Sheet, shown};
use crate::language::Folded;
use crate::value::Value;
use crate::value::read::Reading;

/// What a newer file changes.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Again {
    /// Columns of the file that the sheet has not.
    pub new_columns: Vec<String>,
    /// Columns of the sheet that the file has not; they stay as they are.
    pub kept_columns: Vec<String>,
    /// Rows that only the file has: cells in the order of the sheet's columns, the
    /// new ones after them.
    pub added: Vec<Vec<Cell>>,
    /// Rows with other cells.
    pub changed: Vec<Changed>,
    /// Numbers of the rows that the file has not.
    pub gone: Vec<usize>,
    /// How many rows are as they were.
    pub same: usize,
}

/// A row with other cells.
#[derive(Debug, Clone, PartialEq)]
pub struct Changed {
    /// Its number in the sheet.
    pub number: usize,
    /// The cells that differ.
    pub cells: Vec<OfCell>,
}

/// A cell that differs.
#[derive(Debug, Clone, PartialEq)]
pub struct OfCell {
    /// Which of the columns, the new ones after the sheet's.
    pub column: usize,
    /// As the sheet shows it.
    pub old: String,
    /// As it would show it.
    pub new: String,
    /// The new cell.
    pub cell: Cell,
}

/// Why a file can't be compared.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AgainFault {
    /// One of them lacks the key.
    #[error("{place} has no column “{key}”. Choose a column that exists in both.")]
    NoKey {
        /// The file, or the sheet.
        place: &'static str,
        /// The key's column.
        key: String,
    },
    /// A row of the file can't be told from others.
    #[error("row {row} of the file: “{key}” is blank. Fill it in or choose another key column.")]
    Blank {
        /// The row in the file, from 1, the header not counted.
        row: usize,
        /// The key's column.
        key: String,
    },
    /// Two rows have one key.
    #[error(
        "{place} has “{value}” twice in “{key}” (rows {first} and {second}). Key values must be unique: correct one or choose another column."
    )]
    Twice {
        /// The file, or the sheet.
        place: &'static str,
        /// The key's column.
        key: String,
        /// What stands there.
        value: String,
        /// A row.
        first: usize,
        /// The other.
        second: usize,
    },
}

/// Compares a sheet with a newer file by a key column. Columns in `fixed` (computed
/// ones and relations) are left out.
pub fn compare(old: &Sheet, fixed: &[usize], new: &RawSheet, reading: Reading, key: &str) -> Result<Again, AgainFault> {
    let columns = old.schema.columns();
    let folded: Vec<Folded> = new.header.iter().map(|n| Folded::new(n)).collect();
    let known = |name: &Folded| old.schema.index(name).filter(|at| !fixed.contains(at));
    let own_key = known(&Folded::new(key)).ok_or_else(|| AgainFault::NoKey { place: "the sheet", key: key.to_owned() })?;
    if !folded.contains(&Folded::new(key)) {
        return Err(AgainFault::NoKey { place: "the file", key: key.to_owned() });
    }
    // Where each column of the file goes.
    let mut fresh = Vec::new();
    let goes: Vec<Option<usize>> = folded
        .iter()
        .zip(&new.header)
        .map(|(folded, name)| match old.schema.index(folded) {
            Some(at) if fixed.contains(&at) => None,
            Some(at) => Some(at),
            None => {
                fresh.push(name.clone());
                Some(columns.len() + fresh.len() - 1)
            }
        })
        .collect();
    let kept = (0..columns.len()).filter(|at| !fixed.contains(at) && !goes.contains(&Some(*at)));
    let kept_columns = kept.map(|at| columns[at].name.clone()).collect();
    let twice = |place, value: String, first, second| AgainFault::Twice { place, key: key.to_owned(), value, first, second };
    let mut rows: HashMap<String, usize> = HashMap::new();
    for (at, record) in old.records.iter().enumerate() {
        let value = &record.values()[own_key];
        let Some(key) = key_of(value) else { continue };
        if let Some(first) = rows.insert(key, at) {
            return Err(twice("the sheet", shown(value), old.records[first].number, record.number));
        }
    }
    let mut again = Again { new_columns: fresh, kept_columns, ..Again::default() };
    let width = columns.len() + again.new_columns.len();
    let mut met: HashMap<String, usize> = HashMap::new();
    let mut found: HashSet<usize> = HashSet::new();
    for (index, row) in new.rows.iter().enumerate() {
        let mut cells = vec![Cell::Blank; width];
        let mut values = vec![Value::Blank; columns.len()];
        for (to, cell) in goes.iter().zip(row) {
            let Some(to) = *to else { continue };
            let Some(column) = columns.get(to) else {
                cells[to] = cell.clone();
                continue;
            };
            let value = column.value(cell, reading);
            // The file may write numbers and dates otherwise than the sheet.
            let typed = !matches!(value, Value::Misfit(_) | Value::List(_) | Value::Record(_)) && column.kind != ColumnType::Text;
            cells[to] = if typed { Cell::of(&value) } else { cell.clone() };
            values[to] = value;
        }
        let value = &values[own_key];
        let Some(own) = key_of(value) else { return Err(AgainFault::Blank { row: index + 1, key: key.to_owned() }) };
        if let Some(first) = met.insert(own.clone(), index + 1) {
            return Err(twice("the file", shown(value), first, index + 1));
        }
        let Some(at) = rows.get(&own).copied() else {
            again.added.push(cells);
            continue;
        };
        found.insert(at);
        let record = &old.records[at];
        let mut differ = Vec::new();
        for to in goes.iter().flatten().copied() {
            let was = record.values().get(to).filter(|_| to < columns.len());
            let differs = match was {
                Some(was) => !same(was, &values[to]),
                None => !cells[to].is_blank(),
            };
            if differs {
                let new = values.get(to).map_or_else(|| cells[to].as_text(), shown);
                differ.push(OfCell { column: to, old: was.map(shown).unwrap_or_default(), new, cell: cells[to].clone() });
            }
        }
        match differ.is_empty() {
            true => again.same += 1,
            false => again.changed.push(Changed { number: record.number, cells: differ }),
        }
    }
    again.gone = old.records.iter().enumerate().filter(|(at, _)| !found.contains(at)).map(|(_, r)| r.number).collect();
    Ok(again)
}

/// Whether two cells say the same: a blank and a text of spaces do.
fn same(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::Misfit(a), Value::Misfit(b)) => a.text == b.text,
        (a, b) => (a.is_blank() && b.is_blank()) || a == b,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::recognise;

    fn raw(text: &str) -> RawSheet {
        let mut rows = text.lines().map(|l| l.split(';').map(|c| Cell::Text(c.into())).collect::<Vec<_>>());
        let header = rows.next().expect("a header").iter().map(Cell::as_text).collect();
        RawSheet { name: "Holders".into(), header, rows: rows.collect(), ..RawSheet::default() }
    }

    fn compared(old: &str, new: &str) -> Result<Again, AgainFault> {
        let new = raw(new);
        let reading = recognise(&new).reading;
        compare(&Sheet::recognise(&raw(old)).expect("a sheet"), &[], &new, reading, "ref")
    }

    const OLD: &str = "Ref;Name;Balance;Due\nBQ-1;Ada;1,480.50;2026-10-01\nBQ-2;Tom;7;2026-10-01\nBQ-3;Femke;12.25;2026-11-30";

    #[test]
    fn rows_are_matched_by_key_however_the_file_writes_its_numbers() {
        let new = "Name;Ref;Saldo;Balance;Due\nAda;bq-1;x;1.480,50;01.10.2026\nThomas;BQ-2;;7,00;1.10.2026\nIdris;BQ-4;;3,75;31.12.2026";
        let again = compared(OLD, new).expect("compares");
        assert_eq!(again.new_columns, ["Saldo"]);
        assert_eq!((again.same, again.gone.as_slice(), again.added.len()), (0, &[3][..], 1));
        let told: Vec<String> = again
            .changed
            .iter()
            .flat_map(|c| c.cells.iter().map(move |o| format!("{} {} {}→{}", c.number, o.column, o.old, o.new)))
            .collect();
        assert_eq!(told, ["1 0 BQ-1→bq-1", "1 4 →x", "2 1 Tom→Thomas"]);
        assert_eq!(again.added[0][2], Cell::Number("3.75".parse().expect("a number")));
    }

    #[test]
    fn a_file_that_changes_nothing_changes_nothing() {
        let again = compared(OLD, OLD).expect("compares");
        assert_eq!((again.same, again.changed.len(), again.added.len(), again.gone.len()), (3, 0, 0, 0));
    }

    #[test]
    fn a_key_must_tell_rows_apart() {
        let fault = |new: &str| compared(OLD, new).expect_err("is refused").to_string();
        assert_eq!(fault("Name\nAda"), "the file has no column “ref”. Choose a column that exists in both.");
        assert!(fault("Ref;Name\n;Ada").starts_with("row 1 of the file: “ref” is blank"));
        assert!(fault("Ref;Name\nBQ-1;Ada\nbq-1 ;Ada").contains("(rows 1 and 2)"));
    }
}
