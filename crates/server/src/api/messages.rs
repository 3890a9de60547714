//! Message templates: a subject and a message that several dispatches send.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::messages::{self, MessageBody, MessageChange, MessageKey};
use mangle_app::store::messages::MessageInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(change, remove)).routes(routes!(add_version))
}

/// All message templates, by name.
#[utoipa::path(get, path = "/api/messages", tag = "messages", responses((status = 200, body = Vec<MessageInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<MessageInfo>> {
    Ok(Json(messages::list(&app).await?))
}

/// Saves a message as a template.
#[utoipa::path(post, path = "/api/messages", tag = "messages", request_body = MessageBody, responses((status = 200, body = MessageKey), (status = 404, body = Problem), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<MessageBody>) -> Answer<MessageKey> {
    Ok(Json(messages::save(&app, None, new).await?))
}

/// Saves a message as the next version of a template, which is in use from then on.
#[utoipa::path(post, path = "/api/messages/{key}/versions", tag = "messages", params(("key" = String, Path)), request_body = MessageBody, responses((status = 200, body = MessageKey), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn add_version(State(app): State<App>, Path(key): Path<String>, Json(new): Json<MessageBody>) -> Answer<MessageKey> {
    Ok(Json(messages::save(&app, Some(key), new).await?))
}

/// Renames a message template, or puts a version in use.
#[utoipa::path(put, path = "/api/messages/{key}", tag = "messages", params(("key" = String, Path)), request_body = MessageChange, responses((status = 200, body = Vec<MessageInfo>), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(key): Path<String>, Json(new): Json<MessageChange>) -> Answer<Vec<MessageInfo>> {
    Ok(Json(messages::change(&app, key, new).await?))
}

/// Deletes a message template that no dispatch uses.
#[utoipa::path(delete, path = "/api/messages/{key}", tag = "messages", params(("key" = String, Path)), responses((status = 200, body = Vec<MessageInfo>), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(key): Path<String>) -> Answer<Vec<MessageInfo>> {
    Ok(Json(messages::remove(&app, key).await?))
}
