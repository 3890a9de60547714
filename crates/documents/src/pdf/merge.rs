//! Several PDFs as one. What the parts have stays: their tags, bookmarks, links, layers, form
//! fields and attachments (ISO 32000-1). What would run a program does not.

use std::collections::{BTreeMap, HashMap, HashSet};

use lopdf::{Dictionary, Document, Object, ObjectId, dictionary};
use sha2::{Digest, Sha256};

use self::tags::{Renamed, Structure};
use super::JoinError;

mod tags;

/// How deep dictionaries, arrays and trees may nest.
const DEEPEST: usize = 64;
/// The most bookmarks of one level of a part.
const MOST_MARKS: usize = 10_000;

/// An address that leads to the first page of a part: this with its place among the parts.
pub(crate) const PART: &str = "mangle-part:";

/// How the parts are put together.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct How<'a> {
    /// The title of the whole, where none of the parts gives its own.
    pub title: &'a str,
    /// Whether each part's pages are counted from 1 (12.4.2).
    pub counted_anew: bool,
}

/// A PDF that grows part by part.
pub(crate) struct Merge {
    whole: Document,
    pages: ObjectId,
    kids: Vec<Object>,
    parts: Vec<Part>,
    structure: Structure,
    /// Attached files by name (7.11.4).
    attached: BTreeMap<Vec<u8>, Object>,
    associated: Vec<Object>,
    fields: Vec<Object>,
    form: Option<Dictionary>,
    layers: Layers,
    /// What the whole takes of the first part that has it.
    taken: Dictionary,
    info: Option<Object>,
    digest: Sha256,
}

/// A part's place in the whole.
struct Part {
    title: String,
    /// The number of its first page, from 0, and the page.
    first: usize,
    page: Option<ObjectId>,
    /// Its own bookmarks: first, last, how many.
    marks: Option<(ObjectId, ObjectId, i64)>,
    mark: ObjectId,
}

/// Optional content (8.11).
#[derive(Default)]
struct Layers {
    all: Vec<Object>,
    off: Vec<Object>,
    order: Vec<Object>,
}

impl Merge {
    pub(crate) fn new() -> Merge {
        let mut whole = Document::with_version("1.7");
        let pages = whole.new_object_id();
        Merge {
            whole,
            pages,
            kids: Vec::new(),
            parts: Vec::new(),
            structure: Structure::default(),
            attached: BTreeMap::new(),
            associated: Vec::new(),
            fields: Vec::new(),
            form: None,
            layers: Layers::default(),
            taken: Dictionary::new(),
            info: None,
            digest: Sha256::new(),
        }
    }

    /// Adds a part. Where it is `ours`, the whole takes its title and standard.
    pub(crate) fn add(&mut self, title: String, mut document: Document, ours: bool) -> Result<(), JoinError> {
        let number = self.parts.len();
        self.digest.update(title.as_bytes());
        if let Ok(id) = document.trailer.get(b"ID") {
            self.digest.update(format!("{id:?}"));
        }
        if document.version > self.whole.version {
            self.whole.version.clone_from(&document.version);
        }
        document.renumber_objects_with(self.whole.max_id + 1);
        self.whole.max_id = document.max_id;
        let unreadable = |e: lopdf::Error| JoinError::Unreadable { number: number + 1, why: e.to_string() };
        let catalog = document.catalog().map_err(unreadable)?.clone();
        let pages: Vec<ObjectId> = document.page_iter().collect();

        let tags = self.structure(&document, &catalog, &title, number);
        let named = destinations(&document, &catalog);
        clean(&mut document, &named, tags.as_ref());
        for id in &pages {
            // What a page takes from its parents must be its own before they go.
            let inherited: Vec<(&[u8], Object)> = [b"Resources".as_slice(), b"MediaBox", b"CropBox", b"Rotate"]
                .into_iter()
                .filter_map(|key| Some((key, super::inherited(&document, *id, key)?)))
                .collect();
            if let Ok(page) = document.get_dictionary_mut(*id) {
                for (key, value) in inherited {
                    page.set(key, value);
                }
                page.set("Parent", self.pages);
            }
        }
        let mark = self.whole.new_object_id();
        let marks = bookmarks(&mut document, &catalog, mark);
        self.parts.push(Part { title, first: self.kids.len(), page: pages.first().copied(), marks, mark });
        self.kids.extend(pages.into_iter().map(Object::from));
        self.fields(&mut document, &catalog, number);
        self.beside(&document, &catalog, ours, number);
        self.whole.objects.extend(document.objects);
        Ok(())
    }

    /// Takes over the fields of a part's form (12.7.2).
    fn fields(&mut self, document: &mut Document, catalog: &Dictionary, number: usize) {
        let Some(mut form) = dictionary_in(document, catalog, b"AcroForm").cloned() else { return };
        let fields = array_in(document, &form, b"Fields");
        if fields.is_empty() {
            return;
        }
        // Fields of two parts may share a name, and would then share a value (12.7.3.2).
        let group = self.whole.new_object_id();
        for id in fields.iter().filter_map(|field| field.as_reference().ok()) {
            if let Ok(field) = document.get_dictionary_mut(id) {
                field.set("Parent", group);
            }
        }
        let name = lopdf::text_string(&format!("part {}", number + 1));
        self.whole.objects.insert(group, dictionary! { "T" => name, "Kids" => fields }.into());
        self.fields.push(group.into());
        form.remove(b"XFA");
        self.form.get_or_insert(form);
    }

    /// Takes over what a catalog has besides pages, tags and fields.
    fn beside(&mut self, document: &Document, catalog: &Dictionary, ours: bool, number: usize) {
        if let Some(names) = dictionary_in(document, catalog, b"Names")
            && let Some(files) = dictionary_in(document, names, b"EmbeddedFiles")
        {
            let mut found = Vec::new();
            name_tree(document, files, &mut found, 0);
            for (name, file) in found {
                let name = if self.attached.contains_key(&name) { [format!("{} ", number + 1).as_bytes(), &name].concat() } else { name };
                self.attached.insert(name, file);
            }
        }
        self.associated.extend(array_in(document, catalog, b"AF"));
        if let Some(layers) = dictionary_in(document, catalog, b"OCProperties") {
            self.layers.all.extend(array_in(document, layers, b"OCGs"));
            if let Some(usual) = dictionary_in(document, layers, b"D") {
                self.layers.off.extend(array_in(document, usual, b"OFF"));
                self.layers.order.extend(array_in(document, usual, b"Order"));
            }
        }
        if !self.taken.has(b"Lang")
            && let Ok(language) = catalog.get(b"Lang")
        {
            self.taken.set("Lang", language.clone());
        }
        if ours && self.info.is_none() {
            for key in [b"Metadata".as_slice(), b"OutputIntents", b"ViewerPreferences"] {
                if let Ok(value) = catalog.get(key) {
                    self.taken.set(key, value.clone());
                }
            }
            self.info = document.trailer.get(b"Info").ok().cloned();
        }
    }

    /// The whole as a file.
    pub(crate) fn finish(mut self, how: How<'_>) -> Result<Vec<u8>, JoinError> {
        let count = self.kids.len() as i64;
        let kids = std::mem::take(&mut self.kids);
        self.whole.objects.insert(self.pages, dictionary! { "Type" => "Pages", "Kids" => kids, "Count" => count }.into());
        self.link_parts();
        let outlines = self.outlines();
        let mut catalog = dictionary! { "Type" => "Catalog", "Pages" => self.pages, "Outlines" => outlines, "PageMode" => "UseOutlines" };
        catalog.extend(&self.taken);
        if let Some(root) = self.tags() {
            catalog.set("StructTreeRoot", root);
            catalog.set("MarkInfo", dictionary! { "Marked" => true });
        }
        if how.counted_anew {
            let labels = self.parts.iter().filter(|part| part.page.is_some());
            let labels: Vec<Object> =
                labels.flat_map(|part| [Object::from(part.first as i64), dictionary! { "S" => "D" }.into()]).collect();
            catalog.set("PageLabels", dictionary! { "Nums" => labels });
        }
        if !self.attached.is_empty() {
            let names = name_list(std::mem::take(&mut self.attached));
            catalog.set("Names", dictionary! { "EmbeddedFiles" => dictionary! { "Names" => names } });
        }
        if !self.associated.is_empty() {
            catalog.set("AF", std::mem::take(&mut self.associated));
        }
        if let Some(mut form) = self.form.take() {
            form.set("Fields", std::mem::take(&mut self.fields));
            catalog.set("AcroForm", form);
        }
        let Layers { all, off, order } = std::mem::take(&mut self.layers);
        if !all.is_empty() {
            catalog.set("OCProperties", dictionary! { "OCGs" => all, "D" => dictionary! { "OFF" => off, "Order" => order } });
        }
        let catalog = self.whole.add_object(catalog);
        self.whole.trailer.set("Root", catalog);
        let info = self.info.take().unwrap_or_else(|| {
            let creator = dictionary! { "Title" => lopdf::text_string(how.title), "Creator" => lopdf::text_string("Mangle") };
            self.whole.add_object(creator).into()
        });
        self.whole.trailer.set("Info", info);
        // The same parts give the same bytes.
        self.digest.update(count.to_le_bytes());
        let id = Object::string_literal(self.digest.finalize_reset()[..16].to_vec());
        self.whole.trailer.set("ID", vec![id.clone(), id]);
        self.whole.prune_objects();
        self.whole.compress();
        let mut out = Vec::new();
        self.whole.save_to(&mut out).map_err(|e| JoinError::Unwritable(e.to_string()))?;
        Ok(out)
    }

    /// Links to parts lead to their first pages.
    fn link_parts(&mut self) {
        let pages: Vec<Option<ObjectId>> = self.parts.iter().map(|part| part.page).collect();
        let titles: Vec<String> = self.parts.iter().map(|part| part.title.clone()).collect();
        let part_of = |value: &Object| std::str::from_utf8(value.as_str().ok()?).ok()?.strip_prefix(PART)?.parse::<usize>().ok();
        let mut lead = |d: &mut Dictionary| {
            // What is said of a link to those who can't see it.
            for key in [b"Contents".as_slice(), b"Alt"] {
                if let Some(title) = d.get(key).ok().and_then(part_of).and_then(|part| titles.get(part)) {
                    d.set(key, lopdf::text_string(title));
                }
            }
            let Some(page) = d.get(b"URI").ok().and_then(part_of).and_then(|part| pages.get(part).copied()?) else { return };
            d.remove(b"URI");
            d.set("S", "GoTo");
            d.set("D", top_of(page));
        };
        self.whole.objects.values_mut().for_each(|object| each_dictionary(object, &mut lead, 0));
    }

    /// A bookmark for each part, with its own below (12.3.3).
    fn outlines(&mut self) -> ObjectId {
        let root = self.whole.new_object_id();
        let parts: Vec<&Part> = self.parts.iter().filter(|part| part.page.is_some()).collect();
        let ids: Vec<ObjectId> = parts.iter().map(|part| part.mark).collect();
        for (index, part) in parts.iter().enumerate() {
            let Some(page) = part.page else { continue };
            let mut item = dictionary! { "Title" => lopdf::text_string(&part.title), "Parent" => root, "Dest" => top_of(page) };
            if let Some(before) = index.checked_sub(1) {
                item.set("Prev", ids[before]);
            }
            if let Some(next) = ids.get(index + 1) {
                item.set("Next", *next);
            }
            if let Some((first, last, count)) = part.marks {
                item.set("First", first);
                item.set("Last", last);
                // They are closed at first.
                item.set("Count", -count);
            }
            self.whole.objects.insert(part.mark, item.into());
        }
        let mut outlines = dictionary! { "Type" => "Outlines", "Count" => ids.len() as i64 };
        if let (Some(first), Some(last)) = (ids.first(), ids.last()) {
            outlines.set("First", *first);
            outlines.set("Last", *last);
        }
        self.whole.objects.insert(root, outlines.into());
        root
    }
}

/// The destination at the top of a page (12.3.2.2).
fn top_of(page: ObjectId) -> Vec<Object> {
    vec![page.into(), "Fit".into()]
}

fn name_list(named: BTreeMap<Vec<u8>, Object>) -> Vec<Object> {
    named.into_iter().flat_map(|(name, value)| [Object::string_literal(name), value]).collect()
}

fn dictionary_in<'a>(document: &'a Document, of: &'a Dictionary, key: &[u8]) -> Option<&'a Dictionary> {
    of.get_deref(key, document).and_then(Object::as_dict).ok()
}

fn array_in(document: &Document, of: &Dictionary, key: &[u8]) -> Vec<Object> {
    of.get_deref(key, document).and_then(Object::as_array).cloned().unwrap_or_default()
}

/// What a tree of numbers holds (7.9.7).
pub(crate) fn number_tree(document: &Document, node: &Dictionary, found: &mut Vec<(i64, Object)>, deep: usize) {
    tree(document, node, b"Nums", deep, &mut |key, value| found.extend(key.as_i64().ok().map(|key| (key, value.clone()))));
}

/// What a tree of names holds (7.9.6).
fn name_tree(document: &Document, node: &Dictionary, found: &mut Vec<(Vec<u8>, Object)>, deep: usize) {
    tree(document, node, b"Names", deep, &mut |key, value| found.extend(key.as_str().ok().map(|key| (key.to_vec(), value.clone()))));
}

fn tree(document: &Document, node: &Dictionary, leaves: &[u8], deep: usize, visit: &mut dyn FnMut(&Object, &Object)) {
    for pair in array_in(document, node, leaves).chunks_exact(2) {
        if let Ok((_, key)) = document.dereference(&pair[0]) {
            visit(key, &pair[1]);
        }
    }
    if deep < DEEPEST {
        for kid in array_in(document, node, b"Kids") {
            if let Ok(kid) = document.dereference(&kid).and_then(|(_, kid)| kid.as_dict()) {
                tree(document, kid, leaves, deep + 1, visit);
            }
        }
    }
}

/// Where a part's named destinations lead (12.3.2.3).
fn destinations(document: &Document, catalog: &Dictionary) -> HashMap<Vec<u8>, Object> {
    let mut found = Vec::new();
    if let Some(old) = dictionary_in(document, catalog, b"Dests") {
        found.extend(old.iter().map(|(name, leads)| (name.clone(), leads.clone())));
    }
    if let Some(names) = dictionary_in(document, catalog, b"Names").and_then(|names| dictionary_in(document, names, b"Dests")) {
        name_tree(document, names, &mut found, 0);
    }
    let leads = |value: Object| {
        let (_, value) = document.dereference(&value).ok()?;
        match value {
            Object::Dictionary(with) => with.get_deref(b"D", document).ok().cloned(),
            other => Some(other.clone()),
        }
    };
    found.into_iter().filter_map(|(name, value)| Some((name, leads(value)?))).collect()
}

/// Visits every dictionary within an object.
fn each_dictionary(object: &mut Object, visit: &mut dyn FnMut(&mut Dictionary), deep: usize) {
    if deep > DEEPEST {
        return;
    }
    match object {
        Object::Array(items) => items.iter_mut().for_each(|item| each_dictionary(item, visit, deep + 1)),
        Object::Dictionary(own) => {
            visit(own);
            own.iter_mut().for_each(|(_, value)| each_dictionary(value, visit, deep + 1));
        }
        Object::Stream(stream) => {
            visit(&mut stream.dict);
            stream.dict.iter_mut().for_each(|(_, value)| each_dictionary(value, visit, deep + 1));
        }
        _ => {}
    }
}

/// Whether it is an action that runs or sends something (12.6.4).
fn acts(action: &Dictionary) -> bool {
    let kinds: [&[u8]; 8] = [b"JavaScript", b"Launch", b"SubmitForm", b"ImportData", b"Rendition", b"Movie", b"Sound", b"GoToE"];
    action.get(b"S").and_then(Object::as_name).is_ok_and(|kind| kinds.contains(&kind))
}

/// Whether it is an action of any kind (12.6.4, table 198).
fn is_action(own: &Dictionary) -> bool {
    let kinds: [&[u8]; 9] = [b"GoTo", b"GoToR", b"Thread", b"URI", b"Hide", b"Named", b"ResetForm", b"SetOCGState", b"Trans"];
    acts(own) || own.get(b"S").and_then(Object::as_name).is_ok_and(|kind| kinds.contains(&kind))
}

/// Makes a part's objects fit for the whole: keys of tags are moved, named destinations are what
/// they lead to, and what runs a program goes.
fn clean(document: &mut Document, destinations: &HashMap<Vec<u8>, Object>, tags: Option<&Renamed>) {
    let acting: HashSet<ObjectId> =
        document.objects.iter().filter(|(_, object)| object.as_dict().is_ok_and(acts)).map(|(id, _)| *id).collect();
    let is_acting = |object: &Object| match object {
        Object::Reference(id) => acting.contains(id),
        Object::Dictionary(own) => acts(own),
        _ => false,
    };
    let actions: HashSet<ObjectId> =
        document.objects.iter().filter(|(_, object)| object.as_dict().is_ok_and(is_action)).map(|(id, _)| *id).collect();
    let more = |own: &Dictionary| {
        let is = |object: &Object| match object {
            Object::Reference(id) => actions.contains(id),
            Object::Dictionary(own) => is_action(own),
            _ => false,
        };
        !own.is_empty() && own.iter().all(|(_, value)| is(value))
    };
    let all_more: HashSet<ObjectId> =
        document.objects.iter().filter(|(_, object)| object.as_dict().is_ok_and(more)).map(|(id, _)| *id).collect();
    // A font may be called AA, too.
    let is_more = |object: &Object| match object {
        Object::Reference(id) => all_more.contains(id),
        Object::Dictionary(own) => more(own),
        _ => false,
    };
    let named = |object: &Object| match object {
        Object::String(name, _) | Object::Name(name) => destinations.get(name).cloned(),
        _ => None,
    };
    let mut fit = |own: &mut Dictionary| {
        for key in [b"StructParent".as_slice(), b"StructParents"] {
            let Some(old) = own.get(key).ok().and_then(|value| value.as_i64().ok()) else { continue };
            match tags {
                Some(tags) if (0..i64::from(u32::MAX)).contains(&old) => own.set(key, tags.first + old),
                _ => drop(own.remove(key)),
            }
        }
        if let Some(tags) = tags {
            tags.rename(own);
        }
        if own.get(b"AA").is_ok_and(is_more) {
            own.remove(b"AA");
        }
        for key in [b"A".as_slice(), b"PA", b"Next"] {
            if own.get(key).is_ok_and(is_acting) {
                own.remove(key);
            }
        }
        if let Some(leads) = own.get(b"Dest").ok().and_then(named) {
            own.set("Dest", leads);
        }
        if own.get(b"S").and_then(Object::as_name).is_ok_and(|kind| kind == b"GoTo")
            && let Some(leads) = own.get(b"D").ok().and_then(named)
        {
            own.set("D", leads);
        }
    };
    document.objects.values_mut().for_each(|object| each_dictionary(object, &mut fit, 0));
}

/// Hangs a part's own bookmarks below its own; gives the first, the last and how many there are.
fn bookmarks(document: &mut Document, catalog: &Dictionary, below: ObjectId) -> Option<(ObjectId, ObjectId, i64)> {
    let outlines = dictionary_in(document, catalog, b"Outlines")?;
    let first = outlines.get(b"First").and_then(Object::as_reference).ok()?;
    let (mut at, mut last, mut seen) = (Some(first), first, HashSet::new());
    while let Some(id) = at.filter(|id| seen.len() < MOST_MARKS && seen.insert(*id)) {
        let item = document.get_dictionary_mut(id).ok()?;
        item.set("Parent", below);
        last = id;
        at = item.get(b"Next").and_then(Object::as_reference).ok();
    }
    // A chain that ran on in a circle, or too far, ends here.
    document.get_dictionary_mut(last).ok()?.remove(b"Next");
    Some((first, last, seen.len() as i64))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A PDF of one page, whose catalog has more; the page's entries, too.
    fn pdf(catalog: impl FnOnce(&mut Document, ObjectId) -> Dictionary) -> Document {
        let mut own = Document::with_version("1.7");
        let (pages, page) = (own.new_object_id(), own.new_object_id());
        let rect: Vec<Object> = [0, 0, 200, 100].map(Object::from).to_vec();
        own.objects.insert(page, dictionary! { "Type" => "Page", "Parent" => pages, "StructParents" => 0 }.into());
        // What pages take from their parents.
        let tree = dictionary! { "Type" => "Pages", "Kids" => vec![page.into()], "Count" => 1, "MediaBox" => rect, "Rotate" => 90 };
        own.objects.insert(pages, tree.into());
        let mut root = catalog(&mut own, page);
        root.set("Type", "Catalog");
        root.set("Pages", pages);
        let root = own.add_object(root);
        own.trailer.set("Root", root);
        own
    }

    fn merged(parts: Vec<Document>, how: How<'_>) -> Document {
        let mut merge = Merge::new();
        for (at, part) in parts.into_iter().enumerate() {
            merge.add(format!("Part {}", at + 1), part, at == 0).expect("added");
        }
        let bytes = merge.finish(how).expect("finished");
        Document::load_mem(&bytes).expect("a PDF")
    }

    fn at<'a>(document: &'a Document, path: &[&str]) -> &'a Object {
        let mut now = document.catalog().expect("a catalog");
        for (place, key) in path.iter().enumerate() {
            let found = now.get_deref(key.as_bytes(), document).unwrap_or_else(|e| panic!("{path:?}: {e}"));
            match place + 1 == path.len() {
                true => return found,
                false => now = found.as_dict().expect("a dictionary"),
            }
        }
        panic!("a path")
    }

    /// A tagged page: a table whose cell names its head, and a role of its own.
    fn tagged(role: &str) -> Document {
        let role = role.to_owned();
        pdf(move |own, page| {
            let (root, top, cell) = (own.new_object_id(), own.new_object_id(), own.new_object_id());
            let attributes = dictionary! { "O" => "Table", "Headers" => vec![Object::string_literal("head")] };
            let element = dictionary! {
                "Type" => "StructElem", "S" => "Special", "P" => top, "Pg" => page, "K" => 0, "ID" => Object::string_literal("head"), "A" => attributes,
            };
            own.objects.insert(cell, element.into());
            own.objects
                .insert(top, dictionary! { "Type" => "StructElem", "S" => "Document", "P" => root, "K" => vec![cell.into()] }.into());
            let parents = dictionary! { "Nums" => vec![0.into(), Object::Array(vec![cell.into()])] };
            let ids = dictionary! { "Names" => vec![Object::string_literal("head"), cell.into()] };
            let roles = dictionary! { "Special" => Object::Name(role.into_bytes()) };
            let tree = dictionary! { "Type" => "StructTreeRoot", "K" => top, "ParentTree" => parents, "RoleMap" => roles, "IDTree" => ids };
            own.objects.insert(root, tree.into());
            dictionary! { "StructTreeRoot" => root, "MarkInfo" => dictionary! { "Marked" => true } }
        })
    }

    #[test]
    fn tags_of_two_parts_never_mean_one_another() {
        let whole = merged(vec![tagged("TD"), tagged("P"), tagged("TD")], How::default());
        let roles = at(&whole, &["StructTreeRoot", "RoleMap"]).as_dict().expect("roles");
        let mut named: Vec<(String, String)> = roles
            .iter()
            .map(|(name, role)| {
                (String::from_utf8_lossy(name).into_owned(), String::from_utf8_lossy(role.as_name().expect("a name")).into_owned())
            })
            .collect();
        named.sort();
        // The same name for another thing gets a name of its own; the same thing does not.
        assert_eq!(named, [("Special".to_owned(), "TD".to_owned()), ("Special-1".to_owned(), "P".to_owned())]);
        let keys = at(&whole, &["StructTreeRoot", "ParentTree", "Nums"]).as_array().expect("keys");
        let numbers: Vec<i64> = keys.iter().filter_map(|key| key.as_i64().ok()).collect();
        assert_eq!(numbers, [0, 1, 2]);
        let parents: Vec<i64> =
            whole.page_iter().filter_map(|page| whole.get_dictionary(page).ok()?.get(b"StructParents").ok()?.as_i64().ok()).collect();
        assert_eq!(parents, [0, 1, 2], "each page leads to its own tags");
        // A cell's head is the one of its own part.
        let mut pairs = 0;
        for element in whole.objects.values().filter_map(|own| own.as_dict().ok()).filter(|own| own.has(b"ID")) {
            let id = element.get(b"ID").and_then(Object::as_str).expect("an ID");
            let heads = element.get(b"A").and_then(Object::as_dict).and_then(|own| own.get(b"Headers")).and_then(Object::as_array);
            assert_eq!(heads.expect("heads")[0].as_str().expect("an ID"), id);
            pairs += 1;
        }
        assert_eq!(pairs, 3);
    }

    #[test]
    fn an_untagged_part_takes_no_tags_of_another_and_pages_keep_what_they_had_of_their_parents() {
        let whole = merged(vec![pdf(|_, _| Dictionary::new()), tagged("TD")], How { counted_anew: true, ..How::default() });
        let pages: Vec<&Dictionary> = whole.page_iter().filter_map(|page| whole.get_dictionary(page).ok()).collect();
        assert!(!pages[0].has(b"StructParents") && pages[1].get(b"StructParents").and_then(Object::as_i64).is_ok_and(|key| key == 0));
        for page in pages {
            assert_eq!(page.get(b"Rotate").and_then(Object::as_i64).ok(), Some(90));
            assert_eq!(page.get(b"MediaBox").and_then(Object::as_array).map(Vec::len).ok(), Some(4));
        }
        assert_eq!(at(&whole, &["PageLabels", "Nums"]).as_array().map(Vec::len).ok(), Some(4));
        assert_eq!(at(&whole, &["Outlines", "Count"]).as_i64().ok(), Some(2));
    }

    #[test]
    fn fields_attachments_and_destinations_of_the_same_name_stay_apart() {
        let part = |value: &'static str| {
            pdf(move |own, page| {
                let field = own
                    .add_object(dictionary! { "FT" => "Tx", "T" => Object::string_literal("name"), "V" => Object::string_literal(value) });
                let file = own.add_object(dictionary! { "Type" => "Filespec", "F" => Object::string_literal(value) });
                let link = own.add_object(dictionary! { "Type" => "Annot", "Subtype" => "Link", "Dest" => Object::string_literal("top") });
                let there = Object::Array(vec![page.into(), "Fit".into()]);
                let names = dictionary! {
                    "EmbeddedFiles" => dictionary! { "Names" => vec![Object::string_literal("data.csv"), file.into()] },
                    "Dests" => dictionary! { "Names" => vec![Object::string_literal("top"), dictionary! { "D" => there }.into()] },
                };
                own.get_dictionary_mut(page).expect("a page").set("Annots", vec![link.into(), field.into()]);
                dictionary! { "Names" => names, "AF" => vec![file.into()], "AcroForm" => dictionary! { "Fields" => vec![field.into()] } }
            })
        };
        let whole = merged(vec![part("one"), part("two")], How::default());
        let groups = at(&whole, &["AcroForm", "Fields"]).as_array().expect("fields");
        let name = |group: &Object| {
            let group = whole.dereference(group).expect("there").1.as_dict().expect("a field");
            lopdf::decode_text_string(group.get(b"T").expect("a name")).expect("text")
        };
        assert_eq!(groups.iter().map(name).collect::<Vec<_>>(), ["part 1", "part 2"]);
        let files = at(&whole, &["Names", "EmbeddedFiles", "Names"]).as_array().expect("files");
        let named: Vec<String> =
            files.iter().filter_map(|own| own.as_str().ok()).map(|own| String::from_utf8_lossy(own).into_owned()).collect();
        assert_eq!(named, ["2 data.csv", "data.csv"]);
        assert_eq!(at(&whole, &["AF"]).as_array().map(Vec::len).ok(), Some(2));
        // Each link leads to the page that it is on.
        for page in whole.page_iter() {
            let annotations = whole.get_page_annotations(page).expect("annotations");
            let leads = annotations
                .iter()
                .find_map(|own| own.get(b"Dest").ok())
                .and_then(|leads| leads.as_array().ok())
                .expect("it leads somewhere");
            assert_eq!(leads[0].as_reference().ok(), Some(page));
        }
    }

    #[test]
    fn layers_that_are_off_stay_off() {
        let part = || {
            pdf(|own, _| {
                let layer = own.add_object(dictionary! { "Type" => "OCG", "Name" => Object::string_literal("Draft") });
                let usual = dictionary! { "OFF" => vec![layer.into()], "Order" => vec![layer.into()] };
                dictionary! { "OCProperties" => dictionary! { "OCGs" => vec![layer.into()], "D" => usual } }
            })
        };
        let whole = merged(vec![part(), part()], How::default());
        for path in [["OCProperties", "OCGs"].as_slice(), &["OCProperties", "D", "OFF"]] {
            assert_eq!(at(&whole, path).as_array().map(Vec::len).ok(), Some(2), "{path:?}");
        }
    }

    #[test]
    fn bookmarks_that_run_in_a_circle_and_trees_without_end_come_to_an_end() {
        let circle = pdf(|own, page| {
            let (root, first, second) = (own.new_object_id(), own.new_object_id(), own.new_object_id());
            let item = |title: &str, next: ObjectId| {
                dictionary! { "Title" => Object::string_literal(title), "Parent" => root, "Dest" => top_of(page), "Next" => next }
            };
            own.objects.insert(first, item("One", second).into());
            own.objects.insert(second, item("Two", first).into());
            own.objects.insert(root, dictionary! { "Type" => "Outlines", "First" => first, "Last" => second }.into());
            // A tree of names that is its own kid.
            let names = own.new_object_id();
            own.objects.insert(names, dictionary! { "Kids" => vec![names.into()] }.into());
            dictionary! { "Outlines" => root, "Names" => dictionary! { "Dests" => names } }
        });
        let whole = merged(vec![circle], How::default());
        let first = at(&whole, &["Outlines", "First"]).as_dict().expect("the part's");
        assert_eq!(first.get(b"Count").and_then(Object::as_i64).ok(), Some(-2));
        let own = first.get_deref(b"First", &whole).and_then(Object::as_dict).expect("its own");
        let last = own.get_deref(b"Next", &whole).and_then(Object::as_dict).expect("the second");
        assert!(!last.has(b"Next"), "the circle is cut");
    }

    #[test]
    fn a_font_called_like_an_action_stays_and_a_joined_file_claims_nothing() {
        let named = pdf(|own, page| {
            let font = own.add_object(dictionary! { "Type" => "Font", "Subtype" => "Type1", "BaseFont" => "Helvetica" });
            let jump = own.add_object(dictionary! { "S" => "GoTo", "D" => top_of(page) });
            let script = own.add_object(dictionary! { "S" => "JavaScript", "JS" => Object::string_literal("app.alert(1)") });
            let own = own.get_dictionary_mut(page).expect("a page");
            own.set("Resources", dictionary! { "Font" => dictionary! { "AA" => font } });
            own.set("AA", dictionary! { "O" => script, "C" => jump });
            dictionary! { "Lang" => Object::string_literal("nl-NL"), "OutputIntents" => vec![Object::Null] }
        });
        let mut bytes = Vec::new();
        let mut named = named;
        named.save_to(&mut bytes).expect("saved");
        let joined = super::super::join("All of them", [("One".to_owned(), bytes)]).expect("joined");
        let whole = Document::load_mem(&joined).expect("a PDF");
        let page = whole.page_iter().next().and_then(|page| whole.get_dictionary(page).ok()).expect("a page");
        assert!(!page.has(b"AA"));
        let fonts = page.get(b"Resources").and_then(Object::as_dict).and_then(|own| own.get(b"Font")).and_then(Object::as_dict);
        assert!(fonts.expect("fonts").has(b"AA"), "a name of a font is no action");
        let catalog = whole.catalog().expect("a catalog");
        assert!(catalog.has(b"Lang") && !catalog.has(b"OutputIntents"));
        let info = whole.trailer.get_deref(b"Info", &whole).and_then(Object::as_dict).expect("what it is");
        assert_eq!(lopdf::decode_text_string(info.get(b"Title").expect("a title")).expect("text"), "All of them");
    }
}
