//! The office's logo: changed by the office, shown on public pages.

use axum::Json;
use axum::extract::{Multipart, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use mangle_app::{App, logo};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, file, shown};
use crate::error::{Answer, Problem, Refused};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(own, write, remove))
}

pub fn public() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read))
}

async fn picture(app: App) -> Result<Response, Refused> {
    let Some(logo) = logo::read(&app).await? else { return Ok(StatusCode::NO_CONTENT.into_response()) };
    let mut response = shown(logo);
    response.headers_mut().insert(header::CACHE_CONTROL, header::HeaderValue::from_static("max-age=300"));
    Ok(response)
}

/// The office's logo as public pages show it; no content where there is none.
#[utoipa::path(get, path = "/api/logo", tag = "logo", responses((status = 200, content_type = "image/*", body = Vec<u8>), (status = 204)))]
async fn read(State(app): State<App>) -> Result<Response, Refused> {
    picture(app).await
}

/// The office's logo; no content where there is none.
#[utoipa::path(get, path = "/api/office-logo", tag = "logo", responses((status = 200, content_type = "image/*", body = Vec<u8>), (status = 204)))]
async fn own(State(app): State<App>) -> Result<Response, Refused> {
    picture(app).await
}

/// Takes a picture (PNG, JPEG or WebP, at most 1 MB) as the office's logo.
#[utoipa::path(put, path = "/api/office-logo", tag = "logo", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = bool), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, form: Multipart) -> Answer<bool> {
    logo::write(&app, file(form).await?).await?;
    Ok(Json(true))
}

/// Removes the office's logo.
#[utoipa::path(delete, path = "/api/office-logo", tag = "logo", responses((status = 200, body = bool)))]
async fn remove(State(app): State<App>) -> Answer<bool> {
    logo::remove(&app).await?;
    Ok(Json(true))
}
