//! CRMs: connecting them, and the questions that are asked of them.

mod connections;
mod queries;

use mangle_app::App;
use utoipa_axum::router::OpenApiRouter;

pub fn router() -> OpenApiRouter<App> {
    connections::router().merge(queries::router())
}
