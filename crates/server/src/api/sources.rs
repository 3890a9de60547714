//! Sources: bringing sheets in, looking at their rows, their types and filters.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use mangle_core::language::{Context, condition};
use mangle_core::records::{Filter, Recognised, Record, recognise, sample};
use mangle_core::value::{Currency, Locale, Value};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, Upload, files, stem};
use crate::clock;
use crate::error::{Answer, Problem, Refused};
use crate::prepare::blocking;
use crate::server::App;
use crate::store::items;
use crate::store::sheets::{self, ColumnInfo, SheetInfo, Source};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, bring_in))
        .routes(routes!(remove))
        .routes(routes!(sheet))
        .routes(routes!(rows))
        .routes(routes!(set_column))
        .routes(routes!(set_date_order))
        .routes(routes!(keep_filter))
        .routes(routes!(drop_filter))
}

/// All sources, the newest first.
#[utoipa::path(get, path = "/api/sources", tag = "sources", responses((status = 200, body = Vec<Source>)))]
async fn list(State(app): State<App>) -> Answer<Vec<Source>> {
    Ok(Json(app.store.with(|c| sheets::sources(c)).await?))
}

/// Brings in a CSV, XLSX or ODS file as a source.
#[utoipa::path(post, path = "/api/sources", tag = "sources", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Source), (status = 422, body = Problem)))]
async fn bring_in(State(app): State<App>, form: Multipart) -> Answer<Source> {
    let mut last = None;
    for upload in files(form).await? {
        last = Some(keep(&app, upload).await?);
    }
    last.map(Json).ok_or_else(|| Refused::missing("the file"))
}

/// Reads a file and keeps its sheets; nothing is kept of a file that can't be used.
pub async fn keep(app: &App, upload: Upload) -> Result<Source, Refused> {
    let Upload { name, bytes } = upload;
    let file_name = name.clone();
    let read = blocking(move || {
        mangle_documents::table::read(&file_name, bytes.into()).map(|sheets| {
            sheets
                .into_iter()
                .map(|raw| {
                    let found = recognise(&raw);
                    (raw, found)
                })
                .collect::<Vec<(_, Recognised)>>()
        })
    })
    .await?;
    let read = read.map_err(|e| Refused::unusable(e.code(), format!("“{name}”: {e}")))?;
    let source = app
        .store
        .with(move |c| -> anyhow::Result<Option<Source>> {
            let t = c.transaction()?;
            let id = sheets::bring_in(&t, &stem(&name), &name, &clock::stamp(), &read)?;
            t.commit()?;
            Ok(sheets::sources(c)?.into_iter().find(|s| s.id == id))
        })
        .await?;
    source.ok_or_else(|| Refused::missing("the source"))
}

/// Deletes a source that no dispatch and no run uses.
#[utoipa::path(delete, path = "/api/sources/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    let uses = app.store.with(move |c| sheets::uses(c, id)).await?;
    if uses > 0 {
        return Err(Refused::conflict("in-use", format!("{uses} dispatches and runs use this source; delete the dispatches first")));
    }
    Ok(Json(app.store.with(move |c| sheets::delete(c, id)).await?))
}

/// A sheet without its rows.
#[utoipa::path(get, path = "/api/sheets/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = SheetInfo), (status = 404, body = Problem)))]
async fn sheet(State(app): State<App>, Path(id): Path<i64>) -> Answer<SheetInfo> {
    let found = app.store.with(move |c| sheets::sheet(c, id)).await?;
    found.map(Json).ok_or_else(|| Refused::missing("the sheet"))
}

#[derive(Debug, Deserialize, IntoParams)]
struct Rows {
    /// A condition that rows must pass.
    #[serde(default)]
    filter: String,
    /// A text that stands in any cell.
    #[serde(default)]
    find: String,
    /// The column to sort by; the sheet's order where there is none.
    sort: Option<usize>,
    /// Whether the greatest comes first.
    #[serde(default)]
    down: bool,
    /// How many rows to pass over.
    #[serde(default)]
    from: usize,
    /// How many rows to give, at most 500.
    #[serde(default = "super::page_size")]
    count: usize,
}

/// Rows of a sheet.
#[derive(Debug, Serialize, ToSchema)]
struct RowPage {
    /// How many rows pass the filter.
    total: usize,
    /// How many cells of each column do not fit its type, over all rows.
    misfits: Vec<usize>,
    /// The rows asked for.
    rows: Vec<RowInfo>,
}

/// One row.
#[derive(Debug, Serialize, ToSchema)]
struct RowInfo {
    /// Its number in the sheet, from 1.
    number: usize,
    /// Its cells as they are shown.
    cells: Vec<CellInfo>,
    /// Its last document.
    last: Option<LastDocument>,
}

/// One cell.
#[derive(Debug, Serialize, ToSchema)]
struct CellInfo {
    /// Its text.
    text: String,
    /// What it should be, where it does not fit its column's type.
    #[serde(skip_serializing_if = "Option::is_none")]
    wanted: Option<&'static str>,
}

/// What became of the last document made for a row.
#[derive(Debug, Serialize, ToSchema)]
struct LastDocument {
    /// The item's number.
    item: i64,
    /// Its state.
    state: String,
    /// When it last changed.
    changed: String,
    /// The dispatch's name.
    dispatch: String,
    /// What went wrong.
    error: String,
}

/// Rows of a sheet, filtered and sorted.
#[utoipa::path(get, path = "/api/sheets/{id}/rows", tag = "sources", params(("id" = i64, Path), Rows), responses((status = 200, body = RowPage), (status = 422, body = Problem)))]
async fn rows(State(app): State<App>, Path(id): Path<i64>, Query(asked): Query<Rows>) -> Answer<RowPage> {
    let loaded = app.sheet(id).await?;
    let (mut page, spread) = blocking(move || -> Result<_, Refused> {
        let context = Context::new(Locale::english(), clock::now());
        let context = Context { reading: loaded.reading, ..context };
        let chosen = choose(&loaded.sheet.records, &loaded.sheet.schema, &asked, &context)?;
        let misfits = (0..loaded.sheet.schema.columns().len())
            .map(|at| loaded.sheet.records.iter().filter(|r| matches!(r.values()[at], Value::Misfit(_))).count())
            .collect();
        let shown: Vec<&&Record> = chosen.iter().skip(asked.from).take(asked.count.min(500)).collect();
        let rows: Vec<RowInfo> = shown
            .iter()
            .map(|r| RowInfo { number: r.number, cells: r.values().iter().map(|v| cell(v, &context)).collect(), last: None })
            .collect();
        let spread = rows.iter().map(|r| r.number).min().zip(rows.iter().map(|r| r.number).max());
        Ok((RowPage { total: chosen.len(), misfits, rows }, spread))
    })
    .await??;
    if let Some((first, last)) = spread {
        for last in app.store.with(move |c| items::last_of_rows(c, id, first..=last)).await? {
            if let Some(own) = page.rows.iter_mut().find(|r| r.number == last.row) {
                own.last = Some(LastDocument {
                    item: last.item,
                    state: last.state,
                    changed: last.changed,
                    dispatch: last.dispatch,
                    error: last.error,
                });
            }
        }
    }
    Ok(Json(page))
}

fn choose<'r>(
    records: &'r [Record],
    schema: &mangle_core::records::Schema,
    asked: &Rows,
    context: &Context,
) -> Result<Vec<&'r Record>, Refused> {
    let filter = match asked.filter.trim() {
        "" => None,
        text => Some(Filter::read(text, schema).map_err(|e| Refused::unusable("filter", format!("the filter can't be used: {e}")))?),
    };
    let find = asked.find.trim().to_lowercase();
    let mut chosen: Vec<&Record> = records
        .iter()
        .filter(|r| filter.as_ref().is_none_or(|f| f.passes(r, context).unwrap_or(false)))
        .filter(|r| find.is_empty() || r.values().iter().any(|v| cell(v, context).text.to_lowercase().contains(&find)))
        .collect();
    if let Some(at) = asked.sort.filter(|at| *at < schema.columns().len()) {
        chosen.sort_by(|a, b| {
            let (a, b) = (&a.values()[at], &b.values()[at]);
            // Blanks come last both ways.
            a.is_blank().cmp(&b.is_blank()).then_with(|| {
                let order = mangle_core::language::order(a, b, &context.locale).unwrap_or(std::cmp::Ordering::Equal);
                if asked.down { order.reverse() } else { order }
            })
        });
    }
    Ok(chosen)
}

fn cell(value: &Value, context: &Context) -> CellInfo {
    match value {
        Value::Misfit(misfit) => CellInfo { text: misfit.text.clone(), wanted: Some(misfit.expected) },
        Value::Money(money) => {
            CellInfo { text: context.locale.number(money.amount, money.currency.places(), money.currency.places(), true), wanted: None }
        }
        other => CellInfo { text: sample(other, &context.locale), wanted: None },
    }
}

/// A column's new type.
#[derive(Debug, Deserialize, ToSchema)]
struct NewType {
    /// text, number, money, date, yes/no or e-mail.
    #[serde(rename = "type")]
    kind: String,
    /// The currency, for money.
    currency: Option<String>,
}

/// Corrects a column's type.
#[utoipa::path(put, path = "/api/sheets/{id}/columns/{index}", tag = "sources", params(("id" = i64, Path), ("index" = usize, Path)), request_body = NewType, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn set_column(State(app): State<App>, Path((id, index)): Path<(i64, usize)>, Json(new): Json<NewType>) -> Answer<SheetInfo> {
    let currency =
        new.currency.as_deref().map(Currency::parse).transpose().map_err(|e| Refused::unusable("unknown-currency", e.to_string()))?;
    let kind = mangle_core::records::ColumnType::parse(&new.kind, currency).ok_or_else(|| {
        Refused::unusable(
            "unknown-type",
            format!("“{}” is no type of a column; choose text, number, money, date, yes/no or e-mail", new.kind),
        )
    })?;
    let changed = app
        .store
        .with(move |c| -> anyhow::Result<Option<SheetInfo>> {
            let Some(mut info) = sheets::sheet(c, id)? else { return Ok(None) };
            let Some(column) = info.columns.get_mut(index) else { return Ok(None) };
            *column = ColumnInfo::of(&mangle_core::records::Column::new(&column.name, kind));
            sheets::set_columns(c, id, &info.columns)?;
            Ok(Some(info))
        })
        .await?;
    app.forget_sheet(id);
    changed.map(Json).ok_or_else(|| Refused::missing("the column"))
}

/// How a sheet writes its dates.
#[derive(Debug, Deserialize, ToSchema)]
struct NewDateOrder {
    /// Whether the month comes first.
    month_first: bool,
}

/// Says in which order a sheet writes day and month.
#[utoipa::path(put, path = "/api/sheets/{id}/date-order", tag = "sources", params(("id" = i64, Path)), request_body = NewDateOrder, responses((status = 200, body = SheetInfo), (status = 404, body = Problem)))]
async fn set_date_order(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewDateOrder>) -> Answer<SheetInfo> {
    let changed = app
        .store
        .with(move |c| -> anyhow::Result<Option<SheetInfo>> {
            sheets::set_date_order(c, id, new.month_first)?;
            sheets::sheet(c, id)
        })
        .await?;
    app.forget_sheet(id);
    changed.map(Json).ok_or_else(|| Refused::missing("the sheet"))
}

/// A filter to keep.
#[derive(Debug, Deserialize, ToSchema)]
struct NewFilter {
    /// Its name.
    name: String,
    /// The condition.
    condition: String,
}

/// Keeps a filter under a name.
#[utoipa::path(post, path = "/api/sheets/{id}/filters", tag = "sources", params(("id" = i64, Path)), request_body = NewFilter, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn keep_filter(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewFilter>) -> Answer<SheetInfo> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Refused::unusable("no-name", "the filter needs a name to be kept under"));
    }
    condition(&new.condition).map_err(|e| Refused::unusable("filter", format!("the filter can't be used: {e}")))?;
    let kept = app
        .store
        .with(move |c| -> anyhow::Result<Option<SheetInfo>> {
            sheets::keep_filter(c, id, &name, &new.condition)?;
            sheets::sheet(c, id)
        })
        .await?;
    kept.map(Json).ok_or_else(|| Refused::missing("the sheet"))
}

/// Drops a kept filter.
#[utoipa::path(delete, path = "/api/filters/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn drop_filter(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(app.store.with(move |c| sheets::drop_filter(c, id)).await?))
}
