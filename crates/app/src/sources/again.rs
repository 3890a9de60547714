//! Bringing a newer file into a sheet: first a look at what it changes, then the
//! change.

use std::collections::HashSet;

use mangle_core::language::Folded;
use mangle_core::records::{Again, AgainFault, Cell, RawSheet, Recognised, compare, label};
use serde::{Deserialize, Serialize};

use super::{info, read};
use crate::prepare::{LoadedSheet, blocking};
use crate::store::rows::{self, Edits};
use crate::store::sheets::{self, ColumnInfo, SheetInfo};
use crate::transfer::Upload;
use crate::{App, Error, Outcome, clock};

/// How many rows of each kind are listed.
const LISTED: usize = 300;

/// How many columns are told to be no key, with why.
const FAULTS: usize = 4;

/// A newer file that was taken in.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewerFile {
    /// What to name it by.
    pub file: String,
    /// Its name.
    pub name: String,
    /// Its sheets.
    pub sheets: Vec<String>,
    /// The one that is most like the sheet.
    pub sheet: String,
    /// Columns that tell the rows of both apart; the first is the best.
    pub keys: Vec<String>,
}

/// Takes a newer file in, to be compared; nothing is changed yet.
pub async fn bring(app: &App, id: i64, upload: Upload) -> Outcome<NewerFile> {
    let loaded = app.sheet(id).await?;
    let found = read(app, &upload.name, upload.bytes.clone()).await?;
    let own = |raw: &RawSheet| {
        let names = raw.header.iter().filter(|n| loaded.sheet.schema.index(&Folded::new(n)).is_some()).count();
        (names, usize::from(Folded::new(&raw.name) == Folded::new(&loaded.sheet.name)))
    };
    let Some((best, recognised)) = found.iter().max_by_key(|(raw, _)| own(raw)) else { return Err(Error::missing("the sheet")) };
    let fixed = fixed(app, id, &loaded).await?;
    let (mut keys, mut faults) = (Vec::new(), Vec::new());
    for key in &best.header {
        match compare(&loaded.sheet, &fixed, best, recognised.reading, key) {
            Ok(_) => keys.push(key.clone()),
            // A column that only one of them has was never meant as the key.
            Err(AgainFault::NoKey { .. }) => {}
            Err(fault) => faults.push(fault.to_string()),
        }
    }
    if keys.is_empty() {
        let why = match faults.is_empty() {
            true => "the two share no column".to_owned(),
            false => faults.iter().take(FAULTS).map(String::as_str).collect::<Vec<_>>().join("; "),
        };
        let message = format!("no key column: “{}” and the sheet need a common column with unique values; {why}", upload.name);
        return Err(Error::unusable("no-key", message));
    }
    let (sheet, sheets) = (best.name.clone(), found.iter().map(|(raw, _)| raw.name.clone()).collect());
    let name = upload.name.clone();
    let file = app.files.keep(upload.bytes).await?;
    Ok(NewerFile { file, name, sheets, sheet, keys })
}

/// The columns that no file fills: computed ones and relations.
async fn fixed(app: &App, id: i64, loaded: &LoadedSheet) -> Outcome<Vec<usize>> {
    let info = app.store.with(move |c| sheets::sheet(c, id)).await?.ok_or_else(|| Error::missing("the sheet"))?;
    let computed = info.columns.iter().enumerate().filter(|(_, c)| c.formula.is_some()).map(|(at, _)| at);
    Ok(computed.chain(info.columns.len()..loaded.sheet.schema.columns().len()).collect())
}

/// Which file is compared, and how.
#[derive(Debug, Clone, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams, utoipa::ToSchema))]
pub struct Newer {
    /// The file, as it was named when it was taken in.
    pub file: String,
    /// Its name.
    pub name: String,
    /// Which of its sheets.
    pub sheet: String,
    /// The column that tells rows apart.
    pub key: String,
}

/// What a newer file changes.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AgainView {
    /// Columns that the sheet will get.
    pub new_columns: Vec<String>,
    /// Columns that the file has not; they stay as they are.
    pub kept_columns: Vec<String>,
    /// How many rows stay as they are.
    pub same: usize,
    /// How many rows are new.
    pub added_count: usize,
    /// The first of them, cell by cell.
    pub added: Vec<Vec<String>>,
    /// The columns of those cells.
    pub columns: Vec<String>,
    /// How many rows have other cells.
    pub changed_count: usize,
    /// The first of them.
    pub changed: Vec<ChangedRow>,
    /// How many rows the file has not.
    pub gone_count: usize,
    /// The first of them.
    pub gone: Vec<GoneRow>,
}

/// A row with other cells.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangedRow {
    /// Its number.
    pub number: usize,
    /// What to call it.
    pub label: String,
    /// The cells that differ.
    pub cells: Vec<ChangedCell>,
}

/// A cell that differs.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangedCell {
    /// Its column.
    pub column: String,
    /// As it is.
    pub old: String,
    /// As it will be.
    pub new: String,
}

/// A row that the file has not.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct GoneRow {
    /// Its number.
    pub number: usize,
    /// What to call it.
    pub label: String,
}

/// The newer sheet beside the one that is there.
async fn compared(app: &App, id: i64, newer: &Newer) -> Outcome<(std::sync::Arc<LoadedSheet>, Again, Recognised)> {
    let bytes = app.files.get(&newer.file).await.map_err(|_| Error::missing("the newer file"))?;
    let found = read(app, &newer.name, bytes.to_vec()).await?;
    let (raw, recognised) = found.into_iter().find(|(raw, _)| raw.name == newer.sheet).ok_or_else(|| Error::missing("the file's sheet"))?;
    let loaded = app.sheet(id).await?;
    let fixed = fixed(app, id, &loaded).await?;
    let key = newer.key.clone();
    blocking(move || {
        let again = compare(&loaded.sheet, &fixed, &raw, recognised.reading, &key).map_err(|e| Error::unusable("again", e.to_string()))?;
        Ok((loaded, again, recognised))
    })
    .await?
}

/// Compares a newer file with a sheet.
pub async fn look(app: &App, id: i64, newer: Newer) -> Outcome<AgainView> {
    let (loaded, again, _) = compared(app, id, &newer).await?;
    let named = |number: usize| loaded.sheet.record(number).map(|r| label(r, "")).unwrap_or_default();
    let columns: Vec<String> =
        loaded.sheet.schema.columns().iter().map(|c| c.name.clone()).chain(again.new_columns.iter().cloned()).collect();
    let filled: Vec<usize> = (0..columns.len()).filter(|at| again.added.iter().any(|row| !row[*at].is_blank())).collect();
    let changed = again.changed.iter().take(LISTED).map(|c| ChangedRow {
        number: c.number,
        label: named(c.number),
        cells: c.cells.iter().map(|o| ChangedCell { column: columns[o.column].clone(), old: o.old.clone(), new: o.new.clone() }).collect(),
    });
    Ok(AgainView {
        same: again.same,
        added_count: again.added.len(),
        added: again.added.iter().take(LISTED).map(|row| filled.iter().map(|at| row[*at].as_text()).collect()).collect(),
        changed_count: again.changed.len(),
        changed: changed.collect(),
        gone_count: again.gone.len(),
        gone: again.gone.iter().take(LISTED).map(|number| GoneRow { number: *number, label: named(*number) }).collect(),
        columns: filled.iter().map(|at| columns[*at].clone()).collect(),
        new_columns: again.new_columns,
        kept_columns: again.kept_columns,
    })
}

/// What of a newer file is taken over.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TakeOver {
    #[serde(flatten)]
    pub newer: Newer,
    /// Whether new rows are added.
    pub added: bool,
    /// Whether rows get their other cells.
    pub changed: bool,
    /// Whether rows that the file has not are deleted.
    pub gone: bool,
    /// What of these is left as it is all the same.
    #[serde(default)]
    pub leave: Leave,
}

/// Rows of a newer file that are not taken over.
#[derive(Debug, Default, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Leave {
    /// New rows by their place among the new ones, from 0.
    pub added: HashSet<usize>,
    /// Rows with other cells, by number.
    pub changed: HashSet<usize>,
    /// Rows that the file has not, by number.
    pub gone: HashSet<usize>,
}

/// Takes a newer file over, in one step that can be undone.
pub async fn apply(app: &App, id: i64, asked: TakeOver) -> Outcome<SheetInfo> {
    let (loaded, again, recognised) = compared(app, id, &asked.newer).await?;
    let all = loaded.sheet.schema.columns().len();
    app.store
        .change(move |t| -> anyhow::Result<()> {
            let Some(info) = sheets::sheet(t, id)? else { return Ok(()) };
            let mut columns = info.columns.clone();
            for (at, column) in columns.iter_mut().enumerate() {
                column.cell.get_or_insert(at);
            }
            let own = columns.len();
            for name in &again.new_columns {
                let found = recognised.columns.iter().find(|c| Folded::new(&c.name) == Folded::new(name));
                let Some(found) = found else { continue };
                columns.push(ColumnInfo { cell: Some(sheets::next_cell(t, id)?), ..ColumnInfo::of(found) });
            }
            // Relations stand between the sheet's own columns and the new ones.
            let place = |at: usize| columns.get(if at < own { at } else { own + at.saturating_sub(all) }).and_then(|c| c.cell);
            let mut edits = Edits::default();
            if asked.changed {
                let taken = again.changed.iter().filter(|row| !asked.leave.changed.contains(&row.number));
                let cells = taken.flat_map(|row| row.cells.iter().map(|o| (row.number, o)));
                edits.cells = cells.filter_map(|(row, o)| Some((row, place(o.column)?, o.cell.clone()))).collect();
            }
            if asked.added {
                let taken = again.added.iter().enumerate().filter(|(at, _)| !asked.leave.added.contains(at));
                edits.added = taken.map(|(_, row)| (None, laid_out(row, &place))).collect();
            }
            if asked.gone {
                edits.removed = again.gone.into_iter().filter(|number| !asked.leave.gone.contains(number)).collect();
            }
            let what = format!("Update from “{}”", asked.newer.name);
            sheets::set_columns(t, id, &columns)?;
            rows::edit(t, id, &edits, Some(&info.columns), &what, &clock::stamp())?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    info(app, id).await
}

/// A new row's cells where the store keeps them.
fn laid_out(row: &[Cell], place: &dyn Fn(usize) -> Option<usize>) -> Vec<Cell> {
    let mut cells = Vec::new();
    for (at, cell) in row.iter().enumerate().filter(|(_, c)| !c.is_blank()) {
        let Some(at) = place(at) else { continue };
        if cells.len() <= at {
            cells.resize(at + 1, Cell::Blank);
        }
        cells[at] = cell.clone();
    }
    cells
}
