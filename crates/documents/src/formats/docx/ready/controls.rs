//! Content controls whose tag is a placeholder's text (ECMA-376 part 1, 17.5.2):
//! the placeholder stands in the place of what they show.

use roxmltree::{Document, Node};

use super::{Edits, Found, attribute, child, name, run};

pub(super) fn rewrite(document: &Document<'_>, edits: &mut Edits, found: &mut Found) {
    for control in document.descendants().filter(|n| n.is_element() && name(*n) == "sdt") {
        let Some(properties) = child(control, "sdtPr") else { continue };
        let Some(tag) = child(properties, "tag") else { continue };
        let Some(text) = attribute(tag, "val").map(str::trim).filter(|t| t.starts_with("[:") && t.ends_with(']')) else { continue };
        let Some(content) = child(control, "sdtContent") else { continue };
        // What binds the control to a value of its own would take the place of ours.
        edits.drop(tag.range());
        for other in ["showingPlcHdr", "dataBinding"] {
            if let Some(node) = child(properties, other) {
                edits.drop(node.range());
            }
        }
        let look = content.descendants().find(|n| name(*n) == "r").and_then(|r| child(r, "rPr"));
        let filled = run(document, look, text);
        match content.descendants().find(|n| n.is_element() && name(*n) == "p") {
            Some(first) => in_paragraph(content, first, filled, edits),
            None => match (content.first_child(), content.last_child()) {
                (Some(start), Some(end)) => edits.replace(start.range().start..end.range().end, filled),
                _ => {
                    let p = super::prefix(document);
                    edits.replace(content.range(), format!("<{p}sdtContent>{filled}</{p}sdtContent>"));
                }
            },
        }
        found.fields += 1;
    }
}

/// The first paragraph takes the placeholder; further ones beside it go.
fn in_paragraph(content: Node<'_, '_>, first: Node<'_, '_>, filled: String, edits: &mut Edits) {
    let start = child(first, "pPr").map(|p| p.range().end).or_else(|| first.first_child().map(|c| c.range().start));
    match (start, first.last_child()) {
        (Some(start), Some(last)) => edits.replace(start..last.range().end, filled),
        _ => return,
    }
    let beside = first.parent().unwrap_or(content);
    for other in beside.children().filter(|n| n.is_element() && *n != first && name(*n) == "p") {
        edits.drop(other.range());
    }
}
