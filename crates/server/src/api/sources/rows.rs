//! The rows of a sheet: looked at, changed, put back.

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_app::App;
use mangle_app::sources::rows::{self, Edited, Look, Part, RowEdits, RowPage, RowView, Step};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(page, edit)).routes(routes!(row)).routes(routes!(undo)).routes(routes!(redo))
}

/// Rows of a sheet, filtered and sorted.
#[utoipa::path(get, path = "/api/sheets/{id}/rows", tag = "sources", params(("id" = i64, Path), Look, Part), responses((status = 200, body = RowPage), (status = 422, body = Problem)))]
async fn page(State(app): State<App>, Path(id): Path<i64>, Query(look): Query<Look>, Query(part): Query<Part>) -> Answer<RowPage> {
    Ok(Json(rows::page(&app, id, look, part).await?))
}

/// A row and its history.
#[utoipa::path(get, path = "/api/sheets/{id}/rows/{row}", tag = "sources", params(("id" = i64, Path), ("row" = usize, Path)), responses((status = 200, body = RowView), (status = 404, body = Problem)))]
async fn row(State(app): State<App>, Path((id, number)): Path<(i64, usize)>) -> Answer<RowView> {
    Ok(Json(rows::row(&app, id, number).await?))
}

/// Changes rows: writes cells, adds, deletes and moves rows.
#[utoipa::path(post, path = "/api/sheets/{id}/rows", tag = "sources", params(("id" = i64, Path)), request_body = RowEdits, responses((status = 200, body = Edited), (status = 422, body = Problem)))]
async fn edit(State(app): State<App>, Path(id): Path<i64>, Json(asked): Json<RowEdits>) -> Answer<Edited> {
    Ok(Json(rows::edit(&app, id, asked).await?))
}

/// Undo the last change of a sheet.
#[utoipa::path(post, path = "/api/sheets/{id}/undo", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = Step)))]
async fn undo(State(app): State<App>, Path(id): Path<i64>) -> Answer<Step> {
    Ok(Json(rows::undo(&app, id).await?))
}

/// Redo the last undone change.
#[utoipa::path(post, path = "/api/sheets/{id}/redo", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = Step)))]
async fn redo(State(app): State<App>, Path(id): Path<i64>) -> Answer<Step> {
    Ok(Json(rows::redo(&app, id).await?))
}
