//! The signer's page, for whoever has the link of one.

use axum::Json;
use axum::extract::{DefaultBodyLimit, Path, Query, State};
use axum::http::{Extensions, HeaderValue, StatusCode, header};
use axum::response::Response;
use mangle_app::App;
use mangle_app::signing::{FilledIn, SignInput, Signed, SignerNow, SignerPage};
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{saved, shown};
use crate::error::{Answer, Problem, Refused};
use crate::public::{Asked, pass};

/// The most bytes of what comes in: two pictures of signatures, in base64.
const LARGEST: usize = 24 << 20;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(show))
        .routes(routes!(open))
        .routes(routes!(document))
        .routes(routes!(fill))
        .routes(routes!(sign))
        .routes(routes!(decline))
        .routes(routes!(hand_on))
        .layer(DefaultBodyLimit::max(LARGEST))
}

/// What a signer's link leads to: whether it can be opened.
#[utoipa::path(get, path = "/api/signer/{token}", tag = "signer", params(("token" = String, Path)), responses((status = 200, body = SignerPage), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(token): Path<String>, extensions: Extensions) -> Answer<SignerPage> {
    pass(&extensions, Asked::Look, &token)?;
    Ok(Json(app.signer_page(token).await?))
}

/// What opens a signer's link.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct SignerOpening {
    /// The passcode, where there is one.
    #[serde(default)]
    passcode: String,
}

/// Opens a signer's link.
#[utoipa::path(post, path = "/api/signer/{token}/open", tag = "signer", params(("token" = String, Path)), request_body = SignerOpening, responses((status = 200, body = SignerNow), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem), (status = 429, body = Problem)))]
async fn open(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(opening): Json<SignerOpening>,
) -> Answer<SignerNow> {
    let guard = pass(&extensions, Asked::Open, &token)?;
    if !opening.passcode.is_empty() {
        guard.pass_passcode(&token)?;
    }
    Ok(Json(app.open_signer(token, opening.passcode).await?))
}

/// What a page that was opened asks with.
#[derive(Debug, Deserialize)]
struct With {
    /// What opening the link gave.
    key: String,
    /// Whether it is to be saved, not shown.
    #[serde(default)]
    save: bool,
}

/// The document, with what others have signed.
#[utoipa::path(get, path = "/api/signer/{token}/document", tag = "signer", params(("token" = String, Path), ("key" = String, Query), ("save" = Option<bool>, Query)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn document(
    State(app): State<App>,
    Path(token): Path<String>,
    Query(with): Query<With>,
    extensions: Extensions,
) -> Result<Response, Refused> {
    pass(&extensions, Asked::Look, &token)?;
    let file = app.signer_document(token, with.key).await?;
    let mut response = if with.save { saved(file) } else { shown(file) };
    response.headers_mut().insert(header::CACHE_CONTROL, HeaderValue::from_static("private, no-store"));
    Ok(response)
}

/// Keeps what a signer has filled in so far, to come back to.
#[utoipa::path(put, path = "/api/signer/{token}/filled", tag = "signer", params(("token" = String, Path)), request_body = FilledIn, responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn fill(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(filled): Json<FilledIn>,
) -> Result<StatusCode, Refused> {
    pass(&extensions, Asked::Look, &token)?;
    app.keep_signer(token, filled).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Signs.
#[utoipa::path(post, path = "/api/signer/{token}/sign", tag = "signer", params(("token" = String, Path)), request_body = SignInput, responses((status = 200, body = Signed), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn sign(State(app): State<App>, Path(token): Path<String>, extensions: Extensions, Json(input): Json<SignInput>) -> Answer<Signed> {
    pass(&extensions, Asked::Answer, &token)?;
    Ok(Json(app.sign(token, input).await?))
}

/// Why a signer declines.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct Declining {
    /// What opening the page gave.
    key: String,
    /// The reason.
    reason: String,
}

/// Declines to sign.
#[utoipa::path(post, path = "/api/signer/{token}/decline", tag = "signer", params(("token" = String, Path)), request_body = Declining, responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn decline(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(with): Json<Declining>,
) -> Result<StatusCode, Refused> {
    pass(&extensions, Asked::Answer, &token)?;
    app.decline(token, with.key, with.reason).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Who signs instead.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct HandingOn {
    /// What opening the page gave.
    key: String,
    /// The name.
    name: String,
    /// The e-mail address.
    email: String,
}

/// Has somebody else sign.
#[utoipa::path(post, path = "/api/signer/{token}/hand-on", tag = "signer", params(("token" = String, Path)), request_body = HandingOn, responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn hand_on(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(with): Json<HandingOn>,
) -> Result<StatusCode, Refused> {
    pass(&extensions, Asked::Answer, &token)?;
    app.hand_on(token, with.key, with.name, with.email).await?;
    Ok(StatusCode::NO_CONTENT)
}
