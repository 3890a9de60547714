//! The columns of a sheet: their names, types and formulas, and where they stand.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::sources::columns::{self, ColumnValues, FormulaSample, NewColumn, NewDateOrder, TriedFormula};
use mangle_app::store::sheets::SheetInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(add))
        .routes(routes!(change, remove))
        .routes(routes!(try_formula))
        .routes(routes!(values))
        .routes(routes!(set_date_order))
}

/// Adds a column.
#[utoipa::path(post, path = "/api/sheets/{id}/columns", tag = "sources", params(("id" = i64, Path)), request_body = NewColumn, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewColumn>) -> Answer<SheetInfo> {
    Ok(Json(columns::add(&app, id, new).await?))
}

/// Changes a column: its name, type, formula, the locale it is read by, its place.
#[utoipa::path(put, path = "/api/sheets/{id}/columns/{index}", tag = "sources", params(("id" = i64, Path), ("index" = usize, Path)), request_body = NewColumn, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path((id, index)): Path<(i64, usize)>, Json(new): Json<NewColumn>) -> Answer<SheetInfo> {
    Ok(Json(columns::change(&app, id, index, new).await?))
}

/// Deletes a column with its cells; that can be undone.
#[utoipa::path(delete, path = "/api/sheets/{id}/columns/{index}", tag = "sources", params(("id" = i64, Path), ("index" = usize, Path)), responses((status = 200, body = SheetInfo), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path((id, index)): Path<(i64, usize)>) -> Answer<SheetInfo> {
    Ok(Json(columns::remove(&app, id, index).await?))
}

/// Tries a formula on the first rows of a sheet.
#[utoipa::path(post, path = "/api/sheets/{id}/formula", tag = "sources", params(("id" = i64, Path)), request_body = TriedFormula, responses((status = 200, body = FormulaSample), (status = 404, body = Problem)))]
async fn try_formula(State(app): State<App>, Path(id): Path<i64>, Json(tried): Json<TriedFormula>) -> Answer<FormulaSample> {
    Ok(Json(columns::try_formula(&app, id, tried).await?))
}

/// The values of a column with how many rows have each, to filter by them.
#[utoipa::path(get, path = "/api/sheets/{id}/columns/{index}/values", tag = "sources", params(("id" = i64, Path), ("index" = usize, Path)), responses((status = 200, body = ColumnValues), (status = 404, body = Problem)))]
async fn values(State(app): State<App>, Path((id, index)): Path<(i64, usize)>) -> Answer<ColumnValues> {
    Ok(Json(columns::values(&app, id, index).await?))
}

/// Says in which order a sheet writes day and month.
#[utoipa::path(put, path = "/api/sheets/{id}/date-order", tag = "sources", params(("id" = i64, Path)), request_body = NewDateOrder, responses((status = 200, body = SheetInfo), (status = 404, body = Problem)))]
async fn set_date_order(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewDateOrder>) -> Answer<SheetInfo> {
    Ok(Json(columns::set_date_order(&app, id, new).await?))
}
