//! Fonts that a person brings in, for documents that name them.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use mangle_app::App;
use mangle_app::fonts::{self};
use mangle_app::store::fonts::FontInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, files};
use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(remove))
}

/// The fonts that were brought in.
#[utoipa::path(get, path = "/api/fonts", tag = "settings", responses((status = 200, body = Vec<FontInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<FontInfo>> {
    Ok(Json(fonts::list(&app).await?))
}

/// Brings fonts in (TrueType, OpenType, collections of them); a file of the same
/// name is replaced. What is no font is refused, and nothing is kept then.
#[utoipa::path(post, path = "/api/fonts", tag = "settings", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Vec<FontInfo>), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, form: Multipart) -> Answer<Vec<FontInfo>> {
    Ok(Json(fonts::add(&app, files(form).await?).await?))
}

/// Takes a font out.
#[utoipa::path(delete, path = "/api/fonts/{id}", tag = "settings", params(("id" = i64, Path)), responses((status = 200, body = Vec<FontInfo>)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<FontInfo>> {
    Ok(Json(fonts::remove(&app, id).await?))
}
