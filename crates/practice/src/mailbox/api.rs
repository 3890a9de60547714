//! The mailbox over HTTP, for the page that shows it.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::{Mailbox, Message, Summary};

/// The practice mailbox's part of the API.
#[derive(Debug, OpenApi)]
#[openapi(tags((name = "practice", description = "Practice services")))]
pub struct PracticeMailbox;

/// The routes of the mailbox.
pub fn router(mailbox: Mailbox) -> OpenApiRouter {
    OpenApiRouter::with_openapi(PracticeMailbox::openapi())
        .routes(routes!(list, clear))
        .routes(routes!(open))
        .routes(routes!(attachment))
        .with_state(mailbox)
}

/// All messages, the newest first.
#[utoipa::path(get, path = "/api/practice/mailbox", tag = "practice", responses((status = 200, body = Vec<Summary>)))]
async fn list(State(mailbox): State<Mailbox>) -> Json<Vec<Summary>> {
    Json(mailbox.list())
}

/// Throws all messages away; says how many.
#[utoipa::path(delete, path = "/api/practice/mailbox", tag = "practice", responses((status = 200, body = usize)))]
async fn clear(State(mailbox): State<Mailbox>) -> Result<Json<usize>, StatusCode> {
    mailbox.clear().map(Json).map_err(|_| StatusCode::INTERNAL_SERVER_ERROR)
}

/// One message, opened.
#[utoipa::path(get, path = "/api/practice/mailbox/{number}", tag = "practice", params(("number" = u32, Path)), responses((status = 200, body = Message), (status = 404)))]
async fn open(State(mailbox): State<Mailbox>, Path(number): Path<u32>) -> Result<Json<Message>, StatusCode> {
    let opened = tokio::task::spawn_blocking(move || mailbox.message(number)).await;
    opened.ok().flatten().map(Json).ok_or(StatusCode::NOT_FOUND)
}

/// An attachment's content.
#[utoipa::path(get, path = "/api/practice/mailbox/{number}/attachments/{index}", tag = "practice", params(("number" = u32, Path), ("index" = usize, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404)))]
async fn attachment(State(mailbox): State<Mailbox>, Path((number, index)): Path<(u32, usize)>) -> Result<Response, StatusCode> {
    let message = tokio::task::spawn_blocking(move || mailbox.message(number)).await.ok().flatten().ok_or(StatusCode::NOT_FOUND)?;
    let file = message.files.into_iter().nth(index).ok_or(StatusCode::NOT_FOUND)?;
    // Only PDF is shown; whatever else a message brings is handed over as a file.
    let shown = if file.kind == "application/pdf" { "inline" } else { "attachment" };
    let headers = [
        (header::CONTENT_TYPE, file.kind),
        (header::CONTENT_DISPOSITION, shown.to_owned()),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff".to_owned()),
    ];
    Ok((headers, file.bytes).into_response())
}
