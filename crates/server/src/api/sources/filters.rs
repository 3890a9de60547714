//! Filters kept for a sheet.

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::language::condition;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::info;
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::store::sheets::{self, SheetInfo};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(keep_filter)).routes(routes!(drop_filter))
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
        return Err(Refused::unusable("no-name", "enter a name for the filter"));
    }
    condition(&new.condition).map_err(|e| Refused::unusable("filter", format!("the filter can't be used: {e}")))?;
    app.store.with(move |c| sheets::keep_filter(c, id, &name, &new.condition)).await?;
    info(&app, id).await.map(Json)
}

/// Delete a saved filter.
#[utoipa::path(delete, path = "/api/filters/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn drop_filter(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(app.store.with(move |c| sheets::drop_filter(c, id)).await?))
}
