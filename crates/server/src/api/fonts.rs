//! Fonts that a person brings in, for documents that name them.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use mangle_documents::page::families;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, files};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::prepare::blocking;
use mangle_app::store::fonts::{self, FontInfo};

/// The most fonts that are kept.
const MOST: usize = 200;
/// The largest font file, in bytes.
const LARGEST: usize = 30 << 20;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(remove))
}

/// The fonts that were brought in.
#[utoipa::path(get, path = "/api/fonts", tag = "settings", responses((status = 200, body = Vec<FontInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<FontInfo>> {
    Ok(Json(app.store.with(|c| fonts::list(c)).await?))
}

/// Brings fonts in (TrueType, OpenType, collections of them); a file of the same
/// name is replaced. What is no font is refused, and nothing is kept then.
#[utoipa::path(post, path = "/api/fonts", tag = "settings", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Vec<FontInfo>), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, form: Multipart) -> Answer<Vec<FontInfo>> {
    let uploads = files(form).await?;
    let known = app.store.with(|c| fonts::list(c)).await?.len();
    if known + uploads.len() > MOST {
        return Err(Refused::unusable("too-many", format!("at most {MOST} fonts can be stored. Remove some first.")));
    }
    let uploads = blocking(move || -> Result<_, Refused> {
        let mut read = Vec::new();
        for upload in uploads {
            if upload.bytes.len() > LARGEST {
                let limit = LARGEST >> 20;
                return Err(Refused::unusable("too-large", format!("“{}” is larger than {limit} MB. Upload a smaller font.", upload.name)));
            }
            let families = families(&upload.bytes);
            if families.is_empty() {
                let message = format!("“{}” is not a usable font. Upload a TTF, OTF or TTC file.", upload.name);
                return Err(Refused::unusable("font", message));
            }
            read.push((upload, families));
        }
        Ok(read)
    })
    .await??;
    for (upload, families) in uploads {
        let size = upload.bytes.len() as i64;
        let file = app.files.keep(upload.bytes).await?;
        app.store.with(move |c| fonts::keep(c, &upload.name, &families, &file, size)).await?;
    }
    app.forget_fonts();
    list(State(app)).await
}

/// Takes a font out.
#[utoipa::path(delete, path = "/api/fonts/{id}", tag = "settings", params(("id" = i64, Path)), responses((status = 200, body = Vec<FontInfo>)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<FontInfo>> {
    if !app.store.with(move |c| fonts::delete(c, id)).await? {
        return Err(Refused::missing("the font"));
    }
    app.forget_fonts();
    list(State(app)).await
}
