//! The office's logo, which public pages carry.

use mangle_documents::picture;

use crate::prepare::blocking;
use crate::store::settings;
use crate::transfer::{Download, Upload};
use crate::{App, Error, Outcome};

/// The largest logo, in bytes.
const LARGEST: usize = 1 << 20;

/// The logo; none where the office has none.
pub async fn read(app: &App) -> Outcome<Option<Download>> {
    let Some(file) = app.store.with(|c| settings::logo(c)).await? else { return Ok(None) };
    let bytes = app.files.get(&file).await?;
    let kind = kind_of(&bytes).unwrap_or("application/octet-stream");
    Ok(Some(Download::new(kind, "logo", bytes)))
}

/// Takes a picture as the logo.
pub async fn write(app: &App, upload: Upload) -> Outcome<()> {
    let Upload { name, bytes } = upload;
    if bytes.len() > LARGEST {
        return Err(Error::unusable("too-large", format!("“{name}” is larger than {} MB. Choose a smaller picture.", LARGEST >> 20)));
    }
    let known = bytes.clone();
    let is_picture = blocking(move || kind_of(&known).is_some() && picture::is_photograph(&known)).await?;
    if !is_picture {
        return Err(Error::unusable("picture", format!("“{name}” is not a readable picture. Use PNG, JPEG or WebP.")));
    }
    let file = app.files.keep(bytes).await?;
    Ok(app.store.change(move |t| settings::set_logo(t, Some(&file))).await?)
}

/// The office has no logo any more.
pub async fn remove(app: &App) -> Outcome<()> {
    Ok(app.store.change(|t| settings::set_logo(t, None)).await?)
}

/// What kind of picture it is, by its first bytes; none that could hold a script.
fn kind_of(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        _ => None,
    }
}
