//! Files that come in as forms.

use axum::extract::Multipart;
use axum::http::StatusCode;

use crate::error::Refused;

/// A file as it came.
#[derive(Debug)]
pub struct Upload {
    /// Its name, without folders.
    pub name: String,
    pub bytes: Vec<u8>,
}

/// What a form with files looks like.
#[derive(Debug, utoipa::ToSchema)]
#[allow(dead_code)]
pub struct FileForm {
    /// The file; several where several are taken.
    #[schema(value_type = String, format = Binary)]
    file: Vec<u8>,
}

/// The files of a form.
pub async fn files(mut form: Multipart) -> Result<Vec<Upload>, Refused> {
    let broken = |e: axum::extract::multipart::MultipartError| match e.status() {
        StatusCode::PAYLOAD_TOO_LARGE => {
            Refused::new(e.status(), "too-large", "the file is larger than 96 MB. Reduce its pictures or split it.")
        }
        status => Refused::new(status, "upload", "the upload was incomplete. Upload the file again."),
    };
    let mut found = Vec::new();
    while let Some(field) = form.next_field().await.map_err(broken)? {
        let Some(name) =
            field.file_name().map(|n| n.rsplit(['/', '\\']).next().unwrap_or(n).chars().filter(|c| !c.is_control()).take(200).collect())
        else {
            continue;
        };
        let bytes = field.bytes().await.map_err(broken)?.to_vec();
        found.push(Upload { name, bytes });
    }
    match found.is_empty() {
        true => Err(Refused::unusable("no-file", "no file selected. Choose one or drop it here.")),
        false => Ok(found),
    }
}

/// A file's name without its extension.
pub fn stem(name: &str) -> String {
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem).trim();
    if stem.is_empty() { "Untitled".to_owned() } else { stem.to_owned() }
}
