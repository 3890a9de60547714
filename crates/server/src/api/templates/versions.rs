//! A template's versions: which is in use, what changed between two, bringing an
//! earlier one back.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use axum::response::Response;
use mangle_core::template::{Change, State as PieceState, compare};
use mangle_core::words::counted;
use mangle_documents::docx::{EditError, Template};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::specimens;
use super::{TemplateDetail, detail, download, unknown_clauses};
use crate::api::pages::Pages;
use crate::api::upload::{FileForm, Upload, files, stem};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::prepare::blocking;
use mangle_app::store::templates::{self, NewVersion, TemplateInfo, Version};
use mangle_app::store::{clauses, settings};

/// Keeps a file as a new template, or as the next version of one. The first
/// version is in use; a newer one is put in use when it has no problems and no
/// specimen comes out differently, else it stays a draft.
pub async fn keep(app: &App, template: Option<i64>, upload: Upload) -> Result<i64, Refused> {
    let Upload { name, bytes } = upload;
    let size = bytes.len() as i64;
    let checked = bytes.clone();
    let fonts = app.fonts().await?;
    let opened = blocking(move || Template::open_with(checked, &fonts))
        .await?
        .map_err(|e| Refused::unusable(e.code(), format!("“{name}”: {e}", name = name.clone())))?;
    let file = app.files.keep(bytes).await?;
    let (id, number) = app
        .store
        .change(move |t| -> anyhow::Result<(i64, i64)> {
            let id = match template {
                Some(id) => id,
                None => templates::add(t, &stem(&name))?,
            };
            let by = settings::read(t)?.person_name;
            let new = NewVersion { file_name: &name, file: &file, size, at: &clock::stamp(), by: &by, note: "" };
            let number = templates::add_version(t, id, &new)?;
            Ok((id, number))
        })
        .await?;
    if problems(app, &opened).await? == 0 && specimens::all_the_same(app, id, opened).await? {
        app.store.with(move |c| templates::put_in_use(c, id, number)).await?;
    }
    Ok(id)
}

/// How many problems keep a version from being used: its own, and clauses that the
/// library has not.
async fn problems(app: &App, template: &Template) -> Result<usize, Refused> {
    let clauses = app.store.with(|c| clauses::library(c)).await?;
    Ok(template.problems().len() + unknown_clauses(template.placeholders(), &clauses).len())
}

/// Brings in a newer file as the next version; the earlier ones stay.
#[utoipa::path(post, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
pub(super) async fn replace(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<TemplateDetail> {
    find(&app, id).await?;
    for upload in files(form).await? {
        keep(&app, Some(id), upload).await?;
    }
    detail(&app, id, None).await.map(Json)
}

/// A placeholder's new text.
#[derive(Debug, Deserialize, ToSchema)]
pub(super) struct RewriteBody {
    /// The whole placeholder, from `[:` to `]`.
    text: String,
}

/// Writes one placeholder of a version anew and keeps the document as the next
/// version; all else in it stays as it is. A text that is a problem is refused.
#[utoipa::path(put, path = "/api/templates/{id}/versions/{number}/placeholders/{placeholder}", tag = "templates", params(("id" = i64, Path), ("number" = i64, Path), ("placeholder" = usize, Path)), request_body = RewriteBody, responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
pub(super) async fn rewrite(
    State(app): State<App>,
    Path((id, number, placeholder)): Path<(i64, i64, usize)>,
    Json(body): Json<RewriteBody>,
) -> Answer<TemplateDetail> {
    let (info, version) = numbered(&app, id, number).await?;
    let template = app.template(version.id).await?;
    let fonts = app.fonts().await?;
    let bytes = blocking(move || -> Result<Vec<u8>, Refused> {
        let bytes = template.rewritten(placeholder, &body.text).map_err(|e| Refused::unusable("placeholder", e.to_string()))?;
        let next = Template::open_with(bytes.clone(), &fonts)?;
        if next.placeholders().len() != template.placeholders().len() {
            return Err(Refused::unusable("placeholder", EditError::NotOne.to_string()));
        }
        let before = template.problems();
        match next.problems().iter().find(|p| !before.contains(p)) {
            Some(problem) => Err(Refused::unusable("placeholder", format!("{}: {}", problem.placeholder, problem.message))),
            None => Ok(bytes),
        }
    })
    .await??;
    let name = info.versions.iter().find(|v| v.number == number).map_or("template.docx".to_owned(), |v| v.file_name.clone());
    keep(&app, Some(id), Upload { name, bytes }).await?;
    detail(&app, id, None).await.map(Json)
}

async fn find(app: &App, id: i64) -> Result<TemplateInfo, Refused> {
    app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Refused::missing("the template"))
}

async fn numbered(app: &App, id: i64, number: i64) -> Result<(TemplateInfo, Version), Refused> {
    let info = find(app, id).await?;
    let version = info.version(Some(number)).cloned().ok_or_else(|| Refused::missing("the version"))?;
    Ok((info, version))
}

/// Puts a version without problems in use.
#[utoipa::path(put, path = "/api/templates/{id}/in-use/{number}", tag = "templates", params(("id" = i64, Path), ("number" = i64, Path)), responses((status = 200, body = TemplateDetail), (status = 409, body = Problem)))]
pub(super) async fn put_in_use(State(app): State<App>, Path((id, number)): Path<(i64, i64)>) -> Answer<TemplateDetail> {
    let (_, version) = numbered(&app, id, number).await?;
    let problems = problems(&app, &*app.template(version.id).await?).await?;
    if problems > 0 {
        let message = format!("version {number} has {}. Fix them and upload it again.", counted(problems, "problem", "problems"));
        return Err(Refused::conflict("template-problems", message));
    }
    app.store.with(move |c| templates::put_in_use(c, id, number)).await?;
    detail(&app, id, Some(number)).await.map(Json)
}

/// Brings an earlier version back: its file becomes the newest version, in use.
#[utoipa::path(post, path = "/api/templates/{id}/restored/{number}", tag = "templates", params(("id" = i64, Path), ("number" = i64, Path)), responses((status = 200, body = TemplateDetail), (status = 404, body = Problem)))]
pub(super) async fn restore(State(app): State<App>, Path((id, number)): Path<(i64, i64)>) -> Answer<TemplateDetail> {
    let (_, version) = numbered(&app, id, number).await?;
    let problems = problems(&app, &*app.template(version.id).await?).await?;
    let newest = app
        .store
        .change(move |t| -> anyhow::Result<i64> {
            let by = settings::read(t)?.person_name;
            let note = format!("restored from version {number}");
            let new = NewVersion {
                file_name: &version.file_name,
                file: &version.file,
                size: version.size,
                at: &clock::stamp(),
                by: &by,
                note: &note,
            };
            let newest = templates::add_version(t, id, &new)?;
            if problems == 0 {
                templates::put_in_use(t, id, newest)?;
            }
            Ok(newest)
        })
        .await?;
    detail(&app, id, Some(newest)).await.map(Json)
}

/// What a person notes of a version.
#[derive(Debug, Deserialize, ToSchema)]
pub(super) struct Note {
    /// The note; blank for none.
    note: String,
}

/// Changes what is noted of a version.
#[utoipa::path(put, path = "/api/versions/{id}/note", tag = "templates", params(("id" = i64, Path)), request_body = Note, responses((status = 200, body = bool)))]
pub(super) async fn note(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<Note>) -> Answer<bool> {
    let text: String = new.note.trim().chars().take(400).collect();
    Ok(Json(app.store.with(move |c| templates::set_note(c, id, &text)).await?))
}

/// The file of a version, as it was brought in.
#[utoipa::path(get, path = "/api/versions/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
pub(super) async fn file(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    let version = app.store.with(move |c| templates::version(c, id)).await?.ok_or_else(|| Refused::missing("the version"))?;
    let bytes = app.files.get(&version.file).await?;
    Ok(download("application/vnd.openxmlformats-officedocument.wordprocessingml.document", &version.file_name, bytes))
}

/// The version's own pages, a short stand-in marked in the place of each placeholder.
#[utoipa::path(get, path = "/api/versions/{id}/pages", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = Pages), (status = 422, body = Problem)))]
pub(super) async fn pages(State(app): State<App>, Path(id): Path<i64>) -> Answer<Pages> {
    let template = app.template(id).await?;
    let made = blocking(move || template.with_stand_ins().map(|made| Pages::of(&made))).await?;
    made.map(Json).map_err(|e| Refused::unusable("pages", e.to_string()))
}

#[derive(Debug, Deserialize, IntoParams)]
pub(super) struct Between {
    /// The older version's number.
    older: i64,
    /// The newer version's number.
    newer: i64,
}

/// A line that changed.
#[derive(Debug, Serialize, ToSchema)]
pub struct ChangeInfo {
    /// Its line in the newer text, from 1.
    line: usize,
    /// Its pieces in order.
    pieces: Vec<PieceInfo>,
}

/// A stretch of a changed line.
#[derive(Debug, Serialize, ToSchema)]
pub struct PieceInfo {
    /// same, gone or new.
    state: String,
    /// The stretch.
    text: String,
}

impl From<Change> for ChangeInfo {
    fn from(change: Change) -> ChangeInfo {
        let state = |s: PieceState| match s {
            PieceState::Same => "same",
            PieceState::Gone => "gone",
            PieceState::New => "new",
        };
        let pieces = change.pieces.into_iter().map(|p| PieceInfo { state: state(p.state).to_owned(), text: p.text });
        ChangeInfo { line: change.line, pieces: pieces.collect() }
    }
}

/// What changed in the text between two versions of a template.
#[utoipa::path(get, path = "/api/templates/{id}/changes", tag = "templates", params(("id" = i64, Path), Between), responses((status = 200, body = Vec<ChangeInfo>), (status = 404, body = Problem)))]
pub(super) async fn changes(State(app): State<App>, Path(id): Path<i64>, Query(asked): Query<Between>) -> Answer<Vec<ChangeInfo>> {
    let (info, older) = numbered(&app, id, asked.older).await?;
    let newer = info.version(Some(asked.newer)).ok_or_else(|| Refused::missing("the version"))?;
    let (older, newer) = (app.template(older.id).await?, app.template(newer.id).await?);
    let changes = blocking(move || -> Result<Vec<Change>, Refused> {
        Ok(compare(&older.unfilled_pages()?.lines(), &newer.unfilled_pages()?.lines()))
    });
    Ok(Json(changes.await??.into_iter().map(Into::into).collect()))
}
