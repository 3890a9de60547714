//! The ledger: what was made, delivered and failed over time.

use axum::Json;
use axum::extract::{Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::ledger::{self, Ledger, LedgerQuery, LedgerTable};
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::saved;
use crate::error::{Answer, Problem, Refused};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(show)).routes(routes!(csv))
}

/// What was made, delivered and failed by day, week or month, and by dispatch, template or channel.
#[utoipa::path(get, path = "/api/ledger", tag = "ledger", params(LedgerQuery), responses((status = 200, body = Ledger), (status = 422, body = Problem)))]
async fn show(State(app): State<App>, Query(query): Query<LedgerQuery>) -> Answer<Ledger> {
    Ok(Json(ledger::ledger(&app, query).await?))
}

#[derive(Debug, Deserialize, utoipa::IntoParams)]
struct Table {
    /// periods or rows.
    #[serde(default)]
    table: LedgerTable,
}

/// The ledger as CSV (RFC 4180): by time, or by dispatch, template or channel.
#[utoipa::path(get, path = "/api/ledger.csv", tag = "ledger", params(LedgerQuery, Table), responses((status = 200, content_type = "text/csv", body = Vec<u8>), (status = 422, body = Problem)))]
async fn csv(State(app): State<App>, Query(query): Query<LedgerQuery>, Query(own): Query<Table>) -> Result<Response, Refused> {
    Ok(saved(ledger::csv(&app, query, own.table).await?))
}
