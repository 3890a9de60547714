//! The tags of several PDFs as those of one (ISO 32000-1, 14.7): what two parts call the same never
//! means one another.

use std::collections::{BTreeMap, HashMap};

use lopdf::{Dictionary, Document, Object, ObjectId, dictionary};

use super::{Merge, array_in, dictionary_in, name_list, name_tree, number_tree};

/// Tags (14.7).
#[derive(Default)]
pub(super) struct Structure {
    /// The elements at the top of each part, with its title.
    tops: Vec<(String, Vec<ObjectId>)>,
    /// What belongs to a page's marked content, by its key.
    parents: Vec<(i64, Object)>,
    next: i64,
    roles: BTreeMap<Vec<u8>, Object>,
    classes: Dictionary,
    ids: BTreeMap<Vec<u8>, Object>,
    spaces: Vec<Object>,
}

/// What a part's tags are called in the whole.
pub(super) struct Renamed {
    number: usize,
    /// What is added to its keys.
    pub(super) first: i64,
    /// Roles that stand for something else in a part before.
    roles: HashMap<Vec<u8>, Vec<u8>>,
}

impl Merge {
    /// Takes over the tags of a part; gives how they are called in the whole, none where it has no
    /// tags.
    pub(super) fn structure(&mut self, document: &Document, catalog: &Dictionary, title: &str, number: usize) -> Option<Renamed> {
        let root = dictionary_in(document, catalog, b"StructTreeRoot")?;
        let tops: Vec<ObjectId> = match root.get(b"K").and_then(|k| document.dereference(k)).ok()? {
            (_, Object::Array(items)) => items.iter().filter_map(|item| item.as_reference().ok()).collect(),
            (Some(id), _) => vec![id],
            _ => return None,
        };
        let own = &mut self.structure;
        let first = own.next;
        let mut parents = Vec::new();
        if let Some(tree) = dictionary_in(document, root, b"ParentTree") {
            number_tree(document, tree, &mut parents, 0);
        }
        for (key, value) in parents.into_iter().filter(|(key, _)| (0..i64::from(u32::MAX)).contains(key)) {
            own.next = own.next.max(first + key + 1);
            own.parents.push((first + key, value));
        }
        let mut roles = HashMap::new();
        for (name, role) in dictionary_in(document, root, b"RoleMap").into_iter().flat_map(Dictionary::iter) {
            match own.roles.get(name) {
                Some(other) if other != role => {
                    let new = [name.as_slice(), format!("-{number}").as_bytes()].concat();
                    own.roles.insert(new.clone(), role.clone());
                    roles.insert(name.clone(), new);
                }
                _ => drop(own.roles.insert(name.clone(), role.clone())),
            }
        }
        for (name, class) in dictionary_in(document, root, b"ClassMap").into_iter().flat_map(Dictionary::iter) {
            if !own.classes.has(name) {
                own.classes.set(name.clone(), class.clone());
            }
        }
        if let Some(tree) = dictionary_in(document, root, b"IDTree") {
            let mut ids = Vec::new();
            name_tree(document, tree, &mut ids, 0);
            own.ids.extend(ids.into_iter().map(|(id, element)| (prefixed(number, &id), element)));
        }
        own.spaces.extend(array_in(document, root, b"Namespaces"));
        own.tops.push((title.to_owned(), tops));
        Some(Renamed { number, first, roles })
    }

    /// The tags of all parts below one document.
    pub(super) fn tags(&mut self) -> Option<ObjectId> {
        let mut own = std::mem::take(&mut self.structure);
        if own.tops.is_empty() {
            return None;
        }
        let (root, top) = (self.whole.new_object_id(), self.whole.new_object_id());
        let mut kids: Vec<Object> = Vec::with_capacity(own.tops.len());
        for (title, tops) in std::mem::take(&mut own.tops) {
            let is_document = |id: &ObjectId| {
                self.whole.get_dictionary(*id).and_then(|d| d.get(b"S")).and_then(Object::as_name).is_ok_and(|s| s == b"Document")
            };
            let part = match tops.as_slice() {
                [only] if is_document(only) => *only,
                _ => {
                    let part = self.whole.new_object_id();
                    for id in &tops {
                        if let Ok(element) = self.whole.get_dictionary_mut(*id) {
                            element.set("P", part);
                        }
                    }
                    let kids: Vec<Object> = tops.into_iter().map(Object::from).collect();
                    self.whole.objects.insert(part, dictionary! { "Type" => "StructElem", "K" => kids }.into());
                    part
                }
            };
            if let Ok(element) = self.whole.get_dictionary_mut(part) {
                element.set("S", "Part");
                element.set("P", top);
                element.set("T", lopdf::text_string(&title));
            }
            kids.push(part.into());
        }
        self.whole.objects.insert(top, dictionary! { "Type" => "StructElem", "S" => "Document", "P" => root, "K" => kids }.into());
        own.parents.sort_by_key(|(key, _)| *key);
        let parents: Vec<Object> = own.parents.into_iter().flat_map(|(key, value)| [key.into(), value]).collect();
        let parents = self.whole.add_object(dictionary! { "Nums" => parents });
        let mut tree =
            dictionary! { "Type" => "StructTreeRoot", "K" => vec![top.into()], "ParentTree" => parents, "ParentTreeNextKey" => own.next };
        if !own.roles.is_empty() {
            tree.set("RoleMap", own.roles.into_iter().collect::<Dictionary>());
        }
        if !own.classes.is_empty() {
            tree.set("ClassMap", own.classes);
        }
        if let (Some(first), Some(last)) = (own.ids.keys().next().cloned(), own.ids.keys().next_back().cloned()) {
            let ends: Vec<Object> = [first, last].map(Object::string_literal).to_vec();
            let leaf = self.whole.add_object(dictionary! { "Limits" => ends, "Names" => name_list(own.ids) });
            tree.set("IDTree", dictionary! { "Kids" => vec![leaf.into()] });
        }
        if !own.spaces.is_empty() {
            tree.set("Namespaces", own.spaces);
        }
        self.whole.objects.insert(root, tree.into());
        Some(root)
    }
}

impl Renamed {
    /// Calls what an element names as the whole does.
    pub(super) fn rename(&self, own: &mut Dictionary) {
        if own.has(b"P") && own.has(b"S") {
            if let Some(role) = own.get(b"S").and_then(Object::as_name).ok().and_then(|role| self.roles.get(role)) {
                own.set("S", Object::Name(role.clone()));
            }
            if let Ok(id) = own.get(b"ID").and_then(Object::as_str).map(|id| prefixed(self.number, id)) {
                own.set("ID", Object::string_literal(id));
            }
        }
        // The heads of a table's cells (14.8.5.7).
        if let Ok(heads) = own.get_mut(b"Headers").and_then(Object::as_array_mut) {
            for head in heads {
                if let Ok(id) = head.as_str().map(|id| prefixed(self.number, id)) {
                    *head = Object::string_literal(id);
                }
            }
        }
    }
}

/// An element's identifier in the whole.
fn prefixed(number: usize, id: &[u8]) -> Vec<u8> {
    [format!("{number}-").as_bytes(), id].concat()
}
