//! Sources: bringing workbooks in; what is done with their sheets stands in a file
//! each.

mod again;
mod columns;
mod export;
mod files;
mod filters;
mod header;
mod relations;
mod rows;

use axum::Json;
use axum::extract::{Multipart, Path, State};
use mangle_app::App;
use mangle_app::sources::{self, NewName, Pasted};
use mangle_app::store::sheets::{SheetInfo, Source};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, files};
use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, bring_in))
        .routes(routes!(rename, remove))
        .routes(routes!(paste))
        .routes(routes!(sheet))
        .merge(rows::router())
        .merge(columns::router())
        .merge(filters::router())
        .merge(relations::router())
        .merge(again::router())
        .merge(export::router())
        .merge(files::router())
        .merge(header::router())
}

/// All sources, the newest first.
#[utoipa::path(get, path = "/api/sources", tag = "sources", responses((status = 200, body = Vec<Source>)))]
async fn list(State(app): State<App>) -> Answer<Vec<Source>> {
    Ok(Json(sources::list(&app).await?))
}

/// Import a CSV, XLSX or ODS file as a source.
#[utoipa::path(post, path = "/api/sources", tag = "sources", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Source), (status = 422, body = Problem)))]
async fn bring_in(State(app): State<App>, form: Multipart) -> Answer<Source> {
    Ok(Json(sources::bring_in(&app, files(form).await?).await?))
}

/// Makes a workbook of a pasted table.
#[utoipa::path(post, path = "/api/sources/paste", tag = "sources", request_body = Pasted, responses((status = 200, body = Source), (status = 422, body = Problem)))]
async fn paste(State(app): State<App>, Json(pasted): Json<Pasted>) -> Answer<Source> {
    Ok(Json(sources::paste(&app, pasted).await?))
}

/// Renames a source.
#[utoipa::path(put, path = "/api/sources/{id}", tag = "sources", params(("id" = i64, Path)), request_body = NewName, responses((status = 200, body = bool), (status = 422, body = Problem)))]
async fn rename(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewName>) -> Answer<bool> {
    Ok(Json(sources::rename(&app, id, new).await?))
}

/// Deletes a source that no dispatch and no run uses.
#[utoipa::path(delete, path = "/api/sources/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(sources::remove(&app, id).await?))
}

/// A sheet without its rows.
#[utoipa::path(get, path = "/api/sheets/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = SheetInfo), (status = 404, body = Problem)))]
async fn sheet(State(app): State<App>, Path(id): Path<i64>) -> Answer<SheetInfo> {
    Ok(Json(sources::sheet(&app, id).await?))
}
