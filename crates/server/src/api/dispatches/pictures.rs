//! The pictures of a dispatch's folder.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::response::Response;
use mangle_documents::picture;

use crate::api::templates::attach;
use crate::api::upload::{FileForm, files};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::dispatches::find;
use mangle_app::prepare::blocking;
use mangle_app::store::pictures::{self, PictureInfo};
use mangle_core::words::grouped;

/// The most pictures that a folder holds.
const MOST: usize = 5_000;

/// The pictures of a dispatch's folder.
#[utoipa::path(get, path = "/api/dispatches/{key}/pictures", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Vec<PictureInfo>)))]
pub(super) async fn list(State(app): State<App>, Path(key): Path<String>) -> Answer<Vec<PictureInfo>> {
    let dispatch = find(&app, &key).await?;
    Ok(Json(app.store.with(move |c| pictures::list(c, dispatch.id)).await?))
}

/// Puts pictures into a dispatch's folder; one of the same name is replaced. What
/// is no picture is refused, and nothing is kept then.
#[utoipa::path(post, path = "/api/dispatches/{key}/pictures", tag = "dispatches", params(("key" = String, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Vec<PictureInfo>), (status = 422, body = Problem)))]
pub(super) async fn add(State(app): State<App>, Path(key): Path<String>, form: Multipart) -> Answer<Vec<PictureInfo>> {
    let dispatch = find(&app, &key).await?;
    let uploads = files(form).await?;
    let (known, id) = (app.store.with(move |c| pictures::list(c, dispatch.id)).await?.len(), dispatch.id);
    if known + uploads.len() > MOST {
        return Err(Refused::unusable("too-many", format!("a dispatch can have at most {} pictures. Remove some first.", grouped(MOST))));
    }
    let uploads = blocking(move || -> Result<_, Refused> {
        for upload in &uploads {
            picture::check(&upload.name, &upload.bytes).map_err(|e| Refused::unusable("picture", e.to_string()))?;
        }
        Ok(uploads)
    })
    .await??;
    for upload in uploads {
        let size = upload.bytes.len() as i64;
        let file = app.files.keep(upload.bytes).await?;
        app.store.with(move |c| pictures::keep(c, id, &PictureInfo { name: upload.name, file, size })).await?;
    }
    Ok(Json(app.store.with(move |c| pictures::list(c, id)).await?))
}

/// A picture of a dispatch's folder.
#[utoipa::path(get, path = "/api/dispatches/{key}/pictures/{name}", tag = "dispatches", params(("key" = String, Path), ("name" = String, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
pub(super) async fn show(State(app): State<App>, Path((key, name)): Path<(String, String)>) -> Result<Response, Refused> {
    let dispatch = find(&app, &key).await?;
    let found = app.store.with(move |c| pictures::get(c, dispatch.id, &name)).await?.ok_or_else(|| Refused::missing("the picture"))?;
    let bytes = app.files.get(&found.file).await?;
    // By name only: the page that asks shows it as a picture, and SVG is never run.
    let kind = match found.name.to_ascii_lowercase().rsplit('.').next() {
        Some("png") => "image/png",
        Some("gif") => "image/gif",
        Some("webp") => "image/webp",
        Some("jpg" | "jpeg") => "image/jpeg",
        _ => "application/octet-stream",
    };
    Ok(attach(kind, &found.name, bytes, "inline"))
}

/// Takes a picture out of a dispatch's folder.
#[utoipa::path(delete, path = "/api/dispatches/{key}/pictures/{name}", tag = "dispatches", params(("key" = String, Path), ("name" = String, Path)), responses((status = 200, body = bool)))]
pub(super) async fn remove(State(app): State<App>, Path((key, name)): Path<(String, String)>) -> Answer<bool> {
    let dispatch = find(&app, &key).await?;
    Ok(Json(app.store.with(move |c| pictures::delete(c, dispatch.id, &name)).await?))
}
