//! What a part asks for that pages do not do: looked for once a template, so that a
//! person is told.

use std::collections::BTreeSet;

use roxmltree::{Document, Node, ParsingOptions};

use super::model::LeftOut;

/// What stands in a part that is shown otherwise than it says.
pub(crate) fn unshown(xml: &[u8]) -> BTreeSet<LeftOut> {
    let options = ParsingOptions { allow_dtd: false, ..ParsingOptions::default() };
    let Some(document) = std::str::from_utf8(xml).ok().and_then(|text| Document::parse_with_options(text, options).ok()) else {
        return BTreeSet::new();
    };
    document.descendants().filter(Node::is_element).filter_map(of_element).map(LeftOut::Passed).collect()
}

fn of_element(node: Node<'_, '_>) -> Option<&'static str> {
    let attribute = |name: &str| node.attributes().find(|a| a.name() == name).map(|a| a.value());
    let within = |name: &str| node.parent().is_some_and(|p| p.tag_name().name() == name);
    Some(match node.tag_name().name() {
        // ECMA-376 part 1, 17.3.2.43
        "w" if within("rPr") && attribute("val").is_some_and(|v| !matches!(v.trim_end_matches('%'), "100" | "0")) => {
            "the width of widened or narrowed letters"
        }
        // 17.6.8
        "lnNumType" => "the numbering of lines",
        // 17.6.4
        "cols" if attribute("equalWidth").is_some_and(|v| matches!(v, "0" | "false" | "off")) => "the different widths of columns",
        // 17.4.57
        "tblpPr" => "the place of a table beside the text",
        // 17.3.1.11
        "framePr" if attribute("dropCap").is_some_and(|v| v != "none") => "the size of a drop cap",
        "framePr" => "the place of a text frame",
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_pages_do_not_do_is_named_once() {
        let xml = br#"<w:document xmlns:w="w"><w:body>
            <w:p><w:r><w:rPr><w:w w:val="150"/></w:rPr><w:t>wide</w:t></w:r><w:r><w:rPr><w:w w:val="100"/></w:rPr><w:t>plain</w:t></w:r><w:r><w:tab/></w:r></w:p>
            <w:p><w:pPr><w:framePr w:dropCap="drop"/></w:pPr></w:p><w:p><w:pPr><w:framePr w:dropCap="drop"/></w:pPr></w:p>
            <w:sectPr><w:lnNumType w:countBy="5"/><w:cols w:num="2" w:equalWidth="0"/></w:sectPr></w:body></w:document>"#;
        let said: Vec<String> = unshown(xml).into_iter().map(|l| l.to_string()).collect();
        let told = [
            "the different widths of columns",
            "the numbering of lines",
            "the size of a drop cap",
            "the width of widened or narrowed letters",
        ];
        assert_eq!(said, told.map(|what| format!("{what} can't be shown on pages and is left out")));
        assert!(unshown(b"<w:document><w:p></w:document>").is_empty());
        assert!(unshown(br#"<w:sectPr xmlns:w="w"><w:cols w:num="2" w:sep="1"/></w:sectPr>"#).is_empty());
    }
}
