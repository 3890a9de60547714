//! Bringing a newer file into a sheet: first a look at what it changes, then the
//! change.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use mangle_app::App;
use mangle_app::sources::again::{self, AgainView, Newer, NewerFile, TakeOver};
use mangle_app::store::sheets::SheetInfo;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::upload::{FileForm, file};
use crate::error::{Answer, Problem};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(bring)).routes(routes!(look)).routes(routes!(apply))
}

/// Takes a newer file in, to be compared; nothing is changed yet.
#[utoipa::path(post, path = "/api/sheets/{id}/newer", tag = "sources", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = NewerFile), (status = 422, body = Problem)))]
async fn bring(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<NewerFile> {
    Ok(Json(again::bring(&app, id, file(form).await?).await?))
}

/// Compares a newer file with a sheet.
#[utoipa::path(get, path = "/api/sheets/{id}/newer", tag = "sources", params(("id" = i64, Path), Newer), responses((status = 200, body = AgainView), (status = 422, body = Problem)))]
async fn look(State(app): State<App>, Path(id): Path<i64>, Query(newer): Query<Newer>) -> Answer<AgainView> {
    Ok(Json(again::look(&app, id, newer).await?))
}

/// Takes a newer file over, in one step that can be undone.
#[utoipa::path(post, path = "/api/sheets/{id}/newer/apply", tag = "sources", params(("id" = i64, Path)), request_body = TakeOver, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn apply(State(app): State<App>, Path(id): Path<i64>, Json(asked): Json<TakeOver>) -> Answer<SheetInfo> {
    Ok(Json(again::apply(&app, id, asked).await?))
}
