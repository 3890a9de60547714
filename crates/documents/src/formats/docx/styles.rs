//! Styles (ECMA-376 part 1, 17.7): document defaults, and each style with what
//! it is based on already laid under it.

use std::collections::HashMap;

use roxmltree::Node;

use super::properties::{ParagraphLayer, TextLayer, Theme, read_border, shade};
use super::xml::Ask;
use crate::model::Border;

/// The longest chain of styles based on one another.
const LONGEST_CHAIN: usize = 32;

/// A style with those below it.
#[derive(Debug, Clone, Default)]
pub(super) struct Style {
    pub paragraph: ParagraphLayer,
    pub text: TextLayer,
    pub table: TableLayer,
    /// What a table style says of some of its cells.
    pub parts: Vec<(TablePart, PartLayer)>,
    /// The size of its bands in rows and columns.
    pub bands: [usize; 2],
}

/// Which cells of a table a part of its style is for (ECMA-376 part 1,
/// 17.18.89), in the order in which the parts lie over one another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)]
pub(super) enum TablePart {
    Whole,
    OddColumns,
    EvenColumns,
    OddRows,
    EvenRows,
    LastColumn,
    FirstColumn,
    LastRow,
    FirstRow,
    TopLeft,
    TopRight,
    BottomLeft,
    BottomRight,
}

impl TablePart {
    fn of(name: &str) -> Option<TablePart> {
        Some(match name {
            "wholeTable" => TablePart::Whole,
            "band1Vert" => TablePart::OddColumns,
            "band2Vert" => TablePart::EvenColumns,
            "band1Horz" => TablePart::OddRows,
            "band2Horz" => TablePart::EvenRows,
            "lastCol" => TablePart::LastColumn,
            "firstCol" => TablePart::FirstColumn,
            "lastRow" => TablePart::LastRow,
            "firstRow" => TablePart::FirstRow,
            "nwCell" => TablePart::TopLeft,
            "neCell" => TablePart::TopRight,
            "swCell" => TablePart::BottomLeft,
            "seCell" => TablePart::BottomRight,
            _ => return None,
        })
    }
}

/// What a part of a table style says.
#[derive(Debug, Clone, Default)]
pub(super) struct PartLayer {
    pub paragraph: ParagraphLayer,
    pub text: TextLayer,
    pub cell: CellLayer,
}

impl PartLayer {
    /// Lays this over what is below.
    pub fn over(&self, below: &mut PartLayer) {
        self.paragraph.over(&mut below.paragraph);
        self.text.over_layer(&mut below.text);
        self.cell.over(&mut below.cell);
    }
}

/// What a layer says of cells.
#[derive(Debug, Clone, Default)]
pub(super) struct CellLayer {
    /// Top, right, bottom, left, between rows, between columns.
    pub borders: [Option<Option<Border>>; 6],
    pub margin: [Option<f64>; 4],
    pub shading: Option<Option<std::sync::Arc<str>>>,
    pub vertical: Option<crate::model::Vertical>,
}

impl CellLayer {
    /// Reads `tcPr`.
    pub fn read<'a>(p: Node<'a, 'a>, theme: &Theme) -> CellLayer {
        use crate::model::Vertical;
        CellLayer {
            borders: p.child("tcBorders").map(read_borders).unwrap_or_default(),
            margin: p.child("tcMar").map(margins).unwrap_or_default(),
            shading: p.child("shd").map(|s| shade(s, theme)),
            vertical: p.val("vAlign").map(|v| match v {
                "center" => Vertical::Middle,
                "bottom" => Vertical::Bottom,
                _ => Vertical::Top,
            }),
        }
    }

    /// Lays this over what is below.
    pub fn over(&self, below: &mut CellLayer) {
        lay(&mut below.borders, &self.borders);
        for (to, from) in below.margin.iter_mut().zip(&self.margin) {
            *to = from.or(*to);
        }
        if self.shading.is_some() {
            below.shading.clone_from(&self.shading);
        }
        below.vertical = self.vertical.or(below.vertical);
    }
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
        TableLayer {
            borders: p.child("tblBorders").map(read_borders).unwrap_or_default(),
            margin: p.child("tblCellMar").map(margins).unwrap_or_default(),
        }
    }

    /// Lays this over what is below.
    pub fn over(&self, below: &mut TableLayer) {
        lay(&mut below.borders, &self.borders);
        for (to, from) in below.margin.iter_mut().zip(&self.margin) {
            *to = from.or(*to);
        }
    }
}

fn lay<T: Clone, const N: usize>(below: &mut [Option<T>; N], over: &[Option<T>; N]) {
    for (to, from) in below.iter_mut().zip(over) {
        if from.is_some() {
            to.clone_from(from);
        }
    }
}

fn read_borders<'a>(b: Node<'a, 'a>) -> [Option<Option<Border>>; 6] {
    let side = |names: &[&str]| names.iter().find_map(|n| b.child(n)).map(read_border);
    [side(&["top"]), side(&["right", "end"]), side(&["bottom"]), side(&["left", "start"]), side(&["insideH"]), side(&["insideV"])]
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
    /// Names in small letters → id: the styles that programs know by name.
    by_name: HashMap<String, String>,
    default_paragraph: Option<String>,
    default_table: Option<String>,
}

impl Styles {
    pub fn read<'a>(root: Node<'a, 'a>, theme: Theme) -> Styles {
        let mut styles = Styles { theme, ..Styles::default() };
        if let Some(defaults) = root.child("docDefaults") {
            if let Some(p) = defaults.find("pPr") {
                styles.defaults.paragraph = ParagraphLayer::read(p, &styles.theme);
            }
            if let Some(p) = defaults.find("rPr") {
                styles.defaults.text = TextLayer::read(p, &styles.theme);
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
            let mut style = Style { bands: [1, 1], ..Style::default() };
            for layer in chain.iter().rev() {
                styles.lay(*layer, &mut style);
            }
            if matches!(node.attr("default"), Some("1" | "true")) {
                match node.attr("type") {
                    Some("paragraph") => styles.default_paragraph = Some((*id).to_owned()),
                    Some("table") => styles.default_table = Some((*id).to_owned()),
                    _ => {}
                }
            }
            if let Some(name) = node.val("name") {
                styles.by_name.insert(name.to_lowercase(), (*id).to_owned());
            }
            styles.by_id.insert((*id).to_owned(), style);
        }
        styles
    }

    /// Lays what one style says itself over those that it is based on.
    fn lay<'a>(&self, layer: Node<'a, 'a>, style: &mut Style) {
        if let Some(p) = layer.child("pPr") {
            ParagraphLayer::read(p, &self.theme).over(&mut style.paragraph);
        }
        if let Some(p) = layer.child("rPr") {
            TextLayer::read(p, &self.theme).over_layer(&mut style.text);
        }
        if let Some(p) = layer.child("tblPr") {
            TableLayer::read(p).over(&mut style.table);
            for (at, name) in ["tblStyleRowBandSize", "tblStyleColBandSize"].into_iter().enumerate() {
                if let Some(size) = p.child(name).and_then(|s| s.number("val")) {
                    style.bands[at] = size.clamp(1.0, 100.0) as usize;
                }
            }
        }
        let mut part = |kind: TablePart, own: PartLayer| match style.parts.iter_mut().find(|(k, _)| *k == kind) {
            Some((_, below)) => own.over(below),
            None => style.parts.push((kind, own)),
        };
        if let Some(p) = layer.child("tcPr") {
            part(TablePart::Whole, PartLayer { cell: CellLayer::read(p, &self.theme), ..PartLayer::default() });
        }
        for node in layer.elements().filter(|n| n.name() == "tblStylePr") {
            let Some(kind) = node.attr("type").and_then(TablePart::of) else { continue };
            let own = PartLayer {
                paragraph: node.child("pPr").map(|p| ParagraphLayer::read(p, &self.theme)).unwrap_or_default(),
                text: node.child("rPr").map(|p| TextLayer::read(p, &self.theme)).unwrap_or_default(),
                cell: node.child("tcPr").map(|p| CellLayer::read(p, &self.theme)).unwrap_or_default(),
            };
            part(kind, own);
        }
        style.parts.sort_by_key(|(kind, _)| *kind);
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

    /// The id of the style of a name that programs know: "toc 1", "heading 2".
    pub fn named(&self, name: &str) -> Option<&str> {
        self.by_name.get(name).map(String::as_str)
    }

    /// The name of the default paragraph style.
    pub fn default_paragraph_id(&self) -> &str {
        self.default_paragraph.as_deref().unwrap_or("")
    }
}
