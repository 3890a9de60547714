//! Set-ups that move between worlds: exported, compared, imported.

use axum::Json;
use axum::extract::{DefaultBodyLimit, Multipart, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::moves::{self, Choices, Exported, Imported, MoveView};
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, file, saved};
use crate::error::{Answer, Problem, Refused};

/// The largest file of set-ups.
const LARGEST: usize = 96 << 20;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(export)).routes(routes!(compare)).routes(routes!(import)).layer(DefaultBodyLimit::max(LARGEST))
}

/// Dispatches with the templates, clauses, messages, pictures and forms that they use, as one file.
#[utoipa::path(post, path = "/api/moves/export", tag = "moves", request_body = Exported, responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 404, body = Problem), (status = 422, body = Problem)))]
async fn export(State(app): State<App>, Json(what): Json<Exported>) -> Result<Response, Refused> {
    Ok(saved(moves::export(&app, what).await?))
}

/// Compares a file of set-ups with what is here; nothing is changed.
#[utoipa::path(post, path = "/api/moves/compare", tag = "moves", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = MoveView), (status = 422, body = Problem)))]
async fn compare(State(app): State<App>, form: Multipart) -> Answer<MoveView> {
    Ok(Json(moves::compare(&app, file(form).await?.bytes).await?))
}

/// What is chosen for an import.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
struct Chosen {
    /// The sheets of the dispatches' records, as JSON: `{"sources": {"refit-quotes": 3}}`.
    #[serde(default)]
    choices: String,
}

/// Takes a file of set-ups over: all of it, or nothing.
#[utoipa::path(post, path = "/api/moves/import", tag = "moves", params(Chosen), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Imported), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn import(State(app): State<App>, Query(chosen): Query<Chosen>, form: Multipart) -> Answer<Imported> {
    let choices = match chosen.choices.trim() {
        "" => Choices::default(),
        text => serde_json::from_str(text).map_err(|e| Refused::unusable("choices", format!("the choices can't be read: {e}")))?,
    };
    Ok(Json(moves::import(&app, file(form).await?.bytes, choices).await?))
}
