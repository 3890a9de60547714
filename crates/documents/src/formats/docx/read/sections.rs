//! Sections: paper, margins, columns, headers and footers (ECMA-376 part 1, 17.6,
//! 17.10).

use roxmltree::Node;

use super::{Reader, flat};
use crate::formats::docx::properties::read_border;
use crate::formats::docx::xml::Ask;
use crate::model::{Anew, Block, Edge, Inline, LeftOut, LineNumbers, NumberFormat, PageSize, Section, Start, Vertical};

#[derive(Default)]
pub(super) struct Sections {
    pub done: Vec<Section>,
    pub blocks: Vec<Block>,
    /// Headers and footers go on from section to section.
    header: Kinds,
    footer: Kinds,
}

/// The headers, or the footers, of each kind.
#[derive(Default)]
struct Kinds {
    usual: Vec<Block>,
    first: Vec<Block>,
    even: Vec<Block>,
}

impl Kinds {
    fn edge(&self, first: bool, even: bool) -> Edge {
        Edge { usual: self.usual.clone(), first: first.then(|| self.first.clone()), even: even.then(|| self.even.clone()) }
    }
}

impl Sections {
    pub fn finish(mut self) -> Vec<Section> {
        if !self.blocks.is_empty() || self.done.is_empty() {
            let (header, footer) = (self.header.edge(false, false), self.footer.edge(false, false));
            self.done.push(Section { header, footer, blocks: self.blocks, columns: (1, 36.0), ..Section::default() });
        }
        self.done
    }
}

impl Reader<'_, '_, '_> {
    pub(super) fn sections<'x>(&mut self, body: Node<'x, 'x>, sections: &mut Sections) {
        for node in flat(body) {
            match node.name() {
                "p" => {
                    let contents = self.tables_of_contents.len();
                    let paragraph = self.paragraph(node);
                    if let Some(made) = self.tables_of_contents.get_mut(contents) {
                        made.at = (sections.done.len(), sections.blocks.len());
                    }
                    sections.blocks.extend(paragraph.map(Block::Paragraph));
                    if let Some(properties) = node.child("pPr").and_then(|p| p.child("sectPr")) {
                        self.section(properties, sections);
                    }
                }
                "tbl" => sections.blocks.extend(self.table(node).map(Block::Table)),
                "sectPr" => self.section(node, sections),
                _ => {}
            }
        }
    }

    /// Columns of different widths (17.6.3). What stands in them is filled in by its
    /// height: notes would take of the page's.
    fn column_widths<'x>(&mut self, columns: Option<Node<'x, 'x>>, blocks: &[Block]) -> Vec<[f64; 2]> {
        let Some(columns) = columns.filter(|c| matches!(c.attr("equalWidth"), Some("0" | "false" | "off"))) else { return Vec::new() };
        let length = |c: &Node<'x, 'x>, name: &str| c.twips(name).unwrap_or(0.0).clamp(0.0, 5000.0);
        let own: Vec<[f64; 2]> =
            columns.elements().filter(|c| c.name() == "col").map(|c| [length(&c, "w"), length(&c, "space")]).take(12).collect();
        let alike = own.windows(2).all(|pair| (pair[0][0] - pair[1][0]).abs() < 1.0);
        if own.len() < 2 || alike || own.iter().any(|c| c[0] < 1.0) {
            return Vec::new();
        }
        let notes = |b: &Block| matches!(b, Block::Paragraph(p) if p.inlines.iter().any(|i| matches!(i, Inline::Footnote(_))));
        if blocks.iter().any(notes) {
            self.left_out.insert(LeftOut::Passed("unequal column widths in text with footnotes"));
            return Vec::new();
        }
        if blocks.iter().any(|b| matches!(b, Block::Table(_))) {
            self.left_out.insert(LeftOut::Passed("unequal column widths with a table taller than the column"));
        }
        own
    }

    fn section<'x>(&mut self, properties: Node<'x, 'x>, sections: &mut Sections) {
        for reference in properties.elements().filter(|r| matches!(r.name(), "headerReference" | "footerReference")) {
            let Some(name) = reference.attr("id").and_then(|id| self.look.target(self.added, &self.look.document, id)).map(str::to_owned)
            else {
                continue;
            };
            let blocks = self.story_of(&name);
            let kinds = if reference.name() == "headerReference" { &mut sections.header } else { &mut sections.footer };
            match reference.attr("type") {
                Some("first") => kinds.first = blocks,
                Some("even") => kinds.even = blocks,
                _ => kinds.usual = blocks,
            }
        }
        let first = properties.toggle("titlePg") == Some(true);
        let even = self.look.settings.even_and_odd;
        let numbers = properties.child("pgNumType");
        let columns = properties.child("cols");
        let numbers_lines = properties.child("lnNumType");
        sections.done.push(Section {
            page: paper(properties),
            start: match properties.val("type") {
                Some("continuous") => Start::Continuous,
                Some("evenPage") => Start::EvenPage,
                Some("oddPage") => Start::OddPage,
                _ => Start::NextPage,
            },
            header: sections.header.edge(first, even),
            footer: sections.footer.edge(first, even),
            columns: (
                columns.map_or(1.0, |c| c.number("num").unwrap_or_else(|| c.elements().count() as f64)).clamp(1.0, 12.0) as usize,
                columns.and_then(|c| c.twips("space")).unwrap_or(36.0).clamp(0.0, 500.0),
            ),
            column_widths: self.column_widths(columns, &sections.blocks),
            line_numbers: numbers_lines.and_then(line_numbers),
            column_lines: columns.is_some_and(|c| matches!(c.attr("sep"), Some("1" | "true" | "on"))),
            blocks: std::mem::take(&mut sections.blocks),
            number_from: numbers.and_then(|n| n.number("start")).map(|n| n.clamp(0.0, 1e6) as u32),
            number_format: numbers.and_then(|n| n.attr("fmt")).map(NumberFormat::of).unwrap_or_default(),
            border: properties.child("pgBorders").map(|b| {
                let side = |name: &str| b.child(name).and_then(read_border);
                ([side("top"), side("right"), side("bottom"), side("left")], b.attr("offsetFrom") != Some("page"))
            }),
            vertical: match properties.val("vAlign") {
                Some("center") => Vertical::Middle,
                Some("bottom") => Vertical::Bottom,
                _ => Vertical::Top,
            },
        });
    }
}

/// The numbering of lines (17.6.8).
fn line_numbers<'x>(numbers: Node<'x, 'x>) -> Option<LineNumbers> {
    let whole = |name: &str| numbers.number(name).map(|n| n.clamp(0.0, 32_767.0) as u32);
    Some(LineNumbers {
        every: whole("countBy").filter(|every| *every > 0)?,
        // What stands there is one less than the first number.
        from: whole("start").unwrap_or(0) + 1,
        distance: numbers.twips("distance").filter(|d| *d > 0.0).unwrap_or(18.0).min(200.0),
        anew: match numbers.attr("restart") {
            Some("continuous") => Anew::Never,
            Some("newSection") => Anew::EachSection,
            _ => Anew::EachPage,
        },
    })
}

fn paper<'x>(properties: Node<'x, 'x>) -> PageSize {
    let mut page = PageSize::default();
    if let Some(size) = properties.child("pgSz") {
        let side = |name: &str, default: f64| size.twips(name).filter(|s| (36.0..14_400.0).contains(s)).unwrap_or(default);
        (page.width, page.height) = (side("w", page.width), side("h", page.height));
    }
    if let Some(margin) = properties.child("pgMar") {
        for (at, name) in ["top", "right", "bottom", "left"].into_iter().enumerate() {
            let most = if at % 2 == 0 { page.height } else { page.width } / 2.2;
            if let Some(m) = margin.twips(name) {
                page.margin[at] = m.abs().min(most);
                // A margin below zero stays where it is whatever the header holds.
                if at % 2 == 0 {
                    page.fixed[at / 2] = m < 0.0;
                }
            }
        }
        page.margin[3] += margin.twips("gutter").unwrap_or(0.0).clamp(0.0, 200.0);
        page.header = margin.twips("header").map_or(page.header, f64::abs).min(page.height / 2.2);
        page.footer = margin.twips("footer").map_or(page.footer, f64::abs).min(page.height / 2.2);
    }
    page
}
