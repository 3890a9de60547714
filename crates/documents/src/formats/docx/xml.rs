//! Reading WordprocessingML by local names.

use roxmltree::{Document, Node, ParsingOptions};

/// Parses a part; what is wrong is told in words.
pub(super) fn parse(bytes: &[u8]) -> Result<Document<'_>, String> {
    let text = std::str::from_utf8(bytes).map_err(|e| e.to_string())?;
    let options = ParsingOptions { allow_dtd: false, nodes_limit: 8_000_000, ..ParsingOptions::default() };
    Document::parse_with_options(text.trim_start_matches('\u{feff}'), options).map_err(|e| e.to_string())
}

/// The elements among a node's children.
pub(super) type Elements<'a> = std::iter::Filter<roxmltree::Children<'a, 'a>, fn(&Node<'a, 'a>) -> bool>;

/// What the page reader asks of an element.
pub(super) trait Ask<'a>: Sized {
    /// The child elements.
    fn elements(&self) -> Elements<'a>;
    /// The local name.
    fn name(&self) -> &'a str;
    /// The first child of a name.
    fn child(&self, name: &str) -> Option<Node<'a, 'a>>;
    /// The first element of a name at any depth.
    fn find(&self, name: &str) -> Option<Node<'a, 'a>>;
    /// An attribute by its local name.
    fn attr(&self, name: &str) -> Option<&'a str>;
    /// The `val` of a child.
    fn val(&self, child: &str) -> Option<&'a str>;
    /// A number in an attribute.
    fn number(&self, name: &str) -> Option<f64>;
    /// A length in twentieths of a point, or with its unit, as points.
    fn twips(&self, name: &str) -> Option<f64>;
    /// A toggle (ECMA-376 part 1, 17.17.4): present means on unless it says no.
    fn toggle(&self, child: &str) -> Option<bool>;
}

impl<'a> Ask<'a> for Node<'a, 'a> {
    fn elements(&self) -> Elements<'a> {
        self.children().filter(Node::is_element as fn(&Node<'a, 'a>) -> bool)
    }

    fn name(&self) -> &'a str {
        self.tag_name().name()
    }

    fn child(&self, name: &str) -> Option<Node<'a, 'a>> {
        self.elements().find(|c| c.name() == name)
    }

    fn find(&self, name: &str) -> Option<Node<'a, 'a>> {
        self.descendants().skip(1).find(|c| c.is_element() && c.tag_name().name() == name)
    }

    fn attr(&self, name: &str) -> Option<&'a str> {
        self.attributes().find(|a| a.name() == name).map(|a| a.value())
    }

    fn val(&self, child: &str) -> Option<&'a str> {
        self.child(child)?.attr("val")
    }

    fn number(&self, name: &str) -> Option<f64> {
        self.attr(name)?.trim().parse().ok().filter(|n: &f64| n.is_finite())
    }

    fn twips(&self, name: &str) -> Option<f64> {
        let raw = self.attr(name)?.trim();
        for (unit, points) in [("pt", 1.0), ("cm", 72.0 / 2.54), ("mm", 7.2 / 2.54), ("in", 72.0)] {
            if let Some(number) = raw.strip_suffix(unit) {
                return number.parse::<f64>().ok().filter(|n| n.is_finite()).map(|n| n * points);
            }
        }
        self.number(name).map(|n| n / 20.0)
    }

    fn toggle(&self, child: &str) -> Option<bool> {
        let element = self.child(child)?;
        Some(!matches!(element.attr("val"), Some("0" | "false" | "off" | "none")))
    }
}
