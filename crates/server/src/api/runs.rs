//! Runs: progress, items, pause and stop, documents.

use std::convert::Infallible;

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::{Stream, StreamExt};
use mangle_app::store::deliveries::ChannelCounts;
use mangle_app::store::events::EventInfo;
use mangle_app::store::items::ItemInfo;
use mangle_app::store::runs::RunInfo;
use mangle_app::{App, documents};
use mangle_core::dispatch::Format;
use serde::Deserialize;
use tokio_stream::wrappers::BroadcastStream;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{saved, shown};
use crate::error::{Answer, Problem, Refused};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list))
        .routes(routes!(show))
        .routes(routes!(events))
        .routes(routes!(item_list))
        .routes(routes!(channels))
        .routes(routes!(timeline))
        .routes(routes!(item_timeline))
        .routes(routes!(pause))
        .routes(routes!(resume))
        .routes(routes!(stop))
        .routes(routes!(release_run))
        .routes(routes!(retry))
        .routes(routes!(retry_item))
        .routes(routes!(release))
        .routes(routes!(withdraw))
        .routes(routes!(send_now))
        .routes(routes!(send_again))
        .routes(routes!(confirm))
        .routes(routes!(all_zip))
        .routes(routes!(all_pdf))
        .routes(routes!(document))
}

/// All runs, the newest first.
#[utoipa::path(get, path = "/api/runs", tag = "runs", responses((status = 200, body = Vec<RunInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<RunInfo>> {
    Ok(Json(app.runs().await?))
}

/// A run.
#[utoipa::path(get, path = "/api/runs/{id}", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.run(id).await?))
}

/// Tells of changes of runs as server-sent events; each carries a run.
#[utoipa::path(get, path = "/api/run-events", tag = "runs", responses((status = 200, content_type = "text/event-stream", body = RunInfo)))]
async fn events(State(app): State<App>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let changes = BroadcastStream::new(app.changes.subscribe());
    let stream = changes.filter_map(move |id| {
        let app = app.clone();
        async move {
            let run = app.run(id.ok()?).await.ok()?;
            Event::default().json_data(run).ok().map(Ok)
        }
    });
    Sse::new(stream).keep_alive(KeepAlive::default())
}

#[derive(Debug, Deserialize, IntoParams)]
struct Items {
    /// Only items that are so far.
    state: Option<String>,
    /// How many to pass over.
    #[serde(default)]
    from: usize,
    /// How many to give, at most 500.
    #[serde(default = "mangle_app::page_size")]
    count: usize,
}

/// Items of a run.
#[utoipa::path(get, path = "/api/runs/{id}/items", tag = "runs", params(("id" = i64, Path), Items), responses((status = 200, body = Vec<ItemInfo>)))]
async fn item_list(State(app): State<App>, Path(id): Path<i64>, Query(asked): Query<Items>) -> Answer<Vec<ItemInfo>> {
    Ok(Json(app.items(id, asked.state, asked.from, asked.count.min(500)).await?))
}

/// A run's deliveries, counted by channel and state.
#[utoipa::path(get, path = "/api/runs/{id}/channels", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<ChannelCounts>), (status = 404, body = Problem)))]
async fn channels(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<ChannelCounts>> {
    Ok(Json(app.run_channels(id).await?))
}

/// What happened to a run as a whole, the oldest first.
#[utoipa::path(get, path = "/api/runs/{id}/events", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<EventInfo>), (status = 404, body = Problem)))]
async fn timeline(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<EventInfo>> {
    Ok(Json(app.run_events(id).await?))
}

/// What happened to an item and its deliveries, the oldest first.
#[utoipa::path(get, path = "/api/items/{id}/events", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<EventInfo>), (status = 404, body = Problem)))]
async fn item_timeline(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<EventInfo>> {
    Ok(Json(app.item_events(id).await?))
}

/// Pauses a run; what is being made or handed over is finished.
#[utoipa::path(post, path = "/api/runs/{id}/pause", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn pause(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.pause_run(id).await?))
}

/// Resumes a paused run.
#[utoipa::path(post, path = "/api/runs/{id}/resume", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn resume(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.resume_run(id).await?))
}

/// Stops a run for good; what is made stays made, the rest is left out or withdrawn.
#[utoipa::path(post, path = "/api/runs/{id}/stop", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.stop_run(id).await?))
}

/// Releases all deliveries of a run that are on hold.
#[utoipa::path(post, path = "/api/runs/{id}/release", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn release_run(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.release_run(id).await?))
}

/// Makes or delivers all that failed in a run again, and only that.
#[utoipa::path(post, path = "/api/runs/{id}/retry", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn retry(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.retry(id, None).await?))
}

/// Makes or delivers one failed item again.
#[utoipa::path(post, path = "/api/items/{id}/retry", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn retry_item(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.retry_item(id).await?))
}

/// Releases one delivery that is on hold.
#[utoipa::path(post, path = "/api/deliveries/{id}/release", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn release(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.release(id).await?))
}

/// Sends a scheduled delivery before its time.
#[utoipa::path(post, path = "/api/deliveries/{id}/send-now", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn send_now(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.send_now(id).await?))
}

/// Withdraws a delivery that has not begun.
#[utoipa::path(post, path = "/api/deliveries/{id}/withdraw", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn withdraw(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.withdraw(id).await?))
}

/// Delivers an uncertain delivery again, though it may have arrived.
#[utoipa::path(post, path = "/api/deliveries/{id}/send-again", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn send_again(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.send_again(id).await?))
}

/// Marks an uncertain delivery as delivered.
#[utoipa::path(post, path = "/api/deliveries/{id}/confirm", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn confirm(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    Ok(Json(app.confirm(id).await?))
}

/// All documents of a run as one ZIP.
#[utoipa::path(get, path = "/api/runs/{id}/documents.zip", tag = "runs", params(("id" = i64, Path)), responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 409, body = Problem)))]
async fn all_zip(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    Ok(saved(documents::zip_of_run(&app, id).await?))
}

/// All documents of a run as one joined PDF, with a bookmark for each.
#[utoipa::path(get, path = "/api/runs/{id}/documents.pdf", tag = "runs", params(("id" = i64, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 409, body = Problem)))]
async fn all_pdf(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    Ok(saved(documents::pdf_of_run(&app, id).await?))
}

/// One document.
#[utoipa::path(get, path = "/api/documents/{id}", tag = "runs", params(("id" = i64, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem)))]
async fn document(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    let file = documents::document(&app, id).await?;
    // Browsers show a PDF.
    Ok(if file.media_type == Format::Pdf.media_type() { shown(file) } else { saved(file) })
}
