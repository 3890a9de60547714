//! The office and the person at work.

use axum::Json;
use axum::extract::State;
use mangle_app::App;
use mangle_app::settings::{self, CurrencyInfo, SettingsBody};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read, write)).routes(routes!(currencies))
}

/// The settings.
#[utoipa::path(get, path = "/api/settings", tag = "settings", responses((status = 200, body = SettingsBody)))]
async fn read(State(app): State<App>) -> Answer<SettingsBody> {
    Ok(Json(settings::read(&app).await?))
}

/// Changes the settings; addresses may be blank but not malformed.
#[utoipa::path(put, path = "/api/settings", tag = "settings", request_body = SettingsBody, responses((status = 200, body = SettingsBody), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Json(new): Json<SettingsBody>) -> Answer<SettingsBody> {
    Ok(Json(settings::write(&app, new).await?))
}

/// All currencies of ISO 4217 that are in use, by code.
#[utoipa::path(get, path = "/api/currencies", tag = "settings", responses((status = 200, body = Vec<CurrencyInfo>)))]
async fn currencies() -> Json<Vec<CurrencyInfo>> {
    Json(settings::currencies())
}
