//! Dispatches: the list, and what a file each of the bench's stations asks for.

mod bench;
mod pictures;
mod preflight;
mod preview;
mod start;

use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::dispatch::{Choose, Setup};
use mangle_core::records::keep;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::drop::first_setup;
use crate::clock;
use crate::error::{Answer, Problem, Refused};
use crate::prepare::Prepared;
use crate::server::App;
use crate::store::dispatches::{self, Dispatch};
use crate::store::pictures as pictures_of;
use crate::store::runs::{self, RunInfo};
use crate::store::{items, settings, sheets, templates};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, add))
        .routes(routes!(bench::show, bench::change, remove))
        .routes(routes!(preview::page))
        .routes(routes!(preflight::preflight))
        .routes(routes!(start::start))
        .routes(routes!(start::proofs))
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

fn sheet_name(c: &rusqlite::Connection, id: Option<i64>) -> anyhow::Result<Option<(String, String)>> {
    let Some(info) = id.map(|id| sheets::sheet(c, id)).transpose()?.flatten() else { return Ok(None) };
    let source = sheets::sources(c)?.into_iter().find(|s| s.id == info.source_id).map(|s| s.name).unwrap_or_default();
    Ok(Some((source, info.name)))
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
        .with(move |c| -> anyhow::Result<String> {
            let name = format!("{} (copy)", dispatch.name);
            let setup = Setup { choose: Choose::All, ..dispatch.setup };
            let t = c.transaction()?;
            let key = dispatches::add(&t, &name, dispatch.template_id, dispatch.sheet_id, &setup, &clock::stamp())?;
            if let Some(made) = dispatches::by_key(&t, &key)? {
                pictures_of::copy(&t, dispatch.id, made.id)?;
            }
            t.commit()?;
            Ok(key)
        })
        .await?;
    Ok(Json(Key { key }))
}

/// Deletes a dispatch with the record of its runs.
#[utoipa::path(delete, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(key): Path<String>) -> Answer<bool> {
    let dispatch = find(&app, &key).await?;
    let going = app.store.with(move |c| runs::list(c, Some(&key))).await?.iter().any(|r| r.state == "going" || r.state == "paused");
    if going {
        return Err(Refused::conflict("going", "this dispatch is running. Stop the run first."));
    }
    Ok(Json(app.store.with(move |c| dispatches::delete(c, dispatch.id)).await?))
}

async fn find(app: &App, key: &str) -> Result<Dispatch, Refused> {
    let key = key.to_owned();
    app.store.with(move |c| dispatches::by_key(c, &key)).await?.ok_or_else(|| Refused::missing("the dispatch"))
}

/// The version of its template that a dispatch uses: a fixed one, or the one in use.
async fn version(app: &App, dispatch: &Dispatch) -> Result<Option<(String, i64, i64)>, Refused> {
    let Some(id) = dispatch.template_id else { return Ok(None) };
    let template = app.store.with(move |c| templates::get(c, id)).await?;
    Ok(template.and_then(|t| t.version(dispatch.setup.version).map(|v| (t.name.clone(), v.number, v.id))))
}

async fn ready(app: &App, dispatch: &Dispatch) -> Result<(Prepared, Option<(String, i64, i64)>), Refused> {
    let version = version(app, dispatch).await?;
    let mut prepared =
        app.prepare(dispatch, dispatch.setup.clone(), version.as_ref().map(|v| v.2), dispatch.sheet_id, clock::now()).await?;
    if let Some(sheet) = dispatch.sheet_id {
        let (id, loaded) = (dispatch.id, prepared.sheet.clone());
        // Whether a record changed is asked only where it counts.
        let asks = dispatch.setup.choose == Choose::Changed;
        let now = move |row: usize| loaded.as_ref().filter(|_| asks)?.sheet.record(row).map(keep);
        prepared.served = app.store.with(move |c| items::served(c, id, sheet, &now)).await?;
    }
    Ok((prepared, version))
}
