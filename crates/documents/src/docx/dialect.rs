//! WordprocessingML (ECMA-376 part 1, 17) as the engine sees it.

use mangle_core::template::{Dialect, Place, Role};

/// The transitional and the strict namespace.
const NAMESPACES: [&str; 2] =
    ["http://schemas.openxmlformats.org/wordprocessingml/2006/main", "http://purl.oclc.org/ooxml/wordprocessingml/main"];

pub(super) const WORDPROCESSING: Dialect = Dialect { role, text: "t", line_break: "br", tab: "tab", paragraph: "p" };

fn role(namespace: &str, local: &str) -> Role {
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
        _ => Role::Other,
    }
}
