//! The office's mail server.

use axum::Json;
use axum::extract::State;
use mangle_app::App;
use mangle_app::mail::{self, MailBody, NewMail, TestAnswer, TestMessage};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read, write)).routes(routes!(test))
}

/// The mail server; its password is never told.
#[utoipa::path(get, path = "/api/mail-server", tag = "settings", responses((status = 200, body = MailBody)))]
async fn read(State(app): State<App>) -> Answer<MailBody> {
    Ok(Json(mail::read(&app).await?))
}

/// Changes the mail server. Messages that wait go over the new one.
#[utoipa::path(put, path = "/api/mail-server", tag = "settings", request_body = NewMail, responses((status = 200, body = MailBody), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Json(new): Json<NewMail>) -> Answer<MailBody> {
    Ok(Json(mail::write(&app, new).await?))
}

/// Sends a message that tries the server, and tells what the server said.
#[utoipa::path(post, path = "/api/mail-server/test", tag = "settings", request_body = TestMessage, responses((status = 200, body = TestAnswer), (status = 422, body = Problem)))]
async fn test(State(app): State<App>, Json(asked): Json<TestMessage>) -> Answer<TestAnswer> {
    Ok(Json(mail::test(&app, asked).await?))
}
