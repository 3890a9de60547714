//! PDFs as files: several joined into one, one closed by a password.

mod raster;

use std::collections::BTreeMap;
use std::sync::Arc;

use lopdf::encryption::crypt_filters::{Aes256CryptFilter, CryptFilter};
use lopdf::{Document, EncryptionState, EncryptionVersion, Object, ObjectId, Permissions, dictionary};

pub use raster::raster;

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

/// Joins PDFs into one, each with a bookmark of its title at its first page.
pub fn join(documents: impl IntoIterator<Item = (String, Vec<u8>)>) -> Result<Vec<u8>, JoinError> {
    let mut joined = Document::with_version("1.7");
    let pages_id = joined.new_object_id();
    let mut kids: Vec<Object> = Vec::new();
    let mut marks: Vec<(String, ObjectId)> = Vec::new();
    for (index, (title, bytes)) in documents.into_iter().enumerate() {
        let mut document = Document::load_mem(&bytes).map_err(|e| JoinError::Unreadable { number: index + 1, why: e.to_string() })?;
        if document.is_encrypted() {
            return Err(JoinError::Closed(index + 1));
        }
        document.renumber_objects_with(joined.max_id + 1);
        joined.max_id = document.max_id;
        let pages: BTreeMap<u32, ObjectId> = document.get_pages();
        // What a page takes from its parents must be its own before they go.
        for id in pages.values() {
            let inherited: Vec<(&[u8], Object)> = [b"Resources".as_slice(), b"MediaBox", b"CropBox", b"Rotate"]
                .into_iter()
                .filter_map(|key| Some((key, inherited(&document, *id, key)?)))
                .collect();
            if let Ok(Object::Dictionary(page)) = document.get_object_mut(*id) {
                for (key, value) in inherited {
                    page.set(key, value);
                }
                page.set("Parent", pages_id);
                // The tags of the parts do not hold for the whole.
                page.remove(b"StructParents");
            }
            kids.push((*id).into());
        }
        if let Some(first) = pages.values().next() {
            marks.push((title, *first));
        }
        for (id, object) in document.objects {
            let structural = object.as_dict().is_ok_and(|d| {
                d.has_type(b"Catalog") || d.has_type(b"Pages") || d.has_type(b"StructTreeRoot") || d.has_type(b"StructElem")
            });
            if !structural {
                joined.objects.insert(id, object);
            }
        }
    }
    let count = kids.len() as i64;
    joined.objects.insert(pages_id, dictionary! { "Type" => "Pages", "Kids" => kids, "Count" => count }.into());
    let outlines = outlines(&mut joined, &marks);
    let catalog =
        joined.add_object(dictionary! { "Type" => "Catalog", "Pages" => pages_id, "Outlines" => outlines, "PageMode" => "UseOutlines" });
    joined.trailer.set("Root", catalog);
    joined.prune_objects();
    joined.compress();
    let mut out = Vec::new();
    joined.save_to(&mut out).map_err(|e| JoinError::Unwritable(e.to_string()))?;
    Ok(out)
}

/// A page's entry, or that of the nearest of its parents that has one.
fn inherited(document: &Document, page: ObjectId, key: &[u8]) -> Option<Object> {
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

/// Bookmarks (ISO 32000-1, 12.3.3), one after the other.
fn outlines(document: &mut Document, marks: &[(String, ObjectId)]) -> ObjectId {
    let root = document.new_object_id();
    let ids: Vec<ObjectId> = marks.iter().map(|_| document.new_object_id()).collect();
    for (index, (title, page)) in marks.iter().enumerate() {
        let mut item = dictionary! {
            "Title" => lopdf::text_string(title),
            "Parent" => root,
            "Dest" => vec![Object::Reference(*page), Object::Name(b"Fit".to_vec())],
        };
        if let Some(before) = index.checked_sub(1) {
            item.set("Prev", ids[before]);
        }
        if let Some(next) = ids.get(index + 1) {
            item.set("Next", *next);
        }
        document.objects.insert(ids[index], item.into());
    }
    let mut dictionary = dictionary! { "Type" => "Outlines", "Count" => marks.len() as i64 };
    if let (Some(first), Some(last)) = (ids.first(), ids.last()) {
        dictionary.set("First", *first);
        dictionary.set("Last", *last);
    }
    document.objects.insert(root, dictionary.into());
    root
}
