//! Runs: progress, items, pause and stop, documents.

use std::convert::Infallible;
use std::io::Write;

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::{Stream, StreamExt};
use jiff::civil::DateTime;
use serde::Deserialize;
use tokio_stream::wrappers::BroadcastStream;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use zip::write::SimpleFileOptions;

use super::templates::{attach, download};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::jobs;
use mangle_app::prepare::blocking;
use mangle_app::store::items::{self, ItemInfo};
use mangle_app::store::runs::{self, RunInfo};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list))
        .routes(routes!(show))
        .routes(routes!(events))
        .routes(routes!(item_list))
        .routes(routes!(pause))
        .routes(routes!(go_on))
        .routes(routes!(stop))
        .routes(routes!(retry))
        .routes(routes!(all_zip))
        .routes(routes!(all_pdf))
        .routes(routes!(document))
        .routes(routes!(send_again))
        .routes(routes!(arrived))
        .routes(routes!(retry_item))
}

/// All runs, the newest first.
#[utoipa::path(get, path = "/api/runs", tag = "runs", responses((status = 200, body = Vec<RunInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<RunInfo>> {
    let runs = app.store.with(|c| runs::list(c, None)).await?;
    Ok(Json(runs.into_iter().map(|run| RunInfo { trouble: app.makers.trouble(run.id), ..run }).collect()))
}

async fn get(app: &App, id: i64) -> Result<RunInfo, Refused> {
    let run = app.store.with(move |c| runs::get(c, id)).await?.ok_or_else(|| Refused::missing("the run"))?;
    Ok(RunInfo { trouble: app.makers.trouble(id), ..run })
}

/// A run.
#[utoipa::path(get, path = "/api/runs/{id}", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    get(&app, id).await.map(Json)
}

/// Tells of changes of runs as server-sent events; each carries a run.
#[utoipa::path(get, path = "/api/run-events", tag = "runs", responses((status = 200, content_type = "text/event-stream", body = RunInfo)))]
async fn events(State(app): State<App>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let changes = BroadcastStream::new(app.changes.subscribe());
    let stream = changes.filter_map(move |id| {
        let app = app.clone();
        async move {
            let run = get(&app, id.ok()?).await.ok()?;
            Event::default().json_data(run).ok().map(Ok)
        }
    });
    Sse::new(stream).keep_alive(KeepAlive::default())
}

#[derive(Debug, Deserialize, IntoParams)]
struct Items {
    /// Only items in this state.
    state: Option<String>,
    /// How many to pass over.
    #[serde(default)]
    from: usize,
    /// How many to give, at most 500.
    #[serde(default = "super::page_size")]
    count: usize,
}

/// Items of a run.
#[utoipa::path(get, path = "/api/runs/{id}/items", tag = "runs", params(("id" = i64, Path), Items), responses((status = 200, body = Vec<ItemInfo>)))]
async fn item_list(State(app): State<App>, Path(id): Path<i64>, Query(asked): Query<Items>) -> Answer<Vec<ItemInfo>> {
    get(&app, id).await?;
    Ok(Json(app.store.with(move |c| items::list(c, id, asked.state.as_deref(), asked.from, asked.count.min(500), clock::seconds())).await?))
}

/// A run's state as the screens show it.
fn shown(state: &str) -> &str {
    if state == "going" { "running" } else { state }
}

/// Why a run's state can't be changed as it was asked.
async fn over(app: &App, id: i64) -> Result<Refused, Refused> {
    let run = get(app, id).await?;
    Ok(Refused::conflict("state", format!("not possible: this run is {}", shown(&run.state))))
}

async fn set(app: &App, id: i64, from: &'static str, to: &'static str) -> Result<RunInfo, Refused> {
    get(app, id).await?;
    if !app.store.with(move |c| runs::set_state(c, id, from, to)).await? {
        return Err(over(app, id).await?);
    }
    jobs::changed(app, id);
    get(app, id).await
}

/// Pauses a run; what is being made is finished.
#[utoipa::path(post, path = "/api/runs/{id}/pause", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn pause(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    set(&app, id, "going", "paused").await.map(Json)
}

/// Lets a paused run go on.
#[utoipa::path(post, path = "/api/runs/{id}/resume", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn go_on(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    let run = set(&app, id, "paused", "going").await?;
    jobs::go(&app, id);
    Ok(Json(run))
}

/// Stops a run for good; what is made stays made, the rest is left out.
#[utoipa::path(post, path = "/api/runs/{id}/stop", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    get(&app, id).await?;
    let stopped = app.store.change(move |t| -> anyhow::Result<bool> {
        let stopped = runs::stop(t, id, &clock::stamp())?;
        Ok(stopped)
    });
    if !stopped.await? {
        return Err(over(&app, id).await?);
    }
    jobs::changed(&app, id);
    get(&app, id).await.map(Json)
}

async fn again(app: &App, run: i64, item: Option<i64>) -> Result<RunInfo, Refused> {
    let (count, failed) = app
        .store
        .change(move |t| -> anyhow::Result<_> {
            let before = runs::get(t, run)?;
            let count = runs::retry(t, run, item, &clock::stamp())?;
            Ok((count, before))
        })
        .await?;
    if count == 0 {
        let (failed, stopped) = failed.map_or((0, false), |run| (run.failed, run.state == "stopped"));
        return Err(match failed {
            _ if stopped => Refused::conflict("stopped", "this run was stopped. Start a new run for these documents."),
            0 => Refused::conflict("nothing-failed", "no failed documents in this run"),
            _ => Refused::conflict("served-since", "a later run has already sent these documents. Start a new run to send them again."),
        });
    }
    jobs::go(app, run);
    app.mail.notify_one();
    get(app, run).await
}

/// Makes or sends all failed items again, and only those.
#[utoipa::path(post, path = "/api/runs/{id}/retry", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn retry(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    again(&app, id, None).await.map(Json)
}

async fn item(app: &App, id: i64) -> Result<items::ItemWork, Refused> {
    app.store.with(move |c| items::get(c, id)).await?.ok_or_else(|| Refused::missing("the item"))
}

/// Makes or sends one failed item again.
#[utoipa::path(post, path = "/api/items/{id}/retry", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn retry_item(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    let run = item(&app, id).await?.run_id;
    again(&app, run, Some(id)).await.map(Json)
}

/// Sends a held message again, on a person's word.
#[utoipa::path(post, path = "/api/items/{id}/send-again", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn send_again(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    let run = item(&app, id).await?.run_id;
    let done = app
        .store
        .change(move |t| -> anyhow::Result<bool> {
            let done = items::send_again(t, id, &clock::stamp())?;
            Ok(done)
        })
        .await?;
    if !done {
        return Err(match get(&app, run).await?.state.as_str() {
            "stopped" => Refused::conflict("stopped", "this run was stopped. Start a new run for these documents."),
            _ => Refused::conflict("not-held", "this message is not on hold"),
        });
    }
    app.mail.notify_one();
    jobs::changed(&app, run);
    get(&app, run).await.map(Json)
}

/// Mark a held message as delivered.
#[utoipa::path(post, path = "/api/items/{id}/arrived", tag = "runs", params(("id" = i64, Path)), responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn arrived(State(app): State<App>, Path(id): Path<i64>) -> Answer<RunInfo> {
    let run = item(&app, id).await?.run_id;
    if !app.store.with(move |c| items::arrived(c, id, &clock::stamp())).await? {
        return Err(Refused::conflict("not-held", "this message is not on hold"));
    }
    // It may have been the last that its run waited for.
    let at = clock::stamp();
    app.store.with(move |c| runs::finish(c, run, &at)).await?;
    jobs::changed(&app, run);
    get(&app, run).await.map(Json)
}

/// The documents of a run in the store.
async fn documents(app: &App, id: i64) -> Result<Vec<items::Documents>, Refused> {
    let found = app.store.with(move |c| items::documents(c, id)).await?;
    match found.is_empty() {
        true => Err(Refused::conflict("no-documents", "no documents in this run yet")),
        false => Ok(found),
    }
}

/// All documents of a run as one ZIP.
#[utoipa::path(get, path = "/api/runs/{id}/documents.zip", tag = "runs", params(("id" = i64, Path)), responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 409, body = Problem)))]
async fn all_zip(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    let run = get(&app, id).await?;
    let mut files = Vec::new();
    for items::Documents { name, pdf, docx } in documents(&app, id).await? {
        for (file, kind) in [(pdf, "pdf"), (docx, "docx")] {
            if let Some(file) = file {
                files.push((format!("{name}.{kind}"), app.files.get(&file).await?));
            }
        }
    }
    let made = run.finished.as_ref().unwrap_or(&run.started).parse().unwrap_or_else(|_| clock::now());
    let bytes = blocking(move || pack(files, made)).await??;
    Ok(download("application/zip", &format!("{} {}.zip", run.dispatch_name, &run.started[..10]), bytes))
}

fn pack(files: Vec<(String, Vec<u8>)>, made: DateTime) -> anyhow::Result<Vec<u8>> {
    let parts = [made.month(), made.day(), made.hour(), made.minute(), made.second()].map(|n| n as u8);
    let time = zip::DateTime::from_date_and_time(made.year() as u16, parts[0], parts[1], parts[2], parts[3], parts[4])?;
    let how = SimpleFileOptions::default().last_modified_time(time);
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let mut taken = std::collections::HashSet::new();
    for (name, bytes) in files {
        // Proofs of one record may share a name; files in one archive may not.
        let (stem, kind) = name.rsplit_once('.').unwrap_or((&name, ""));
        let mut own = name.clone();
        for number in 2.. {
            if taken.insert(own.to_lowercase()) {
                break;
            }
            own = format!("{}.{kind}", mangle_core::dispatch::numbered(stem, number));
        }
        writer.start_file(own, how)?;
        writer.write_all(&bytes)?;
    }
    Ok(writer.finish()?.into_inner())
}

/// All documents of a run as one joined PDF, with a bookmark for each.
#[utoipa::path(get, path = "/api/runs/{id}/documents.pdf", tag = "runs", params(("id" = i64, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 409, body = Problem)))]
async fn all_pdf(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    let run = get(&app, id).await?;
    let mut files = Vec::new();
    for items::Documents { name, pdf, .. } in documents(&app, id).await? {
        if let Some(file) = pdf {
            files.push((name, app.files.get(&file).await?));
        }
    }
    if files.is_empty() {
        return Err(Refused::conflict("no-documents", "this run has no PDFs. Download the ZIP."));
    }
    let bytes = blocking(move || mangle_documents::pdf::join(files)).await?.map_err(|e| Refused::conflict("join", e.to_string()))?;
    Ok(download("application/pdf", &format!("{} {}.pdf", run.dispatch_name, &run.started[..10]), bytes))
}

/// One document, as `pdf` or `docx`.
#[utoipa::path(get, path = "/api/items/{id}/documents/{kind}", tag = "runs", params(("id" = i64, Path), ("kind" = String, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem)))]
async fn document(State(app): State<App>, Path((id, kind)): Path<(i64, String)>) -> Result<Response, Refused> {
    let item = item(&app, id).await?;
    let missing = || Refused::missing("the document");
    match kind.as_str() {
        "pdf" => Ok(attach(
            "application/pdf",
            &format!("{}.pdf", item.file_name),
            app.files.get(&item.pdf.ok_or_else(missing)?).await?,
            "inline",
        )),
        "docx" => {
            let bytes = app.files.get(&item.docx.ok_or_else(missing)?).await?;
            Ok(download(
                "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
                &format!("{}.docx", item.file_name),
                bytes,
            ))
        }
        _ => Err(missing()),
    }
}
