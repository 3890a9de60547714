//! The clause library: pieces of text that templates share.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::clauses::{self, ClauseBody};
use mangle_app::store::clauses::ClauseInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(change, remove))
}

/// All clauses, by name and language.
#[utoipa::path(get, path = "/api/clauses", tag = "clauses", responses((status = 200, body = Vec<ClauseInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<ClauseInfo>> {
    Ok(Json(clauses::list(&app).await?))
}

/// Adds a clause.
#[utoipa::path(post, path = "/api/clauses", tag = "clauses", request_body = ClauseBody, responses((status = 200, body = Vec<ClauseInfo>), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<ClauseBody>) -> Answer<Vec<ClauseInfo>> {
    Ok(Json(clauses::add(&app, new).await?))
}

/// Changes a clause.
#[utoipa::path(put, path = "/api/clauses/{id}", tag = "clauses", params(("id" = i64, Path)), request_body = ClauseBody, responses((status = 200, body = Vec<ClauseInfo>), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<ClauseBody>) -> Answer<Vec<ClauseInfo>> {
    Ok(Json(clauses::change(&app, id, new).await?))
}

/// Deletes a clause.
#[utoipa::path(delete, path = "/api/clauses/{id}", tag = "clauses", params(("id" = i64, Path)), responses((status = 200, body = Vec<ClauseInfo>)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<ClauseInfo>> {
    Ok(Json(clauses::remove(&app, id).await?))
}
