//! The office and the person at work.

use axum::Json;
use axum::extract::State;
use mangle_core::value::EmailAddress;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};
use crate::server::App;
use crate::store::settings::{self, Settings};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(read, write))
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
    let kept = new.clone();
    app.store.with(move |c| settings::write(c, &kept)).await?;
    Ok(Json(new))
}
