//! Fonts that a person brings in, for documents that name them.

use mangle_documents::layout::families;

use crate::prepare::blocking;
use crate::store::fonts::{self, FontInfo};
use crate::transfer::Upload;
use crate::{App, Error, Outcome};

/// The most fonts that are kept.
const MOST: usize = 200;
/// The largest font file, in bytes.
const LARGEST: usize = 30 << 20;

/// The fonts that were brought in.
pub async fn list(app: &App) -> Outcome<Vec<FontInfo>> {
    Ok(app.store.with(|c| fonts::list(c)).await?)
}

/// Brings fonts in (TrueType, OpenType, collections of them); a file of the same
/// name is replaced. What is no font is refused, and nothing is kept then.
pub async fn add(app: &App, uploads: Vec<Upload>) -> Outcome<Vec<FontInfo>> {
    let known = app.store.with(|c| fonts::list(c)).await?.len();
    if known + uploads.len() > MOST {
        return Err(Error::unusable("too-many", format!("at most {MOST} fonts can be stored. Remove some first.")));
    }
    let uploads = blocking(move || -> Outcome<_> {
        let mut read = Vec::new();
        for upload in uploads {
            if upload.bytes.len() > LARGEST {
                let limit = LARGEST >> 20;
                return Err(Error::unusable("too-large", format!("“{}” is larger than {limit} MB. Upload a smaller font.", upload.name)));
            }
            let families = families(&upload.bytes);
            if families.is_empty() {
                let message = format!("“{}” is not a usable font. Upload a TTF, OTF or TTC file.", upload.name);
                return Err(Error::unusable("font", message));
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
    list(app).await
}

/// Takes a font out.
pub async fn remove(app: &App, id: i64) -> Outcome<Vec<FontInfo>> {
    if !app.store.with(move |c| fonts::delete(c, id)).await? {
        return Err(Error::missing("the font"));
    }
    app.forget_fonts();
    list(app).await
}
