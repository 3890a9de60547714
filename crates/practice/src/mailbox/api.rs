//! The mailbox over HTTP, for the page that shows it.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::{Bounce, Mailbox, Message, Summary};

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
        .routes(routes!(bounce))
        .routes(routes!(inline))
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

/// Has a message come back to its sender, as if it could not be delivered.
#[utoipa::path(post, path = "/api/practice/mailbox/{number}/bounce", tag = "practice", params(("number" = u32, Path)), request_body = Bounce, responses((status = 204), (status = 404)))]
async fn bounce(State(mailbox): State<Mailbox>, Path(number): Path<u32>, Json(bounce): Json<Bounce>) -> StatusCode {
    let bounced = tokio::task::spawn_blocking(move || mailbox.bounce(number, &bounce)).await;
    if bounced.unwrap_or(false) { StatusCode::NO_CONTENT } else { StatusCode::NOT_FOUND }
}

/// A picture that a message shows.
#[utoipa::path(get, path = "/api/practice/mailbox/{number}/inline/{id}", tag = "practice", params(("number" = u32, Path), ("id" = String, Path)), responses((status = 200, content_type = "image/png", body = Vec<u8>), (status = 404)))]
async fn inline(State(mailbox): State<Mailbox>, Path((number, id)): Path<(u32, String)>) -> Result<Response, StatusCode> {
    let found = tokio::task::spawn_blocking(move || mailbox.inline(number, &id)).await.ok().flatten();
    let (kind, bytes) = found.filter(|(kind, _)| ["image/png", "image/jpeg"].contains(&kind.as_str())).ok_or(StatusCode::NOT_FOUND)?;
    Ok(([(header::CONTENT_TYPE, kind), (header::X_CONTENT_TYPE_OPTIONS, "nosniff".to_owned())], bytes).into_response())
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
