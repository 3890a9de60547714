//! The files that the cells of a sheet name: photographs, certificates.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::header;
use axum::response::Response;
use mangle_app::App;
use mangle_app::sources::files::{self, How};
use mangle_app::store::files::SheetFile;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::upload::shown;
use crate::api::upload::{FileForm, files, saved};
use crate::error::{Answer, Problem, Refused};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(show, remove))
}

/// The files beside a sheet.
#[utoipa::path(get, path = "/api/sheets/{id}/files", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = Vec<SheetFile>)))]
async fn list(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<SheetFile>> {
    Ok(Json(files::list(&app, id).await?))
}

/// Puts files beside a sheet; cells name them. One of the same name is replaced.
#[utoipa::path(post, path = "/api/sheets/{id}/files", tag = "sources", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Vec<SheetFile>), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<Vec<SheetFile>> {
    Ok(Json(files::add(&app, id, files(form).await?).await?))
}

/// A file; pictures are shown, all else is saved.
#[utoipa::path(get, path = "/api/sheets/{id}/files/{name}", tag = "sources", params(("id" = i64, Path), ("name" = String, Path), How), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path((id, name)): Path<(i64, String)>, Query(how): Query<How>) -> Result<Response, Refused> {
    let file = files::show(&app, id, name, how).await?;
    if !file.media_type.starts_with("image/") {
        return Ok(saved(file));
    }
    let mut answer = shown(file);
    answer.headers_mut().insert(header::CACHE_CONTROL, header::HeaderValue::from_static("private, max-age=600"));
    Ok(answer)
}

/// Takes a file away; cells that name it stay as they are.
#[utoipa::path(delete, path = "/api/sheets/{id}/files/{name}", tag = "sources", params(("id" = i64, Path), ("name" = String, Path)), responses((status = 200, body = bool)))]
async fn remove(State(app): State<App>, Path((id, name)): Path<(i64, String)>) -> Answer<bool> {
    Ok(Json(files::remove(&app, id, name).await?))
}
