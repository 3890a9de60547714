//! Trying a template out: values by hand, or those of a record, and the pages at
//! once.

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_app::App;
use mangle_app::templates::tryout::{self, OfRecord, RecordValues, Tried, Tryout};

use crate::error::{Answer, Problem};

/// Fills a version with values and shows the pages.
#[utoipa::path(post, path = "/api/versions/{id}/try", tag = "templates", params(("id" = i64, Path)), request_body = Tried, responses((status = 200, body = Tryout), (status = 422, body = Problem)))]
pub(super) async fn try_out(State(app): State<App>, Path(id): Path<i64>, Json(tried): Json<Tried>) -> Answer<Tryout> {
    Ok(Json(tryout::try_out(&app, id, tried).await?))
}

/// Takes the values that a version needs from a record of a sheet. Names are tied
/// as the last changed dispatch of the two ties them, else by likeness.
#[utoipa::path(get, path = "/api/versions/{id}/values", tag = "templates", params(("id" = i64, Path), OfRecord), responses((status = 200, body = RecordValues), (status = 404, body = Problem)))]
pub(super) async fn values_of(State(app): State<App>, Path(id): Path<i64>, Query(asked): Query<OfRecord>) -> Answer<RecordValues> {
    Ok(Json(tryout::values_of(&app, id, asked).await?))
}
