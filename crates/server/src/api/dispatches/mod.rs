//! Dispatches: the list, and what a file each of the bench's stations asks for.

mod pictures;
mod preview;

use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::dispatch::{Choose, Setup};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::drop::first_setup;
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::dispatches::{Bench, DispatchBody, PreflightView, ProofRun, StartRun, find, sheet_name};
use mangle_app::store::dispatches;
use mangle_app::store::pictures as pictures_of;
use mangle_app::store::runs::{self, RunInfo};
use mangle_app::store::{settings, templates};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, add))
        .routes(routes!(show, change, remove))
        .routes(routes!(preview::page))
        .routes(routes!(preflight))
        .routes(routes!(start))
        .routes(routes!(proofs))
        .routes(routes!(copy))
        .routes(routes!(pictures::list, pictures::add))
        .routes(routes!(pictures::show, pictures::remove))
}

/// A dispatch in the list.
#[derive(Debug, Serialize, ToSchema)]
struct DispatchInfo {
    /// Its key, which stays the same.
    key: String,
    /// Its name.
    name: String,
    /// The template's name.
    template: Option<String>,
    /// The source's and sheet's name.
    sheet: Option<String>,
    /// When it was last changed.
    changed: String,
    /// Its last run that was no proof.
    last_run: Option<RunInfo>,
}

/// All dispatches, the last changed first.
#[utoipa::path(get, path = "/api/dispatches", tag = "dispatches", responses((status = 200, body = Vec<DispatchInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<DispatchInfo>> {
    let found = app
        .store
        .with(|c| -> anyhow::Result<Vec<DispatchInfo>> {
            let runs = runs::list(c, None)?;
            dispatches::list(c)?
                .into_iter()
                .map(|d| {
                    let template = d.template_id.map(|id| templates::get(c, id)).transpose()?.flatten().map(|t| t.name);
                    let last_run = runs.iter().find(|r| r.dispatch == d.key && r.kind == "run").cloned();
                    Ok(DispatchInfo {
                        template,
                        sheet: sheet_name(c, d.sheet_id)?.map(|(source, sheet)| format!("{source}, {sheet}")),
                        key: d.key,
                        name: d.name,
                        changed: d.changed,
                        last_run,
                    })
                })
                .collect()
        })
        .await?;
    Ok(Json(found))
}

/// What a new dispatch is made of.
#[derive(Debug, Deserialize, ToSchema)]
struct NewDispatch {
    /// Its name.
    name: String,
    /// The template's number.
    template_id: Option<i64>,
    /// The sheet's number.
    sheet_id: Option<i64>,
    /// A condition that chooses records.
    #[serde(default)]
    filter: String,
}

/// The key of a new dispatch.
#[derive(Debug, Serialize, ToSchema)]
struct Key {
    /// The key.
    key: String,
}

/// Adds a dispatch.
#[utoipa::path(post, path = "/api/dispatches", tag = "dispatches", request_body = NewDispatch, responses((status = 200, body = Key), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<NewDispatch>) -> Answer<Key> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Refused::unusable("no-name", "enter a name for the dispatch"));
    }
    let schema = match new.sheet_id {
        Some(id) => app.sheet(id).await?.sheet.schema.clone(),
        None => Arc::default(),
    };
    let key = app
        .store
        .with(move |c| -> anyhow::Result<String> {
            let setup = Setup { filter: new.filter, ..first_setup(&name, &schema, &settings::read(c)?.home()) };
            dispatches::add(c, &name, new.template_id, new.sheet_id, &setup, &clock::stamp())
        })
        .await?;
    Ok(Json(Key { key }))
}

/// Adds a copy of a dispatch: its set-up and its pictures, without its runs.
#[utoipa::path(post, path = "/api/dispatches/{key}/copy", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Key), (status = 404, body = Problem)))]
async fn copy(State(app): State<App>, Path(key): Path<String>) -> Answer<Key> {
    let dispatch = find(&app, &key).await?;
    let key = app
        .store
        .change(move |t| -> anyhow::Result<String> {
            let name = format!("{} (copy)", dispatch.name);
            let setup = Setup { choose: Choose::All, ..dispatch.setup };
            let key = dispatches::add(t, &name, dispatch.template_id, dispatch.sheet_id, &setup, &clock::stamp())?;
            if let Some(made) = dispatches::by_key(t, &key)? {
                pictures_of::copy(t, dispatch.id, made.id)?;
            }
            Ok(key)
        })
        .await?;
    Ok(Json(Key { key }))
}

/// Deletes a dispatch; the history of its runs stays.
#[utoipa::path(delete, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(key): Path<String>) -> Answer<bool> {
    let dispatch = find(&app, &key).await?;
    let deleted = app.store.change(move |t| -> Result<bool, Refused> {
        match runs::under_way(t, dispatch.id)? {
            Some(_) => Err(Refused::conflict("going", "this dispatch is running. Stop the run first.")),
            None => Ok(dispatches::delete(t, dispatch.id, &clock::stamp())?),
        }
    });
    Ok(Json(deleted.await?))
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
