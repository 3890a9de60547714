//! Changes at the end of a PDF (ISO 32000-1, 7.5.6): what is there stays byte for byte.

use lopdf::{Dictionary, Document, IncrementalDocument, Object, ObjectId, StringFormat};
use sha2::{Digest, Sha256};

use super::SealFault;

/// A PDF with what is changed in it.
pub(super) struct Update {
    bytes: Vec<u8>,
    before: Document,
    pub(super) document: Document,
}

impl Update {
    /// Opens a PDF for a change.
    pub(super) fn of(bytes: &[u8]) -> Result<Update, SealFault> {
        let before = Document::load_mem(bytes)?;
        if before.is_encrypted() || before.encryption_state.is_some() || before.trailer.has(b"Encrypt") {
            return Err(SealFault::Closed);
        }
        if before.catalog()?.has(b"Perms") {
            return Err(SealFault::Signed);
        }
        let document = before.clone();
        Ok(Update { bytes: bytes.to_vec(), before, document })
    }

    /// The pages in their order.
    pub(super) fn pages(&self) -> Vec<ObjectId> {
        self.document.page_iter().collect()
    }

    /// The catalog.
    pub(super) fn catalog_id(&self) -> Result<ObjectId, SealFault> {
        Ok(self.document.trailer.get(b"Root").and_then(Object::as_reference)?)
    }

    /// Gives objects of another PDF that something reaches their own numbers here, and takes them
    /// over.
    pub(super) fn import(&mut self, mut other: Document, from: impl FnOnce(&Document) -> Vec<ObjectId>) {
        other.renumber_objects_with(self.document.max_id + 1);
        let mut wanted = from(&other);
        self.document.max_id = self.document.max_id.max(other.max_id);
        while let Some(id) = wanted.pop() {
            if let Some(object) = other.objects.remove(&id) {
                references(&object, &mut wanted, 0);
                self.document.objects.insert(id, object);
            }
        }
    }

    /// The file with what was changed at its end.
    pub(super) fn finish(self) -> Result<Vec<u8>, SealFault> {
        let Update { bytes, before, mut document } = self;
        let mut changed: Vec<(ObjectId, Object)> = Vec::new();
        for (id, object) in std::mem::take(&mut document.objects) {
            if before.objects.get(&id) != Some(&object) {
                changed.push((id, object));
            }
        }
        let mut hash = Sha256::new();
        hash.update(&bytes);
        hash.update((changed.len() as u64).to_le_bytes());
        let own = Object::String(hash.finalize()[..16].to_vec(), StringFormat::Hexadecimal);
        let first = before.trailer.get(b"ID").and_then(Object::as_array).ok().and_then(|id| id.first().cloned());
        let mut grown = IncrementalDocument::create_from(bytes, before);
        grown.new_document.max_id = document.max_id;
        grown.new_document.trailer.set("ID", vec![first.unwrap_or_else(|| own.clone()), own]);
        grown.new_document.objects.extend(changed);
        let mut out = Vec::new();
        grown.save_to(&mut out).map_err(|e| SealFault::Unreadable(e.to_string()))?;
        Ok(out)
    }
}

/// How deep objects may nest.
const DEEPEST: usize = 64;

/// The objects that one names.
pub(super) fn references(object: &Object, found: &mut Vec<ObjectId>, deep: usize) {
    if deep > DEEPEST {
        return;
    }
    match object {
        Object::Reference(id) => found.push(*id),
        Object::Array(items) => items.iter().for_each(|item| references(item, found, deep + 1)),
        Object::Dictionary(own) => own.iter().for_each(|(_, value)| references(value, found, deep + 1)),
        Object::Stream(stream) => stream.dict.iter().for_each(|(_, value)| references(value, found, deep + 1)),
        _ => {}
    }
}

/// A dictionary that another holds, or names.
pub(super) fn dictionary_of<'a>(document: &'a Document, of: &'a Dictionary, key: &[u8]) -> Option<&'a Dictionary> {
    of.get_deref(key, document).and_then(Object::as_dict).ok()
}

/// An array that a dictionary holds, or names.
pub(super) fn array_of(document: &Document, of: &Dictionary, key: &[u8]) -> Vec<Object> {
    of.get_deref(key, document).and_then(Object::as_array).cloned().unwrap_or_default()
}
