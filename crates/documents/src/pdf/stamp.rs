//! PROOF across the pages of a PDF that is a part as it is.

use lopdf::{Dictionary, Document, Object, ObjectId, Stream, dictionary};

/// What the font and the colour are called among a page's resources.
const NAME: &str = "MangleProof";

/// Prints PROOF across every page. The font is one of those that viewers bring (ISO 32000-1,
/// 9.6.2.2): a proof goes to nobody but oneself.
pub(crate) fn stamp(document: &mut Document) {
    let font = document.add_object(dictionary! { "Type" => "Font", "Subtype" => "Type1", "BaseFont" => "Helvetica-Bold" });
    let state = document.add_object(dictionary! { "Type" => "ExtGState", "ca" => 0.35 });
    let before = document.add_object(Stream::new(Dictionary::new(), b"q\n".to_vec()));
    let pages: Vec<ObjectId> = document.page_iter().collect();
    for id in pages {
        let [left, bottom, right, top] = box_of(document, id);
        let (across, up) = ((left + right) / 2.0, (bottom + top) / 2.0);
        let size = ((right - left).min(top - bottom) * 0.22).max(12.0);
        // Turned by 38 degrees about the middle; the word is about 3.3 times as wide as its size.
        let (sine, cosine) = 38_f32.to_radians().sin_cos();
        let (x, y) = (across - 1.65 * size * cosine + 0.36 * size * sine, up - 1.65 * size * sine - 0.36 * size * cosine);
        let drawn = format!(
            "\nQ\nq /{NAME} gs BT /{NAME} {size} Tf 0.66 0.25 0.17 rg {cosine} {sine} {} {cosine} {x} {y} Tm (PROOF) Tj ET Q\n",
            -sine
        );
        let after = document.add_object(Stream::new(Dictionary::new(), drawn.into_bytes()));
        let mut resources = super::inherited(document, id, b"Resources")
            .and_then(|found| document.dereference(&found).ok().and_then(|(_, found)| found.as_dict().ok().cloned()))
            .unwrap_or_default();
        for (kind, object) in [("Font", font), ("ExtGState", state)] {
            let own = resources.get_deref(kind.as_bytes(), document).and_then(Object::as_dict).cloned();
            let mut own = own.unwrap_or_default();
            own.set(NAME, object);
            resources.set(kind, own);
        }
        let contents = document.get_dictionary(id).and_then(|page| page.get(b"Contents")).and_then(|c| document.dereference(c));
        let middle = match contents {
            Ok((_, Object::Array(items))) => items.clone(),
            Ok((Some(own), _)) => vec![own.into()],
            _ => Vec::new(),
        };
        let contents: Vec<Object> = std::iter::once(before.into()).chain(middle).chain([after.into()]).collect();
        if let Ok(page) = document.get_dictionary_mut(id) {
            page.set("Contents", contents);
            page.set("Resources", resources);
        }
    }
}

/// The part of a page that is shown.
fn box_of(document: &Document, page: ObjectId) -> [f32; 4] {
    let found = [b"CropBox".as_slice(), b"MediaBox"].into_iter().find_map(|key| {
        let found = super::inherited(document, page, key)?;
        let (_, found) = document.dereference(&found).ok()?;
        let sides: Vec<f32> = found.as_array().ok()?.iter().filter_map(|side| document.dereference(side).ok()?.1.as_float().ok()).collect();
        <[f32; 4]>::try_from(sides).ok()
    });
    let [a, b, c, d] = found.unwrap_or([0.0, 0.0, 595.0, 842.0]);
    [a.min(c), b.min(d), a.max(c), b.max(d)]
}
