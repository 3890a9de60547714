//! Files as they come in and go out.

use bytes::Bytes;

/// A file as it came.
#[derive(Debug)]
pub struct Upload {
    /// Its name, without folders.
    pub name: String,
    /// What is in it.
    pub bytes: Vec<u8>,
}

/// A file to hand out.
#[derive(Debug)]
pub struct Download {
    /// What kind of file it is: a media type (RFC 6838).
    pub media_type: String,
    /// Its name.
    pub name: String,
    /// What is in it.
    pub bytes: Bytes,
}

impl Download {
    /// A file of a kind.
    pub fn new(media_type: &str, name: &str, bytes: impl Into<Bytes>) -> Download {
        Download { media_type: media_type.to_owned(), name: name.to_owned(), bytes: bytes.into() }
    }
}

/// A file's name without its extension.
pub fn stem(name: &str) -> String {
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem).trim();
    if stem.is_empty() { "Untitled".to_owned() } else { stem.to_owned() }
}
