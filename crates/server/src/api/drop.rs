//! The shortest way: a sheet and a letter together become a dispatch.

use axum::Json;
use axum::extract::{Multipart, State};
use mangle_app::App;
use mangle_app::drop::{self, Dropped};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, files};
use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(take))
}

/// Takes files dropped anywhere; a sheet and a letter together make a dispatch.
#[utoipa::path(post, path = "/api/drop", tag = "dispatches", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Dropped), (status = 422, body = Problem)))]
async fn take(State(app): State<App>, form: Multipart) -> Answer<Dropped> {
    Ok(Json(drop::take(&app, files(form).await?).await?))
}
