//! One search over everything that was made or brought in.

use axum::Json;
use axum::extract::{Query, State};
use mangle_app::App;
use mangle_app::find::{self, Found, Sought};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::Answer;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(everywhere))
}

/// Looks for a text in the documents made and in the rows of the sheets.
#[utoipa::path(get, path = "/api/find", tag = "documents", params(Sought), responses((status = 200, body = Found)))]
async fn everywhere(State(app): State<App>, Query(sought): Query<Sought>) -> Answer<Found> {
    Ok(Json(find::everywhere(&app, sought).await?))
}
