//! One record, step by step.

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::dispatches::one::{OneChoices, OneRecord, StartOne};
use mangle_app::dispatches::preview::PageView;
use mangle_app::store::runs::RunInfo;

use crate::error::{Answer, Problem};

/// One record as the dispatch would make its document: by its row, or by its key in the CRM.
#[utoipa::path(get, path = "/api/dispatches/{key}/one/{record}", tag = "dispatches", params(("key" = String, Path), ("record" = String, Path)), responses((status = 200, body = OneRecord), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn show(State(app): State<App>, Path((key, record)): Path<(String, String)>) -> Answer<OneRecord> {
    Ok(Json(app.one_record(&key, &record).await?))
}

/// The pages of one row with what is said of it.
#[utoipa::path(post, path = "/api/dispatches/{key}/one/{record}/page", tag = "dispatches", params(("key" = String, Path), ("record" = usize, Path)), request_body = OneChoices, responses((status = 200, body = PageView), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn page(State(app): State<App>, Path((key, row)): Path<(String, usize)>, Json(own): Json<OneChoices>) -> Answer<PageView> {
    Ok(Json(app.one_page(&key, row, own).await?))
}

/// Makes the document of one row.
#[utoipa::path(post, path = "/api/dispatches/{key}/one/{record}", tag = "dispatches", params(("key" = String, Path), ("record" = usize, Path)), request_body = StartOne, responses((status = 200, body = RunInfo), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn start(State(app): State<App>, Path((key, row)): Path<(String, usize)>, Json(asked): Json<StartOne>) -> Answer<RunInfo> {
    Ok(Json(app.start_one(&key, row, asked).await?))
}
