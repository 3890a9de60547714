//! The files that the cells of a sheet name: photographs, certificates.

use mangle_core::language::syntax::Sizes;
use mangle_core::words::grouped;
use mangle_documents::picture;
use serde::Deserialize;

use crate::pictures::matched;
use crate::prepare::blocking;
use crate::store::files::{self as store, SheetFile};
use crate::transfer::{Download, Upload};
use crate::{App, Error, Outcome};

/// The most files beside a sheet.
const MOST: usize = 20_000;
/// The sides of a small picture, in points at 144 dots to the inch.
const SMALL: (f64, f64) = (120.0, 120.0);

/// The files beside a sheet.
pub async fn list(app: &App, id: i64) -> Outcome<Vec<SheetFile>> {
    super::info(app, id).await?;
    Ok(app.store.with(move |c| store::list(c, id)).await?)
}

/// Puts files beside a sheet; cells name them. One of the same name is replaced.
pub async fn add(app: &App, id: i64, uploads: Vec<Upload>) -> Outcome<Vec<SheetFile>> {
    super::info(app, id).await?;
    let known = app.store.with(move |c| store::list(c, id)).await?.len();
    if known + uploads.len() > MOST {
        return Err(Error::unusable("too-many", format!("a sheet can have at most {} files. Remove some first.", grouped(MOST))));
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
    list(app, id).await
}

/// How a file is asked for.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct How {
    /// A picture made small, for tables.
    #[serde(default)]
    pub small: bool,
}

/// A file; of a picture with its kind, made small where that is wished.
pub async fn show(app: &App, id: i64, name: String, how: How) -> Outcome<Download> {
    let found = app.store.with(move |c| store::get(c, id, &name)).await?.ok_or_else(|| Error::missing("the file"))?;
    let bytes = app.files.get(&found.file).await?;
    if !found.picture {
        return Ok(Download::new("application/octet-stream", &found.name, bytes));
    }
    let wanted = how.small.then_some(SMALL);
    let name = found.name.clone();
    let ready = blocking(move || {
        let sizes = Sizes { fit: wanted, ..Sizes::default() };
        picture::prepare(&name, &bytes.into(), &sizes, None, f64::MAX)
    })
    .await?;
    let ready = ready.map_err(|e| Error::unusable("picture", e.to_string()))?;
    Ok(Download::new(&format!("image/{}", ready.kind), &found.name, ready.bytes.to_vec()))
}

/// Takes a file away; cells that name it stay as they are.
pub async fn remove(app: &App, id: i64, name: String) -> Outcome<bool> {
    Ok(app.store.with(move |c| store::delete(c, id, &name)).await?)
}

/// The files of a sheet by the names that cells give.
#[derive(Debug, Default)]
pub struct Named(std::collections::HashMap<String, SheetFile>);

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
