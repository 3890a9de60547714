//! Running documents: PDFs that each run adds its pages to.

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::documents;
use mangle_app::store::running::RunningInfo;
use serde::Deserialize;

use crate::api::upload::saved;
use crate::error::{Answer, Problem, Refused};

#[derive(Debug, Deserialize, utoipa::IntoParams)]
pub(super) struct Named {
    /// The running document's name.
    name: String,
}

/// The running documents of a dispatch, the last changed first.
#[utoipa::path(get, path = "/api/dispatches/{key}/running", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Vec<RunningInfo>), (status = 404, body = Problem)))]
pub(super) async fn list(State(app): State<App>, Path(key): Path<String>) -> Answer<Vec<RunningInfo>> {
    Ok(Json(documents::running(&app, &key).await?))
}

/// A running document as one PDF, with a bookmark for each document that was added to it.
#[utoipa::path(get, path = "/api/dispatches/{key}/running.pdf", tag = "dispatches", params(("key" = String, Path), Named), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub(super) async fn pdf(State(app): State<App>, Path(key): Path<String>, Query(asked): Query<Named>) -> Result<Response, Refused> {
    Ok(saved(documents::running_pdf(&app, &key, asked.name).await?))
}
