//! Questions to a CRM: tried on a few records, saved, fetched into a sheet.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::crm::Fetching;
use mangle_app::crm::queries::{self, NewQuery, QueryBody, SampleBody, TriedQuery};
use mangle_core::crm::CrmQuery;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(sample)).routes(routes!(make)).routes(routes!(show, write)).routes(routes!(progress, fetch, stop))
}

/// Preview a query: its first records, or one by key.
#[utoipa::path(post, path = "/api/connections/{id}/sample", tag = "crm", params(("id" = i64, Path)), request_body = TriedQuery, responses((status = 200, body = SampleBody), (status = 422, body = Problem)))]
async fn sample(State(app): State<App>, Path(id): Path<i64>, Json(TriedQuery { asks, key }): Json<TriedQuery>) -> Answer<SampleBody> {
    Ok(Json(queries::sample(&app, id, TriedQuery { asks, key }).await?))
}

/// Saves a question as a source, and fetches its records.
#[utoipa::path(post, path = "/api/queries", tag = "crm", request_body = NewQuery, responses((status = 200, body = QueryBody), (status = 422, body = Problem)))]
async fn make(State(app): State<App>, Json(new): Json<NewQuery>) -> Answer<QueryBody> {
    Ok(Json(queries::make(&app, new).await?))
}

/// A question.
#[utoipa::path(get, path = "/api/queries/{id}", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = QueryBody), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<QueryBody> {
    Ok(Json(queries::show(&app, id).await?))
}

/// Changes what a question asks, and fetches its records.
#[utoipa::path(put, path = "/api/queries/{id}", tag = "crm", params(("id" = i64, Path)), request_body = CrmQuery, responses((status = 200, body = QueryBody), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Path(id): Path<i64>, Json(asks): Json<CrmQuery>) -> Answer<QueryBody> {
    Ok(Json(queries::write(&app, id, asks).await?))
}

/// How far the fetch of a question is.
#[utoipa::path(get, path = "/api/queries/{id}/fetch", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = Option<Fetching>)))]
async fn progress(State(app): State<App>, Path(id): Path<i64>) -> Answer<Option<Fetching>> {
    Ok(Json(queries::progress(&app, id).await?))
}

/// Fetches the records of a question again.
#[utoipa::path(post, path = "/api/queries/{id}/fetch", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = Option<Fetching>), (status = 422, body = Problem)))]
async fn fetch(State(app): State<App>, Path(id): Path<i64>) -> Answer<Option<Fetching>> {
    Ok(Json(queries::fetch(&app, id).await?))
}

/// Stops a fetch; the sheet is as it was.
#[utoipa::path(delete, path = "/api/queries/{id}/fetch", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(queries::stop(&app, id).await?))
}
