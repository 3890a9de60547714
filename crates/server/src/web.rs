//! The front end, embedded in the program.

use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::Embed;

use crate::error::Refused;

/// Names the built files: a new build of them is a new build of this.
const _BUILT: &str = env!("MANGLE_WEB");

#[derive(Embed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Built;

/// Forms are answered on a page of their own, which loads nothing of the desk.
fn page(path: &str) -> &'static str {
    if path.starts_with("f/") { "form.html" } else { "index.html" }
}

/// A file of the front end; every other address is a screen of its.
pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return Refused::missing("this address").into_response();
    }
    let (file, name) = match Built::get(path) {
        Some(file) if !path.is_empty() => (file, path),
        _ if path.starts_with("assets/") => return StatusCode::NOT_FOUND.into_response(),
        _ => match Built::get(page(path)) {
            Some(file) => (file, page(path)),
            None => return (StatusCode::NOT_FOUND, "The front end is not built; run make web").into_response(),
        },
    };
    let kind = mime_guess::from_path(name).first_or_octet_stream();
    // Built files carry their content's hash in their names.
    let keep = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    ([(header::CONTENT_TYPE, kind.to_string()), (header::CACHE_CONTROL, keep.to_owned())], file.data).into_response()
}
