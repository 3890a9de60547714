//! Shared documents, for whoever has the address of one.

use axum::Json;
use axum::extract::{DefaultBodyLimit, Path, Query, State};
use axum::http::{Extensions, HeaderValue, header};
use axum::response::Response;
use mangle_app::App;
use mangle_app::share::{self, Opened, Opening, SharedPage};
use mangle_core::dispatch::Format;
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{saved, shown};
use crate::error::{Answer, Problem, Refused};
use crate::public::{Asked, pass};

/// The most bytes of what comes in.
const LARGEST: usize = 4 << 10;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(show)).routes(routes!(open)).routes(routes!(document)).layer(DefaultBodyLimit::max(LARGEST))
}

/// What is shared under an address: whether it can be opened.
#[utoipa::path(get, path = "/api/shared/{token}", tag = "shared", params(("token" = String, Path)), responses((status = 200, body = SharedPage), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(token): Path<String>, extensions: Extensions) -> Answer<SharedPage> {
    pass(&extensions, Asked::Look, &token)?;
    Ok(Json(share::show(&app, token).await?))
}

/// Opens a shared document.
#[utoipa::path(post, path = "/api/shared/{token}/open", tag = "shared", params(("token" = String, Path)), request_body = Opening, responses((status = 200, body = Opened), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem), (status = 429, body = Problem)))]
async fn open(State(app): State<App>, Path(token): Path<String>, extensions: Extensions, Json(opening): Json<Opening>) -> Answer<Opened> {
    let guard = pass(&extensions, Asked::Open, &token)?;
    if !opening.passcode.is_empty() {
        guard.pass_passcode(&token)?;
    }
    Ok(Json(share::open(&app, token, opening).await?))
}

/// What a file is asked for with.
#[derive(Debug, Deserialize)]
struct With {
    /// What opening the link gave.
    key: String,
    /// Whether it is to be saved, not shown.
    #[serde(default)]
    save: bool,
}

/// A file of a shared document that was opened.
#[utoipa::path(get, path = "/api/shared/{token}/{format}", tag = "shared", params(("token" = String, Path), ("format" = Format, Path), ("key" = String, Query), ("save" = Option<bool>, Query)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn document(
    State(app): State<App>,
    Path((token, format)): Path<(String, Format)>,
    Query(with): Query<With>,
    extensions: Extensions,
) -> Result<Response, Refused> {
    pass(&extensions, Asked::Look, &token)?;
    let file = share::document(&app, token, format, &with.key).await?;
    let mut response = if with.save { saved(file) } else { shown(file) };
    response.headers_mut().insert(header::CACHE_CONTROL, HeaderValue::from_static("private, no-store"));
    Ok(response)
}
