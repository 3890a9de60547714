//! The rows of a sheet: looked at, changed, put back.

use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::language::{Context, Folded};
use mangle_core::records::{Cell, Filter, Misfits, View, label, shown};
use mangle_core::value::read::Reading;
use mangle_core::value::{Locale, Value};
use mangle_core::words::grouped;
use serde::{Deserialize, Serialize};

use super::files::Named;
use crate::prepare::{LoadedSheet, blocking};
use crate::store::files::{self, Correction, SheetFile};
use crate::store::items::{self, OfRow};
use crate::store::queries;
use crate::store::rows::{self, Edits};
use crate::store::sheets::{self, SheetInfo};
use crate::{App, Error, Outcome, clock};

/// The most cells that one change may touch.
const MOST_CELLS: usize = 500_000;

/// What rows are looked at, in which order.
#[derive(Debug, Default, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Look {
    /// A condition that rows must pass.
    #[serde(default)]
    pub filter: String,
    /// A text that stands in any cell.
    #[serde(default)]
    pub find: String,
    /// The columns to sort by, counted from 1, each with a minus where its greatest
    /// comes first: `3,-5`. The sheet's own order where it is blank.
    #[serde(default)]
    pub sort: String,
    /// Only rows with a cell that does not fit its type: in this column, counted from
    /// 1, or in any for 0.
    pub misfits: Option<usize>,
}

impl Look {
    /// The rows, as places in the sheet's records.
    pub(super) fn rows(&self, loaded: &LoadedSheet, now: DateTime) -> Outcome<Arc<Vec<usize>>> {
        // A condition may ask for the day.
        loaded.looked(format!("{self:?} {}", now.date()), || self.work_out(loaded, now))
    }

    fn work_out(&self, loaded: &LoadedSheet, now: DateTime) -> Outcome<Vec<usize>> {
        let context = Context { reading: loaded.reading, ..Context::new(Locale::english(), now) };
        let filter = match self.filter.trim() {
            "" => None,
            text => Some(
                Filter::read(text, &loaded.sheet.schema)
                    .map_err(|e| Error::unusable("filter", format!("the filter can't be used: {e}")))?,
            ),
        };
        let columns = self.sort.split(',').map(str::trim).filter(|part| !part.is_empty());
        let sort: Option<Vec<(usize, bool)>> = columns
            .map(|part| Some((part.trim_start_matches('-').parse::<usize>().ok()?.checked_sub(1)?, part.starts_with('-'))))
            .collect();
        let sort =
            sort.ok_or_else(|| Error::unusable("sort", format!("“{}” is not a valid sort. Use column numbers, e.g. 3,-5", self.sort)))?;
        let misfits = self.misfits.map(|at| at.checked_sub(1).map_or(Misfits::Any, Misfits::Of));
        Ok(View { filter: filter.as_ref(), find: &self.find, inside: None, misfits, sort: &sort }.rows(&loaded.sheet, &context))
    }
}

/// Which of the rows.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Part {
    /// How many rows to pass over.
    #[serde(default)]
    pub from: usize,
    /// How many rows to give, at most 500.
    #[serde(default = "crate::page_size")]
    pub count: usize,
}

/// Rows of a sheet.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowPage {
    /// How many rows are looked at.
    pub total: usize,
    /// How many cells of each column do not fit its type, over all rows.
    pub misfits: Vec<usize>,
    /// The rows asked for.
    pub rows: Vec<RowInfo>,
    /// The change that can be undone.
    pub undo: Option<String>,
    /// The change that can be made anew.
    pub redo: Option<String>,
}

/// One row.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowInfo {
    /// Its number, which it keeps.
    pub number: usize,
    /// Its cells as they are shown, those of relations after its own.
    pub cells: Vec<CellInfo>,
    /// Its last document from each dispatch, the newest first.
    pub last: Vec<OfRow>,
}

/// One cell.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CellInfo {
    /// Its text.
    pub text: String,
    /// What to type for it, where that is not how it is shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub typed: Option<String>,
    /// What is wrong with it, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wrong: Option<String>,
    /// The files beside the sheet that it names.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<SheetFile>,
}

impl CellInfo {
    pub(super) fn of(value: &Value) -> CellInfo {
        let wrong = match value {
            Value::Misfit(misfit) => Some(misfit.why.clone().unwrap_or_else(|| format!("not {}", misfit.kind.expected()))),
            _ => None,
        };
        let text = match value {
            Value::Misfit(misfit) if misfit.why.is_some() => "error".to_owned(),
            other => shown(other),
        };
        CellInfo { text, typed: None, wrong, files: Vec::new() }
    }

    /// The same with the files that it names.
    fn with_files(self, value: &Value, named: &Named) -> CellInfo {
        let files = match value {
            Value::Text(text) => named.get(text).cloned().into_iter().collect(),
            Value::List(items) => {
                items.iter().filter_map(|i| if let Value::Text(text) = i { named.get(text).cloned() } else { None }).collect()
            }
            _ => Vec::new(),
        };
        CellInfo { files, ..self }
    }

    /// The same with what to type for it in a sheet that reads so.
    fn editable(value: &Value, reading: Reading) -> CellInfo {
        let number = |n: &rust_decimal::Decimal| n.normalize().to_string().replace('.', &reading.decimal.to_string());
        let typed = match value {
            Value::Number(n) => Some(number(n)),
            Value::Percent(n) => Some(format!("{}%", number(&(n * rust_decimal::Decimal::ONE_HUNDRED)))),
            Value::Money(money) => Some(number(&money.amount)),
            Value::Date(_) | Value::DateTime(_) | Value::Bool(_) => Some(Cell::of(value).as_text()),
            Value::Text(text) if text.chars().count() > 80 => Some(text.to_string()),
            Value::List(items) if items.iter().all(|i| matches!(i, Value::Text(_))) => {
                Some(items.iter().map(shown).collect::<Vec<_>>().join("; "))
            }
            _ => None,
        };
        let cell = CellInfo::of(value);
        CellInfo { typed: typed.filter(|t| *t != cell.text), ..cell }
    }
}

/// Rows of a sheet, filtered and sorted.
pub async fn page(app: &App, id: i64, look: Look, part: Part) -> Outcome<RowPage> {
    let loaded = app.sheet(id).await?;
    let named = Named::new(app.store.with(move |c| files::list(c, id)).await?);
    let now = app.now();
    let (total, misfits, mut rows) = blocking(move || -> Outcome<_> {
        let chosen = look.rows(&loaded, now)?;
        let shown = chosen.iter().skip(part.from).take(part.count.min(500)).map(|at| &loaded.sheet.records[*at]);
        let readings: Vec<Reading> = loaded.sheet.schema.columns().iter().map(|c| c.reading.unwrap_or(loaded.reading)).collect();
        let row = |r: &mangle_core::records::Record| RowInfo {
            number: r.number,
            cells: r.values().iter().zip(&readings).map(|(v, how)| CellInfo::editable(v, *how).with_files(v, &named)).collect(),
            last: Vec::new(),
        };
        let rows: Vec<RowInfo> = shown.map(row).collect();
        Ok((chosen.len(), loaded.misfits.clone(), rows))
    })
    .await??;
    let numbers: Vec<usize> = rows.iter().map(|r| r.number).collect();
    let (last, (undo, redo)) =
        app.store.with(move |c| -> anyhow::Result<_> { Ok((items::last_of_rows(c, id, &numbers)?, rows::steps(c, id)?)) }).await?;
    for last in last {
        if let Some(own) = rows.iter_mut().find(|r| r.number == last.row) {
            own.last.push(last);
        }
    }
    Ok(RowPage { total, misfits, rows, undo, redo })
}

/// A row with all that is known of it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowView {
    /// Its number.
    pub number: usize,
    /// What its own address names it by: its key in the CRM, where it comes from one, else its number.
    pub key: String,
    /// What to call it.
    pub label: String,
    /// Its cells.
    pub cells: Vec<NamedCell>,
    /// What was made of it, the newest first.
    pub documents: Vec<OfRow>,
    /// What was put right in it since it came, where that is noted.
    pub corrections: Vec<Correction>,
}

/// A cell with its column's name.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NamedCell {
    /// The column.
    pub column: String,
    #[serde(flatten)]
    pub cell: CellInfo,
}

/// A row and its history.
pub async fn row(app: &App, id: i64, number: usize) -> Outcome<RowView> {
    let loaded = app.sheet(id).await?;
    let record = loaded.sheet.record(number).ok_or_else(|| Error::missing("the row"))?;
    let (named, documents, corrections, key) = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            let asked = queries::of_sheet(c, id)?.is_some();
            let key = if asked { queries::keys(c, id, &[number])?.pop().map(|(_, key)| key) } else { None };
            Ok((Named::new(files::list(c, id)?), items::history(c, id, number)?, files::corrections(c, id, number)?, key))
        })
        .await?;
    let cell = |(column, value): (&mangle_core::records::Column, &Value)| NamedCell {
        column: column.name.clone(),
        cell: CellInfo::of(value).with_files(value, &named),
    };
    let cells = record.schema().columns().iter().zip(record.values()).map(cell).collect();
    let key = key.unwrap_or_else(|| number.to_string());
    Ok(RowView { number, key, label: label(record, ""), cells, documents, corrections })
}

/// Changes to rows, made at once.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowEdits {
    /// What the change is called when it can be undone: “Paste 12 cells”.
    pub what: String,
    /// Cells that are written.
    #[serde(default)]
    pub cells: Vec<CellEdit>,
    /// Rows that are added.
    #[serde(default)]
    pub added: Vec<NewRow>,
    /// Rows that are deleted.
    #[serde(default)]
    pub removed: Vec<usize>,
    /// Rows that are moved.
    pub moved: Option<MovedRows>,
}

/// A cell that is written.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CellEdit {
    /// The row's number.
    pub row: usize,
    /// Which of the columns, from 0.
    pub column: usize,
    /// What is typed.
    pub text: String,
}

/// A row that is added.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewRow {
    /// The row that it follows; the last where there is none.
    pub after: Option<usize>,
    /// What is typed in its cells, by column.
    pub cells: Vec<String>,
}

/// Rows that are moved.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MovedRows {
    /// The rows in their order.
    pub rows: Vec<usize>,
    /// The row that they follow; at the top where there is none.
    pub after: Option<usize>,
}

/// What a change came to.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Edited {
    /// The numbers of the rows that were added.
    pub added: Vec<usize>,
}

/// What is typed, as a cell. Text that looks like a formula is text.
pub(super) fn typed(text: &str) -> Cell {
    match text.trim().is_empty() {
        true => Cell::Blank,
        false => Cell::Text(text.into()),
    }
}

/// Where the cells of a column that can be typed in stand in a row.
fn place(info: &SheetInfo, column: usize) -> Outcome<usize> {
    match info.columns.get(column) {
        None => Err(Error::unusable("column", format!("column {} can't be edited", column + 1))),
        Some(own) if own.formula.is_some() => {
            Err(Error::unusable("computed", format!("“{}” is calculated by a formula. Edit the formula instead.", own.name)))
        }
        Some(own) if own.asked => {
            Err(Error::unusable("asked", format!("“{}” comes from the CRM. Change it there, then refresh.", own.name)))
        }
        Some(own) if own.kind == "record" || own.kind == "list" && own.items.is_none() => {
            Err(Error::unusable("nested", format!("“{}” contains nested records and can't be edited here", own.name)))
        }
        Some(own) => Ok(own.cell.unwrap_or(column)),
    }
}

/// What is typed into a cell of a column; a list of plain values is parted by `;`.
fn typed_into(info: &SheetInfo, column: usize, text: &str) -> Cell {
    if text.trim().is_empty() || info.columns.get(column).is_none_or(|c| c.kind != "list") {
        return typed(text);
    }
    Cell::Nested(Arc::new(text.split([';', '\n']).map(str::trim).filter(|t| !t.is_empty()).collect()))
}

/// Changes rows: writes cells, adds, deletes and moves rows.
pub async fn edit(app: &App, id: i64, asked: RowEdits) -> Outcome<Edited> {
    let info = app.store.with(move |c| sheets::sheet(c, id)).await?.ok_or_else(|| Error::missing("the sheet"))?;
    let count = asked.cells.len() + asked.added.iter().map(|r| r.cells.len()).sum::<usize>() + asked.removed.len();
    if count > MOST_CELLS {
        return Err(Error::unusable(
            "too-many",
            format!("{} cells are too many for one change (maximum {}). Do it in steps.", grouped(count), grouped(MOST_CELLS)),
        ));
    }
    if info.columns.iter().any(|c| c.asked) && !(asked.added.is_empty() && asked.removed.is_empty() && asked.moved.is_none()) {
        return Err(Error::unusable(
            "asked",
            "rows of a CRM query can't be added, moved or deleted. Change them in the CRM, or filter them here.",
        ));
    }
    if info.row_count + asked.added.len() > mangle_documents::table::MOST_ROWS {
        return Err(Error::unusable("too-many", format!("a sheet holds at most {} rows", mangle_documents::table::MOST_ROWS)));
    }
    let mut edits = Edits { removed: asked.removed, moved: asked.moved.map(|m| (m.rows, m.after)), ..Edits::default() };
    for cell in asked.cells {
        edits.cells.push((cell.row, place(&info, cell.column)?, typed_into(&info, cell.column, &cell.text)));
    }
    for row in asked.added {
        let mut cells = Vec::new();
        for (column, text) in row.cells.iter().enumerate().filter(|(_, t)| !t.trim().is_empty()) {
            let at = place(&info, column)?;
            if cells.len() <= at {
                cells.resize(at + 1, Cell::Blank);
            }
            cells[at] = typed_into(&info, column, text);
        }
        edits.added.push((row.after, cells));
    }
    let what: String = asked.what.chars().take(120).collect();
    // What a row belongs to has to be looked up anew where its key changes.
    let is_key = |place: usize| {
        let keys = info.related.iter().filter_map(|r| info.columns.iter().position(|c| Folded::new(&c.name) == Folded::new(&r.key)));
        keys.map(|at| info.columns[at].cell.unwrap_or(at)).any(|key| key == place)
    };
    let keys_change = edits.cells.iter().any(|(_, place, _)| is_key(*place));
    let mut touched: Vec<usize> = edits.cells.iter().map(|(row, ..)| *row).collect();
    touched.sort_unstable();
    touched.dedup();
    let edited = app.store.change(move |t| -> anyhow::Result<_> {
        let edited = sheets::counted(t, || rows::edit(t, id, &edits, None, &what, &clock::stamp()))?;
        Ok(edited)
    });
    let (added, change) = edited.await?;
    touched.extend(&added);
    match keys_change {
        false => app.rows_changed(id, touched, change).await,
        true => app.forget_sheets(),
    }
    Ok(Edited { added })
}

/// What was undone or made anew.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Step {
    /// What it was called; nothing where there was nothing to do.
    pub what: Option<String>,
}

/// Undo the last change of a sheet.
pub async fn undo(app: &App, id: i64) -> Outcome<Step> {
    step(app, id, false).await
}

/// Redo the last undone change.
pub async fn redo(app: &App, id: i64) -> Outcome<Step> {
    step(app, id, true).await
}

async fn step(app: &App, id: i64, again: bool) -> Outcome<Step> {
    let ((step, related), change) = app
        .store
        .change(move |t| -> Outcome<_> {
            let done = sheets::counted(t, || -> Outcome<_> {
                let step = rows::undo(t, id, again, &clock::stamp())?;
                // A relation made since may have taken the name of a column that comes back.
                sheets::stand_together(t, id)?;
                Ok((step, sheets::sheet(t, id)?.is_some_and(|s| !s.related.is_empty())))
            })?;
            Ok(done)
        })
        .await?;
    match step {
        Some(rows::Step { what, rows, columns: false }) if !related => {
            app.rows_changed(id, rows, change).await;
            Ok(Step { what: Some(what) })
        }
        step => {
            app.forget_sheets();
            Ok(Step { what: step.map(|s| s.what) })
        }
    }
}
