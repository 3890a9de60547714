//! What a signer filled in, as fields of a form that nobody changes any more (ISO 32000-1, 12.5.6.19
//! and 12.7).

use lopdf::{Dictionary, Document, Object, ObjectId, Stream, dictionary};

use super::SealFault;
use super::update::{Update, array_of, dictionary_of, references};

/// What a signer filled in on a page, in points from its top left corner.
#[derive(Debug, Clone)]
pub struct Mark {
    /// The page, from 0.
    pub page: usize,
    /// From the left edge.
    pub left: f64,
    /// From the top edge.
    pub top: f64,
    /// Width.
    pub width: f64,
    /// Height.
    pub height: f64,
    /// The field's name, another for each.
    pub name: String,
    /// What is said of it to those who can't see it.
    pub label: String,
    /// What was filled in, as text.
    pub value: String,
}

/// Writes marks into a PDF, as an update at its end. What they look like is a PDF with a page for
/// each.
pub fn mark(pdf: &[u8], marks: &[Mark], looks: &[u8]) -> Result<Vec<u8>, SealFault> {
    let mut update = Update::of(pdf)?;
    let pages = update.pages();
    let forms = appearances(&mut update, marks, looks)?;
    for (own, form) in marks.iter().zip(forms) {
        let page = *pages.get(own.page).ok_or(SealFault::NoPage(own.page + 1))?;
        let (rect, turn) = place(&update.document, page, own);
        if let (Some(turn), Ok(form)) = (turn, update.document.get_object_mut(form).and_then(Object::as_stream_mut)) {
            form.dict.set("Matrix", turn.map(Object::from).to_vec());
        }
        let field = dictionary! {
            "FT" => "Tx",
            // It is read, not changed (12.7.3.1).
            "Ff" => 1,
            "T" => lopdf::text_string(&own.name),
            "TU" => lopdf::text_string(&own.label),
            "V" => lopdf::text_string(&own.value),
            "DA" => Object::string_literal("0 g"),
            "Rect" => rect.map(Object::from).to_vec(),
            "AP" => dictionary! { "N" => form },
        };
        add_field(&mut update, page, field, &own.label)?;
    }
    update.finish()
}

/// Where a mark is in the coordinates of its page, and how what it looks like is turned so that it
/// is upright on a page that is shown turned (ISO 32000-1, 7.7.3.3 and 12.5.5).
fn place(document: &Document, page: ObjectId, own: &Mark) -> ([f64; 4], Option<[i64; 6]>) {
    let seen = [b"CropBox".as_slice(), b"MediaBox"].into_iter().find_map(|key| crate::pdf::inherited(document, page, key));
    let numbers: Vec<f64> = match seen.as_ref().map(|found| document.dereference(found)) {
        Some(Ok((_, Object::Array(items)))) => items.iter().filter_map(|item| item.as_float().ok().map(f64::from)).collect(),
        _ => Vec::new(),
    };
    let [left, bottom, right, top] = match numbers.as_slice() {
        [a, b, c, d] => [a.min(*c), b.min(*d), a.max(*c), b.max(*d)],
        _ => [0.0, 0.0, 595.0, 842.0],
    };
    let turned = crate::pdf::inherited(document, page, b"Rotate").and_then(|own| document.dereference(&own).ok()?.1.as_i64().ok());
    // Its edges as they are seen: from the left, from the top.
    let (from, to, upper, lower) = (own.left, own.left + own.width, own.top, own.top + own.height);
    match turned.unwrap_or_default().rem_euclid(360) {
        90 => ([left + upper, bottom + from, left + lower, bottom + to], Some([0, 1, -1, 0, 0, 0])),
        180 => ([right - to, bottom + upper, right - from, bottom + lower], Some([-1, 0, 0, -1, 0, 0])),
        270 => ([right - lower, top - to, right - upper, top - from], Some([0, -1, 1, 0, 0, 0])),
        _ => ([left + from, top - lower, left + to, top - upper], None),
    }
}

/// The pages of a PDF as something to be drawn (8.10), each as large as its mark. They share their
/// fonts.
fn appearances(update: &mut Update, marks: &[Mark], looks: &[u8]) -> Result<Vec<ObjectId>, SealFault> {
    if marks.is_empty() {
        return Ok(Vec::new());
    }
    let drawn = Document::load_mem(looks).map_err(|e| SealFault::Appearance(e.to_string()))?;
    let mut found: Vec<(Vec<u8>, Object)> = Vec::new();
    // What the pages name comes along; the pages themselves and their tree do not.
    update.import(drawn, |drawn| {
        let mut named = Vec::new();
        for page in drawn.page_iter() {
            let resources = crate::pdf::inherited(drawn, page, b"Resources").unwrap_or_else(|| Dictionary::new().into());
            references(&resources, &mut named, 0);
            found.push((drawn.get_page_content(page), resources));
        }
        named
    });
    if found.len() != marks.len() {
        return Err(SealFault::Appearance(format!("{} pages for {} marks", found.len(), marks.len())));
    }
    let forms = marks.iter().zip(found).map(|(own, (content, resources))| {
        let dict = dictionary! {
            "Type" => "XObject",
            "Subtype" => "Form",
            "BBox" => [0.0, 0.0, own.width, own.height].map(Object::from).to_vec(),
            "Resources" => resources,
        };
        let mut stream = Stream::new(dict, content);
        // Where it can't be made smaller it stays as it is.
        drop(stream.compress());
        update.document.add_object(stream)
    });
    Ok(forms.collect())
}

/// Adds a field to a page, to the form, and to the tags where there are any (14.7.4.4).
pub(super) fn add_field(update: &mut Update, page: ObjectId, mut field: Dictionary, label: &str) -> Result<ObjectId, SealFault> {
    let id = update.document.new_object_id();
    field.set("Type", "Annot");
    field.set("Subtype", "Widget");
    field.set("P", page);
    // It is printed, and nobody moves it (12.5.3).
    field.set("F", 132);
    if let Some(key) = tag(update, page, id, label)? {
        field.set("StructParent", key);
        update.document.get_dictionary_mut(page)?.set("Tabs", "S");
    }
    update.document.objects.insert(id, field.into());
    let own = update.document.get_dictionary(page)?;
    let mut notes = array_of(&update.document, own, b"Annots");
    notes.push(id.into());
    update.document.get_dictionary_mut(page)?.set("Annots", notes);
    let catalog = update.catalog_id()?;
    let form = update.document.get_dictionary(catalog)?.get(b"AcroForm").cloned();
    let mut own = match &form {
        Ok(form) => update.document.dereference(form).and_then(|(_, form)| form.as_dict().cloned()).unwrap_or_default(),
        Err(_) => Dictionary::new(),
    };
    let mut fields = array_of(&update.document, &own, b"Fields");
    fields.push(id.into());
    own.set("Fields", fields);
    own.remove(b"NeedAppearances");
    match form {
        Ok(Object::Reference(at)) => drop(update.document.objects.insert(at, own.into())),
        _ => {
            let at = update.document.add_object(own);
            update.document.get_dictionary_mut(catalog)?.set("AcroForm", at);
        }
    }
    Ok(id)
}

/// Adds a tag of a form field; gives the key by which the field finds it, none where the PDF has no
/// tags.
fn tag(update: &mut Update, page: ObjectId, field: ObjectId, label: &str) -> Result<Option<i64>, SealFault> {
    let Some(mut tags) = Tags::of(update)? else { return Ok(None) };
    let held = dictionary! { "Type" => "OBJR", "Obj" => field, "Pg" => page };
    let element = dictionary! { "Type" => "StructElem", "S" => "Form", "P" => tags.top, "K" => held, "Alt" => lopdf::text_string(label) };
    let element = update.document.add_object(element);
    let top = tags.top;
    add_kid(&mut update.document, top, element)?;
    let key = tags.next;
    tags.parents.push((key, element.into()));
    tags.next += 1;
    tags.write(update)?;
    Ok(Some(key))
}

/// Adds a kid to an element of the tags.
pub(super) fn add_kid(document: &mut Document, element: ObjectId, kid: ObjectId) -> Result<(), SealFault> {
    let own = document.get_dictionary(element)?;
    let mut kids = match own.get(b"K") {
        Ok(Object::Array(kids)) => kids.clone(),
        Ok(Object::Reference(id)) => match document.get_object(*id) {
            Ok(Object::Array(kids)) => kids.clone(),
            _ => vec![(*id).into()],
        },
        Ok(other) => vec![other.clone()],
        Err(_) => Vec::new(),
    };
    kids.push(kid.into());
    document.get_dictionary_mut(element)?.set("K", kids);
    Ok(())
}

/// The tags of a PDF (14.7).
pub(super) struct Tags {
    /// Their root.
    pub(super) root: ObjectId,
    /// The element below which new ones come.
    pub(super) top: ObjectId,
    /// What belongs to each key.
    pub(super) parents: Vec<(i64, Object)>,
    /// The next key.
    pub(super) next: i64,
}

impl Tags {
    pub(super) fn of(update: &Update) -> Result<Option<Tags>, SealFault> {
        let document = &update.document;
        let Ok(root) = document.catalog()?.get(b"StructTreeRoot").and_then(Object::as_reference) else { return Ok(None) };
        let own = document.get_dictionary(root)?;
        let first = match own.get(b"K").map(|kids| document.dereference(kids)) {
            Ok(Ok((_, Object::Array(kids)))) => kids.first().and_then(|kid| kid.as_reference().ok()),
            Ok(Ok((id, Object::Dictionary(_)))) => id,
            _ => None,
        };
        let mut parents = Vec::new();
        if let Some(tree) = dictionary_of(document, own, b"ParentTree") {
            crate::pdf::number_tree(document, tree, &mut parents, 0);
        }
        let after = parents.iter().map(|(key, _)| key + 1).max().unwrap_or(0);
        let next = own.get(b"ParentTreeNextKey").and_then(Object::as_i64).unwrap_or(0).max(after);
        Ok(first.map(|top| Tags { root, top, parents, next }))
    }

    /// Writes the keys down.
    pub(super) fn write(mut self, update: &mut Update) -> Result<(), SealFault> {
        self.parents.sort_by_key(|(key, _)| *key);
        let list: Vec<Object> = self.parents.into_iter().flat_map(|(key, value)| [key.into(), value]).collect();
        let root = update.document.get_dictionary(self.root)?;
        let at = root.get(b"ParentTree").and_then(Object::as_reference).ok();
        let tree = dictionary! { "Nums" => list };
        match at {
            Some(at) => drop(update.document.objects.insert(at, tree.into())),
            None => update.document.get_dictionary_mut(self.root)?.set("ParentTree", tree),
        }
        update.document.get_dictionary_mut(self.root)?.set("ParentTreeNextKey", self.next);
        Ok(())
    }
}
