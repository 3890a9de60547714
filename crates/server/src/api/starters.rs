//! Ready-made set-ups.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::dispatches::edit::Key;
use mangle_app::starters::{self, StarterInfo};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list)).routes(routes!(lay_out))
}

/// All ready-made set-ups.
#[utoipa::path(get, path = "/api/starters", tag = "dispatches", responses((status = 200, body = Vec<StarterInfo>)))]
async fn list() -> Json<Vec<StarterInfo>> {
    Json(starters::list())
}

/// Lays a ready-made set-up out: its template, its records or form, and its dispatch.
#[utoipa::path(post, path = "/api/starters/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Key), (status = 404, body = Problem)))]
async fn lay_out(State(app): State<App>, Path(key): Path<String>) -> Answer<Key> {
    Ok(Json(starters::lay_out(&app, &key).await?))
}
