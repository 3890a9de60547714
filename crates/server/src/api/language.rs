//! The placeholder language for editors: checking while typing, completion, help.

use axum::Json;
use axum::extract::State;
use mangle_app::App;
use mangle_app::language::{self, Checked, Completion, Cursor, FunctionInfo};
use mangle_core::diagnostic::Diagnostic;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(check)).routes(routes!(complete)).routes(routes!(functions))
}

/// Tells all that is wrong with an expression or a text.
#[utoipa::path(post, path = "/api/language/check", tag = "language", request_body = Checked, responses((status = 200, body = Vec<Diagnostic>), (status = 422, body = Problem)))]
async fn check(State(app): State<App>, Json(asked): Json<Checked>) -> Answer<Vec<Diagnostic>> {
    Ok(Json(language::check(&app, asked).await?))
}

/// Offers what could stand at a place in an expression.
#[utoipa::path(post, path = "/api/language/complete", tag = "language", request_body = Cursor, responses((status = 200, body = Completion), (status = 422, body = Problem)))]
async fn complete(State(app): State<App>, Json(asked): Json<Cursor>) -> Answer<Completion> {
    Ok(Json(language::complete(&app, asked).await?))
}

/// All functions of the language.
#[utoipa::path(get, path = "/api/language/functions", tag = "language", responses((status = 200, body = Vec<FunctionInfo>)))]
async fn functions() -> Json<Vec<FunctionInfo>> {
    Json(language::functions())
}
