//! Which row of a table holds the names of its columns.

use std::collections::HashSet;

use super::Cell;
use crate::language::Folded;
use crate::value::DateOrder;
use crate::value::read::{self, Reading};

/// How many rows are looked at.
const LOOKED_AT: usize = 20;

/// The row that holds the names: the first, unless that is a title (two cells at
/// most, less than half of what the fullest row has) and a row below it holds nothing
/// but names, each its own, over nearly all columns.
pub fn header_row(rows: &[Vec<Cell>]) -> usize {
    let rows = &rows[..rows.len().min(LOOKED_AT)];
    let filled = |row: &Vec<Cell>| row.iter().filter(|c| !c.is_blank()).count();
    let fullest = rows.iter().map(filled).max().unwrap_or(0);
    let first = rows.first().map_or(0, filled);
    if first > 2 || first * 2 >= fullest {
        return 0;
    }
    rows.iter().position(|row| filled(row) * 5 >= fullest * 4 && are_names(row)).unwrap_or(0)
}

fn are_names(row: &[Cell]) -> bool {
    let mut known = HashSet::new();
    row.iter().filter(|c| !c.is_blank()).all(|cell| match cell {
        Cell::Text(text) => is_name(text) && known.insert(Folded::new(text)),
        _ => false,
    })
}

/// A name is no number, date, amount or address.
fn is_name(text: &str) -> bool {
    let how = Reading { decimal: '.', order: DateOrder::DayFirst };
    let comma = Reading { decimal: ',', ..how };
    let value = read::number(text, how).is_some() || read::number(text, comma).is_some() || read::date(text, how).is_some();
    !value && read::money(text, how).is_none() && read::yes_no(text).is_none() && !text.contains('@') && text.chars().count() <= 80
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row_of(table: &[&str]) -> usize {
        let cell = |text: &str| if text.is_empty() { Cell::Blank } else { Cell::Text(text.into()) };
        let rows: Vec<Vec<Cell>> = table.iter().map(|line| line.split('|').map(cell).collect()).collect();
        header_row(&rows)
    }

    #[test]
    fn a_title_above_the_names_is_passed_over() {
        assert_eq!(row_of(&["Ref|Name|Balance", "BQ-1|Tom|1.00"]), 0);
        assert_eq!(row_of(&["Brackwater Quay||", "as of|1.10.2026|", "||", "Ref|Name|Balance", "BQ-1|Tom|1.00", "BQ-2|Ida|2.00"]), 3);
        // A single column, a pair of columns, and names that stand above few values.
        assert_eq!(row_of(&["Name", "Tom", "Ida"]), 0);
        assert_eq!(row_of(&["Key|Value", "a|b"]), 0);
        assert_eq!(row_of(&["Ref|Name|||", "BQ-1|Tom|x|y|2.00"]), 0);
        // No row below holds names only.
        assert_eq!(row_of(&["List||", "BQ-1|Tom|1.00", "BQ-2|Ida|2.00"]), 0);
        assert_eq!(row_of(&["List||", "same|same|other", "BQ-2|Ida|2.00"]), 0);
        assert_eq!(row_of(&[]), 0);
    }
}
