//! A template's versions: which is in use, what changed between two, bringing an
//! earlier one back.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::pages::Pages;
use mangle_app::templates::TemplateDetail;
use mangle_app::templates::versions::{self, Between, ChangeInfo, Note, RewriteBody};

use crate::api::upload::{FileForm, files, saved};
use crate::error::{Answer, Problem, Refused};

/// Brings in a newer file as the next version; the earlier ones stay.
#[utoipa::path(post, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
pub(super) async fn replace(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<TemplateDetail> {
    Ok(Json(versions::replace(&app, id, files(form).await?).await?))
}

/// Writes one placeholder of a version anew and keeps the document as the next
/// version; all else in it stays as it is. A text that is a problem is refused.
#[utoipa::path(put, path = "/api/templates/{id}/versions/{number}/placeholders/{placeholder}", tag = "templates", params(("id" = i64, Path), ("number" = i64, Path), ("placeholder" = usize, Path)), request_body = RewriteBody, responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
pub(super) async fn rewrite(
    State(app): State<App>,
    Path((id, number, placeholder)): Path<(i64, i64, usize)>,
    Json(body): Json<RewriteBody>,
) -> Answer<TemplateDetail> {
    Ok(Json(versions::rewrite(&app, id, number, placeholder, body).await?))
}

/// Puts a version without problems in use.
#[utoipa::path(put, path = "/api/templates/{id}/in-use/{number}", tag = "templates", params(("id" = i64, Path), ("number" = i64, Path)), responses((status = 200, body = TemplateDetail), (status = 409, body = Problem)))]
pub(super) async fn put_in_use(State(app): State<App>, Path((id, number)): Path<(i64, i64)>) -> Answer<TemplateDetail> {
    Ok(Json(versions::put_in_use(&app, id, number).await?))
}

/// Brings an earlier version back: its file becomes the newest version, in use.
#[utoipa::path(post, path = "/api/templates/{id}/restored/{number}", tag = "templates", params(("id" = i64, Path), ("number" = i64, Path)), responses((status = 200, body = TemplateDetail), (status = 404, body = Problem)))]
pub(super) async fn restore(State(app): State<App>, Path((id, number)): Path<(i64, i64)>) -> Answer<TemplateDetail> {
    Ok(Json(versions::restore(&app, id, number).await?))
}

/// Changes what is noted of a version.
#[utoipa::path(put, path = "/api/versions/{id}/note", tag = "templates", params(("id" = i64, Path)), request_body = Note, responses((status = 200, body = bool)))]
pub(super) async fn note(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<Note>) -> Answer<bool> {
    Ok(Json(versions::note(&app, id, new).await?))
}

/// The file of a version, as it was brought in.
#[utoipa::path(get, path = "/api/versions/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
pub(super) async fn file(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    Ok(saved(versions::file(&app, id).await?))
}

/// The version's own pages, a short stand-in marked in the place of each placeholder.
#[utoipa::path(get, path = "/api/versions/{id}/pages", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = Pages), (status = 422, body = Problem)))]
pub(super) async fn pages(State(app): State<App>, Path(id): Path<i64>) -> Answer<Pages> {
    Ok(Json(versions::pages(&app, id).await?))
}

/// What changed in the text between two versions of a template.
#[utoipa::path(get, path = "/api/templates/{id}/changes", tag = "templates", params(("id" = i64, Path), Between), responses((status = 200, body = Vec<ChangeInfo>), (status = 404, body = Problem)))]
pub(super) async fn changes(State(app): State<App>, Path(id): Path<i64>, Query(asked): Query<Between>) -> Answer<Vec<ChangeInfo>> {
    Ok(Json(versions::changes(&app, id, asked).await?))
}
