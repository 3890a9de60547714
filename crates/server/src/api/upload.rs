//! Files that come in as forms, and files that go out.

use axum::extract::Multipart;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use mangle_app::transfer::{Download, Upload};

use crate::error::Refused;

/// What a form with files looks like.
#[derive(Debug, utoipa::ToSchema)]
#[allow(dead_code)]
pub struct FileForm {
    /// The file; several where several are taken.
    #[schema(value_type = String, format = Binary)]
    file: Vec<u8>,
}

/// The files of a form.
pub async fn files(form: Multipart) -> Result<Vec<Upload>, Refused> {
    Ok(files_and(form, "").await?.0)
}

/// The files of a form, and what its field of that name holds.
pub async fn files_and(mut form: Multipart, name: &str) -> Result<(Vec<Upload>, String), Refused> {
    let broken = |e: axum::extract::multipart::MultipartError| match e.status() {
        StatusCode::PAYLOAD_TOO_LARGE => {
            Refused::new(e.status(), "too-large", "the file is larger than 96 MB. Reduce its pictures or split it.")
        }
        status => Refused::new(status, "upload", "the upload was incomplete. Upload the file again."),
    };
    let (mut found, mut said) = (Vec::new(), String::new());
    while let Some(field) = form.next_field().await.map_err(broken)? {
        let Some(file) =
            field.file_name().map(|n| n.rsplit(['/', '\\']).next().unwrap_or(n).chars().filter(|c| !c.is_control()).take(200).collect())
        else {
            if !name.is_empty() && field.name() == Some(name) {
                said = field.text().await.map_err(broken)?;
            }
            continue;
        };
        let bytes = field.bytes().await.map_err(broken)?.to_vec();
        found.push(Upload { name: file, bytes });
    }
    match found.is_empty() {
        true => Err(Refused::unusable("no-file", "no file selected. Choose one or drop it here.")),
        false => Ok((found, said)),
    }
}

/// The one file of a form.
pub async fn file(form: Multipart) -> Result<Upload, Refused> {
    Ok(files(form).await?.remove(0))
}

/// A file to be saved under its name (RFC 6266).
pub fn saved(file: Download) -> Response {
    named(file, "attachment")
}

/// A file to be shown.
pub fn shown(file: Download) -> Response {
    named(file, "inline")
}

fn named(file: Download, how: &str) -> Response {
    let encoded: String = file
        .name
        .bytes()
        .map(|b| match b {
            b' ' => "%20".to_owned(),
            _ if b.is_ascii_alphanumeric() || b"-._".contains(&b) => char::from(b).to_string(),
            _ => format!("%{b:02X}"),
        })
        .collect();
    let disposition = format!("{how}; filename*=UTF-8''{encoded}");
    ([(header::CONTENT_TYPE, file.media_type), (header::CONTENT_DISPOSITION, disposition)], file.bytes).into_response()
}
