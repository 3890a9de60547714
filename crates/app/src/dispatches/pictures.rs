//! The pictures of a dispatch's folder.

use mangle_core::words::grouped;
use mangle_documents::picture;

use crate::dispatches::find;
use crate::prepare::blocking;
use crate::store::pictures::{self, PictureInfo};
use crate::transfer::{Download, Upload};
use crate::{App, Error, Outcome};

/// The most pictures that a folder holds.
const MOST: usize = 5_000;

/// The pictures of a dispatch's folder.
pub async fn list(app: &App, key: String) -> Outcome<Vec<PictureInfo>> {
    let dispatch = find(app, &key).await?;
    Ok(app.store.with(move |c| pictures::list(c, dispatch.id)).await?)
}

/// Puts pictures into a dispatch's folder; one of the same name is replaced. What
/// is no picture is refused, and nothing is kept then.
pub async fn add(app: &App, key: String, uploads: Vec<Upload>) -> Outcome<Vec<PictureInfo>> {
    let dispatch = find(app, &key).await?;
    let (known, id) = (app.store.with(move |c| pictures::list(c, dispatch.id)).await?.len(), dispatch.id);
    if known + uploads.len() > MOST {
        return Err(Error::unusable("too-many", format!("a dispatch can have at most {} pictures. Remove some first.", grouped(MOST))));
    }
    let uploads = blocking(move || -> Outcome<_> {
        for upload in &uploads {
            picture::check(&upload.name, &upload.bytes).map_err(|e| Error::unusable("picture", e.to_string()))?;
        }
        Ok(uploads)
    })
    .await??;
    for upload in uploads {
        let size = upload.bytes.len() as i64;
        let file = app.files.keep(upload.bytes).await?;
        app.store.with(move |c| pictures::keep(c, id, &PictureInfo { name: upload.name, file, size })).await?;
    }
    Ok(app.store.with(move |c| pictures::list(c, id)).await?)
}

/// A picture of a dispatch's folder.
pub async fn show(app: &App, key: String, name: String) -> Outcome<Download> {
    let dispatch = find(app, &key).await?;
    let found = app.store.with(move |c| pictures::get(c, dispatch.id, &name)).await?.ok_or_else(|| Error::missing("the picture"))?;
    let bytes = app.files.get(&found.file).await?;
    // By name only: the page that asks shows it as a picture, and SVG is never run.
    let kind = match found.name.to_ascii_lowercase().rsplit('.').next() {
        Some("png") => "image/png",
        Some("gif") => "image/gif",
        Some("webp") => "image/webp",
        Some("jpg" | "jpeg") => "image/jpeg",
        _ => "application/octet-stream",
    };
    Ok(Download::new(kind, &found.name, bytes))
}

/// Takes a picture out of a dispatch's folder.
pub async fn remove(app: &App, key: String, name: String) -> Outcome<bool> {
    let dispatch = find(app, &key).await?;
    Ok(app.store.with(move |c| pictures::delete(c, dispatch.id, &name)).await?)
}
