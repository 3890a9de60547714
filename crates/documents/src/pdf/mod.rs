//! PDFs as files: several joined into one, one closed by a password, one that is a part as it is,
//! one as pictures for a printer.

mod find;
mod fixed;
mod merge;
mod raster;
mod stamp;

use std::collections::BTreeMap;
use std::sync::Arc;

use lopdf::encryption::crypt_filters::{Aes256CryptFilter, CryptFilter};
use lopdf::{Document, EncryptionState, EncryptionVersion, Object, ObjectId, Permissions};

pub use find::FoundText;
pub use fixed::{FixedFault, FixedPdf};
pub(crate) use merge::{How, Merge, PART, number_tree};
pub use raster::raster;
pub(crate) use stamp::stamp;

/// PDFs that can't be joined.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum JoinError {
    /// One of them can't be read.
    #[error("document {number} can't be read: {why}")]
    Unreadable {
        /// Which, from 1.
        number: usize,
        /// Why.
        why: String,
    },
    /// One of them is closed.
    #[error("document {0} has a password, so the documents can't be combined. Download them as a ZIP.")]
    Closed(usize),
    /// The joined file can't be written.
    #[error("the combined PDF can't be created: {0}")]
    Unwritable(String),
}

/// A PDF that can't be closed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the password can't be set: {0}")]
pub struct CloseError(String);

/// The longest password (ISO 32000-2, 7.6.4.3.2), in bytes.
pub const LONGEST_PASSWORD: usize = 127;

/// Closes a PDF by a password, with AES of 256 bits (ISO 32000-2, 7.6). Whoever has
/// it may do everything.
pub fn close(pdf: &[u8], password: &str) -> Result<Vec<u8>, CloseError> {
    if password.is_empty() || password.len() > LONGEST_PASSWORD {
        return Err(CloseError(format!("passwords can have 1 to {LONGEST_PASSWORD} bytes; this one has {}", password.len())));
    }
    let failed = |e: lopdf::Error| CloseError(e.to_string());
    let mut document = Document::load_mem(pdf).map_err(failed)?;
    let (mut key, mut owner) = ([0; 32], [0; 24]);
    getrandom::fill(&mut key).and_then(|()| getrandom::fill(&mut owner)).map_err(|e| CloseError(e.to_string()))?;
    // Nobody knows the owner's password: there is nothing that the reader's does not open.
    let owner: String = owner.iter().map(|b| format!("{b:02x}")).collect();
    let filter: Arc<dyn CryptFilter> = Arc::new(Aes256CryptFilter);
    let state = EncryptionState::try_from(EncryptionVersion::V5 {
        encrypt_metadata: true,
        crypt_filters: BTreeMap::from([(b"StdCF".to_vec(), filter)]),
        file_encryption_key: &key,
        stream_filter: b"StdCF".to_vec(),
        string_filter: b"StdCF".to_vec(),
        owner_password: &owner,
        user_password: password,
        permissions: Permissions::all(),
    })
    .map_err(failed)?;
    document.encrypt(&state).map_err(failed)?;
    let mut out = Vec::new();
    document.save_to(&mut out).map_err(|e| CloseError(e.to_string()))?;
    Ok(out)
}

/// Joins PDFs into one of that title, each with a bookmark of its title at its first page; tags, links and
/// bookmarks stay.
pub fn join(title: &str, documents: impl IntoIterator<Item = (String, Vec<u8>)>) -> Result<Vec<u8>, JoinError> {
    let mut merge = Merge::new();
    for (index, (name, bytes)) in documents.into_iter().enumerate() {
        let document = Document::load_mem(&bytes).map_err(|e| JoinError::Unreadable { number: index + 1, why: e.to_string() })?;
        if document.is_encrypted() {
            return Err(JoinError::Closed(index + 1));
        }
        // The standard that one says it keeps need not be that of the others.
        merge.add(name, document, false)?;
    }
    merge.finish(How { title, ..How::default() })
}

/// A page's entry, or that of the nearest of its parents that has one.
pub(crate) fn inherited(document: &Document, page: ObjectId, key: &[u8]) -> Option<Object> {
    let mut at = page;
    for _ in 0..64 {
        let dictionary = document.get_dictionary(at).ok()?;
        if let Ok(value) = dictionary.get(key) {
            return Some(value.clone());
        }
        at = dictionary.get(b"Parent").and_then(Object::as_reference).ok()?;
    }
    None
}
