//! Signing rounds as the office looks after them; the organisation's key; files that are checked.

use axum::Json;
use axum::extract::{DefaultBodyLimit, Multipart, Path, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::signing::{self, Acted, KeyInfo, RoundDetail, RoundInfo, Selected, SignatureInput, VerifiedFile};
use mangle_core::signing::Place;
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, file, files_and, shown};
use crate::error::{Answer, Problem, Refused};

/// The largest file that is checked.
const LARGEST: usize = 200 << 20;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list))
        .routes(routes!(get))
        .routes(routes!(document))
        .routes(routes!(withdraw))
        .routes(routes!(remind))
        .routes(routes!(remind_all))
        .routes(routes!(correct))
        .routes(routes!(seal))
        .routes(routes!(countersign))
        .routes(routes!(key))
        .routes(routes!(bring_key))
        .routes(routes!(verify))
        .layer(DefaultBodyLimit::max(LARGEST))
}

/// Which rounds.
#[derive(Debug, Deserialize)]
struct Which {
    run: Option<i64>,
    state: Option<String>,
}

/// Signing rounds, those that changed last first.
#[utoipa::path(get, path = "/api/rounds", tag = "signing", params(("run" = Option<i64>, Query), ("state" = Option<String>, Query)), responses((status = 200, body = Vec<RoundInfo>)))]
async fn list(State(app): State<App>, Query(which): Query<Which>) -> Answer<Vec<RoundInfo>> {
    Ok(Json(app.rounds(which.run, which.state).await?))
}

/// A signing round with what happened in it.
#[utoipa::path(get, path = "/api/rounds/{id}", tag = "signing", params(("id" = i64, Path)), responses((status = 200, body = RoundDetail), (status = 404, body = Problem)))]
async fn get(State(app): State<App>, Path(id): Path<i64>) -> Answer<RoundDetail> {
    Ok(Json(app.round(id).await?))
}

/// The document of a round: sealed, or with what was signed so far.
#[utoipa::path(get, path = "/api/rounds/{id}/document", tag = "signing", params(("id" = i64, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
async fn document(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    Ok(shown(app.round_document(id).await?))
}

/// Why a round is withdrawn.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct Withdrawal {
    /// The reason; blank for none.
    #[serde(default)]
    reason: String,
}

/// Withdraws a round: nobody can sign any more.
#[utoipa::path(post, path = "/api/rounds/{id}/withdraw", tag = "signing", params(("id" = i64, Path)), request_body = Withdrawal, responses((status = 200, body = RoundDetail), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn withdraw(State(app): State<App>, Path(id): Path<i64>, Json(why): Json<Withdrawal>) -> Answer<RoundDetail> {
    Ok(Json(app.withdraw_round(id, why.reason).await?))
}

/// Reminds everyone whose turn it is.
#[utoipa::path(post, path = "/api/rounds/{id}/remind", tag = "signing", params(("id" = i64, Path)), responses((status = 200, body = RoundDetail), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn remind(State(app): State<App>, Path(id): Path<i64>) -> Answer<RoundDetail> {
    Ok(Json(app.remind_round(id).await?))
}

/// Reminds the signers of several rounds.
#[utoipa::path(post, path = "/api/rounds/remind", tag = "signing", request_body = Selected, responses((status = 200, body = Acted)))]
async fn remind_all(State(app): State<App>, Json(selected): Json<Selected>) -> Answer<Acted> {
    Ok(Json(app.remind_rounds(selected).await?))
}

/// A signer's address put right.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct AddressCorrection {
    /// Whose.
    place: Place,
    /// The address; the same one sends a new link.
    email: String,
}

/// Corrects a signer's address and sends a new link; the old one opens nothing any more.
#[utoipa::path(post, path = "/api/rounds/{id}/correct", tag = "signing", params(("id" = i64, Path)), request_body = AddressCorrection, responses((status = 200, body = RoundDetail), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn correct(State(app): State<App>, Path(id): Path<i64>, Json(own): Json<AddressCorrection>) -> Answer<RoundDetail> {
    Ok(Json(app.correct_signer(id, own.place, own.email).await?))
}

/// Tries to seal a round's document again at once.
#[utoipa::path(post, path = "/api/rounds/{id}/seal", tag = "signing", params(("id" = i64, Path)), responses((status = 200, body = RoundDetail), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn seal(State(app): State<App>, Path(id): Path<i64>) -> Answer<RoundDetail> {
    Ok(Json(app.seal_round(id).await?))
}

/// One signature for several rounds.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct Countersigning {
    /// The rounds' numbers.
    rounds: Vec<i64>,
    /// The signature.
    signature: SignatureInput,
    /// The initials; none where the signature serves for them.
    #[serde(default)]
    initials: Option<SignatureInput>,
}

/// Signs several rounds whose turn is the office's, with one signature.
#[utoipa::path(post, path = "/api/rounds/countersign", tag = "signing", request_body = Countersigning, responses((status = 200, body = Acted), (status = 422, body = Problem)))]
async fn countersign(State(app): State<App>, Json(own): Json<Countersigning>) -> Answer<Acted> {
    Ok(Json(app.countersign(own.rounds, own.signature, own.initials).await?))
}

/// The organisation's key for seals.
#[utoipa::path(get, path = "/api/seal-key", tag = "signing", responses((status = 200, body = KeyInfo)))]
async fn key(State(app): State<App>) -> Answer<KeyInfo> {
    Ok(Json(app.seal_key().await?))
}

/// What a form with a key looks like.
#[derive(Debug, utoipa::ToSchema)]
#[allow(dead_code)]
struct KeyForm {
    /// The file (PKCS#12).
    #[schema(value_type = String, format = Binary)]
    file: Vec<u8>,
    /// What opens it.
    password: String,
}

/// Takes a key of one's own (PKCS#12) for seals from now on.
#[utoipa::path(put, path = "/api/seal-key", tag = "signing", request_body(content = KeyForm, content_type = "multipart/form-data"), responses((status = 200, body = KeyInfo), (status = 422, body = Problem)))]
async fn bring_key(State(app): State<App>, form: Multipart) -> Answer<KeyInfo> {
    let (mut files, password) = files_and(form, "password").await?;
    Ok(Json(app.bring_seal_key(files.remove(0).bytes, password).await?))
}

/// Checks a PDF: whether Mangle sealed it, whether it was changed since, who signed.
#[utoipa::path(post, path = "/api/verify", tag = "signing", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = VerifiedFile), (status = 422, body = Problem)))]
async fn verify(form: Multipart) -> Answer<VerifiedFile> {
    let bytes = file(form).await?.bytes;
    Ok(Json(mangle_app::prepare::blocking(move || signing::verified(&bytes)).await?))
}
