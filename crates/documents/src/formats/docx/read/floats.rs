//! What stands apart from the text that goes on beside it: frames of paragraphs with
//! drop caps among them (ECMA-376 part 1, 17.3.1.11), and tables (17.4.57). They
//! become drawings that the next paragraph holds.

use std::sync::Arc;

use roxmltree::Node;

use crate::formats::docx::xml::Ask;
use crate::layout::fonts::FontSet;
use crate::model::{
    Align, Anchored, Block, Drawing, Float, Form, From, Inline, LEAST_BESIDE, Paragraph, Position, Shows, Table, TextBox, Vertical, Wrap,
};

/// Where what is settled stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Ground {
    /// In the text of pages, which is so wide.
    Pages(f64),
    /// In a header, a footer, a note: nothing stands beside anything there.
    Apart(f64),
}

/// Where a paragraph's frame stands: `framePr`.
pub(crate) fn of_paragraph<'x>(frame: Node<'x, 'x>) -> Option<Box<Float>> {
    let (across, down) = (frame.twips("hSpace").unwrap_or(0.0).clamp(0.0, 200.0), frame.twips("vSpace").unwrap_or(0.0).clamp(0.0, 200.0));
    let drop = match frame.attr("dropCap") {
        Some("drop") => Some(false),
        Some("margin") => Some(true),
        _ => None,
    };
    let size = |name: &str| frame.twips(name).filter(|n| *n > 0.0).map(|n| n.min(5000.0));
    let (mut x, y) = (place(frame, "hAnchor", "x", "xAlign"), place(frame, "vAnchor", "y", "yAlign"));
    if drop.is_some() {
        x = Position { from: From::Text, at: Ok(0.0) };
    }
    Some(Box::new(Float {
        x,
        // A drop cap begins with the first line, wherever it says that it does.
        y: if drop.is_some() { x } else { y },
        width: size("w"),
        height: size("h").filter(|_| matches!(frame.attr("hRule"), Some("atLeast" | "exact"))),
        wrap: match (drop, frame.attr("wrap")) {
            (Some(true), _) | (_, Some("none")) => Wrap::None,
            (_, Some("notBeside")) => Wrap::TopAndBottom,
            _ => Wrap::Beside,
        },
        distance: [down, across, down, across],
        drop,
    }))
}

/// Where a table stands: `tblpPr`.
pub(super) fn of_table<'x>(place_of: Node<'x, 'x>) -> Box<Float> {
    let distance = |name: &str| place_of.twips(name).unwrap_or(0.0).clamp(0.0, 200.0);
    Box::new(Float {
        x: place(place_of, "horzAnchor", "tblpX", "tblpXSpec"),
        y: place(place_of, "vertAnchor", "tblpY", "tblpYSpec"),
        width: None,
        height: None,
        wrap: Wrap::Beside,
        distance: [distance("topFromText"), distance("rightFromText"), distance("bottomFromText"), distance("leftFromText")],
        drop: None,
    })
}

fn place<'x>(node: Node<'x, 'x>, anchor: &str, at: &str, align: &str) -> Position {
    let from = match node.attr(anchor) {
        Some("text") => From::Text,
        Some("margin") => From::Margin,
        _ => From::Page,
    };
    let at = match node.attr(align) {
        Some("center") => Err(0.5),
        Some("right" | "bottom" | "outside") => Err(1.0),
        Some("left" | "top" | "inside") => Err(0.0),
        _ => Ok(node.twips(at).unwrap_or(0.0).clamp(-5000.0, 5000.0)),
    };
    Position { from, at }
}

/// Makes drawings of what stands apart; what can't stand apart here stays in the text.
pub(super) fn settle(blocks: Vec<Block>, ground: Ground, fonts: &FontSet) -> Vec<Block> {
    let is_apart = |block: &Block| match block {
        Block::Paragraph(paragraph) => paragraph.float.is_some(),
        Block::Table(table) => table.float.is_some(),
    };
    if !blocks.iter().any(is_apart) {
        return blocks;
    }
    let mut settled = Settled { ground, out: Vec::with_capacity(blocks.len()), waiting: Vec::new() };
    let mut blocks = blocks.into_iter().peekable();
    while let Some(block) = blocks.next() {
        match block {
            Block::Paragraph(mut paragraph) => match paragraph.float.take() {
                None => settled.hold(paragraph),
                Some(float) => {
                    // Neighbours of the same place stand in one frame.
                    let mut own = vec![paragraph];
                    while let Some(Block::Paragraph(mut next)) =
                        blocks.next_if(|b| matches!(b, Block::Paragraph(p) if p.float.as_ref() == Some(&float)))
                    {
                        next.float = None;
                        own.push(next);
                    }
                    settled.frame(own, *float, fonts);
                }
            },
            Block::Table(mut table) => match table.float.take() {
                None => settled.plain([Block::Table(table)]),
                Some(float) => settled.table(table, *float),
            },
        }
    }
    settled.plain([]);
    settled.out
}

struct Settled {
    ground: Ground,
    out: Vec<Block>,
    /// What the next paragraph is to hold, each with the blocks that it is made of.
    waiting: Vec<(Anchored, Vec<Block>)>,
}

impl Settled {
    /// What stays in the text; what waits for a paragraph does, too.
    fn plain(&mut self, blocks: impl IntoIterator<Item = Block>) {
        self.out.extend(self.waiting.drain(..).flat_map(|(_, own)| own));
        self.out.extend(blocks);
    }

    /// A paragraph that holds what waits for one.
    fn hold(&mut self, mut paragraph: Paragraph) {
        let beside = |i: &Inline| i.anchored().is_some_and(|a| a.wrap == Wrap::Beside);
        if paragraph.inlines.iter().any(beside) {
            // Text stands beside one thing at a time.
            self.plain([]);
        }
        let held = self.waiting.drain(..).map(|(anchored, _)| Inline::Anchored(Arc::new(anchored)));
        paragraph.inlines.splice(0..0, held);
        self.out.push(Block::Paragraph(paragraph));
    }

    fn wait(&mut self, anchored: Anchored, own: Vec<Block>) {
        if anchored.wrap == Wrap::Beside && self.waiting.iter().any(|(a, _)| a.wrap == Wrap::Beside) {
            self.plain([]);
        }
        self.waiting.push((anchored, own));
    }

    fn frame(&mut self, mut paragraphs: Vec<Paragraph>, float: Float, fonts: &FontSet) {
        let (Ground::Pages(room) | Ground::Apart(room)) = self.ground;
        let own: Vec<Block> = paragraphs.iter().cloned().map(Block::Paragraph).collect();
        let width = float.width.unwrap_or_else(|| {
            if let Err(share) = float.x.at {
                let align = if share == 1.0 { Align::Right } else { Align::Center };
                paragraphs.iter_mut().filter(|p| share > 0.0 && p.align == Align::Left).for_each(|p| p.align = align);
            }
            natural_width(&paragraphs, fonts).unwrap_or(room / 2.0).min(room)
        });
        let mut x = float.x;
        if float.drop == Some(true) {
            x.at = Ok(-width - float.distance[3]);
        }
        let blocks = paragraphs.into_iter().map(Block::Paragraph).collect();
        self.wait(Anchored { x, ..anchored(blocks, width, &float) }, own);
    }

    fn table(&mut self, table: Table, float: Float) {
        let width = table.columns.iter().copied().sum::<Option<f64>>();
        let on_paper = float.y.from != From::Text || float.y.at.is_err();
        let fits = match (width, self.ground) {
            (None, _) => false,
            (Some(width), Ground::Pages(room)) => width < room - LEAST_BESIDE,
            (Some(_), Ground::Apart(_)) => on_paper,
        };
        let (true, Some(width)) = (fits, width) else {
            return self.plain([Block::Table(table)]);
        };
        let mut x = float.x;
        x.at = x.at.map(|at| at + table.indent);
        let inner = Table { indent: 0.0, align: Align::Left, ..table.clone() };
        self.wait(Anchored { x, ..anchored(vec![Block::Table(inner)], width, &float) }, vec![Block::Table(table)]);
    }
}

/// Blocks as a drawing without lines or margins.
fn anchored(blocks: Vec<Block>, width: f64, float: &Float) -> Anchored {
    let text = TextBox { blocks, margin: [0.0; 4], vertical: Vertical::Top, grows: true };
    let shows = Shows::Shape { form: Form::Rectangle, fill: None, line: None, text: Some(text) };
    Anchored {
        drawing: Drawing { width, height: float.height.unwrap_or(0.0), turned: 0.0, shows },
        x: float.x,
        y: float.y,
        wrap: float.wrap,
        behind: false,
        distance: float.distance,
    }
}

/// How wide the widest of some paragraphs is when it is one line.
fn natural_width(paragraphs: &[Paragraph], fonts: &FontSet) -> Option<f64> {
    paragraphs.iter().try_fold(0.0, |widest: f64, paragraph| {
        let own = paragraph.inlines.iter().try_fold(paragraph.indent[0].max(0.0), |sum, inline| {
            let inline = if let Inline::Marked(_, inner) = inline { inner } else { inline };
            let (text, style) = match inline {
                Inline::Text(text, style) => (text.as_str(), style),
                Inline::Page(style, _) | Inline::Pages(style) | Inline::SectionPages(style) => ("0000", style),
                Inline::Place(_) | Inline::Anchored(_) => return Some(sum),
                Inline::Drawing(drawing) => return Some(sum + drawing.width),
                _ => return None,
            };
            let family = fonts.stand_in(&style.font).shown;
            let width = fonts.width(&family, style.bold, style.italic, text)? * style.size * (1.0 + style.stretch);
            Some(sum + width + style.tracking * text.chars().count() as f64)
        })?;
        // A hair more, or its last word goes on in a line of its own.
        Some(widest.max(own + 0.1))
    })
}
