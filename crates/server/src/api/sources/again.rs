//! Bringing a newer file into a sheet: first a look at what it changes, then the
//! change.

use std::collections::HashSet;

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use mangle_core::language::Folded;
use mangle_core::records::{Again, AgainFault, Cell, RawSheet, Recognised, compare, label};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::{info, read};
use crate::api::upload::{FileForm, files};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::prepare::{LoadedSheet, blocking};
use mangle_app::store::rows::{self, Edits};
use mangle_app::store::sheets::{self, ColumnInfo, SheetInfo};

/// How many rows of each kind are listed.
const LISTED: usize = 300;

/// How many columns are told to be no key, with why.
const FAULTS: usize = 4;

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(bring)).routes(routes!(look)).routes(routes!(apply))
}

/// A newer file that was taken in.
#[derive(Debug, Serialize, ToSchema)]
struct NewerFile {
    /// What to name it by.
    file: String,
    /// Its name.
    name: String,
    /// Its sheets.
    sheets: Vec<String>,
    /// The one that is most like the sheet.
    sheet: String,
    /// Columns that tell the rows of both apart; the first is the best.
    keys: Vec<String>,
}

/// Takes a newer file in, to be compared; nothing is changed yet.
#[utoipa::path(post, path = "/api/sheets/{id}/newer", tag = "sources", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = NewerFile), (status = 422, body = Problem)))]
async fn bring(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<NewerFile> {
    let upload = files(form).await?.remove(0);
    let loaded = app.sheet(id).await?;
    let found = read(&app, &upload.name, upload.bytes.clone()).await?;
    let own = |raw: &RawSheet| {
        let names = raw.header.iter().filter(|n| loaded.sheet.schema.index(&Folded::new(n)).is_some()).count();
        (names, usize::from(Folded::new(&raw.name) == Folded::new(&loaded.sheet.name)))
    };
    let Some((best, recognised)) = found.iter().max_by_key(|(raw, _)| own(raw)) else { return Err(Refused::missing("the sheet")) };
    let fixed = fixed(&app, id, &loaded).await?;
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
        return Err(Refused::unusable("no-key", message));
    }
    let (sheet, sheets) = (best.name.clone(), found.iter().map(|(raw, _)| raw.name.clone()).collect());
    let name = upload.name.clone();
    let file = app.files.keep(upload.bytes).await?;
    Ok(Json(NewerFile { file, name, sheets, sheet, keys }))
}

/// The columns that no file fills: computed ones and relations.
async fn fixed(app: &App, id: i64, loaded: &LoadedSheet) -> Result<Vec<usize>, Refused> {
    let info = app.store.with(move |c| sheets::sheet(c, id)).await?.ok_or_else(|| Refused::missing("the sheet"))?;
    let computed = info.columns.iter().enumerate().filter(|(_, c)| c.formula.is_some()).map(|(at, _)| at);
    Ok(computed.chain(info.columns.len()..loaded.sheet.schema.columns().len()).collect())
}

/// Which file is compared, and how.
#[derive(Debug, Clone, Deserialize, IntoParams, ToSchema)]
struct Newer {
    /// The file, as it was named when it was taken in.
    file: String,
    /// Its name.
    name: String,
    /// Which of its sheets.
    sheet: String,
    /// The column that tells rows apart.
    key: String,
}

/// What a newer file changes.
#[derive(Debug, Serialize, ToSchema)]
struct AgainView {
    /// Columns that the sheet will get.
    new_columns: Vec<String>,
    /// Columns that the file has not; they stay as they are.
    kept_columns: Vec<String>,
    /// How many rows stay as they are.
    same: usize,
    /// How many rows are new.
    added_count: usize,
    /// The first of them, cell by cell.
    added: Vec<Vec<String>>,
    /// The columns of those cells.
    columns: Vec<String>,
    /// How many rows have other cells.
    changed_count: usize,
    /// The first of them.
    changed: Vec<ChangedRow>,
    /// How many rows the file has not.
    gone_count: usize,
    /// The first of them.
    gone: Vec<GoneRow>,
}

/// A row with other cells.
#[derive(Debug, Serialize, ToSchema)]
struct ChangedRow {
    /// Its number.
    number: usize,
    /// What to call it.
    label: String,
    /// The cells that differ.
    cells: Vec<ChangedCell>,
}

/// A cell that differs.
#[derive(Debug, Serialize, ToSchema)]
struct ChangedCell {
    /// Its column.
    column: String,
    /// As it is.
    old: String,
    /// As it will be.
    new: String,
}

/// A row that the file has not.
#[derive(Debug, Serialize, ToSchema)]
struct GoneRow {
    /// Its number.
    number: usize,
    /// What to call it.
    label: String,
}

/// The newer sheet beside the one that is there.
async fn compared(app: &App, id: i64, newer: &Newer) -> Result<(std::sync::Arc<LoadedSheet>, Again, Recognised), Refused> {
    let bytes = app.files.get(&newer.file).await.map_err(|_| Refused::missing("the newer file"))?;
    let found = read(app, &newer.name, bytes.to_vec()).await?;
    let (raw, recognised) =
        found.into_iter().find(|(raw, _)| raw.name == newer.sheet).ok_or_else(|| Refused::missing("the file's sheet"))?;
    let loaded = app.sheet(id).await?;
    let fixed = fixed(app, id, &loaded).await?;
    let key = newer.key.clone();
    blocking(move || {
        let again =
            compare(&loaded.sheet, &fixed, &raw, recognised.reading, &key).map_err(|e| Refused::unusable("again", e.to_string()))?;
        Ok((loaded, again, recognised))
    })
    .await?
}

/// Compares a newer file with a sheet.
#[utoipa::path(get, path = "/api/sheets/{id}/newer", tag = "sources", params(("id" = i64, Path), Newer), responses((status = 200, body = AgainView), (status = 422, body = Problem)))]
async fn look(State(app): State<App>, Path(id): Path<i64>, Query(newer): Query<Newer>) -> Answer<AgainView> {
    let (loaded, again, _) = compared(&app, id, &newer).await?;
    let named = |number: usize| loaded.sheet.record(number).map(|r| label(r, "")).unwrap_or_default();
    let columns: Vec<String> =
        loaded.sheet.schema.columns().iter().map(|c| c.name.clone()).chain(again.new_columns.iter().cloned()).collect();
    let filled: Vec<usize> = (0..columns.len()).filter(|at| again.added.iter().any(|row| !row[*at].is_blank())).collect();
    let changed = again.changed.iter().take(LISTED).map(|c| ChangedRow {
        number: c.number,
        label: named(c.number),
        cells: c.cells.iter().map(|o| ChangedCell { column: columns[o.column].clone(), old: o.old.clone(), new: o.new.clone() }).collect(),
    });
    Ok(Json(AgainView {
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
    }))
}

/// What of a newer file is taken over.
#[derive(Debug, Deserialize, ToSchema)]
struct TakeOver {
    #[serde(flatten)]
    newer: Newer,
    /// Whether new rows are added.
    added: bool,
    /// Whether rows get their other cells.
    changed: bool,
    /// Whether rows that the file has not are deleted.
    gone: bool,
    /// What of these is left as it is all the same.
    #[serde(default)]
    leave: Leave,
}

/// Rows of a newer file that are not taken over.
#[derive(Debug, Default, Deserialize, ToSchema)]
#[serde(default)]
struct Leave {
    /// New rows by their place among the new ones, from 0.
    added: HashSet<usize>,
    /// Rows with other cells, by number.
    changed: HashSet<usize>,
    /// Rows that the file has not, by number.
    gone: HashSet<usize>,
}

/// Takes a newer file over, in one step that can be undone.
#[utoipa::path(post, path = "/api/sheets/{id}/newer/apply", tag = "sources", params(("id" = i64, Path)), request_body = TakeOver, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn apply(State(app): State<App>, Path(id): Path<i64>, Json(asked): Json<TakeOver>) -> Answer<SheetInfo> {
    let (loaded, again, recognised) = compared(&app, id, &asked.newer).await?;
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
    info(&app, id).await.map(Json)
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
