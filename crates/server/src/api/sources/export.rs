//! A sheet as a file.

use axum::extract::{Path, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::sources::export::{self, Kind};
use mangle_app::sources::rows::Look;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::upload::saved;
use crate::error::{Problem, Refused};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(export))
}

/// The rows of a sheet as a file: those looked at, in their order.
#[utoipa::path(get, path = "/api/sheets/{id}/export", tag = "sources", params(("id" = i64, Path), Look, Kind), responses((status = 200, content_type = "application/octet-stream"), (status = 422, body = Problem)))]
async fn export(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(look): Query<Look>,
    Query(kind): Query<Kind>,
) -> Result<Response, Refused> {
    Ok(saved(export::export(&app, id, look, kind).await?))
}
