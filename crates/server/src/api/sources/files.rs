//! The files that the cells of a sheet name: photographs, certificates.

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use mangle_core::language::syntax::Sizes;
use mangle_core::words::grouped;
use mangle_documents::picture;
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::templates::attach;
use crate::api::upload::{FileForm, files};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::pictures::matched;
use mangle_app::prepare::blocking;
use mangle_app::store::files::{self as store, SheetFile};

/// The most files beside a sheet.
const MOST: usize = 20_000;
/// The sides of a small picture, in points at 144 dots to the inch.
const SMALL: (f64, f64) = (120.0, 120.0);

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(show, remove))
}

/// The files beside a sheet.
#[utoipa::path(get, path = "/api/sheets/{id}/files", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = Vec<SheetFile>)))]
async fn list(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<SheetFile>> {
    super::info(&app, id).await?;
    Ok(Json(app.store.with(move |c| store::list(c, id)).await?))
}

/// Puts files beside a sheet; cells name them. One of the same name is replaced.
#[utoipa::path(post, path = "/api/sheets/{id}/files", tag = "sources", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Vec<SheetFile>), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<Vec<SheetFile>> {
    super::info(&app, id).await?;
    let uploads = files(form).await?;
    let known = app.store.with(move |c| store::list(c, id)).await?.len();
    if known + uploads.len() > MOST {
        return Err(Refused::unusable("too-many", format!("a sheet can have at most {} files. Remove some first.", grouped(MOST))));
    }
    for upload in uploads {
        let (bytes, picture) = blocking(move || {
            let picture = picture::is_photograph(&upload.bytes);
            (upload.bytes, picture)
        })
        .await?;
        let size = bytes.len() as i64;
        let file = app.files.keep(bytes).await?;
        app.store.with(move |c| store::keep(c, id, &SheetFile { name: upload.name, file, size, picture })).await?;
    }
    list(State(app), Path(id)).await
}

/// How a file is asked for.
#[derive(Debug, Deserialize, IntoParams)]
struct How {
    /// A picture made small, for tables.
    #[serde(default)]
    small: bool,
}

/// A file; pictures are shown, all else is saved.
#[utoipa::path(get, path = "/api/sheets/{id}/files/{name}", tag = "sources", params(("id" = i64, Path), ("name" = String, Path), How), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path((id, name)): Path<(i64, String)>, Query(how): Query<How>) -> Result<Response, Refused> {
    let found = app.store.with(move |c| store::get(c, id, &name)).await?.ok_or_else(|| Refused::missing("the file"))?;
    let bytes = app.files.get(&found.file).await?;
    if !found.picture {
        return Ok(attach("application/octet-stream", &found.name, bytes, "attachment"));
    }
    let wanted = how.small.then_some(SMALL);
    let name = found.name.clone();
    let ready = blocking(move || {
        let sizes = Sizes { fit: wanted, ..Sizes::default() };
        picture::prepare(&name, &bytes.into(), &sizes, None, f64::MAX)
    })
    .await?;
    let ready = ready.map_err(|e| Refused::unusable("picture", e.to_string()))?;
    let mut answer = attach(&format!("image/{}", ready.kind), &found.name, ready.bytes.to_vec(), "inline").into_response();
    answer.headers_mut().insert(header::CACHE_CONTROL, header::HeaderValue::from_static("private, max-age=600"));
    Ok(answer)
}

/// Takes a file away; cells that name it stay as they are.
#[utoipa::path(delete, path = "/api/sheets/{id}/files/{name}", tag = "sources", params(("id" = i64, Path), ("name" = String, Path)), responses((status = 200, body = bool)))]
async fn remove(State(app): State<App>, Path((id, name)): Path<(i64, String)>) -> Answer<bool> {
    Ok(Json(app.store.with(move |c| store::delete(c, id, &name)).await?))
}

/// The files of a sheet by the names that cells give.
#[derive(Debug, Default)]
pub(super) struct Named(std::collections::HashMap<String, SheetFile>);

impl Named {
    pub fn new(files: Vec<SheetFile>) -> Named {
        Named(files.into_iter().map(|file| (matched(&file.name), file)).collect())
    }

    /// The file that a text names: by its whole path, else by its last part.
    pub fn get(&self, text: &str) -> Option<&SheetFile> {
        if self.0.is_empty() || text.len() > 300 {
            return None;
        }
        let wanted = matched(text);
        self.0.get(&wanted).or_else(|| self.0.get(wanted.rsplit('/').next()?))
    }
}
