//! Jobs beside runs: imports and CRM fetches, with how far they are.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::store::jobs::JobInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list)).routes(routes!(show, stop))
}

/// The jobs that wait or are being done, the oldest first.
#[utoipa::path(get, path = "/api/jobs", tag = "jobs", responses((status = 200, body = Vec<JobInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<JobInfo>> {
    Ok(Json(app.jobs().await?))
}

/// A job.
#[utoipa::path(get, path = "/api/jobs/{id}", tag = "jobs", params(("id" = i64, Path)), responses((status = 200, body = JobInfo), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<JobInfo> {
    Ok(Json(app.job(id).await?))
}

/// Stops a job; what it was about is as it was before.
#[utoipa::path(delete, path = "/api/jobs/{id}", tag = "jobs", params(("id" = i64, Path)), responses((status = 200, body = JobInfo), (status = 404, body = Problem)))]
async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Answer<JobInfo> {
    Ok(Json(app.stop_job(id).await?))
}
