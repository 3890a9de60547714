//! Files that go along with every message of a dispatch.

use mangle_core::channel::FixedFile;

use super::find;
use crate::transfer::Upload;
use crate::{App, Error, Outcome};

/// The largest file that goes along with a message.
const LARGEST: usize = 25_000_000;

/// Stores a file; the set-up names it from then on.
pub async fn add(app: &App, key: String, upload: Upload) -> Outcome<FixedFile> {
    find(app, &key).await?;
    if upload.bytes.is_empty() {
        return Err(Error::unusable("empty", format!("the file “{}” is empty", upload.name)));
    }
    if upload.bytes.len() > LARGEST {
        return Err(Error::unusable("too-large", format!("the file “{}” exceeds 25 MB. Share it in another way.", upload.name)));
    }
    let size = upload.bytes.len() as u64;
    Ok(FixedFile { name: upload.name, file: app.files.keep(upload.bytes).await?, size })
}
