//! Coverage: which ways through a template the records of a sheet take.

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_app::App;
use mangle_app::templates::coverage::{self, CoverageView, OfSheet};

use crate::error::{Answer, Problem};

/// Fill a version with every record and count the branches used.
#[utoipa::path(post, path = "/api/versions/{id}/coverage", tag = "templates", params(("id" = i64, Path), OfSheet), responses((status = 200, body = CoverageView), (status = 409, body = Problem)))]
pub(super) async fn coverage(State(app): State<App>, Path(id): Path<i64>, Query(of): Query<OfSheet>) -> Answer<CoverageView> {
    Ok(Json(coverage::coverage(&app, id, of).await?))
}
