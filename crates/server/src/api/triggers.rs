//! Triggers: what starts runs by itself, and what it has started.

use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use mangle_app::App;
use mangle_app::store::firings::Firing;
use mangle_app::triggers::{self, Call, Signed, Triggers};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, call)).routes(routes!(firing)).routes(routes!(retry)).routes(routes!(dismiss))
}

/// What whoever has the address of a web hook may ask.
pub fn public() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(hook))
}

/// The triggers of a dispatch, and what they have started.
#[utoipa::path(get, path = "/api/dispatches/{key}/firings", tag = "triggers", params(("key" = String, Path)), responses((status = 200, body = Triggers), (status = 404, body = Problem)))]
async fn list(State(app): State<App>, Path(key): Path<String>) -> Answer<Triggers> {
    Ok(Json(triggers::list(&app, key).await?))
}

/// Ask a dispatch to make documents: of the rows that are named, or of all that it selects. The
/// same Idempotency-Key starts one run, however often it is sent. The answer is the firing; ask
/// for it until its state is `started`, `nothing` or `waiting`.
#[utoipa::path(post, path = "/api/dispatches/{key}/firings", tag = "triggers", params(("key" = String, Path), ("Idempotency-Key" = String, Header)), request_body = Call, responses((status = 202, body = Firing), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn call(
    State(app): State<App>,
    Path(key): Path<String>,
    headers: HeaderMap,
    Json(asked): Json<Call>,
) -> Result<(StatusCode, Json<Firing>), Refused> {
    let once = text(&headers, "idempotency-key").to_owned();
    Ok((StatusCode::ACCEPTED, Json(triggers::call(&app, key, once, asked).await?)))
}

/// A firing: one time that a trigger had something to start.
#[utoipa::path(get, path = "/api/firings/{id}", tag = "triggers", params(("id" = i64, Path)), responses((status = 200, body = Firing), (status = 404, body = Problem)))]
async fn firing(State(app): State<App>, Path(id): Path<i64>) -> Answer<Firing> {
    Ok(Json(triggers::firing(&app, id).await?))
}

/// Try a firing again that waits for a person.
#[utoipa::path(post, path = "/api/firings/{id}/retry", tag = "triggers", params(("id" = i64, Path)), responses((status = 200, body = Firing), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn retry(State(app): State<App>, Path(id): Path<i64>) -> Answer<Firing> {
    Ok(Json(triggers::retry(&app, id).await?))
}

/// Put a firing aside that waits for a person.
#[utoipa::path(post, path = "/api/firings/{id}/dismiss", tag = "triggers", params(("id" = i64, Path)), responses((status = 200, body = Firing), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn dismiss(State(app): State<App>, Path(id): Path<i64>) -> Answer<Firing> {
    Ok(Json(triggers::dismiss(&app, id).await?))
}

/// Tell a CRM trigger that something has changed: a message signed as Standard Webhooks 1.0 says.
#[utoipa::path(post, path = "/api/hooks/{token}", tag = "triggers", params(("token" = String, Path), ("webhook-id" = String, Header), ("webhook-timestamp" = String, Header), ("webhook-signature" = String, Header)), request_body(content = String, content_type = "application/json"), responses((status = 202), (status = 404, body = Problem), (status = 422, body = Problem)))]
async fn hook(State(app): State<App>, Path(token): Path<String>, headers: HeaderMap, body: Bytes) -> Result<StatusCode, Refused> {
    let signed = Signed {
        id: text(&headers, "webhook-id"),
        timestamp: text(&headers, "webhook-timestamp"),
        signature: text(&headers, "webhook-signature"),
    };
    triggers::took(&app, &token, signed, &body).await?;
    Ok(StatusCode::ACCEPTED)
}

fn text<'a>(headers: &'a HeaderMap, name: &str) -> &'a str {
    headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default()
}
