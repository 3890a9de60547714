//! Files that go along with every message of a dispatch.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use mangle_app::App;
use mangle_app::dispatches::files;
use mangle_core::channel::FixedFile;

use crate::api::upload::{FileForm, file};
use crate::error::{Answer, Problem};

/// Stores a file that goes along with messages; the e-mail channel's settings name it from then on.
#[utoipa::path(post, path = "/api/dispatches/{key}/files", tag = "dispatches", params(("key" = String, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = FixedFile), (status = 422, body = Problem)))]
pub(super) async fn add(State(app): State<App>, Path(key): Path<String>, form: Multipart) -> Answer<FixedFile> {
    Ok(Json(files::add(&app, key, file(form).await?).await?))
}
