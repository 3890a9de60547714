//! CRMs: connecting them, and the questions that are asked of them.

mod connections;
mod queries;

use mangle_core::crm::CrmQuery;
use utoipa_axum::router::OpenApiRouter;

use crate::error::Refused;
use mangle_app::App;

/// Connects a CRM and saves a question to it, as the demo world has them.
pub(crate) async fn furnish(app: &App, address: &str, token: &str, name: &str, asks: CrmQuery) -> Result<i64, Refused> {
    let connection = connections::furnish(app, address, token).await?;
    queries::furnish(app, name, connection, asks).await
}

pub fn router() -> OpenApiRouter<App> {
    connections::router().merge(queries::router())
}
