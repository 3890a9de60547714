//! The office's web hooks.

use axum::Json;
use axum::extract::State;
use mangle_app::App;
use mangle_app::mail::TestAnswer;
use mangle_app::web_hook::{self, TestHook, WebHookBody};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read)).routes(routes!(renew)).routes(routes!(test))
}

/// The signing secret, the allowed hosts and the last answers.
#[utoipa::path(get, path = "/api/web-hook", tag = "settings", responses((status = 200, body = WebHookBody)))]
async fn read(State(app): State<App>) -> Answer<WebHookBody> {
    Ok(Json(web_hook::read(&app).await?))
}

/// Makes a new signing secret; the old one is of no use any more.
#[utoipa::path(post, path = "/api/web-hook/secret", tag = "settings", responses((status = 200, body = WebHookBody)))]
async fn renew(State(app): State<App>) -> Answer<WebHookBody> {
    Ok(Json(web_hook::renew(&app).await?))
}

/// Posts a call to try a web hook, and tells what was answered.
#[utoipa::path(post, path = "/api/web-hook/test", tag = "settings", request_body = TestHook, responses((status = 200, body = TestAnswer), (status = 422, body = Problem)))]
async fn test(State(app): State<App>, Json(asked): Json<TestHook>) -> Answer<TestAnswer> {
    Ok(Json(web_hook::test(&app, asked).await?))
}
