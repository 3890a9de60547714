//! Runs: text, breaks, tabs, signs, and what is drawn in them (ECMA-376 part 1,
//! 17.3.2, 17.3.3).

use std::sync::Arc;

use roxmltree::Node;

use super::{DEEPEST, Reader, push_text};
use crate::formats::docx::symbols;
use crate::formats::docx::xml::Ask;
use crate::model::{Inline, LeftOut, Target, TextStyle};

impl Reader<'_, '_, '_> {
    pub(super) fn inlines<'x>(&mut self, parent: Node<'x, 'x>, base: &TextStyle, out: &mut Vec<Inline>) {
        if self.depth >= DEEPEST {
            return;
        }
        self.depth += 1;
        for node in parent.elements() {
            match node.name() {
                "r" => self.run(node, base, out),
                "hyperlink" => {
                    let mut inner = Vec::new();
                    self.inlines(node, base, &mut inner);
                    let address = node.attr("id").and_then(|id| self.look.target(self.added, &self.current, id));
                    let address = address.map(|a| self.added.links.get(a).map_or(a, String::as_str));
                    let target = match address.and_then(web_address) {
                        Some(target) => Some(target),
                        None => node.attr("anchor").map(|name| Target::Place(self.place(name))),
                    };
                    push_link(target, inner, out);
                }
                "fldSimple" => {
                    let style = Arc::new(base.clone());
                    let instruction = node.attr("instr").unwrap_or_default();
                    if !self.field_instead(instruction, &style, node, out) {
                        let from = out.len();
                        self.inlines(node, base, out);
                        self.finish_field(instruction, from, out);
                    }
                }
                "bookmarkStart" => {
                    if let Some(name) = node.attr("name").filter(|_| self.apart == 0) {
                        let number = self.place(name);
                        out.push(Inline::Place(number));
                    }
                }
                "ins" | "smartTag" | "customXml" | "sdtContent" | "dir" | "bdo" | "moveTo" => self.inlines(node, base, out),
                "sdt" => {
                    if let Some(content) = node.child("sdtContent") {
                        self.inlines(content, base, out);
                    }
                }
                "oMath" | "oMathPara" => {
                    self.left_out.insert(LeftOut::Passed("the layout of an equation (shown on one line)"));
                    let text: String = node.descendants().filter(|n| n.is_text()).filter_map(|n| n.text()).collect();
                    push_text(&text, &Arc::new(base.clone()), out);
                }
                _ => {}
            }
        }
        self.depth -= 1;
    }

    fn run<'x>(&mut self, node: Node<'x, 'x>, base: &TextStyle, out: &mut Vec<Inline>) {
        let mut style = base.clone();
        let mut asked = None;
        if let Some(properties) = node.child("rPr") {
            self.direct_text(properties, &mut style);
            asked = properties.child("rFonts").and_then(|f| f.attr("ascii"));
            if style.rtl || properties.toggle("cs") == Some(true) {
                style = complex(style);
            }
        }
        let hidden = style.hidden;
        let style = Arc::new(style);
        for child in node.elements() {
            match child.name() {
                "fldChar" | "instrText" => self.field_part(child, &style, node, out),
                // What a field showed when it was saved is replaced by what it shows now.
                _ if hidden || self.in_replaced_field() => {}
                _ => self.run_content(child, &style, asked, out),
            }
        }
    }

    fn run_content<'x>(&mut self, child: Node<'x, 'x>, style: &Arc<TextStyle>, asked: Option<&str>, out: &mut Vec<Inline>) {
        match child.name() {
            "t" => {
                let text = child.text().unwrap_or_default();
                // Without xml:space="preserve" spaces at the ends do not count.
                let text = if child.attr("space") == Some("preserve") { text } else { text.trim_matches([' ', '\n', '\r', '\t']) };
                match child.first_child().map(|node| self.marks(node.range())) {
                    Some(marks) if !marks.is_empty() => self.marked_text(child, marks, style, out),
                    _ if asked.is_some_and(symbols::is_symbol) => {
                        let text: String = text.chars().map(|c| symbols::shown(c, asked)).collect();
                        push_text(&text, style, out);
                    }
                    _ => push_text(text, style, out),
                }
            }
            "tab" => out.push(Inline::Tab(style.clone())),
            "ptab" => out.push(Inline::Tab(style.clone())),
            "br" => out.push(match child.attr("type") {
                Some("page") => Inline::PageBreak,
                Some("column") => Inline::ColumnBreak,
                _ => Inline::Break,
            }),
            "cr" => out.push(Inline::Break),
            "noBreakHyphen" => push_text("\u{2011}", style, out),
            "softHyphen" => push_text("\u{ad}", style, out),
            "sym" => {
                let code = child.attr("char").and_then(|c| u32::from_str_radix(c, 16).ok()).and_then(char::from_u32).unwrap_or('•');
                push_text(symbols::shown(code, child.attr("font")).encode_utf8(&mut [0; 4]), style, out);
            }
            "footnoteReference" | "endnoteReference" => self.note_reference(child, style, out),
            "footnoteRef" | "endnoteRef" => {
                if let Some(number) = self.notes.current.clone() {
                    push_text(&number, style, out);
                }
            }
            "drawing" | "pict" | "object" => {
                let start = child.range().start;
                let mark = self.marks(start..start + 1).first().map(|m| m.number);
                let drawn = if child.name() == "drawing" { self.drawing(child, style) } else { self.vml(child) };
                out.extend(drawn.into_iter().map(|drawing| match mark {
                    Some(number) => Inline::Marked(number, Box::new(drawing)),
                    None => drawing,
                }));
            }
            "AlternateContent" => {
                // The first choice is what the file wants; a fallback is for those
                // that can't show it.
                let choice = child.child("Choice").filter(|c| self.can_show(*c));
                if let Some(chosen) = choice.or_else(|| child.child("Fallback")).or_else(|| child.child("Choice")) {
                    for inner in chosen.elements() {
                        self.run_content(inner, style, asked, out);
                    }
                }
            }
            "ruby" => {
                if let Some(base) = child.child("rubyBase") {
                    let text: String = base.descendants().filter(|n| n.is_text()).filter_map(|n| n.text()).collect();
                    push_text(&text, style, out);
                }
            }
            _ => {}
        }
    }
}

/// The look of a run of a complex script.
fn complex(style: TextStyle) -> TextStyle {
    let own = style.complex.clone();
    TextStyle {
        font: own.font.unwrap_or(style.font.clone()),
        size: own.size.unwrap_or(style.size),
        bold: own.bold,
        italic: own.italic,
        language: own.language.or(style.language.clone()),
        ..style
    }
}

/// An address that a link may lead to.
pub(super) fn web_address(address: &str) -> Option<Target> {
    let known = ["http://", "https://", "mailto:", "tel:"].iter().any(|scheme| address.starts_with(scheme));
    known.then(|| Target::Address(address.to_owned()))
}

pub(super) fn push_link(target: Option<Target>, inner: Vec<Inline>, out: &mut Vec<Inline>) {
    match target {
        Some(target) if !inner.is_empty() => out.push(Inline::Link(target, inner)),
        _ => out.extend(inner),
    }
}
