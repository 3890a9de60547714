//! The office's printers.

use axum::Json;
use mangle_app::App;
use mangle_app::printers::{self, AskedPrinter, PrinterInfo};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(look))
}

/// Asks a printer what it is, how it is, and which papers and trays it has.
#[utoipa::path(post, path = "/api/printers/look", tag = "settings", request_body = AskedPrinter, responses((status = 200, body = PrinterInfo), (status = 422, body = Problem)))]
async fn look(Json(asked): Json<AskedPrinter>) -> Answer<PrinterInfo> {
    Ok(Json(printers::look(asked).await?))
}
