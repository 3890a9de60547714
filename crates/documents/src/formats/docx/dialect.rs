//! WordprocessingML (ECMA-376 part 1, 17) as the engine sees it.

use mangle_core::template::{Dialect, Identity, Place, Role};

/// The transitional and the strict namespace.
const NAMESPACES: [&str; 2] =
    ["http://schemas.openxmlformats.org/wordprocessingml/2006/main", "http://purl.oclc.org/ooxml/wordprocessingml/main"];

/// Markup compatibility (ECMA-376 part 3, 7.6).
const COMPATIBILITY: &str = "http://schemas.openxmlformats.org/markup-compatibility/2006";

const DRAWING: &str = "http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing";

pub(super) const WORDPROCESSING: Dialect = Dialect {
    role,
    identity,
    text: "t",
    line_break: "br",
    tab: "tab",
    paragraph: "p",
    run: "r",
    page_break: "<{}br {}type=\"page\"/>",
    merge: ("<{}vMerge/>", "<{}vMerge {}val=\"restart\"/>"),
    section: ("<{}p><{}pPr>", "</{}pPr></{}p>"),
};

/// What must differ from turn to turn: 17.13.6.1 (bookmarks), 20.4.2.5 (drawings),
/// 17.9.18 (lists); paragraph ids as MS-DOCX 2.6.2.3 has them.
fn identity(element: &str, attribute: &str) -> Option<Identity> {
    Some(match (element, attribute) {
        ("p" | "tr", "paraId" | "textId") => Identity::Paragraph,
        ("docPr", "id") => Identity::Drawing,
        ("bookmarkStart" | "bookmarkEnd", "id") => Identity::Bookmark,
        ("bookmarkStart", "name") => Identity::BookmarkName,
        ("hyperlink", "anchor") => Identity::Anchor,
        ("numId", "val") => Identity::List,
        ("headerReference" | "footerReference", "id") => Identity::Beside,
        _ => return None,
    })
}

fn role(namespace: &str, local: &str) -> Role {
    if namespace == DRAWING && local == "docPr" {
        return Role::Described;
    }
    if namespace == COMPATIBILITY && local == "Fallback" {
        return Role::Again;
    }
    if !NAMESPACES.contains(&namespace) {
        return Role::Other;
    }
    match local {
        "p" => Role::Paragraph,
        "r" => Role::Run,
        // What prints nothing in a run: its look, and where pages once broke.
        "rPr" | "lastRenderedPageBreak" | "annotationRef" => Role::Properties,
        "t" => Role::Text,
        "br" | "cr" => Role::Break,
        "tab" => Role::Tab,
        "tbl" => Role::Table,
        "tr" => Role::Row,
        "tc" => Role::Cell,
        "txbxContent" => Role::Container(Place::TextBox),
        "hdr" => Role::Container(Place::Header),
        "ftr" => Role::Container(Place::Footer),
        "footnote" | "endnote" => Role::Container(Place::Note),
        "sectPr" => Role::SectionEnd,
        "vMerge" => Role::Merge,
        "gridSpan" | "gridBefore" => Role::Columns,
        _ => Role::Other,
    }
}
