//! Relations between sheets.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::sources::relations::{self, NewRelation, RelationCheck};
use mangle_app::store::sheets::SheetInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(add)).routes(routes!(checked, remove))
}

/// Relates a sheet to another.
#[utoipa::path(post, path = "/api/sheets/{id}/relations", tag = "sources", params(("id" = i64, Path)), request_body = NewRelation, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewRelation>) -> Answer<SheetInfo> {
    Ok(Json(relations::add(&app, id, new).await?))
}

/// Check a relation for rows without a match and duplicate keys.
#[utoipa::path(get, path = "/api/relations/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = RelationCheck), (status = 404, body = Problem)))]
async fn checked(State(app): State<App>, Path(id): Path<i64>) -> Answer<RelationCheck> {
    Ok(Json(relations::checked(&app, id).await?))
}

/// Deletes a relation; the rows of both sheets stay.
#[utoipa::path(delete, path = "/api/relations/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(relations::remove(&app, id).await?))
}
