//! The fields of a source as ready placeholders, and placeholders put together by
//! choosing.

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_app::App;
use mangle_app::fields::{self, At, Choices, FieldInfo, PutTogether};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(of_sheet)).routes(routes!(put_together))
}

/// The fields of a sheet, with the values of one of its rows.
#[utoipa::path(get, path = "/api/sheets/{id}/fields", tag = "sources", params(("id" = i64, Path), At), responses((status = 200, body = Vec<FieldInfo>), (status = 404, body = Problem)))]
async fn of_sheet(State(app): State<App>, Path(id): Path<i64>, Query(at): Query<At>) -> Answer<Vec<FieldInfo>> {
    Ok(Json(fields::of_sheet(&app, id, at).await?))
}

/// Puts a placeholder together and tries it with a record.
#[utoipa::path(post, path = "/api/language/compose", tag = "language", request_body = Choices, responses((status = 200, body = PutTogether), (status = 422, body = Problem)))]
async fn put_together(State(app): State<App>, Json(chosen): Json<Choices>) -> Answer<PutTogether> {
    Ok(Json(fields::put_together(&app, chosen).await?))
}
