//! Tables: rows, cells, what joins them, and the styles of their parts (ECMA-376
//! part 1, 17.4, 17.7.6).

use std::collections::HashMap;

use roxmltree::Node;

use super::{Reader, flat, floats};
use crate::formats::docx::properties::alignment;
use crate::formats::docx::styles::{CellLayer, PartLayer, Style, TableLayer, TablePart};
use crate::formats::docx::xml::Ask;
use crate::layout::fit::fitted;
use crate::model::{Align, Block, Border, Cell, Direction, Row, Table};

/// The most columns of a table.
const MOST_COLUMNS: usize = 256;

/// What all cells of a table share while they are read.
struct Frame {
    style: Style,
    layer: TableLayer,
    shows: Parts,
    /// Rows and columns.
    height: usize,
    width: usize,
}

/// Which parts of its style a table shows (ECMA-376 part 1, 17.4.55).
struct Parts {
    first_row: bool,
    last_row: bool,
    first_column: bool,
    last_column: bool,
    rows: bool,
    columns: bool,
}

impl Parts {
    fn read<'x>(look: Option<Node<'x, 'x>>) -> Parts {
        let bits = look.and_then(|l| l.attr("val")).and_then(|v| u32::from_str_radix(v, 16).ok()).unwrap_or(0);
        let flag = |name: &str, bit: u32| match look.and_then(|l| l.attr(name)) {
            Some(on) => matches!(on, "1" | "true" | "on"),
            None => bits & bit != 0,
        };
        Parts {
            first_row: flag("firstRow", 0x20),
            last_row: flag("lastRow", 0x40),
            first_column: flag("firstColumn", 0x80),
            last_column: flag("lastColumn", 0x100),
            rows: !flag("noHBand", 0x200),
            columns: !flag("noVBand", 0x400),
        }
    }
}

/// Where a cell lies in its table.
#[derive(Clone, Copy)]
struct Spot {
    y: usize,
    /// The first column, and the first after it.
    x: (usize, usize),
}

impl Frame {
    /// Which of a cell's edges are edges of the table: top, right, bottom, left.
    fn edges(&self, at: Spot, rows: usize) -> [bool; 4] {
        [at.y == 0, at.x.1 >= self.width, at.y + rows >= self.height, at.x.0 == 0]
    }

    /// Which of a cell's edges are edges of a part of the style; `None` where the
    /// part is not for the cell.
    fn part(&self, part: TablePart, at: Spot) -> Option<[bool; 4]> {
        let table = self.edges(at, 1);
        let [first_row, last_column, last_row, first_column] = table;
        let (head, side) = (self.shows.first_row && first_row, self.shows.first_column && first_column);
        let (foot, far) = (self.shows.last_row && last_row, self.shows.last_column && last_column);
        let row = [true, last_column, true, first_column];
        let column = [first_row, true, last_row, true];
        let [rows, columns] = self.style.bands;
        let row_band = at.y.checked_sub(usize::from(self.shows.first_row)).map(|y| (y / rows) % 2).filter(|_| !head && !foot);
        let column_band = at.x.0.checked_sub(usize::from(self.shows.first_column)).map(|x| (x / columns) % 2).filter(|_| !side && !far);
        let found = match part {
            TablePart::Whole => (true, table),
            TablePart::OddColumns => (self.shows.columns && column_band == Some(0), column),
            TablePart::EvenColumns => (self.shows.columns && column_band == Some(1), column),
            TablePart::OddRows => (self.shows.rows && row_band == Some(0), row),
            TablePart::EvenRows => (self.shows.rows && row_band == Some(1), row),
            TablePart::LastColumn => (far, column),
            TablePart::FirstColumn => (side, column),
            TablePart::LastRow => (foot, row),
            TablePart::FirstRow => (head, row),
            TablePart::TopLeft => (head && side, [true; 4]),
            TablePart::TopRight => (head && far, [true; 4]),
            TablePart::BottomLeft => (foot && side, [true; 4]),
            TablePart::BottomRight => (foot && far, [true; 4]),
        };
        found.0.then_some(found.1)
    }

    /// What the style says of a cell: of its text, and of itself with the borders
    /// at its own edges.
    fn styled(&self, at: Spot) -> (PartLayer, [Option<Option<Border>>; 4]) {
        let mut layer = PartLayer { paragraph: self.style.paragraph.clone(), text: self.style.text.clone(), cell: CellLayer::default() };
        let mut borders: [Option<Option<Border>>; 4] = Default::default();
        for (part, own) in &self.style.parts {
            let Some(edges) = self.part(*part, at) else { continue };
            own.over(&mut layer);
            for (side, to) in borders.iter_mut().enumerate() {
                let from = &own.cell.borders[if edges[side] { side } else { INSIDE[side] }];
                if from.is_some() {
                    to.clone_from(from);
                }
            }
        }
        (layer, borders)
    }
}

/// Where the inner lines are for top, right, bottom, left.
const INSIDE: [usize; 4] = [4, 5, 4, 5];

impl Reader<'_, '_, '_> {
    pub(super) fn table<'x>(&mut self, node: Node<'x, 'x>) -> Option<Table> {
        let look = self.look;
        let properties = node.child("tblPr");
        let style = look.styles.table(properties.and_then(|p| p.val("tblStyle"))).cloned().unwrap_or_default();
        let mut layer = TableLayer { margin: [Some(0.0), Some(5.4), Some(0.0), Some(5.4)], ..TableLayer::default() };
        style.table.over(&mut layer);
        if let Some(properties) = properties {
            TableLayer::read(properties).over(&mut layer);
        }
        let rows: Vec<Node<'x, 'x>> = flat(node).into_iter().filter(|n| n.name() == "tr").collect();
        let width = rows.iter().map(|row| row_width(*row)).max().unwrap_or(0);
        if width == 0 || width > MOST_COLUMNS {
            return None;
        }
        let style = Style { bands: style.bands.map(|b| b.max(1)), ..style };
        let frame = Frame { style, layer, shows: Parts::read(properties.and_then(|p| p.child("tblLook"))), height: rows.len(), width };
        let columns = self.columns(node, &rows, width);
        let mut read: Vec<RawRow> = rows.iter().enumerate().map(|(y, row)| self.row(*row, y, &frame, &columns)).collect();
        let spans = row_spans(&read);
        let mut out: Vec<Row> = read
            .iter_mut()
            .enumerate()
            .map(|(y, row)| {
                let mut cells: Vec<Cell> = Vec::with_capacity(row.cells.len());
                let mut at = 0;
                for (x, raw) in std::mem::take(&mut row.cells).into_iter().enumerate() {
                    if raw.cell.at > at {
                        cells.push(nothing(at, raw.cell.at));
                    }
                    at = raw.cell.at + raw.cell.columns;
                    if let Some(rows) = spans[y][x] {
                        cells.push(raw.finish(y, rows, &frame));
                    }
                }
                if at < width {
                    cells.push(nothing(at, width));
                }
                Row { least: row.least, exact: row.exact, header: row.header, breaks: row.breaks, cells }
            })
            .collect();
        settle_borders(&mut out, width);
        let align = properties.and_then(|p| p.val("jc")).map(alignment).unwrap_or_default();
        let hang = if look.tables_hang && self.table.is_empty() { -frame.layer.margin[3].unwrap_or(0.0) } else { 0.0 };
        let indent = properties.and_then(|p| p.child("tblInd")).and_then(|i| i.twips("w")).unwrap_or(0.0) + hang;
        let rtl = properties.is_some_and(|p| p.toggle("bidiVisual") == Some(true));
        let float = properties.and_then(|p| p.child("tblpPr")).map(floats::of_table);
        let align = if align == Align::Justify { Align::Left } else { align };
        let fixed = properties.and_then(|p| p.child("tblLayout")).and_then(|l| l.attr("type")) == Some("fixed");
        let columns = if fixed { columns } else { fitted(columns, &out, self.room, look.fonts()) };
        Some(Table { columns, align, indent: indent.clamp(-1000.0, 1000.0), rtl, float, rows: out })
    }

    /// The widths of the columns; none where the content decides.
    fn columns<'x>(&self, table: Node<'x, 'x>, rows: &[Node<'x, 'x>], width: usize) -> Vec<Option<f64>> {
        let properties = table.child("tblPr");
        let fixed = properties.and_then(|p| p.child("tblLayout")).and_then(|l| l.attr("type")) == Some("fixed");
        let whole = properties.and_then(|p| p.child("tblW")).and_then(|w| wide(w, self.room));
        let mut columns: Vec<f64> = table.child("tblGrid").into_iter().flat_map(|g| g.elements()).filter_map(|c| c.twips("w")).collect();
        columns.resize(width, 0.0);
        // The widths that cells ask for stand over those of the grid.
        let mut asked = vec![None; width];
        let mut any = false;
        for row in rows {
            for (cell, at, span) in cells_of(*row) {
                let own = cell.child("tcPr").and_then(|p| p.child("tcW")).and_then(|w| wide(w, whole.unwrap_or(self.room)));
                any |= own.is_some();
                if let (1, Some(own), Some(asked @ None)) = (span, own, asked.get_mut(at)) {
                    *asked = Some(own);
                }
            }
        }
        let known: f64 = columns.iter().sum();
        if !fixed && !any && whole.is_none() && properties.is_some_and(|p| p.child("tblW").is_some()) {
            return vec![None; width];
        }
        for (column, asked) in columns.iter_mut().zip(&asked) {
            if let Some(asked) = asked
                && (*column < 1.0 || (!fixed && (*asked - *column).abs() > 1.0 && *asked > 1.0))
            {
                *column = *asked;
            }
        }
        let unknown = columns.iter().filter(|c| **c < 1.0).count();
        if unknown > 0 {
            let rest = (whole.unwrap_or(self.room) - columns.iter().sum::<f64>()).max(unknown as f64 * 18.0);
            columns.iter_mut().filter(|c| **c < 1.0).for_each(|c| *c = rest / unknown as f64);
        }
        // A table as wide as a share of its room keeps its columns' proportions.
        let share = properties.and_then(|p| p.child("tblW")).is_some_and(|w| w.attr("type") == Some("pct"));
        if let (true, Some(whole)) = (share || known < 1.0, whole) {
            let sum: f64 = columns.iter().sum();
            columns.iter_mut().for_each(|c| *c *= whole / sum.max(1.0));
        }
        columns.into_iter().map(|c| Some(c.clamp(1.0, 5000.0))).collect()
    }

    fn row<'x>(&mut self, node: Node<'x, 'x>, y: usize, frame: &Frame, columns: &[Option<f64>]) -> RawRow {
        let properties = node.child("trPr");
        let height = properties.and_then(|p| p.child("trHeight"));
        RawRow {
            least: height.and_then(|h| h.twips("val")).unwrap_or(0.0).clamp(0.0, 5000.0),
            exact: height.is_some_and(|h| h.attr("hRule") == Some("exact")),
            header: properties.is_some_and(|p| p.toggle("tblHeader") == Some(true)),
            breaks: properties.is_none_or(|p| p.toggle("cantSplit") != Some(true)),
            cells: cells_of(node)
                .into_iter()
                .map(|(cell, at, span)| self.cell(cell, Spot { y, x: (at, at + span) }, frame, columns))
                .collect(),
        }
    }

    fn cell<'x>(&mut self, node: Node<'x, 'x>, at: Spot, frame: &Frame, columns: &[Option<f64>]) -> RawCell {
        let properties = node.child("tcPr");
        let (mut styled, borders) = frame.styled(at);
        let style_borders = borders;
        let own = properties.map(|p| CellLayer::read(p, &self.look.styles.theme)).unwrap_or_default();
        let own_borders = own.borders.clone();
        own.over(&mut styled.cell);
        let margin: [f64; 4] =
            std::array::from_fn(|side| styled.cell.margin[side].or(frame.layer.margin[side]).unwrap_or(0.0).clamp(0.0, 200.0));
        let room = columns[at.x.0.min(columns.len())..at.x.1.min(columns.len())].iter().map(|c| c.unwrap_or(100.0)).sum::<f64>();
        let outer_room = std::mem::replace(&mut self.room, (room - margin[1] - margin[3]).max(10.0));
        let cell_layer = std::mem::take(&mut styled.cell);
        self.table.push(styled);
        let blocks = self.blocks(node);
        self.table.pop();
        self.room = outer_room;
        RawCell {
            merge: match properties.and_then(|p| p.child("vMerge")) {
                None => Merge::None,
                Some(m) if m.attr("val") == Some("restart") => Merge::Start,
                Some(_) => Merge::Continue,
            },
            own_borders,
            style_borders,
            cell: Cell {
                at: at.x.0,
                columns: at.x.1 - at.x.0,
                rows: 1,
                shading: cell_layer.shading.flatten(),
                borders: Default::default(),
                margin,
                vertical: cell_layer.vertical.unwrap_or_default(),
                direction: match properties.and_then(|p| p.val("textDirection")) {
                    Some("btLr") => Direction::Up,
                    Some("tbRl" | "tbRlV" | "tb") => Direction::Down,
                    _ => Direction::Across,
                },
                blocks,
            },
        }
    }
}

/// A width in points; shares are fiftieths of a percent, or written with a sign.
fn wide<'x>(node: Node<'x, 'x>, whole: f64) -> Option<f64> {
    let raw = node.attr("w")?;
    let share = match raw.strip_suffix('%') {
        Some(percent) => Some(percent.parse::<f64>().ok()? / 100.0),
        None if node.attr("type") == Some("pct") => Some(raw.parse::<f64>().ok()? / 5000.0),
        None => None,
    };
    match (share, node.attr("type")) {
        (Some(share), _) => Some(whole * share),
        (None, Some("auto" | "nil")) => None,
        (None, _) => node.twips("w"),
    }
    .filter(|w| *w > 0.0)
}

/// The cells of a row with their first column and how many they cover.
fn cells_of<'x>(row: Node<'x, 'x>) -> Vec<(Node<'x, 'x>, usize, usize)> {
    let count = |holder: Option<Node<'x, 'x>>, name: &str, least: f64| {
        let number = holder.and_then(|p| p.child(name)).and_then(|g| g.number("val"));
        number.unwrap_or(least).clamp(least, MOST_COLUMNS as f64) as usize
    };
    let mut at = count(row.child("trPr"), "gridBefore", 0.0);
    let mut cells = Vec::new();
    for cell in flat(row).into_iter().filter(|n| n.name() == "tc") {
        let span = count(cell.child("tcPr"), "gridSpan", 1.0);
        cells.push((cell, at, span));
        at += span;
    }
    cells
}

fn row_width<'x>(row: Node<'x, 'x>) -> usize {
    cells_of(row).last().map_or(0, |(_, at, span)| at + span)
}

/// What stands where a row has no cell.
fn nothing(from: usize, to: usize) -> Cell {
    Cell {
        at: from,
        columns: to - from,
        rows: 1,
        shading: None,
        borders: Default::default(),
        margin: [0.0; 4],
        vertical: Default::default(),
        direction: Direction::Across,
        blocks: Vec::<Block>::new(),
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
    exact: bool,
    header: bool,
    breaks: bool,
    cells: Vec<RawCell>,
}

struct RawCell {
    merge: Merge,
    own_borders: [Option<Option<Border>>; 6],
    style_borders: [Option<Option<Border>>; 4],
    cell: Cell,
}

impl RawCell {
    /// Takes from the style and the table what the cell does not say.
    fn finish(self, y: usize, rows: usize, frame: &Frame) -> Cell {
        let edges = frame.edges(Spot { y, x: (self.cell.at, self.cell.at + self.cell.columns) }, rows);
        let borders = std::array::from_fn(|side| {
            let table = &frame.layer.borders[if edges[side] { side } else { INSIDE[side] }];
            self.own_borders[side].clone().or_else(|| self.style_borders[side].clone()).or_else(|| table.clone()).flatten()
        });
        Cell { rows, borders, ..self.cell }
    }
}

/// How many rows each cell covers; none for one that belongs to a cell above.
fn row_spans(rows: &[RawRow]) -> Vec<Vec<Option<usize>>> {
    let mut spans: Vec<Vec<Option<usize>>> = rows.iter().map(|r| vec![Some(1); r.cells.len()]).collect();
    // By column: the row and cell whose merge goes on.
    let mut open: HashMap<usize, (usize, usize)> = HashMap::new();
    for (y, row) in rows.iter().enumerate() {
        let mut still = HashMap::new();
        for (x, cell) in row.cells.iter().enumerate().filter(|(_, c)| c.merge != Merge::None) {
            let at = cell.cell.at;
            match open.get(&at).filter(|_| cell.merge == Merge::Continue) {
                Some(start) => {
                    spans[start.0][start.1] = spans[start.0][start.1].map(|n| n + 1);
                    spans[y][x] = None;
                    still.insert(at, *start);
                }
                // A merge that goes on from nowhere begins here.
                None => drop(still.insert(at, (y, x))),
            }
        }
        open = still;
    }
    spans
}

/// Where two cells meet, the stronger of their lines is drawn (ECMA-376 part 1,
/// 17.4.66): both cells get it.
fn settle_borders(rows: &mut [Row], width: usize) {
    let mut owner: Vec<Vec<Option<(usize, usize)>>> = vec![vec![None; width]; rows.len()];
    for y in 0..rows.len() {
        for x in 0..rows[y].cells.len() {
            let cell = &rows[y].cells[x];
            let (columns, down) = (cell.at..(cell.at + cell.columns).min(width), y..(y + cell.rows).min(rows.len()));
            for line in &mut owner[down] {
                line[columns.clone()].fill(Some((y, x)));
            }
        }
    }
    let mut settle = |a: Option<(usize, usize)>, side: usize, b: Option<(usize, usize)>, other: usize| {
        let (Some(a), Some(b)) = (a, b) else { return };
        if a == b {
            return;
        }
        let (one, two) = (rows[a.0].cells[a.1].borders[side].clone(), rows[b.0].cells[b.1].borders[other].clone());
        let stronger = match (one, two) {
            (Some(one), Some(two)) => Some(if weight(&two) > weight(&one) { two } else { one }),
            (one, two) => one.or(two),
        };
        rows[a.0].cells[a.1].borders[side].clone_from(&stronger);
        rows[b.0].cells[b.1].borders[other] = stronger;
    };
    for y in 0..owner.len() {
        for x in 0..width {
            if x + 1 < width {
                settle(owner[y][x], 1, owner[y][x + 1], 3);
            }
            if y + 1 < owner.len() {
                settle(owner[y][x], 2, owner[y + 1][x], 0);
            }
        }
    }
}

fn weight(border: &Border) -> f64 {
    border.width * if border.double { 2.0 } else { 1.0 }
}
