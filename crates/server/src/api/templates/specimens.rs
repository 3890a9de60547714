//! Specimens: a template's tests. Each is a kept set of values with the text that
//! it must give.

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_app::App;
use mangle_app::templates::specimens::{self, NewSpecimen, Of, SpecimenInfo};

use crate::error::{Answer, Problem};

/// A template's specimens, checked against a version.
#[utoipa::path(get, path = "/api/templates/{id}/specimens", tag = "templates", params(("id" = i64, Path), Of), responses((status = 200, body = Vec<SpecimenInfo>), (status = 404, body = Problem)))]
pub(super) async fn list(State(app): State<App>, Path(id): Path<i64>, Query(of): Query<Of>) -> Answer<Vec<SpecimenInfo>> {
    Ok(Json(specimens::list(&app, id, of).await?))
}

/// Keeps values as a specimen, with the text that a version makes of them.
#[utoipa::path(post, path = "/api/templates/{id}/specimens", tag = "templates", params(("id" = i64, Path)), request_body = NewSpecimen, responses((status = 200, body = SpecimenInfo), (status = 422, body = Problem)))]
pub(super) async fn keep(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewSpecimen>) -> Answer<SpecimenInfo> {
    Ok(Json(specimens::keep(&app, id, new).await?))
}

/// Accept a version's output as the test case's expected text.
#[utoipa::path(put, path = "/api/specimens/{id}/accepted", tag = "templates", params(("id" = i64, Path), Of), responses((status = 200, body = SpecimenInfo), (status = 422, body = Problem)))]
pub(super) async fn accept(State(app): State<App>, Path(id): Path<i64>, Query(of): Query<Of>) -> Answer<SpecimenInfo> {
    Ok(Json(specimens::accept(&app, id, of).await?))
}

/// Drops a specimen.
#[utoipa::path(delete, path = "/api/specimens/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
pub(super) async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(specimens::remove(&app, id).await?))
}
