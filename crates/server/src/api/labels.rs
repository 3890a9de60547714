//! Labels of dispatches, templates and sources.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::labels::{self, Labels};
use mangle_app::store::labels::{Labelled, LabelledKind};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list)).routes(routes!(set))
}

/// All that has labels.
#[utoipa::path(get, path = "/api/labels", tag = "labels", responses((status = 200, body = Vec<Labelled>)))]
async fn list(State(app): State<App>) -> Answer<Vec<Labelled>> {
    Ok(Json(labels::list(&app).await?))
}

/// Gives a dispatch (by its key), a template or a source (by its number) its labels.
#[utoipa::path(put, path = "/api/labels/{kind}/{key}", tag = "labels", params(("kind" = LabelledKind, Path), ("key" = String, Path)), request_body = Labels, responses((status = 200, body = Vec<Labelled>), (status = 404, body = Problem), (status = 422, body = Problem)))]
async fn set(State(app): State<App>, Path((kind, key)): Path<(LabelledKind, String)>, Json(new): Json<Labels>) -> Answer<Vec<Labelled>> {
    Ok(Json(labels::set(&app, kind, key, new).await?))
}
