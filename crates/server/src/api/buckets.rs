//! The office's buckets.

use axum::Json;
use axum::extract::State;
use mangle_app::App;
use mangle_app::buckets::{self, BucketsBody, NewBuckets};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read, write))
}

/// The buckets of S3-compatible stores that dispatches may put documents into.
#[utoipa::path(get, path = "/api/buckets", tag = "settings", responses((status = 200, body = BucketsBody)))]
async fn read(State(app): State<App>) -> Answer<BucketsBody> {
    Ok(Json(buckets::read(&app).await?))
}

/// Changes the buckets. The secrets of their keys are written and never read.
#[utoipa::path(put, path = "/api/buckets", tag = "settings", request_body = NewBuckets, responses((status = 200, body = BucketsBody), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Json(new): Json<NewBuckets>) -> Answer<BucketsBody> {
    Ok(Json(buckets::write(&app, new).await?))
}
