//! Dispatches: the list, and what a file each of the bench's stations asks for.

mod files;
mod one;
mod pictures;
mod preview;
mod running;

use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use futures::StreamExt;
use mangle_app::App;
use mangle_app::dispatches::edit::{self, DispatchInfo, Key, NewDispatch};
use mangle_app::dispatches::{Bench, DispatchBody, PreflightView, ProofRun, StartRun};
use mangle_app::store::runs::RunInfo;
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, add))
        .routes(routes!(show, change, remove))
        .routes(routes!(preview::page))
        .routes(routes!(preview::last))
        .routes(routes!(preflight, preflight_in_parts))
        .routes(routes!(start))
        .routes(routes!(proofs))
        .routes(routes!(copy))
        .routes(routes!(one::show, one::start))
        .routes(routes!(one::page))
        .routes(routes!(running::list))
        .routes(routes!(running::pdf))
        .routes(routes!(files::add))
        .routes(routes!(pictures::list, pictures::add))
        .routes(routes!(pictures::show, pictures::remove))
}

/// All dispatches, the last changed first.
#[utoipa::path(get, path = "/api/dispatches", tag = "dispatches", responses((status = 200, body = Vec<DispatchInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<DispatchInfo>> {
    Ok(Json(edit::list(&app).await?))
}

/// Adds a dispatch.
#[utoipa::path(post, path = "/api/dispatches", tag = "dispatches", request_body = NewDispatch, responses((status = 200, body = Key), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<NewDispatch>) -> Answer<Key> {
    Ok(Json(edit::add(&app, new).await?))
}

/// Adds a copy of a dispatch: its set-up and its pictures, without its runs.
#[utoipa::path(post, path = "/api/dispatches/{key}/copy", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Key), (status = 404, body = Problem)))]
async fn copy(State(app): State<App>, Path(key): Path<String>) -> Answer<Key> {
    Ok(Json(edit::copy(&app, key).await?))
}

/// Deletes a dispatch; the history of its runs stays.
#[utoipa::path(delete, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(key): Path<String>) -> Answer<bool> {
    Ok(Json(edit::remove(&app, key).await?))
}

/// A dispatch with the state of its steps.
#[utoipa::path(get, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Bench), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(key): Path<String>) -> Answer<Bench> {
    Ok(Json(app.bench(&key).await?))
}

/// Saves a dispatch and gives its steps' new state.
#[utoipa::path(put, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), request_body = DispatchBody, responses((status = 200, body = Bench), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(key): Path<String>, Json(new): Json<DispatchBody>) -> Answer<Bench> {
    Ok(Json(app.change_dispatch(&key, new).await?))
}

#[derive(Debug, Deserialize, utoipa::IntoParams)]
struct Wanted {
    /// Whether it is told what the run comes to, beside the last one.
    #[serde(default)]
    totals: bool,
}

/// Checks every chosen record against the dispatch and tells what it finds while it goes on: a
/// view as JSON on each line, the last one complete (`application/x-ndjson`). A closed connection
/// stops the check.
#[utoipa::path(get, path = "/api/dispatches/{key}/preflight", tag = "dispatches", params(("key" = String, Path), Wanted), responses((status = 200, content_type = "application/x-ndjson", body = PreflightView), (status = 409, body = Problem)))]
async fn preflight_in_parts(State(app): State<App>, Path(key): Path<String>, Query(wanted): Query<Wanted>) -> Result<Response, Refused> {
    let line = |view: Result<PreflightView, mangle_app::Error>| -> Result<String, axum::BoxError> {
        let text = match view {
            Ok(view) => serde_json::to_string(&view)?,
            Err(error) => serde_json::to_string(&Problem::from(error))?,
        };
        Ok(text + "\n")
    };
    let views = app.preflight_in_parts(&key, wanted.totals).await?.map(line);
    Ok(([(header::CONTENT_TYPE, "application/x-ndjson")], Body::from_stream(views)).into_response())
}

/// Checks every chosen record against the dispatch. A newer change or a closed page drops the
/// request: its check stops then.
#[utoipa::path(post, path = "/api/dispatches/{key}/preflight", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = PreflightView), (status = 409, body = Problem)))]
async fn preflight(State(app): State<App>, Path(key): Path<String>) -> Answer<PreflightView> {
    Ok(Json(app.preflight(&key).await?))
}

/// Starts a run of all chosen records. Refused while anything stops it, while another run
/// of the dispatch is going, and where records would be served again unconfirmed.
#[utoipa::path(post, path = "/api/dispatches/{key}/runs", tag = "dispatches", params(("key" = String, Path)), request_body = StartRun, responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn start(State(app): State<App>, Path(key): Path<String>, Json(asked): Json<StartRun>) -> Answer<RunInfo> {
    Ok(Json(app.start_run(&key, asked).await?))
}

/// Makes proofs of some records and sends them to the person, and to nobody else.
#[utoipa::path(post, path = "/api/dispatches/{key}/proofs", tag = "dispatches", params(("key" = String, Path)), request_body = ProofRun, responses((status = 200, body = RunInfo), (status = 422, body = Problem)))]
async fn proofs(State(app): State<App>, Path(key): Path<String>, Json(asked): Json<ProofRun>) -> Answer<RunInfo> {
    Ok(Json(app.start_proofs(&key, asked).await?))
}
