//! Forms as they are answered: by anyone who has the address, who sees nothing else.

use std::collections::HashMap;

use axum::Json;
use axum::extract::{DefaultBodyLimit, Multipart, Path, Query, State};
use axum::http::{Extensions, StatusCode};
use axum::response::{IntoResponse, Response};
use mangle_app::App;
use mangle_app::forms::door::{self, Arrived, NotTaken, PublicForm, Sent, Thanks};
use mangle_app::forms::look::{AnswerBody, LookedBody};
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::upload::{FileForm, file};
use crate::error::{Answer, Problem, Refused};
use crate::public::{Asked, pass};

/// The most bytes of an answer without its files.
const LARGEST_ANSWER: usize = 1 << 20;
/// The most bytes that come with a file.
const LARGEST_FILE: usize = 34 << 20;

pub fn router() -> OpenApiRouter<App> {
    let words = OpenApiRouter::new().routes(routes!(show, send)).routes(routes!(look)).layer(DefaultBodyLimit::max(LARGEST_ANSWER));
    words.merge(OpenApiRouter::new().routes(routes!(take_file)).layer(DefaultBodyLimit::max(LARGEST_FILE)))
}

/// Get a public form; query parameters prefill its fields.
#[utoipa::path(get, path = "/api/answer/{token}", tag = "answer", params(("token" = String, Path)), responses((status = 200, body = PublicForm), (status = 404, body = Problem)))]
async fn show(
    State(app): State<App>,
    Path(token): Path<String>,
    Query(asked): Query<HashMap<String, String>>,
    extensions: Extensions,
) -> Answer<PublicForm> {
    pass(&extensions, Asked::Look, &token)?;
    Ok(Json(door::show(&app, token, asked).await?))
}

/// Validate an answer being entered: visible fields and errors.
#[utoipa::path(post, path = "/api/answer/{token}/look", tag = "answer", params(("token" = String, Path)), request_body = AnswerBody, responses((status = 200, body = Vec<LookedBody>), (status = 404, body = Problem)))]
async fn look(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(body): Json<AnswerBody>,
) -> Answer<Vec<LookedBody>> {
    pass(&extensions, Asked::Look, &token)?;
    Ok(Json(door::look(&app, token, body).await?))
}

/// Which field a file is for.
#[derive(Debug, Deserialize)]
struct ForField {
    field: u32,
}

/// Takes a file for a field. Pictures are known by their content.
#[utoipa::path(post, path = "/api/answer/{token}/files", tag = "answer", params(("token" = String, Path), ("field" = u32, Query)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Arrived), (status = 422, body = Problem)))]
async fn take_file(
    State(app): State<App>,
    Path(token): Path<String>,
    Query(ForField { field }): Query<ForField>,
    extensions: Extensions,
    form: Multipart,
) -> Answer<Arrived> {
    pass(&extensions, Asked::File, &token)?;
    Ok(Json(door::take_file(&app, token, field, file(form).await?).await?))
}

/// Submit an answer; it is validated again.
#[utoipa::path(post, path = "/api/answer/{token}", tag = "answer", params(("token" = String, Path)), request_body = Sent, responses((status = 200, body = Thanks), (status = 422, body = NotTaken), (status = 409, body = Problem)))]
async fn send(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(sent): Json<Sent>,
) -> Result<Response, Refused> {
    pass(&extensions, Asked::Answer, &token)?;
    Ok(match door::send(&app, token, sent).await? {
        Ok(thanks) => Json(thanks).into_response(),
        Err(not_taken) => (StatusCode::UNPROCESSABLE_ENTITY, Json(not_taken)).into_response(),
    })
}
