//! Sources: bringing workbooks in; what is done with their sheets stands in a file
//! each.

mod again;
mod columns;
mod export;
mod files;
mod filters;
mod header;
mod relations;
mod rows;

use axum::Json;
use axum::extract::{Multipart, Path, State};
use mangle_core::records::{RawSheet, Recognised, recognise_as};
use mangle_core::words::counted;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, Upload, files, stem};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::prepare::blocking;
use mangle_app::store::settings;
use mangle_app::store::sheets::{self, SheetInfo, Source};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, bring_in))
        .routes(routes!(rename, remove))
        .routes(routes!(paste))
        .routes(routes!(sheet))
        .merge(rows::router())
        .merge(columns::router())
        .merge(filters::router())
        .merge(relations::router())
        .merge(again::router())
        .merge(export::router())
        .merge(files::router())
        .merge(header::router())
}

/// All sources, the newest first.
#[utoipa::path(get, path = "/api/sources", tag = "sources", responses((status = 200, body = Vec<Source>)))]
async fn list(State(app): State<App>) -> Answer<Vec<Source>> {
    Ok(Json(app.store.with(|c| sheets::sources(c)).await?))
}

/// Import a CSV, XLSX or ODS file as a source.
#[utoipa::path(post, path = "/api/sources", tag = "sources", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Source), (status = 422, body = Problem)))]
async fn bring_in(State(app): State<App>, form: Multipart) -> Answer<Source> {
    let mut last = None;
    for upload in files(form).await? {
        last = Some(keep(&app, upload).await?);
    }
    last.map(Json).ok_or_else(|| Refused::missing("the file"))
}

/// The sheets of a file, with what their columns hold.
async fn read(app: &App, name: &str, bytes: Vec<u8>) -> Result<Vec<(RawSheet, Recognised)>, Refused> {
    let file_name = name.to_owned();
    let home = app.store.with(|c| settings::read(c)).await?.home().reading();
    let read = blocking(move || {
        let sheets = mangle_documents::table::read(&file_name, bytes.into())?;
        let recognised = sheets.into_iter().map(|raw| {
            let found = recognise_as(&raw, home);
            (raw, found)
        });
        Ok::<_, mangle_documents::OpenError>(recognised.collect())
    })
    .await?;
    read.map_err(|e| Refused::unusable(e.code(), format!("“{name}”: {e}")))
}

/// Reads a file and keeps its sheets; nothing is kept of a file that can't be used.
pub async fn keep(app: &App, upload: Upload) -> Result<Source, Refused> {
    let Upload { name, bytes } = upload;
    let read = read(app, &name, bytes).await?;
    let source = app
        .store
        .change(move |t| -> anyhow::Result<Option<Source>> {
            let id = sheets::bring_in(t, &stem(&name), &name, &clock::stamp(), &read)?;
            Ok(sheets::sources(t)?.into_iter().find(|s| s.id == id))
        })
        .await?;
    source.ok_or_else(|| Refused::missing("the source"))
}

/// A table as it was on the clipboard.
#[derive(Debug, Deserialize, ToSchema)]
struct Pasted {
    /// What the workbook is to be called.
    #[serde(default)]
    name: String,
    /// Lines of cells parted by tabs, commas or semicolons; the first names the columns.
    text: String,
}

/// Makes a workbook of a pasted table.
#[utoipa::path(post, path = "/api/sources/paste", tag = "sources", request_body = Pasted, responses((status = 200, body = Source), (status = 422, body = Problem)))]
async fn paste(State(app): State<App>, Json(pasted): Json<Pasted>) -> Answer<Source> {
    let name = match pasted.name.trim() {
        "" => format!("Pasted {}", clock::now().strftime("%Y-%m-%d %H.%M")),
        name => name.to_owned(),
    };
    keep(&app, Upload { name, bytes: pasted.text.into_bytes() }).await.map(Json)
}

/// A new name.
#[derive(Debug, Deserialize, ToSchema)]
struct NewName {
    /// The name.
    name: String,
}

/// Renames a source.
#[utoipa::path(put, path = "/api/sources/{id}", tag = "sources", params(("id" = i64, Path)), request_body = NewName, responses((status = 200, body = bool), (status = 422, body = Problem)))]
async fn rename(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewName>) -> Answer<bool> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Refused::unusable("no-name", "enter a name for the source"));
    }
    Ok(Json(app.store.with(move |c| sheets::rename(c, id, &name)).await?))
}

/// Deletes a source that no dispatch and no run uses.
#[utoipa::path(delete, path = "/api/sources/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    let uses = app.store.with(move |c| sheets::uses(c, id)).await?;
    if uses > 0 {
        return Err(Refused::conflict(
            "in-use",
            format!(
                "this source is used {}. Delete those dispatches first.",
                counted(uses as usize, "time by a dispatch or run", "times by dispatches and runs")
            ),
        ));
    }
    let gone = app.store.with(move |c| sheets::delete(c, id)).await?;
    app.forget_sheets();
    Ok(Json(gone))
}

/// A sheet without its rows.
#[utoipa::path(get, path = "/api/sheets/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = SheetInfo), (status = 404, body = Problem)))]
async fn sheet(State(app): State<App>, Path(id): Path<i64>) -> Answer<SheetInfo> {
    info(&app, id).await.map(Json)
}

/// A sheet without its rows; its computed columns with the type of their values.
async fn info(app: &App, id: i64) -> Result<SheetInfo, Refused> {
    let found = app.store.with(move |c| sheets::sheet(c, id)).await?;
    let mut info = found.ok_or_else(|| Refused::missing("the sheet"))?;
    if info.columns.iter().any(|c| c.formula.is_some()) {
        let loaded = app.sheet(id).await?;
        for (own, worked) in info.columns.iter_mut().zip(loaded.columns()).filter(|(own, _)| own.formula.is_some()) {
            (own.kind, own.currency) = (worked.kind, worked.currency);
        }
    }
    Ok(info)
}
