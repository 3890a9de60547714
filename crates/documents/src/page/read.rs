//! Filled WordprocessingML → page model (ECMA-376 part 1, 17). What pages can't
//! show is passed over; nothing in a document makes the reader fail once its XML
//! is well-formed.

mod marks;
mod table;

use std::sync::Arc;

use roxmltree::Node;

use super::look::Look;
use super::model::{Block, Document, Inline, Line, Marker, PageSize, Paragraph, Section, Text, TextStyle};
use super::numbering::Counters;
use super::properties::{ParagraphLayer, TextLayer};
use super::styles::Style;
use super::xml::{Ask, parse};
use crate::OpenError;
use crate::docx::Added;

/// Reads a filled document; `part` gives a part as filled.
pub fn read<'a>(look: &Look, added: &Added, part: &dyn Fn(&str) -> Option<Text<'a>>) -> Result<Document, OpenError> {
    let text = part(&look.document).unwrap_or(Text { bytes: &[], marks: &[] });
    let mut reader = Reader { look, added, part, text, current: look.document.clone(), counters: Counters::default(), table: Vec::new() };
    let xml = parse(text.bytes).map_err(|why| OpenError::Part { part: look.document.clone(), why })?;
    let mut sections = Sections::default();
    if let Some(body) = xml.root_element().child("body") {
        reader.sections(body, &mut sections);
    }
    Ok(Document { sections: sections.finish() })
}

struct Reader<'l, 'f, 'p> {
    look: &'l Look,
    /// What filling added.
    added: &'l Added,
    part: &'f dyn Fn(&str) -> Option<Text<'p>>,
    text: Text<'p>,
    /// The part at hand, for its relations.
    current: String,
    counters: Counters,
    /// The styles of the tables around what is read.
    table: Vec<Option<Style>>,
}

#[derive(Default)]
struct Sections {
    done: Vec<Section>,
    blocks: Vec<Block>,
    /// Headers and footers go on from section to section.
    header: Vec<Block>,
    footer: Vec<Block>,
    first: (Vec<Block>, Vec<Block>),
}

impl Sections {
    fn finish(mut self) -> Vec<Section> {
        if !self.blocks.is_empty() || self.done.is_empty() {
            self.done.push(Section {
                page: PageSize::default(),
                header: self.header,
                footer: self.footer,
                first: None,
                blocks: self.blocks,
                number_from: None,
            });
        }
        self.done
    }
}

/// A field while it is read (ECMA-376 part 1, 17.16.18).
#[derive(Default)]
struct Field {
    instruction: String,
    in_result: bool,
}

impl<'p> Reader<'_, '_, 'p> {
    fn sections<'x>(&mut self, body: Node<'x, 'x>, sections: &mut Sections) {
        for node in flat(body) {
            match node.name() {
                "p" => {
                    let paragraph = self.paragraph(node);
                    sections.blocks.push(Block::Paragraph(paragraph));
                    if let Some(properties) = node.child("pPr").and_then(|p| p.child("sectPr")) {
                        self.section(properties, sections);
                    }
                }
                "tbl" => {
                    if let Some(table) = self.table(node) {
                        sections.blocks.push(Block::Table(table));
                    }
                }
                "sectPr" => self.section(node, sections),
                _ => {}
            }
        }
    }

    fn section<'x>(&mut self, properties: Node<'x, 'x>, sections: &mut Sections) {
        let mut page = PageSize::default();
        if let Some(size) = properties.child("pgSz") {
            let side = |name: &str, default: f64| size.twips(name).filter(|s| (36.0..14_400.0).contains(s)).unwrap_or(default);
            (page.width, page.height) = (side("w", page.width), side("h", page.height));
        }
        if let Some(margin) = properties.child("pgMar") {
            for (to, name) in page.margin.iter_mut().zip(["top", "right", "bottom", "left"]) {
                *to = margin.twips(name).map_or(*to, |m| m.abs().min(page.width.max(page.height) / 2.2));
            }
            page.margin[3] += margin.twips("gutter").unwrap_or(0.0).clamp(0.0, 200.0);
            page.header = margin.twips("header").map_or(page.header, f64::abs);
            page.footer = margin.twips("footer").map_or(page.footer, f64::abs);
        }
        for reference in properties.elements().filter(|r| matches!(r.name(), "headerReference" | "footerReference")) {
            let Some(name) = reference.attr("id").and_then(|id| self.look.target(self.added, &self.look.document, id)).map(str::to_owned)
            else {
                continue;
            };
            let blocks = self.header_or_footer(&name);
            match (reference.name(), reference.attr("type")) {
                ("headerReference", Some("first")) => sections.first.0 = blocks,
                ("footerReference", Some("first")) => sections.first.1 = blocks,
                (_, Some("even")) => {}
                ("headerReference", _) => sections.header = blocks,
                _ => sections.footer = blocks,
            }
        }
        let first = (properties.toggle("titlePg") == Some(true)).then(|| sections.first.clone());
        let number_from = properties.child("pgNumType").and_then(|n| n.number("start")).map(|n| n.clamp(0.0, 1e6) as u32);
        let blocks = std::mem::take(&mut sections.blocks);
        if properties.val("type") == Some("continuous")
            && let Some(before) = sections.done.last_mut()
            && before.page == page
        {
            before.blocks.extend(blocks);
            return;
        }
        sections.done.push(Section { page, header: sections.header.clone(), footer: sections.footer.clone(), first, blocks, number_from });
    }

    fn header_or_footer(&mut self, name: &str) -> Vec<Block> {
        let Some(text) = (self.part)(name) else { return Vec::new() };
        let Ok(xml) = parse(text.bytes) else { return Vec::new() };
        let outer = (std::mem::replace(&mut self.current, name.to_owned()), std::mem::replace(&mut self.text, text));
        let blocks = self.blocks(xml.root_element());
        (self.current, self.text) = outer;
        blocks
    }

    fn blocks<'x>(&mut self, parent: Node<'x, 'x>) -> Vec<Block> {
        let mut blocks = Vec::new();
        for node in flat(parent) {
            match node.name() {
                "p" => blocks.push(Block::Paragraph(self.paragraph(node))),
                "tbl" => blocks.extend(self.table(node).map(Block::Table)),
                _ => {}
            }
        }
        blocks
    }

    // Paragraphs.

    fn paragraph<'x>(&mut self, node: Node<'x, 'x>) -> Paragraph {
        let look = self.look;
        let properties = node.child("pPr");
        let direct = properties.map(ParagraphLayer::read).unwrap_or_default();
        let style_id = properties.and_then(|p| p.val("pStyle"));
        let style = look.styles.paragraph(style_id);
        let mut layer = look.styles.defaults.paragraph.clone();
        let mut base = self.base_text();
        if let Some(table) = self.table.last().and_then(Option::as_ref) {
            table.paragraph.over(&mut layer);
            table.text.iter().for_each(|t| t.over(&mut base));
        }
        let styled_list = style.and_then(|s| s.paragraph.list.clone());
        let list = direct.list.clone().or(styled_list.clone()).filter(|(id, _)| id != "0");
        // A list that filling added counts like another, from its beginning.
        let (list, anew) = match list {
            Some((id, at)) => match self.added.lists.iter().find(|(number, _)| *number == id) {
                Some((number, of)) => (Some((of.clone(), at)), Some(number.as_str())),
                None => (Some((id, at)), None),
            },
            None => (None, None),
        };
        let level = list.as_ref().and_then(|(id, level)| look.numbering.level(id, *level));
        let numbered = |layer: &mut ParagraphLayer| {
            if let Some(level) = level {
                level.paragraph.over(layer);
            }
        };
        // A list that the style brings lies under the style; one of the
        // paragraph's own lies over it (ECMA-376 part 1, 17.7.2).
        if direct.list.is_none() {
            numbered(&mut layer);
        }
        if let Some(style) = style {
            style.paragraph.over(&mut layer);
            style.text.iter().for_each(|t| t.over(&mut base));
        }
        if direct.list.is_some() {
            numbered(&mut layer);
        }
        direct.over(&mut layer);
        let mark_properties = properties.and_then(|p| p.child("rPr"));
        let mut mark = base.clone();
        if let Some(own) = mark_properties {
            self.direct_text(own, &mut mark);
        }
        let marker = list.as_ref().and_then(|(id, at)| look.numbering.next(&mut self.counters, id, anew, *at)).map(|text| {
            let mut style = mark.clone();
            if let Some(level) = level {
                // Signs of symbol fonts are shown by their Unicode signs, in the text's font.
                TextLayer { font: None, ..level.look.clone() }.over(&mut style);
            }
            Marker { text, style: Arc::new(style) }
        });
        let mut inlines = Vec::new();
        let mut fields = Vec::new();
        self.inlines(node, &base, &mut fields, &mut inlines);
        let mut tabs: Vec<_> = layer.tabs.iter().filter_map(|(at, kind)| Some((*at, (*kind)?))).collect();
        tabs.sort_by(|a, b| a.0.total_cmp(&b.0));
        let indent = |n: Option<f64>| n.unwrap_or(0.0).clamp(-2000.0, 2000.0);
        let space = |n: Option<f64>| n.unwrap_or(0.0).clamp(0.0, 1584.0);
        Paragraph {
            align: layer.align.unwrap_or_default(),
            indent: [indent(layer.left), indent(layer.right), indent(layer.first)],
            space: [space(layer.before), space(layer.after)],
            contextual: layer.contextual.unwrap_or(false),
            style: Arc::from(style_id.unwrap_or(look.styles.default_paragraph_id())),
            line: layer.line.unwrap_or(Line::Times(1.0)),
            shading: layer.shading.flatten(),
            borders: [layer.top.flatten(), layer.bottom.flatten()],
            tabs,
            keep_next: layer.keep_next.unwrap_or(false),
            page_break_before: layer.page_break_before.unwrap_or(false),
            marker,
            mark: Arc::new(mark),
            inlines,
        }
    }

    /// The look of text before any style: the document's defaults.
    fn base_text(&self) -> TextStyle {
        let mut base = TextStyle { font: Arc::from("Times New Roman"), size: 10.0, ..TextStyle::default() };
        self.look.styles.defaults.text.iter().for_each(|t| t.over(&mut base));
        base
    }

    fn direct_text<'x>(&self, properties: Node<'x, 'x>, style: &mut TextStyle) {
        if let Some(named) = properties.val("rStyle").and_then(|id| self.look.styles.character(id)) {
            named.text.iter().for_each(|t| t.over(style));
        }
        TextLayer::read(properties, &self.look.styles.theme).over(style);
    }

    fn inlines<'x>(&mut self, parent: Node<'x, 'x>, base: &TextStyle, fields: &mut Vec<Field>, out: &mut Vec<Inline>) {
        for node in parent.elements() {
            match node.name() {
                "r" => self.run(node, base, fields, out),
                "hyperlink" => {
                    let mut inner = Vec::new();
                    self.inlines(node, base, fields, &mut inner);
                    let address = node.attr("id").and_then(|id| self.look.target(self.added, &self.current, id));
                    let address = address.map(|a| self.added.links.get(a).map_or(a, String::as_str));
                    match address.filter(|a| ["http://", "https://", "mailto:"].iter().any(|s| a.starts_with(s))) {
                        Some(address) => out.push(Inline::Link(address.to_owned(), inner)),
                        None => out.extend(inner),
                    }
                }
                "fldSimple" => match page_field(node.attr("instr").unwrap_or_default(), &Arc::new(base.clone())) {
                    Some(field) => out.push(field),
                    None => self.inlines(node, base, fields, out),
                },
                "ins" | "smartTag" | "sdtContent" | "dir" | "bdo" | "moveTo" => self.inlines(node, base, fields, out),
                "sdt" => {
                    if let Some(content) = node.child("sdtContent") {
                        self.inlines(content, base, fields, out);
                    }
                }
                _ => {}
            }
        }
    }

    fn run<'x>(&mut self, node: Node<'x, 'x>, base: &TextStyle, fields: &mut Vec<Field>, out: &mut Vec<Inline>) {
        let mut style = base.clone();
        if let Some(properties) = node.child("rPr") {
            self.direct_text(properties, &mut style);
        }
        if style.hidden {
            return;
        }
        let style = Arc::new(style);
        for child in node.elements() {
            match child.name() {
                "fldChar" => match child.attr("fldCharType") {
                    Some("begin") => fields.push(Field::default()),
                    Some("separate") => {
                        if let Some(field) = fields.last_mut() {
                            field.in_result = true;
                            out.extend(page_field(&field.instruction, &style));
                        }
                    }
                    Some("end") => {
                        if let Some(field) = fields.pop()
                            && !field.in_result
                        {
                            out.extend(page_field(&field.instruction, &style));
                        }
                    }
                    _ => {}
                },
                "instrText" => {
                    if let Some(field) = fields.last_mut() {
                        field.instruction.push_str(child.text().unwrap_or_default());
                    }
                }
                // What a page field showed when it was saved is replaced by the real number.
                _ if fields.iter().any(|f| !f.in_result || page_field(&f.instruction, &style).is_some()) => {}
                _ => self.run_content(child, &style, out),
            }
        }
    }

    fn run_content<'x>(&mut self, child: Node<'x, 'x>, style: &Arc<TextStyle>, out: &mut Vec<Inline>) {
        match child.name() {
            "t" => {
                let text = child.text().unwrap_or_default();
                // Without xml:space="preserve" spaces at the ends do not count.
                let text = if child.attr("space") == Some("preserve") { text } else { text.trim_matches([' ', '\n', '\r', '\t']) };
                match child.first_child().map(|node| self.marks(node.range())) {
                    Some(marks) if !marks.is_empty() => self.marked_text(child, marks, style, out),
                    _ => push_text(text, style, out),
                }
            }
            "tab" | "ptab" => out.push(Inline::Tab(style.clone())),
            "br" if child.attr("type") == Some("page") => out.push(Inline::PageBreak),
            "br" | "cr" => out.push(Inline::Break),
            "noBreakHyphen" => push_text("\u{2011}", style, out),
            "softHyphen" => push_text("\u{ad}", style, out),
            "sym" => {
                let code = child.attr("char").and_then(|c| u32::from_str_radix(c, 16).ok()).unwrap_or(0x2022);
                let sign = char::from_u32(code).filter(|c| !('\u{e000}'..='\u{f8ff}').contains(c)).unwrap_or('•');
                push_text(sign.encode_utf8(&mut [0; 4]), style, out);
            }
            "drawing" => {
                let start = child.range().start;
                let mark = self.marks(start..start + 1).first().map(|m| m.number);
                out.extend(self.picture(child).map(|picture| match mark {
                    Some(number) => Inline::Marked(number, Box::new(picture)),
                    None => picture,
                }));
            }
            "AlternateContent" => {
                if let Some(chosen) = child.child("Choice").or_else(|| child.child("Fallback")) {
                    for inner in chosen.elements() {
                        self.run_content(inner, style, out);
                    }
                }
            }
            _ => {}
        }
    }

    /// A picture with its size in the line; English metric units are 12 700 to
    /// the point (ECMA-376 part 1, 20.4.2.7).
    fn picture<'x>(&self, drawing: Node<'x, 'x>) -> Option<Inline> {
        let extent = drawing.find("extent")?;
        let (width, height) = (extent.number("cx")? / 12_700.0, extent.number("cy")? / 12_700.0);
        let sane = (0.5..=5000.0).contains(&width) && (0.5..=5000.0).contains(&height);
        let properties = drawing.find("docPr");
        let id = properties.and_then(|d| d.attr("id")).and_then(|id| id.parse::<u32>().ok());
        if let Some(id) = id.filter(|id| sane && self.added.signers.contains_key(id)) {
            return Some(Inline::Signer(id, width, height));
        }
        // Lines are drawn as lines where the drawing has them beside its dots.
        let blip = drawing.find("blip")?;
        let of = |node: Node<'x, 'x>| {
            let part = self.look.target(self.added, &self.current, node.attr("embed")?)?;
            self.look.picture(self.added, part)
        };
        let part = blip.find("svgBlip").and_then(of).or_else(|| of(blip))?;
        let text = properties.and_then(|d| d.attr("descr")).unwrap_or_default();
        sane.then(|| Inline::Picture(part.clone(), width, height, text.to_owned()))
    }
}

/// Children with the wrappers taken away that mean nothing for pages.
fn flat<'x>(parent: Node<'x, 'x>) -> Vec<Node<'x, 'x>> {
    let mut found = Vec::new();
    for node in parent.elements() {
        match node.name() {
            "sdt" => found.extend(node.child("sdtContent").map(flat).unwrap_or_default()),
            "ins" | "smartTag" | "customXml" | "moveTo" => found.extend(flat(node)),
            _ => found.push(node),
        }
    }
    found
}

fn push_text(text: &str, style: &Arc<TextStyle>, out: &mut Vec<Inline>) {
    if text.is_empty() {
        return;
    }
    if let Some(Inline::Text(before, own)) = out.last_mut()
        && (Arc::ptr_eq(own, style) || own == style)
    {
        before.push_str(text);
        return;
    }
    out.push(Inline::Text(text.to_owned(), style.clone()));
}

/// PAGE and NUMPAGES (ECMA-376 part 1, 17.16.5.44 and 17.16.5.40).
fn page_field(instruction: &str, style: &Arc<TextStyle>) -> Option<Inline> {
    match instruction.split_whitespace().next()?.to_ascii_uppercase().as_str() {
        "PAGE" => Some(Inline::Page(style.clone())),
        "NUMPAGES" | "SECTIONPAGES" => Some(Inline::Pages(style.clone())),
        _ => None,
    }
}
