//! Forms as the office writes them.

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::forms::desk::{self, FormBody, NewForm, Seen};
use mangle_app::forms::look::{AnswerBody, LookedBody};
use mangle_core::form::Form;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::super::upload::shown;
use crate::error::{Answer, Problem, Refused};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(make))
        .routes(routes!(show, write))
        .routes(routes!(open))
        .routes(routes!(close))
        .routes(routes!(try_out))
        .routes(routes!(copy))
        .routes(routes!(qr))
}

/// Makes a form: an empty one, or one that asks for what a template needs.
#[utoipa::path(post, path = "/api/forms", tag = "forms", request_body = NewForm, responses((status = 200, body = FormBody), (status = 404, body = Problem)))]
async fn make(State(app): State<App>, Json(new): Json<NewForm>) -> Answer<FormBody> {
    Ok(Json(desk::make(&app, new).await?))
}

/// A form.
#[utoipa::path(get, path = "/api/forms/{id}", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    Ok(Json(desk::show(&app, id).await?))
}

/// Save a form's draft; it is published by opening the form.
#[utoipa::path(put, path = "/api/forms/{id}", tag = "forms", params(("id" = i64, Path), Seen), request_body = Form, responses((status = 200, body = FormBody), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn write(State(app): State<App>, Path(id): Path<i64>, Query(seen): Query<Seen>, Json(draft): Json<Form>) -> Answer<FormBody> {
    Ok(Json(desk::write(&app, id, seen, draft).await?))
}

/// Adds a copy of a form as it is written now: closed, without answers.
#[utoipa::path(post, path = "/api/forms/{id}/copy", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody), (status = 404, body = Problem)))]
async fn copy(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    Ok(Json(desk::copy(&app, id).await?))
}

/// A form's address as a QR code.
#[utoipa::path(get, path = "/api/forms/{id}/qr.svg", tag = "forms", params(("id" = i64, Path)), responses((status = 200, content_type = "image/svg+xml", body = Vec<u8>), (status = 404, body = Problem)))]
async fn qr(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    Ok(shown(desk::qr(&app, id).await?))
}

/// Opens a form as it is written now.
#[utoipa::path(post, path = "/api/forms/{id}/open", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody), (status = 422, body = Problem)))]
async fn open(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    Ok(Json(desk::open(&app, id).await?))
}

/// Close a form; existing answers are kept.
#[utoipa::path(post, path = "/api/forms/{id}/close", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody)))]
async fn close(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    Ok(Json(desk::close(&app, id).await?))
}

/// Looks at an answer to a form as it is written, for the form beside it.
#[utoipa::path(post, path = "/api/forms/{id}/look", tag = "forms", params(("id" = i64, Path)), request_body = AnswerBody, responses((status = 200, body = Vec<LookedBody>), (status = 404, body = Problem)))]
async fn try_out(State(app): State<App>, Path(id): Path<i64>, Json(body): Json<AnswerBody>) -> Answer<Vec<LookedBody>> {
    Ok(Json(desk::try_out(&app, id, body).await?))
}
