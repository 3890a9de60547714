//! Styles (ECMA-376 part 1, 17.7): document defaults, and each style with what
//! it is based on already laid under it.

use std::collections::HashMap;

use roxmltree::Node;

use super::model::Border;
use super::properties::{ParagraphLayer, TextLayer, Theme, read_border};
use super::xml::Ask;

/// The longest chain of styles based on one another.
const LONGEST_CHAIN: usize = 32;

/// A style's own layers and those below it, lowest first.
#[derive(Debug, Clone, Default)]
pub(super) struct Style {
    pub paragraph: ParagraphLayer,
    /// Text layers from the lowest: toggles of several styles combine.
    pub text: Vec<TextLayer>,
    pub table: TableLayer,
}

/// What a layer says of tables.
#[derive(Debug, Clone, Default)]
pub(super) struct TableLayer {
    /// Top, right, bottom, left, between rows, between columns.
    pub borders: [Option<Option<Border>>; 6],
    /// Cell margins: top, right, bottom, left.
    pub margin: [Option<f64>; 4],
}

impl TableLayer {
    /// Reads `tblPr`.
    pub fn read<'a>(p: Node<'a, 'a>) -> TableLayer {
        let borders = p.child("tblBorders");
        let side = |names: &[&str]| borders.and_then(|b| names.iter().find_map(|n| b.child(n))).map(read_border);
        TableLayer {
            borders: [
                side(&["top"]),
                side(&["right", "end"]),
                side(&["bottom"]),
                side(&["left", "start"]),
                side(&["insideH"]),
                side(&["insideV"]),
            ],
            margin: p.child("tblCellMar").map(margins).unwrap_or_default(),
        }
    }

    /// Lays this over what is below.
    pub fn over(&self, below: &mut TableLayer) {
        for (to, from) in below.borders.iter_mut().zip(&self.borders) {
            if from.is_some() {
                to.clone_from(from);
            }
        }
        for (to, from) in below.margin.iter_mut().zip(&self.margin) {
            *to = from.or(*to);
        }
    }
}

/// Margins of cells: top, right, bottom, left.
pub(super) fn margins<'a>(m: Node<'a, 'a>) -> [Option<f64>; 4] {
    let side = |names: &[&str]| names.iter().find_map(|n| m.child(n)).and_then(|s| s.twips("w"));
    [side(&["top"]), side(&["right", "end"]), side(&["bottom"]), side(&["left", "start"])]
}

/// All styles of a document.
#[derive(Debug, Default)]
pub(super) struct Styles {
    pub theme: Theme,
    pub defaults: Style,
    by_id: HashMap<String, Style>,
    default_paragraph: Option<String>,
    default_table: Option<String>,
}

impl Styles {
    pub fn read<'a>(root: Node<'a, 'a>, theme: Theme) -> Styles {
        let mut styles = Styles { theme, ..Styles::default() };
        if let Some(defaults) = root.child("docDefaults") {
            if let Some(p) = defaults.find("pPr") {
                styles.defaults.paragraph = ParagraphLayer::read(p);
            }
            if let Some(p) = defaults.find("rPr") {
                styles.defaults.text = vec![TextLayer::read(p, &styles.theme)];
            }
        }
        let nodes: HashMap<&str, Node<'a, 'a>> =
            root.elements().filter(|s| s.name() == "style").filter_map(|s| Some((s.attr("styleId")?, s))).collect();
        for (id, node) in &nodes {
            let mut chain = vec![*node];
            while let Some(below) = chain.last().and_then(|s| s.val("basedOn")).and_then(|b| nodes.get(b)) {
                if chain.len() >= LONGEST_CHAIN || chain.contains(below) {
                    break;
                }
                chain.push(*below);
            }
            let mut style = Style::default();
            for layer in chain.iter().rev() {
                if let Some(p) = layer.child("pPr") {
                    ParagraphLayer::read(p).over(&mut style.paragraph);
                }
                if let Some(p) = layer.child("rPr") {
                    style.text.push(TextLayer::read(p, &styles.theme));
                }
                if let Some(p) = layer.child("tblPr") {
                    TableLayer::read(p).over(&mut style.table);
                }
            }
            if matches!(node.attr("default"), Some("1" | "true")) {
                match node.attr("type") {
                    Some("paragraph") => styles.default_paragraph = Some((*id).to_owned()),
                    Some("table") => styles.default_table = Some((*id).to_owned()),
                    _ => {}
                }
            }
            styles.by_id.insert((*id).to_owned(), style);
        }
        styles
    }

    /// A paragraph style; the default one when none is named.
    pub fn paragraph(&self, id: Option<&str>) -> Option<&Style> {
        id.and_then(|id| self.by_id.get(id)).or_else(|| self.by_id.get(self.default_paragraph.as_deref()?))
    }

    /// A table style; the default one when none is named.
    pub fn table(&self, id: Option<&str>) -> Option<&Style> {
        id.and_then(|id| self.by_id.get(id)).or_else(|| self.by_id.get(self.default_table.as_deref()?))
    }

    /// A character style.
    pub fn character(&self, id: &str) -> Option<&Style> {
        self.by_id.get(id)
    }

    /// The name of the default paragraph style.
    pub fn default_paragraph_id(&self) -> &str {
        self.default_paragraph.as_deref().unwrap_or("")
    }
}
