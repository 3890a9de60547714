//! The office and the person at work.

use axum::Json;
use axum::extract::State;
use mangle_core::value::{Currency, EmailAddress, Locale};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::store::settings::{self, Settings};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read, write)).routes(routes!(currencies))
}

/// The settings, with what tells whether they were changed elsewhere.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
struct SettingsBody {
    /// The settings.
    #[serde(flatten)]
    settings: Settings,
    /// How often they were changed. Sent back with a change, it is made only if nobody else
    /// made one since.
    #[serde(default)]
    revision: Option<i64>,
}

/// The settings.
#[utoipa::path(get, path = "/api/settings", tag = "settings", responses((status = 200, body = SettingsBody)))]
async fn read(State(app): State<App>) -> Answer<SettingsBody> {
    let read = app
        .store
        .read(|c| -> anyhow::Result<_> { Ok(SettingsBody { settings: settings::read(c)?, revision: Some(settings::revision(c)?) }) });
    Ok(Json(read.await?))
}

/// Changes the settings; addresses may be blank but not malformed.
#[utoipa::path(put, path = "/api/settings", tag = "settings", request_body = SettingsBody, responses((status = 200, body = SettingsBody), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Json(SettingsBody { settings: new, revision }): Json<SettingsBody>) -> Answer<SettingsBody> {
    for address in [&new.office_email, &new.person_email] {
        if !address.trim().is_empty() {
            EmailAddress::parse(address).map_err(|e| Refused::unusable("not-an-address", e.to_string()))?;
        }
    }
    if !new.locale.trim().is_empty() {
        Locale::parse(new.locale.trim()).map_err(|e| Refused::unusable("locale", e.to_string()))?;
    }
    if !new.currency.trim().is_empty() {
        Currency::parse(&new.currency).map_err(|e| Refused::unusable("unknown-currency", e.to_string()))?;
    }
    app.store.change(move |t| settings::change(t, revision, &new)).await?.done("the settings")?;
    read(State(app)).await
}

/// A currency that amounts can be in.
#[derive(Debug, Serialize, ToSchema)]
struct CurrencyInfo {
    /// Its code (ISO 4217).
    code: &'static str,
    /// Its English name.
    name: &'static str,
}

/// All currencies of ISO 4217 that are in use, by code.
#[utoipa::path(get, path = "/api/currencies", tag = "settings", responses((status = 200, body = Vec<CurrencyInfo>)))]
async fn currencies() -> Json<Vec<CurrencyInfo>> {
    Json(Currency::all().map(|(code, name)| CurrencyInfo { code, name }).collect())
}
