//! The attestation: its pages at the end of a PDF, and the record of the round beside them, for
//! programs.

use lopdf::{Dictionary, Document, Object, ObjectId, Stream, dictionary};

use super::SealFault;
use super::mark::{Tags, add_kid};
use super::update::{Update, array_of, dictionary_of};

/// What is known of a round when all have signed.
#[derive(Debug, Clone, Copy)]
pub struct Attestation<'a> {
    /// Its pages: a PDF.
    pub pages: &'a [u8],
    /// The record of the round, as JSON.
    pub record: &'a [u8],
    /// When, as a PDF date (ISO 32000-1, 7.9.4).
    pub at: &'a str,
}

/// By what name the record lies in the catalog's page-piece dictionary (ISO 32000-1, 14.5).
pub(super) const PIECE: &str = "MangleRound";

/// Adds the attestation to a PDF, as an update at its end.
pub fn attest(pdf: &[u8], own: Attestation<'_>) -> Result<Vec<u8>, SealFault> {
    let mut update = Update::of(pdf)?;
    append(&mut update, own.pages)?;
    let mut record = Stream::new(Dictionary::new(), own.record.to_vec());
    drop(record.compress());
    let record = update.document.add_object(record);
    let catalog = update.catalog_id()?;
    let at = Object::string_literal(own.at);
    let mut pieces = dictionary_of(&update.document, update.document.get_dictionary(catalog)?, b"PieceInfo").cloned().unwrap_or_default();
    pieces.set(PIECE, dictionary! { "LastModified" => at, "Private" => record });
    update.document.get_dictionary_mut(catalog)?.set("PieceInfo", pieces);
    update.finish()
}

/// Adds the pages of another PDF, with their tags.
fn append(update: &mut Update, pages: &[u8]) -> Result<(), SealFault> {
    let other = Document::load_mem(pages)?;
    let tags = Tags::of(update)?;
    let shift = tags.as_ref().map_or(0, |tags| tags.next);
    let mut inherited: Vec<Vec<(&[u8], Object)>> = Vec::new();
    let (mut ids, mut parents, mut tops, mut roles) = (Vec::new(), Vec::new(), Vec::new(), Dictionary::new());
    let mut left: Vec<ObjectId> = Vec::new();
    update.import(other, |other| {
        ids = other.page_iter().collect();
        for id in &ids {
            let keys = [b"Resources".as_slice(), b"MediaBox", b"CropBox", b"Rotate"].into_iter();
            inherited.push(keys.filter_map(|key| Some((key, crate::pdf::inherited(other, *id, key)?))).collect());
        }
        let root = other.catalog().ok().and_then(|catalog| dictionary_of(other, catalog, b"StructTreeRoot"));
        if let Some(root) = root {
            // The other's own root is not wanted.
            left.extend(other.catalog().and_then(|catalog| catalog.get(b"StructTreeRoot")).and_then(Object::as_reference));
            left.extend(root.get(b"ParentTree").and_then(Object::as_reference));
            tops = match root.get(b"K").map(|kids| other.dereference(kids)) {
                Ok(Ok((_, Object::Array(kids)))) => kids.iter().filter_map(|kid| kid.as_reference().ok()).collect(),
                Ok(Ok((Some(id), _))) => vec![id],
                _ => Vec::new(),
            };
            if let Some(tree) = dictionary_of(other, root, b"ParentTree") {
                crate::pdf::number_tree(other, tree, &mut parents, 0);
            }
            roles = dictionary_of(other, root, b"RoleMap").cloned().unwrap_or_default();
        }
        let named = parents.iter().filter_map(|(_, value): &(i64, Object)| value.as_reference().ok());
        // The tree of the other's pages is not wanted: a page's parent is set below.
        let all: Vec<ObjectId> = ids.iter().chain(&tops).copied().chain(named).collect();
        all
    });
    for id in left {
        update.document.objects.remove(&id);
    }
    let catalog = update.document.get_dictionary(update.catalog_id()?)?;
    let tree = catalog.get(b"Pages").and_then(Object::as_reference)?;
    for (id, inherited) in ids.iter().zip(inherited) {
        let old = update.document.get_dictionary(*id)?.get(b"Parent").and_then(Object::as_reference);
        if let Ok(old) = old {
            update.document.objects.remove(&old);
        }
        let notes = array_of(&update.document, update.document.get_dictionary(*id)?, b"Annots");
        for note in notes.iter().filter_map(|note| note.as_reference().ok()) {
            shifted(update.document.get_dictionary_mut(note)?, b"StructParent", shift);
        }
        let page = update.document.get_dictionary_mut(*id)?;
        for (key, value) in inherited {
            page.set(key, value);
        }
        page.set("Parent", tree);
        match tags {
            Some(_) => shifted(page, b"StructParents", shift),
            None => drop(page.remove(b"StructParents")),
        }
    }
    let own = update.document.get_dictionary(tree)?;
    let mut kids = array_of(&update.document, own, b"Kids");
    let count = own.get(b"Count").and_then(Object::as_i64).unwrap_or(kids.len() as i64) + ids.len() as i64;
    kids.extend(ids.iter().copied().map(Object::from));
    let own = update.document.get_dictionary_mut(tree)?;
    own.set("Kids", kids);
    own.set("Count", count);
    let Some(mut tags) = tags else { return Ok(()) };
    for top in tops {
        let element = update.document.get_dictionary_mut(top)?;
        element.set("P", tags.top);
        // A document within a document is a part of it.
        if element.get(b"S").and_then(Object::as_name).is_ok_and(|role| role == b"Document") {
            element.set("S", "Part");
        }
        add_kid(&mut update.document, tags.top, top)?;
    }
    tags.next += parents.iter().map(|(key, _)| key + 1).max().unwrap_or(0);
    tags.parents.extend(parents.into_iter().map(|(key, value)| (key + shift, value)));
    let root = tags.root;
    tags.write(update)?;
    let mut all = dictionary_of(&update.document, update.document.get_dictionary(root)?, b"RoleMap").cloned().unwrap_or_default();
    for (name, role) in roles.iter() {
        if !all.has(name) {
            all.set(name.clone(), role.clone());
        }
    }
    if !all.is_empty() {
        update.document.get_dictionary_mut(root)?.set("RoleMap", all);
    }
    Ok(())
}

fn shifted(own: &mut Dictionary, key: &[u8], by: i64) {
    if let Ok(number) = own.get(key).and_then(Object::as_i64) {
        own.set(key, number + by);
    }
}
