//! One record, step by step.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::{Path, State};
use mangle_app::App;
use mangle_app::dispatches::one::{OneRecord, StartOne};
use mangle_app::dispatches::preview::PageView;
use mangle_app::store::runs::RunInfo;
use serde::Deserialize;

use crate::error::{Answer, Problem};

/// One record as the dispatch would make its document: by its row, or by its key in the CRM.
#[utoipa::path(get, path = "/api/dispatches/{key}/one/{record}", tag = "dispatches", params(("key" = String, Path), ("record" = String, Path)), responses((status = 200, body = OneRecord), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn show(State(app): State<App>, Path((key, record)): Path<(String, String)>) -> Answer<OneRecord> {
    Ok(Json(app.one_record(&key, &record).await?))
}

/// Answers to what is asked.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Answered {
    /// The answers, by what each is about.
    #[serde(default)]
    answers: BTreeMap<String, String>,
}

/// The pages of one row with answers to what is asked.
#[utoipa::path(post, path = "/api/dispatches/{key}/one/{record}/page", tag = "dispatches", params(("key" = String, Path), ("record" = usize, Path)), request_body = Answered, responses((status = 200, body = PageView), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn page(State(app): State<App>, Path((key, row)): Path<(String, usize)>, Json(own): Json<Answered>) -> Answer<PageView> {
    Ok(Json(app.one_page(&key, row, own.answers).await?))
}

/// Makes the document of one row.
#[utoipa::path(post, path = "/api/dispatches/{key}/one/{record}", tag = "dispatches", params(("key" = String, Path), ("record" = usize, Path)), request_body = StartOne, responses((status = 200, body = RunInfo), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn start(State(app): State<App>, Path((key, row)): Path<(String, usize)>, Json(asked): Json<StartOne>) -> Answer<RunInfo> {
    Ok(Json(app.start_one(&key, row, asked).await?))
}
