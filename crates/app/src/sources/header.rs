//! The names of the columns, where they stand in another row than was thought.

use mangle_core::records::{Cell, RawSheet, recognise};
use serde::Deserialize;

use super::info;
use crate::store::rows::{self, Edits};
use crate::store::sheets::{self, ColumnInfo, SheetInfo};
use crate::{App, Error, Outcome, clock};

/// The row that holds the names.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NamesIn {
    /// Its number.
    pub row: usize,
}

/// Takes the names of the columns from a row; it goes with the rows above it, and
/// what the columns hold is recognised anew. That can be undone.
pub async fn choose(app: &App, id: i64, NamesIn { row }: NamesIn) -> Outcome<SheetInfo> {
    app.store
        .change(move |t| -> Outcome<()> {
            let before = sheets::sheet(t, id)?.ok_or_else(|| Error::missing("the sheet"))?;
            if before.columns.iter().any(|c| c.field.is_some() || c.asked) {
                return Err(Error::conflict("header", "the column names of this source can't be changed"));
            }
            let all = rows::raw(t, id)?;
            let at = all.iter().position(|(number, _)| *number == row).ok_or_else(|| Error::missing("the row"))?;
            if at + 1 == all.len() {
                return Err(Error::unusable("header", "no rows below this one. Choose a row further up."));
            }
            let columns = renamed(&before.columns, &all[at].1, &all[at + 1..]);
            let removed = all[..=at].iter().map(|(number, _)| *number).collect();
            let what = format!("Use row {row} as header");
            rows::edit(t, id, &Edits { removed, ..Edits::default() }, Some(&before.columns), &what, &clock::stamp())?;
            sheets::set_columns(t, id, &columns)?;
            sheets::stand_together(t, id)?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    info(app, id).await
}

/// The columns with the names of a row and the types of the rows below it; one that
/// the row does not name keeps its name, one that is computed keeps its formula.
fn renamed(before: &[ColumnInfo], names: &[Cell], below: &[(usize, Vec<Cell>)]) -> Vec<ColumnInfo> {
    let place = |at: usize| before[at].cell.unwrap_or(at);
    let name = |at: usize| {
        let written = names.get(place(at)).map(Cell::as_text).unwrap_or_default();
        let written = written.split_whitespace().collect::<Vec<_>>().join(" ");
        if written.is_empty() || before[at].formula.is_some() { before[at].name.clone() } else { written }
    };
    let own: Vec<usize> = (0..before.len()).collect();
    let cells = |row: &Vec<Cell>| own.iter().map(|at| row.get(place(*at)).cloned().unwrap_or(Cell::Blank)).collect();
    let raw = RawSheet {
        header: own.iter().map(|at| name(*at)).collect(),
        rows: below.iter().map(|(_, row)| cells(row)).collect(),
        ..RawSheet::default()
    };
    let found = recognise(&raw).columns;
    let column = |(at, found): (usize, &mangle_core::records::Column)| match before[at].formula {
        Some(_) => before[at].clone(),
        None => ColumnInfo { cell: Some(place(at)), locale: before[at].locale.clone(), ..ColumnInfo::of(found) },
    };
    found.iter().enumerate().map(column).collect()
}

/// Confirm the detected header row.
pub async fn accept(app: &App, id: i64) -> Outcome<SheetInfo> {
    app.store.with(move |c| sheets::accept_header(c, id)).await?;
    info(app, id).await
}
