//! Tables.

use std::fmt::Write;

use super::inline::without_last_spaces;
use super::kept::holder;
use super::{Writer, fill, round, strokes};
use crate::model::{Align, Block, Border, Cell, Direction, Inline, Paragraph, Row, Table, Vertical};

impl Writer<'_> {
    pub(super) fn table(&mut self, table: &Table, above: f64) {
        let column = |w: &Option<f64>| w.map_or("auto, ".to_owned(), |w| format!("{}pt, ", round(w)));
        let mut columns: String =
            if table.rtl { table.columns.iter().rev().map(column).collect() } else { table.columns.iter().map(column).collect() };
        let headers = headers(table);
        let kept = self.kept(table, headers);
        if !kept.is_empty() {
            columns.push_str("0pt, ");
        }
        let align = match table.align {
            Align::Center => "center",
            Align::Right => "right",
            _ => "left",
        };
        let wrapped = self.numbers.is_some();
        if wrapped {
            self.out.push_str("#[");
        }
        let numbers = self.unnumbered();
        // What most cells have alike is said once.
        let common = Common::of(table);
        let _ = write!(
            self.out,
            "#block(above: {}pt, below: 0pt, width: 100%, align({align}, pad(left: {}pt, table(columns: ({columns}), inset: {}, stroke: {}, align: left + top, ",
            round(above),
            round(if table.align == Align::Left { table.indent } else { 0.0 }),
            common.inset,
            common.stroke.as_deref().unwrap_or("none"),
        );
        if headers > 0 {
            self.out.push_str("table.header(repeat: true, ");
        }
        for (at, row) in table.rows.iter().enumerate() {
            if headers > 0 && at == headers {
                self.out.push_str("), ");
            }
            self.row(row, table, &common);
            if !kept.is_empty() {
                self.out.push_str(&holder(&kept, at));
            }
        }
        self.out.push_str("))))\n");
        if wrapped {
            self.out.push_str("]\n");
        }
        self.numbers = numbers;
    }

    fn row(&mut self, row: &Row, table: &Table, common: &Common) {
        let line = line_above(row);
        // One cell holds the row open.
        let holds = row.cells.iter().position(|c| c.rows == 1).unwrap_or(0);
        let order: Vec<usize> = if table.rtl { (0..row.cells.len()).rev().collect() } else { (0..row.cells.len()).collect() };
        for at in order {
            let cell = &row.cells[at];
            let columns = table.columns.get(cell.at..cell.at + cell.columns).unwrap_or_default();
            let width = columns.iter().copied().sum::<Option<f64>>().map(|width| width - cell.margin[1] - cell.margin[3]);
            // Text that runs up or down has room that only the pages know.
            let width = width.filter(|_| cell.direction == Direction::Across);
            self.cell(cell, &InRow { row, line, holds: at == holds, width }, common);
        }
    }

    /// Double borders are one thick line with the paper's colour along its middle.
    fn between_doubles(&mut self, cell: &Cell, [top, right, bottom, left]: [f64; 4]) {
        let ways = [
            (0, "top + left", -top, left + right, 0),
            (1, "top + right", -top, top + bottom, 90),
            (2, "bottom + left", bottom, left + right, 0),
            (3, "top + left", -top, top + bottom, 90),
        ];
        for (side, at, dy, more, angle) in ways {
            let Some(border) = cell.borders[side].as_ref().filter(|b| b.double) else { continue };
            let dx = if side == 1 { right } else { -left };
            let _ = write!(
                self.out,
                "#place({at}, dx: {}pt, dy: {}pt, line(length: 100% + {}pt, angle: {angle}deg, stroke: {}pt + white))",
                round(dx),
                round(dy),
                round(more),
                round(border.width),
            );
        }
    }

    fn cell_content(&mut self, cell: &Cell, line_only: Option<&Paragraph>, width: Option<f64>) {
        match line_only {
            Some(paragraph) => {
                self.lines = width;
                self.inlines(&without_last_spaces(&paragraph.inlines), paragraph.line);
                self.lines = None;
            }
            None => self.boxed(&cell.blocks, width),
        }
    }

    fn cell(&mut self, cell: &Cell, within: &InRow<'_>, common: &Common) {
        let InRow { row, line, holds, width } = *within;
        let line_only = one_line(cell, row);
        let [top, right, bottom, left] = inset(cell, row, line);
        let mut across = "left";
        if let Some(paragraph) = line_only {
            across = match paragraph.align {
                Align::Center => "center",
                Align::Right => "right",
                _ => "left",
            };
        }
        let vertical = match cell.vertical {
            Vertical::Top => "top",
            Vertical::Middle => "horizon",
            Vertical::Bottom => "bottom",
        };
        let from = self.out.len();
        self.out.push_str("table.cell(");
        let bare = self.out.len();
        if cell.columns > 1 {
            let _ = write!(self.out, "colspan: {}, ", cell.columns);
        }
        if cell.rows > 1 {
            let _ = write!(self.out, "rowspan: {}, ", cell.rows);
        }
        if cell.shading.is_some() {
            let _ = write!(self.out, "fill: {}, ", fill(cell.shading.as_ref()));
        }
        if common.stroke.is_none() && cell.borders.iter().any(Option::is_some) {
            let _ = write!(self.out, "stroke: {}, ", strokes(&cell.borders, super::thickness));
        }
        if cell.vertical != Vertical::Top || across != "left" {
            let _ = write!(self.out, "align: {across} + {vertical}, ");
        }
        if !row.breaks || row.exact || cell.direction != Direction::Across {
            self.out.push_str("breakable: false, ");
        }
        let own = written([top, right, bottom, left]);
        if own != common.inset {
            let _ = write!(self.out, "inset: {own}, ");
        }
        // One that is like most is no more than its content.
        let plain = self.out.len() == bare;
        if plain {
            self.out.truncate(from);
        }
        self.out.push('[');
        self.between_doubles(cell, [top, right, bottom, left]);
        let inner = row.least - top - bottom;
        match cell.direction {
            Direction::Across if row.exact && cell.rows == 1 => {
                // No higher than it says: what is more is cut off.
                let _ = write!(self.out, "#block(height: {}pt, width: 100%, clip: true, align({vertical}, [", round(inner.max(0.0)));
                self.boxed(&cell.blocks, width);
                self.out.push_str("]))");
            }
            Direction::Across if holds && inner > 0.0 => {
                let _ = write!(self.out, "#least({}pt, {across}, {vertical}, [", round(inner));
                self.cell_content(cell, line_only, width);
                self.out.push_str("])");
            }
            Direction::Across => self.cell_content(cell, line_only, width),
            direction => {
                let (angle, side) = if direction == Direction::Up { (-90, "left") } else { (90, "right") };
                let _ = write!(
                    self.out,
                    "#turned-cell({angle}deg, {side}, {}, [",
                    if inner > 0.0 { format!("{}pt", round(inner)) } else { "none".into() }
                );
                self.boxed(&cell.blocks, width);
                self.out.push_str("])");
            }
        }
        self.out.push_str(if plain { "], " } else { "]), " });
    }
}

/// Where a cell stands.
struct InRow<'a> {
    row: &'a Row,
    /// The thickest line above the row.
    line: f64,
    /// Whether it holds the row open.
    holds: bool,
    /// The room for its text, where it is known.
    width: Option<f64>,
}

/// How many rows are repeated on each page; none where all would be.
fn headers(table: &Table) -> usize {
    let mut headers = table.rows.iter().take_while(|r| r.header).count();
    // A cell that reaches down from a header row takes the rows below with it.
    let reach = |headers: usize| {
        let rows = table.rows[..headers].iter().enumerate();
        rows.flat_map(|(y, r)| r.cells.iter().map(move |c| y + c.rows)).max().unwrap_or(0).max(headers)
    };
    while headers < table.rows.len() && reach(headers) > headers {
        headers = reach(headers);
    }
    if headers < table.rows.len() { headers } else { 0 }
}

/// What the cells of a table have alike.
struct Common {
    /// The inset of most.
    inset: String,
    /// The lines of all.
    stroke: Option<String>,
}

impl Common {
    fn of(table: &Table) -> Common {
        let mut insets: Vec<(String, usize)> = Vec::new();
        let mut all: Option<&[Option<Border>; 4]> = None;
        let mut alike = true;
        for row in &table.rows {
            let line = line_above(row);
            for cell in &row.cells {
                let own = written(inset(cell, row, line));
                match insets.iter_mut().find(|(known, _)| *known == own) {
                    Some((_, count)) => *count += 1,
                    None => insets.push((own, 1)),
                }
                alike &= *all.get_or_insert(&cell.borders) == &cell.borders;
            }
        }
        let inset = insets.into_iter().max_by_key(|(_, count)| *count).map_or("0pt".to_owned(), |(inset, _)| inset);
        let stroke = all.filter(|_| alike).map(all_sides);
        Common { inset, stroke }
    }
}

/// The lines of all sides: a table draws those of which it is told nothing.
fn all_sides(borders: &[Option<Border>; 4]) -> String {
    let mut told = strokes(borders, super::thickness);
    if told.ends_with(')') && borders.iter().any(Option::is_none) {
        told.pop();
        for (side, _) in ["top", "right", "bottom", "left"].iter().zip(borders).filter(|(_, border)| border.is_none()) {
            let _ = write!(told, ", {side}: none");
        }
        told.push(')');
    }
    told
}

/// The thickest line above a row: it takes its room in it.
fn line_above(row: &Row) -> f64 {
    row.cells.iter().filter_map(|c| c.borders[0].as_ref()).map(super::thickness).fold(0.0, f64::max)
}

/// What lies between a cell's edges and its content: top, right, bottom, left.
fn inset(cell: &Cell, row: &Row, line: f64) -> [f64; 4] {
    let [top, right, bottom, left] = cell.margin.map(round);
    let [above, below] = one_line(cell, row).map_or([0.0; 2], |paragraph| paragraph.space);
    [top + above + round(line), right, bottom + below, left]
}

fn written([top, right, bottom, left]: [f64; 4]) -> String {
    format!("(top: {}pt, right: {}pt, bottom: {}pt, left: {}pt)", round(top), round(right), round(bottom), round(left))
}

/// The one paragraph of a cell that needs nothing but its lines: most cells are so,
/// and a block for each would cost.
fn one_line<'a>(cell: &'a Cell, row: &Row) -> Option<&'a Paragraph> {
    let [Block::Paragraph(paragraph)] = cell.blocks.as_slice() else { return None };
    let simple = |inline: &Inline| match inline {
        Inline::Text(..) | Inline::Break => true,
        Inline::Marked(_, inner) => matches!(&**inner, Inline::Text(..)),
        _ => false,
    };
    let plain = paragraph.indent == [0.0; 3]
        && paragraph.align != Align::Justify
        && !paragraph.rtl
        && paragraph.hyphenate
        && paragraph.marker.is_none()
        && paragraph.shading.is_none()
        && paragraph.borders.iter().all(Option::is_none)
        && !paragraph.inlines.is_empty()
        && paragraph.inlines.iter().all(simple)
        && !super::paragraph::runs_back(&paragraph.inlines);
    (plain && cell.direction == Direction::Across && !(row.exact && cell.rows == 1)).then_some(paragraph)
}
