//! CRMs that are connected: their address, token and shape.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::crm::connections::{self, ConnectionBody, Looked, NewConnection};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(show, change, remove)).routes(routes!(look_again))
}

/// The connected CRMs, by name.
#[utoipa::path(get, path = "/api/connections", tag = "crm", responses((status = 200, body = Vec<ConnectionBody>)))]
async fn list(State(app): State<App>) -> Answer<Vec<ConnectionBody>> {
    Ok(Json(connections::list(&app).await?))
}

/// Connect a CRM and read its schema.
#[utoipa::path(post, path = "/api/connections", tag = "crm", request_body = NewConnection, responses((status = 200, body = ConnectionBody), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<NewConnection>) -> Answer<ConnectionBody> {
    Ok(Json(connections::add(&app, new).await?))
}

/// Changes a connection; it is asked for its shape at once.
#[utoipa::path(put, path = "/api/connections/{id}", tag = "crm", params(("id" = i64, Path)), request_body = NewConnection, responses((status = 200, body = ConnectionBody), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewConnection>) -> Answer<ConnectionBody> {
    Ok(Json(connections::change(&app, id, new).await?))
}

/// A connected CRM.
#[utoipa::path(get, path = "/api/connections/{id}", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = ConnectionBody), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<ConnectionBody> {
    Ok(Json(connections::show(&app, id).await?))
}

/// Delete a connection that no query uses.
#[utoipa::path(delete, path = "/api/connections/{id}", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(connections::remove(&app, id).await?))
}

/// Asks a CRM for its shape again, and tells what has changed and what that touches.
#[utoipa::path(post, path = "/api/connections/{id}/shape", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = Looked), (status = 422, body = Problem)))]
async fn look_again(State(app): State<App>, Path(id): Path<i64>) -> Answer<Looked> {
    Ok(Json(connections::look_again(&app, id).await?))
}
