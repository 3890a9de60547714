//! Drawings: in the line, on the paper, between lines.

use std::fmt::Write;

use super::beside::can_be_parted;
use super::sections::on_paper;
use super::{Around, Writer, fill, literal, picture_path, round, stroke};
use crate::model::{Anchored, Block, Drawing, Form, From, Inline, Position, Shows, TextBox, Vertical};

impl Writer<'_> {
    pub(super) fn drawing_in_line(&mut self, drawing: &Drawing) {
        let with_text = matches!(&drawing.shows, Shows::Shape { text: Some(text), .. } if !text.grows) && drawing.turned == 0.0;
        match with_text {
            // Its foot stands on the line, not its text.
            true => {
                let (width, height) = (round(drawing.width), round(drawing.height));
                let _ = write!(self.out, "#box(width: {width}pt, height: {height}pt, place(top + left, ");
                self.turned(drawing, true);
                self.out.push_str("))");
            }
            false => {
                self.out.push_str("#box(");
                self.turned(drawing, true);
                self.out.push(')');
            }
        }
    }

    /// What a drawing shows, turned.
    fn turned(&mut self, drawing: &Drawing, reflow: bool) {
        let is_turned = drawing.turned != 0.0;
        if is_turned {
            let _ = write!(self.out, "rotate({}deg, reflow: {reflow}, ", round(drawing.turned));
        }
        self.drawing(drawing);
        if is_turned {
            self.out.push(')');
        }
    }

    fn drawing(&mut self, drawing: &Drawing) {
        let (width, height) = (round(drawing.width), round(drawing.height));
        match &drawing.shows {
            Shows::Picture { part, crop, text } => {
                let number = self.pictures.iter().position(|p| p == part).unwrap_or_else(|| {
                    self.pictures.push(part.clone());
                    self.pictures.len() - 1
                });
                let path = picture_path(number, part);
                let [top, right, bottom, left] = *crop;
                let (whole_width, whole_height) =
                    (drawing.width / (1.0 - left - right).max(0.01), drawing.height / (1.0 - top - bottom).max(0.01));
                let image = |w: f64, h: f64| {
                    let image = format!("image(\"{path}\", width: {}pt, height: {}pt, fit: \"stretch\"", round(w), round(h));
                    // What has no words for it is decoration.
                    match text.trim().is_empty() {
                        true => format!("pdf.artifact({image}))"),
                        false => format!("{image}, alt: {})", literal(text)),
                    }
                };
                let _ = match crop.iter().any(|c| *c != 0.0) {
                    true => write!(
                        self.out,
                        "block(width: {width}pt, height: {height}pt, clip: true, place(top + left, dx: {}pt, dy: {}pt, {}))",
                        round(-whole_width * left),
                        round(-whole_height * top),
                        image(whole_width, whole_height)
                    ),
                    false => write!(self.out, "{}", image(drawing.width, drawing.height)),
                };
            }
            Shows::Shape { form, fill: paint, line, text } => {
                let line = line.as_ref().map_or("none".to_owned(), stroke);
                let paint = fill(paint.as_ref());
                let (kind, extra) = match form {
                    Form::Line => {
                        let _ = write!(
                            self.out,
                            "block(width: {width}pt, height: {height}pt, place(line(start: (0pt, 0pt), end: ({width}pt, {height}pt), stroke: {line})))"
                        );
                        return;
                    }
                    Form::RisingLine => {
                        let _ = write!(
                            self.out,
                            "block(width: {width}pt, height: {height}pt, place(line(start: (0pt, {height}pt), end: ({width}pt, 0pt), stroke: {line})))"
                        );
                        return;
                    }
                    Form::Rectangle => ("rect", String::new()),
                    Form::Rounded => ("rect", format!("radius: {}pt, ", round(drawing.width.min(drawing.height) * 0.16))),
                    Form::Ellipse => ("ellipse", String::new()),
                };
                let tall = match text {
                    Some(TextBox { grows: true, .. }) => "auto".to_owned(),
                    _ => format!("{height}pt"),
                };
                let _ = write!(self.out, "{kind}(width: {width}pt, height: {tall}, {extra}inset: 0pt, fill: {paint}, stroke: {line}");
                if let Some(text) = text {
                    let [top, right, bottom, left] = text.margin.map(round);
                    let vertical = match text.vertical {
                        Vertical::Top => "top",
                        Vertical::Middle => "horizon",
                        Vertical::Bottom => "bottom",
                    };
                    let _ = write!(
                        self.out,
                        ", block(width: 100%, height: {}, clip: {}, inset: (top: {top}pt, right: {right}pt, bottom: {bottom}pt, left: {left}pt), align({vertical} + left, [",
                        if text.grows { "auto" } else { "100%" },
                        !text.grows
                    );
                    // Of text that is higher than its box whole lines are left out. It is
                    // written twice for that: nothing that holds blocks may stand in it.
                    let parted = |b: &Block| matches!(b, Block::Paragraph(p) if can_be_parted(p) && p.inlines.iter().all(Inline::is_flat));
                    let cut = !text.grows && text.blocks.iter().all(parted);
                    if cut {
                        self.out.push_str("#cut([");
                    }
                    self.boxed(&text.blocks, Some(drawing.width - left - right));
                    if cut {
                        self.out.push_str("], (");
                        let outer = std::mem::replace(&mut self.around, Around::Box);
                        self.all_by_words(&text.blocks);
                        self.around = outer;
                        self.out.push_str("))");
                    }
                    self.out.push_str("]))");
                }
                self.out.push(')');
            }
            Shows::Group(parts) => {
                let _ = write!(self.out, "block(width: {width}pt, height: {height}pt, {{");
                for (left, top, part) in parts {
                    let _ = write!(self.out, "place(top + left, dx: {}pt, dy: {}pt, ", round(*left), round(*top));
                    self.turned(part, false);
                    self.out.push_str(");");
                }
                self.out.push_str("})");
            }
            Shows::Words(words, font, color, faint) => {
                let font = self.wanted.fonts.stand_in(font).shown;
                let paint = if *faint { format!("rgb(\"#{color}80\")") } else { format!("rgb(\"#{color}\")") };
                let _ = write!(self.out, "large-words({}, {}, {paint}, {width}pt, {height}pt)", literal(words), literal(&font));
            }
            Shows::Frame(label) => {
                let _ = write!(self.out, "instead({}, {width}pt, {height}pt)", literal(label));
            }
        }
    }

    /// A drawing that stands where it is put, whatever the text does.
    pub(super) fn placed(&mut self, anchored: &Anchored, above: f64) {
        if matches!(self.around, Around::Edge(_)) && on_paper(anchored) {
            // It is behind the text of the whole page.
            return;
        }
        let (page, drawing) = (self.page, &anchored.drawing);
        let x = self.left_of(anchored);
        let absolute = |position: Position| position.from != From::Text || position.at.is_err();
        let mut closing = ")\n";
        match (self.around, absolute(anchored.y)) {
            (Around::Page, true) => {
                let y = from_top(anchored.y, drawing.height, page.height);
                let _ = write!(self.out, "#place(top + left, dx: {}pt, dy: {y} - top-margin, ", round(x));
            }
            (Around::Edge(distance), true) => {
                let y = from_top(anchored.y, drawing.height, page.height);
                let _ = write!(self.out, "#place(top + left, dx: {}pt, dy: {y} - {}pt, ", round(x), round(distance));
            }
            (Around::Edge(_), false) => {
                // Within something that stands at the bottom, places do, too: not so blocks.
                let y = anchored.y.at.unwrap_or(0.0) + above;
                let _ = write!(
                    self.out,
                    "#block(width: 100%, height: 0pt, above: 0pt, below: 0pt, place(top + left, dx: {}pt, dy: {}pt, ",
                    round(x),
                    round(y)
                );
                closing = "))\n";
            }
            _ => {
                let y = anchored.y.at.unwrap_or(0.0) + above;
                let _ = write!(self.out, "#place(left, dx: {}pt, dy: {}pt, ", round(x), round(y));
            }
        }
        self.turned(drawing, false);
        self.out.push_str(closing);
    }

    /// A drawing on the paper itself.
    pub(super) fn on_paper(&mut self, anchored: &Anchored) {
        let (page, drawing) = (self.page, &anchored.drawing);
        let x = self.left_of(anchored) + page.margin[3];
        let y = from_top(anchored.y, drawing.height, page.height);
        let _ = write!(self.out, "place(top + left, dx: {}pt, dy: {y}, ", round(x));
        self.turned(drawing, false);
        self.out.push_str(")\n");
    }

    /// A drawing above a paragraph, which goes on below.
    pub(super) fn between_lines(&mut self, anchored: &Anchored, above: &mut f64) {
        let down = if anchored.y.from == From::Text { anchored.y.at.unwrap_or(0.0).max(0.0) } else { 0.0 };
        let _ = write!(
            self.out,
            "#block(above: {}pt, below: 0pt, pad(left: {}pt, ",
            round(*above + down.max(anchored.distance[0])),
            round(self.left_of(anchored))
        );
        self.turned(&anchored.drawing, true);
        self.out.push_str("))\n");
        *above = anchored.distance[2];
    }

    /// Its left edge from that of the text.
    pub(super) fn left_of(&self, anchored: &Anchored) -> f64 {
        let page = &self.page;
        let width = anchored.drawing.width;
        match (anchored.x.from, anchored.x.at) {
            (From::Page, Ok(offset)) => offset - page.margin[3],
            (From::Page, Err(share)) => (page.width - width) * share - page.margin[3],
            (_, Ok(offset)) => offset,
            (_, Err(share)) => (page.room() - width) * share,
        }
    }
}

/// The top edge from that of the paper, as the typesetter works it out.
pub(super) fn from_top(position: Position, height: f64, paper: f64) -> String {
    match (position.from, position.at) {
        (From::Page, Ok(offset)) => format!("{}pt", round(offset)),
        (From::Page, Err(share)) => format!("{}pt", round((paper - height) * share)),
        (_, Ok(offset)) => format!("top-margin + {}pt", round(offset)),
        (_, Err(share)) => format!("top-margin + ({}pt - top-margin - bottom-margin) * {share}", round(paper - height)),
    }
}
