//! The pictures of a dispatch's folder.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::dispatches::pictures::{self};
use mangle_app::store::pictures::PictureInfo;

use crate::api::upload::{FileForm, files, shown};
use crate::error::{Answer, Problem, Refused};

/// The pictures of a dispatch's folder.
#[utoipa::path(get, path = "/api/dispatches/{key}/pictures", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Vec<PictureInfo>)))]
pub(super) async fn list(State(app): State<App>, Path(key): Path<String>) -> Answer<Vec<PictureInfo>> {
    Ok(Json(pictures::list(&app, key).await?))
}

/// Puts pictures into a dispatch's folder; one of the same name is replaced. What
/// is no picture is refused, and nothing is kept then.
#[utoipa::path(post, path = "/api/dispatches/{key}/pictures", tag = "dispatches", params(("key" = String, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Vec<PictureInfo>), (status = 422, body = Problem)))]
pub(super) async fn add(State(app): State<App>, Path(key): Path<String>, form: Multipart) -> Answer<Vec<PictureInfo>> {
    Ok(Json(pictures::add(&app, key, files(form).await?).await?))
}

/// A picture of a dispatch's folder.
#[utoipa::path(get, path = "/api/dispatches/{key}/pictures/{name}", tag = "dispatches", params(("key" = String, Path), ("name" = String, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
pub(super) async fn show(State(app): State<App>, Path((key, name)): Path<(String, String)>) -> Result<Response, Refused> {
    Ok(shown(pictures::show(&app, key, name).await?))
}

/// Takes a picture out of a dispatch's folder.
#[utoipa::path(delete, path = "/api/dispatches/{key}/pictures/{name}", tag = "dispatches", params(("key" = String, Path), ("name" = String, Path)), responses((status = 200, body = bool)))]
pub(super) async fn remove(State(app): State<App>, Path((key, name)): Path<(String, String)>) -> Answer<bool> {
    Ok(Json(pictures::remove(&app, key, name).await?))
}
