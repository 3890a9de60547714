//! The office and the person at work.

use axum::Json;
use axum::extract::State;
use mangle_core::value::{Currency, EmailAddress, Locale};
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::store::settings::{self, Settings};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read, write)).routes(routes!(currencies))
}

/// The settings.
#[utoipa::path(get, path = "/api/settings", tag = "settings", responses((status = 200, body = Settings)))]
async fn read(State(app): State<App>) -> Answer<Settings> {
    Ok(Json(app.store.with(|c| settings::read(c)).await?))
}

/// Changes the settings; addresses may be blank but not malformed.
#[utoipa::path(put, path = "/api/settings", tag = "settings", request_body = Settings, responses((status = 200, body = Settings), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Json(new): Json<Settings>) -> Answer<Settings> {
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
    let kept = new.clone();
    app.store.with(move |c| settings::write(c, &kept)).await?;
    Ok(Json(new))
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
