//! Which sites may show a form, or a CRM's records, within their own pages.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::frames::{self, Frames};
use mangle_app::store::frames::Framed;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(show, change))
}

/// The sites that may show a form (by its source) or the records of a connection.
#[utoipa::path(get, path = "/api/frames/{kind}/{id}", tag = "frames", params(("kind" = Framed, Path), ("id" = i64, Path)), responses((status = 200, body = Frames), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path((kind, id)): Path<(Framed, i64)>) -> Answer<Frames> {
    Ok(Json(frames::get(&app, kind, id).await?))
}

/// Changes the sites that may show it.
#[utoipa::path(put, path = "/api/frames/{kind}/{id}", tag = "frames", params(("kind" = Framed, Path), ("id" = i64, Path)), request_body = Frames, responses((status = 200, body = Frames), (status = 404, body = Problem), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path((kind, id)): Path<(Framed, i64)>, Json(new): Json<Frames>) -> Answer<Frames> {
    Ok(Json(frames::set(&app, kind, id, new).await?))
}
