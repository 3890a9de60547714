//! Tables: rows, cells, and what joins them (ECMA-376 part 1, 17.4).

use std::sync::Arc;

use roxmltree::Node;

use super::{Reader, flat};
use crate::page::model::{Align, Block, Border, Cell, Row, Table, Vertical};
use crate::page::properties::{alignment, color, read_border};
use crate::page::styles::{TableLayer, margins};
use crate::page::xml::Ask;

impl Reader<'_, '_, '_> {
    pub(super) fn table<'x>(&mut self, node: Node<'x, 'x>) -> Option<Table> {
        let look = self.look;
        let properties = node.child("tblPr");
        let style = look.styles.table(properties.and_then(|p| p.val("tblStyle"))).cloned();
        let mut layer = TableLayer { margin: [Some(0.0), Some(5.4), Some(0.0), Some(5.4)], ..TableLayer::default() };
        if let Some(style) = &style {
            style.table.over(&mut layer);
        }
        if let Some(properties) = properties {
            TableLayer::read(properties).over(&mut layer);
        }
        self.table.push(style);
        let rows: Vec<Node<'x, 'x>> = flat(node).into_iter().filter(|n| n.name() == "tr").collect();
        let mut read: Vec<RawRow> = rows.iter().map(|row| self.row(*row)).collect();
        self.table.pop();
        let mut columns: Vec<f64> = node.child("tblGrid").into_iter().flat_map(|g| g.elements()).filter_map(|c| c.twips("w")).collect();
        let count = read.iter().map(|r| r.cells.iter().map(|c| c.at + c.columns).max().unwrap_or(0)).max().unwrap_or(0);
        if count == 0 || count > 256 {
            return None;
        }
        fit_columns(&mut columns, count, &read);
        let height = read.len();
        let spans = row_spans(&read);
        let out = read
            .iter_mut()
            .enumerate()
            .map(|(y, row)| {
                let cells = std::mem::take(&mut row.cells);
                let cells = cells
                    .into_iter()
                    .enumerate()
                    .filter(|(_, cell)| cell.merge != Merge::Continue)
                    .map(|(x, cell)| {
                        let rows = spans[y][x];
                        let edges = [y == 0, cell.at + cell.columns >= count, y + rows >= height, cell.at == 0];
                        cell.finish(rows, edges, &layer)
                    })
                    .collect();
                Row { least: row.least, header: row.header, cells }
            })
            .collect();
        let align = properties.and_then(|p| p.val("jc")).map(alignment).unwrap_or_default();
        let hang = if look.tables_hang && self.table.is_empty() { -layer.margin[3].unwrap_or(0.0) } else { 0.0 };
        let indent = properties.and_then(|p| p.child("tblInd")).and_then(|i| i.twips("w")).unwrap_or(0.0) + hang;
        Some(Table { columns, align: if align == Align::Justify { Align::Left } else { align }, indent, rows: out })
    }

    fn row<'x>(&mut self, node: Node<'x, 'x>) -> RawRow {
        let properties = node.child("trPr");
        let mut at = properties.and_then(|p| p.child("gridBefore")).and_then(|g| g.number("val")).unwrap_or(0.0).clamp(0.0, 250.0) as usize;
        let mut cells = Vec::new();
        for cell in flat(node).into_iter().filter(|n| n.name() == "tc") {
            let cell = self.cell(cell, at);
            at += cell.columns;
            cells.push(cell);
        }
        RawRow {
            least: properties.and_then(|p| p.child("trHeight")).and_then(|h| h.twips("val")).unwrap_or(0.0).clamp(0.0, 5000.0),
            header: properties.is_some_and(|p| p.toggle("tblHeader") == Some(true)),
            cells,
        }
    }

    fn cell<'x>(&mut self, node: Node<'x, 'x>, at: usize) -> RawCell {
        let properties = node.child("tcPr");
        let borders = properties.and_then(|p| p.child("tcBorders"));
        let side = |names: &[&str]| borders.and_then(|b| names.iter().find_map(|n| b.child(n))).map(read_border);
        RawCell {
            at,
            columns: properties.and_then(|p| p.child("gridSpan")).and_then(|g| g.number("val")).unwrap_or(1.0).clamp(1.0, 250.0) as usize,
            width: properties.and_then(|p| p.child("tcW")).filter(|w| w.attr("type") != Some("pct")).and_then(|w| w.twips("w")),
            merge: match properties.and_then(|p| p.child("vMerge")) {
                None => Merge::None,
                Some(m) if m.attr("val") == Some("restart") => Merge::Start,
                Some(_) => Merge::Continue,
            },
            shading: properties.and_then(|p| p.child("shd")).and_then(|s| s.attr("fill")).and_then(color),
            borders: [side(&["top"]), side(&["right", "end"]), side(&["bottom"]), side(&["left", "start"])],
            margin: properties.and_then(|p| p.child("tcMar")).map(margins).unwrap_or_default(),
            vertical: match properties.and_then(|p| p.val("vAlign")) {
                Some("center") => Vertical::Middle,
                Some("bottom") => Vertical::Bottom,
                _ => Vertical::Top,
            },
            blocks: self.blocks(node),
        }
    }
}

#[derive(PartialEq, Eq)]
enum Merge {
    None,
    Start,
    Continue,
}

struct RawRow {
    least: f64,
    header: bool,
    cells: Vec<RawCell>,
}

struct RawCell {
    at: usize,
    columns: usize,
    width: Option<f64>,
    merge: Merge,
    shading: Option<Arc<str>>,
    borders: [Option<Option<Border>>; 4],
    margin: [Option<f64>; 4],
    vertical: Vertical,
    blocks: Vec<Block>,
}

impl RawCell {
    /// Takes from the table what the cell does not say; `edges` tells which of
    /// its sides lie on the table's.
    fn finish(self, rows: usize, edges: [bool; 4], table: &TableLayer) -> Cell {
        const INSIDE: [usize; 4] = [4, 5, 4, 5];
        let mut borders = self.borders;
        let borders = std::array::from_fn(|side| {
            let below = &table.borders[if edges[side] { side } else { INSIDE[side] }];
            borders[side].take().or_else(|| below.clone()).flatten()
        });
        let margin = std::array::from_fn(|side| self.margin[side].or(table.margin[side]).unwrap_or(0.0).clamp(0.0, 200.0));
        Cell { columns: self.columns, rows, shading: self.shading, borders, margin, vertical: self.vertical, blocks: self.blocks }
    }
}

/// How many rows each cell covers.
fn row_spans(rows: &[RawRow]) -> Vec<Vec<usize>> {
    let mut spans: Vec<Vec<usize>> = rows.iter().map(|r| vec![1; r.cells.len()]).collect();
    for (y, row) in rows.iter().enumerate() {
        for (x, cell) in row.cells.iter().enumerate().filter(|(_, c)| c.merge == Merge::Start) {
            let covers = |below: &&RawRow| below.cells.iter().any(|c| c.at == cell.at && c.merge == Merge::Continue);
            spans[y][x] += rows[y + 1..].iter().take_while(covers).count();
        }
    }
    spans
}

/// Columns without a width take that of their cells, or share what is left.
fn fit_columns(columns: &mut Vec<f64>, count: usize, rows: &[RawRow]) {
    columns.resize(count, 0.0);
    for cell in rows.iter().flat_map(|r| &r.cells) {
        if let (1, Some(width)) = (cell.columns, cell.width)
            && columns[cell.at] < 1.0
        {
            columns[cell.at] = width;
        }
    }
    for width in columns.iter_mut() {
        *width = if *width < 1.0 { 72.0 } else { width.min(5000.0) };
    }
}
