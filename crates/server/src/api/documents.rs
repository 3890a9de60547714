//! Everything that was made: found, shown, handed out, put right, sent again; a person's data found
//! and erased.

use axum::Json;
use axum::extract::{DefaultBodyLimit, Multipart, Path, Query, State};
use axum::response::Response;
use mangle_app::App;
use mangle_app::documents::{self, Again, DocumentDetail, DocumentTrace, EditedDocument, Erase, ErasureInfo, FoundPage, PersonFound};
use mangle_app::store::runs::RunInfo;
use mangle_app::templates::versions::ChangeInfo;
use mangle_core::dispatch::Format;
use serde::Deserialize;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, file, saved, shown};
use crate::error::{Answer, Problem, Refused};

/// The largest DOCX that is taken back.
const LARGEST: usize = 96 << 20;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list))
        .routes(routes!(detail))
        .routes(routes!(version))
        .routes(routes!(word_processor, edited))
        .routes(routes!(changes))
        .routes(routes!(trace))
        .routes(routes!(repeat))
        .routes(routes!(zip))
        .routes(routes!(pdf))
        .routes(routes!(person))
        .routes(routes!(erasures, erase))
        .layer(DefaultBodyLimit::max(LARGEST))
}

/// Documents that were made, the newest first: by any word of their records, names and recipients,
/// and by dispatch, state and day.
#[utoipa::path(get, path = "/api/documents", tag = "documents", params(documents::Query), responses((status = 200, body = FoundPage), (status = 422, body = Problem)))]
async fn list(State(app): State<App>, Query(query): Query<documents::Query>) -> Answer<FoundPage> {
    Ok(Json(documents::found(&app, query).await?))
}

/// A record's documents with their versions, deliveries, signing round and history.
#[utoipa::path(get, path = "/api/items/{id}", tag = "documents", params(("id" = i64, Path)), responses((status = 200, body = DocumentDetail), (status = 404, body = Problem)))]
async fn detail(State(app): State<App>, Path(id): Path<i64>) -> Answer<DocumentDetail> {
    Ok(Json(documents::detail(&app, id).await?))
}

/// A version of a document, the newest or an earlier one.
#[utoipa::path(get, path = "/api/documents/{id}/versions/{version}", tag = "documents", params(("id" = i64, Path), ("version" = i64, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem)))]
async fn version(State(app): State<App>, Path((id, version)): Path<(i64, i64)>) -> Result<Response, Refused> {
    let file = documents::version(&app, id, version).await?;
    Ok(if file.media_type == Format::Pdf.media_type() { shown(file) } else { saved(file) })
}

/// A record's document as DOCX, to be edited in a word processor.
#[utoipa::path(get, path = "/api/items/{id}/docx", tag = "documents", params(("id" = i64, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn word_processor(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    Ok(saved(documents::word_processor(&app, id).await?))
}

/// Where the values of a document came from when it was made: its pages with marks, and what each
/// placeholder did.
#[utoipa::path(get, path = "/api/items/{id}/trace", tag = "documents", params(("id" = i64, Path)), responses((status = 200, body = DocumentTrace), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn trace(State(app): State<App>, Path(id): Path<i64>) -> Answer<DocumentTrace> {
    Ok(Json(documents::trace(&app, id).await?))
}

/// The lines in which a document that was edited differs from the version before.
#[utoipa::path(get, path = "/api/items/{id}/changes", tag = "documents", params(("id" = i64, Path)), responses((status = 200, body = Vec<ChangeInfo>), (status = 404, body = Problem)))]
async fn changes(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<ChangeInfo>> {
    Ok(Json(documents::changes(&app, id).await?))
}

/// Takes an edited DOCX as the document's next version; its PDF is made from it, and what was not
/// delivered yet gets it.
#[utoipa::path(put, path = "/api/items/{id}/docx", tag = "documents", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = EditedDocument), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn edited(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<EditedDocument> {
    Ok(Json(documents::edited(&app, id, file(form).await?).await?))
}

/// Sends a delivered document, as it is now, over the same channel again.
#[utoipa::path(post, path = "/api/deliveries/{id}/repeat", tag = "documents", params(("id" = i64, Path)), request_body = Again, responses((status = 200, body = RunInfo), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn repeat(State(app): State<App>, Path(id): Path<i64>, Json(told): Json<Again>) -> Answer<RunInfo> {
    Ok(Json(app.repeat(id, told).await?))
}

/// A selection of documents, by their items.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct SelectedItems {
    /// The items' numbers, at most 500.
    items: Vec<i64>,
}

/// Selected documents as one ZIP.
#[utoipa::path(post, path = "/api/documents.zip", tag = "documents", request_body = SelectedItems, responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn zip(State(app): State<App>, Json(own): Json<SelectedItems>) -> Result<Response, Refused> {
    Ok(saved(documents::selection_zip(&app, own.items).await?))
}

/// Selected documents' PDFs as one, with a bookmark for each.
#[utoipa::path(post, path = "/api/documents.pdf", tag = "documents", request_body = SelectedItems, responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn pdf(State(app): State<App>, Json(own): Json<SelectedItems>) -> Result<Response, Refused> {
    Ok(saved(documents::selection_pdf(&app, own.items).await?))
}

/// Whose data is looked for.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
struct Person {
    /// An e-mail address, a name or a number; at least 3 characters.
    text: String,
}

/// Finds a person's data in rows, answers and documents.
#[utoipa::path(post, path = "/api/persons", tag = "documents", request_body = Person, responses((status = 200, body = PersonFound), (status = 422, body = Problem)))]
async fn person(State(app): State<App>, Json(own): Json<Person>) -> Answer<PersonFound> {
    Ok(Json(documents::person(&app, own.text).await?))
}

/// Erases rows and documents for good: their files, values, recipients and history. An entry in the log stays
/// that says how much of what was erased.
#[utoipa::path(post, path = "/api/erasures", tag = "documents", request_body = Erase, responses((status = 200, body = ErasureInfo), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn erase(State(app): State<App>, Json(what): Json<Erase>) -> Answer<ErasureInfo> {
    Ok(Json(documents::erase(&app, what).await?))
}

/// The log of what was erased, the newest first.
#[utoipa::path(get, path = "/api/erasures", tag = "documents", responses((status = 200, body = Vec<ErasureInfo>)))]
async fn erasures(State(app): State<App>) -> Answer<Vec<ErasureInfo>> {
    Ok(Json(documents::erasures(&app).await?))
}
