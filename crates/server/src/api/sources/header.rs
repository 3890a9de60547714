//! The names of the columns, where they stand in another row than was thought.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::sources::header::{self, NamesIn};
use mangle_app::store::sheets::SheetInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(choose, accept))
}

/// Takes the names of the columns from a row; it goes with the rows above it, and
/// what the columns hold is recognised anew. That can be undone.
#[utoipa::path(post, path = "/api/sheets/{id}/header", tag = "sources", params(("id" = i64, Path)), request_body = NamesIn, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn choose(State(app): State<App>, Path(id): Path<i64>, Json(NamesIn { row }): Json<NamesIn>) -> Answer<SheetInfo> {
    Ok(Json(header::choose(&app, id, NamesIn { row }).await?))
}

/// Confirm the detected header row.
#[utoipa::path(delete, path = "/api/sheets/{id}/header", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = SheetInfo)))]
async fn accept(State(app): State<App>, Path(id): Path<i64>) -> Answer<SheetInfo> {
    Ok(Json(header::accept(&app, id).await?))
}
