//! The front end, embedded in the program.

use axum::http::{StatusCode, Uri, header};
use axum::response::{Html, IntoResponse, Response};
use mangle_app::{App, frames};
use rust_embed::Embed;

use crate::error::Refused;

/// Names the built files: a new build of them is a new build of this.
const _BUILT: &str = env!("MANGLE_WEB");

#[derive(Embed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Built;

/// A file of the front end; every other address is a screen of its. One record may be shown within
/// the pages of the CRM that it comes from.
pub async fn serve(app: App, uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let response = built(path, "index.html");
    match path.strip_prefix("go/").and_then(|rest| rest.split('/').next()) {
        Some(key) => framed(response, frames::of_dispatch(&app, decoded(key)).await, OFFICE_POLICY),
        None => response,
    }
}

/// What pages of the office may load and do: only what comes from here, and in no other site's frame.
pub const OFFICE_POLICY: &str = "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self' data: blob:; worker-src 'self' blob:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";

/// A page that some sites may show within their own.
fn framed(mut response: Response, origins: mangle_app::Outcome<Option<String>>, policy: &str) -> Response {
    if let Ok(Some(origins)) = origins
        && let Ok(value) = policy.replace("frame-ancestors 'none'", &format!("frame-ancestors {origins}")).parse()
    {
        response.headers_mut().insert(header::CONTENT_SECURITY_POLICY, value);
    }
    response
}

/// A part of an address as it is meant (RFC 3986, 2.1).
fn decoded(part: &str) -> String {
    percent_encoding::percent_decode_str(part).decode_utf8_lossy().into_owned()
}

/// What people read who have a wrong address.
const NO_PAGE: &str = "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content='width=device-width'>\
<title>Page not found</title><p>This page does not exist. Check the address, or ask the sender for a new one.</p>";

/// A file of the public pages: forms are answered, shared documents read and documents signed on pages of their own,
/// which load nothing of the office.
pub async fn serve_public(app: App, uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if let Some(token) = path.strip_prefix("f/") {
        return framed(built(path, "form.html"), frames::of_form(&app, decoded(token)).await, crate::public::POLICY);
    }
    let page = match path.split_once('/') {
        Some(("d", _)) => "shared.html",
        Some(("s", _)) => "sign.html",
        _ if path.starts_with("assets/") || path == "mark.svg" => "",
        _ if path.starts_with("api/") => "",
        _ => return (StatusCode::NOT_FOUND, Html(NO_PAGE)).into_response(),
    };
    built(path, page)
}

fn built(path: &str, page: &'static str) -> Response {
    if path.starts_with("api/") {
        return Refused::missing("this address").into_response();
    }
    let (file, name) = match Built::get(path) {
        Some(file) if !path.is_empty() => (file, path),
        _ if path.starts_with("assets/") => return StatusCode::NOT_FOUND.into_response(),
        _ => match Built::get(page) {
            Some(file) => (file, page),
            None => return (StatusCode::NOT_FOUND, "The front end is not built; run make web").into_response(),
        },
    };
    let kind = mime_guess::from_path(name).first_or_octet_stream();
    // Built files carry their content's hash in their names.
    let keep = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    ([(header::CONTENT_TYPE, kind.to_string()), (header::CACHE_CONTROL, keep.to_owned())], file.data).into_response()
}
