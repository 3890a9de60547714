//! Tracked changes read as if accepted (ECMA-376 part 1, 17.13.5); comments left
//! out (17.13.4).

use roxmltree::{Document, Node};

use super::{Edits, Found, child, name};

pub(super) fn accept(document: &Document<'_>, edits: &mut Edits, found: &mut Found) {
    for node in document.descendants().filter(Node::is_element) {
        let parent = node.parent().map_or("", name);
        match name(node) {
            "del" | "ins" if matches!(parent, "rPr") => {
                found.revisions += 1;
                match node
                    .parent()
                    .and_then(|look| look.parent())
                    .filter(|p| name(*p) == "pPr" && name(node) == "del")
                    .and_then(|p| p.parent())
                {
                    Some(paragraph) => join_with_next(document, paragraph, edits),
                    None => edits.drop(node.range()),
                }
            }
            "del" | "ins" if parent == "trPr" => {
                found.revisions += 1;
                match node.ancestors().find(|a| name(*a) == "tr").filter(|_| name(node) == "del") {
                    Some(row) => edits.drop(row.range()),
                    None => edits.drop(node.range()),
                }
            }
            "cellDel" => {
                found.revisions += 1;
                if let Some(cell) = node.ancestors().find(|a| name(*a) == "tc") {
                    edits.drop(cell.range());
                }
            }
            "cellIns" | "cellMerge" => edits.drop(node.range()),
            "del" | "moveFrom" => {
                found.revisions += 1;
                edits.drop(node.range());
            }
            "ins" | "moveTo" => {
                found.revisions += 1;
                edits.unwrap(node);
            }
            "rPrChange" | "pPrChange" | "sectPrChange" | "tblPrChange" | "trPrChange" | "tcPrChange" | "tblGridChange"
            | "tblPrExChange" | "numberingChange" => {
                found.revisions += 1;
                edits.drop(node.range());
            }
            "moveFromRangeStart" | "moveFromRangeEnd" | "moveToRangeStart" | "moveToRangeEnd" => edits.drop(node.range()),
            "commentRangeStart" | "commentRangeEnd" => edits.drop(node.range()),
            "commentReference" => {
                found.comments += 1;
                // Its run holds nothing else.
                edits.drop(node.parent().filter(|p| name(*p) == "r").unwrap_or(node).range());
            }
            _ => {}
        }
    }
}

/// A paragraph whose mark was deleted goes on in the next, whose properties hold.
fn join_with_next(document: &Document<'_>, paragraph: Node<'_, '_>, edits: &mut Edits) {
    let Some(next) = paragraph.next_sibling_element().filter(|n| name(*n) == "p") else {
        if let Some(mark) = child(paragraph, "pPr").and_then(|p| child(p, "rPr")).and_then(|r| child(r, "del")) {
            edits.drop(mark.range());
        }
        return;
    };
    let head_end = |p: Node<'_, '_>| match child(p, "pPr") {
        Some(properties) => properties.range().end,
        None => p.first_child().map_or(p.range().end, |c| c.range().start),
    };
    let Some(last) = paragraph.last_child() else { return edits.drop(paragraph.range()) };
    let text = document.input_text();
    edits.replace(paragraph.range().start..head_end(paragraph), &text[next.range().start..head_end(next)]);
    edits.drop(last.range().end..head_end(next));
}
