//! Filters kept for a sheet.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::sources::filters::{self, NewFilter};
use mangle_app::store::sheets::SheetInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(keep_filter)).routes(routes!(drop_filter))
}

/// Keeps a filter under a name.
#[utoipa::path(post, path = "/api/sheets/{id}/filters", tag = "sources", params(("id" = i64, Path)), request_body = NewFilter, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn keep_filter(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewFilter>) -> Answer<SheetInfo> {
    Ok(Json(filters::keep_filter(&app, id, new).await?))
}

/// Delete a saved filter.
#[utoipa::path(delete, path = "/api/filters/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn drop_filter(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(filters::drop_filter(&app, id).await?))
}
