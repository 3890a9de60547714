//! Packs: documents put together from parts. What all templates have, packs have too, at
//! `/api/templates`.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use mangle_app::App;
use mangle_app::packs::{self, NewPack, PartFile, PlacedField, Seen};
use mangle_app::pages::Pages;
use mangle_app::templates::TemplateDetail;
use mangle_core::dispatch::{FixedField, Pack};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, file};
use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(add))
        .routes(routes!(change))
        .routes(routes!(keep_file))
        .routes(routes!(file_pages))
        .routes(routes!(place_fields))
}

/// Adds a pack.
#[utoipa::path(post, path = "/api/packs", tag = "templates", request_body = NewPack, responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<NewPack>) -> Answer<TemplateDetail> {
    Ok(Json(packs::add(&app, new).await?))
}

/// Changes a pack: its parts are its next version, which is in use where nothing is wrong with it.
#[utoipa::path(put, path = "/api/packs/{id}", tag = "templates", params(("id" = i64, Path), Seen), request_body = Pack, responses((status = 200, body = TemplateDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(id): Path<i64>, Query(seen): Query<Seen>, Json(pack): Json<Pack>) -> Answer<TemplateDetail> {
    Ok(Json(packs::change(&app, id, pack, seen).await?))
}

/// Uploads a PDF or picture that is to be a part. An encrypted, damaged or too large one is
/// refused.
#[utoipa::path(post, path = "/api/pack-files", tag = "templates", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = PartFile), (status = 422, body = Problem)))]
async fn keep_file(State(app): State<App>, form: Multipart) -> Answer<PartFile> {
    Ok(Json(packs::keep_file(&app, file(form).await?).await?))
}

/// The pages of a PDF that is a part of a pack, or is to be one.
#[utoipa::path(get, path = "/api/pack-files/{file}/pages", tag = "templates", params(("file" = String, Path)), responses((status = 200, body = Pages), (status = 404, body = Problem)))]
async fn file_pages(State(app): State<App>, Path(file): Path<String>) -> Answer<Pages> {
    Ok(Json(packs::file_pages(&app, file).await?))
}

/// What signature fields on the pages of a PDF are, how large, and where.
#[utoipa::path(post, path = "/api/pack-files/{file}/fields", tag = "templates", params(("file" = String, Path)), request_body = Vec<FixedField>, responses((status = 200, body = Vec<PlacedField>), (status = 404, body = Problem)))]
async fn place_fields(State(app): State<App>, Path(file): Path<String>, Json(fields): Json<Vec<FixedField>>) -> Answer<Vec<PlacedField>> {
    Ok(Json(packs::placed(&app, file, fields).await?))
}
