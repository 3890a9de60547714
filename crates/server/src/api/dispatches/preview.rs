//! The page of one record as it will be made, and its message.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::dispatches::compare::{self, LastDocument};
use mangle_app::dispatches::preview::{self, PageView};

use crate::error::{Answer, Problem};

/// The pages of one record as they will be made, or what is wrong with it.
#[utoipa::path(get, path = "/api/dispatches/{key}/pages/{row}", tag = "dispatches", params(("key" = String, Path), ("row" = usize, Path)), responses((status = 200, body = PageView), (status = 409, body = Problem)))]
pub(super) async fn page(State(app): State<App>, Path((key, row)): Path<(String, usize)>) -> Answer<PageView> {
    Ok(Json(preview::page(&app, key, row).await?))
}

/// How the document of a record differs from the one that was made of it last; null where none was.
#[utoipa::path(get, path = "/api/dispatches/{key}/pages/{row}/last", tag = "dispatches", params(("key" = String, Path), ("row" = usize, Path)), responses((status = 200, body = Option<LastDocument>), (status = 409, body = Problem)))]
pub(super) async fn last(State(app): State<App>, Path((key, row)): Path<(String, usize)>) -> Answer<Option<LastDocument>> {
    Ok(Json(compare::with_last(&app, &key, row).await?))
}
