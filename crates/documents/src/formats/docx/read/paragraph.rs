//! Paragraphs: the layers of their properties, their list's number, their text
//! (ECMA-376 part 1, 17.3.1, 17.7.2, 17.9).

use std::sync::Arc;

use roxmltree::Node;

use super::{Reader, marks};
use crate::formats::docx::properties::{ParagraphLayer, TextLayer};
use crate::formats::docx::symbols;
use crate::formats::docx::xml::Ask;
use crate::model::{Align, Inline, Line, Marker, Paragraph, TabKind, TextStyle};

/// A paragraph's properties before its text is read.
pub(super) struct Laid {
    pub layer: ParagraphLayer,
    /// The look of its text where no run says otherwise.
    pub base: TextStyle,
    pub style: Arc<str>,
}

impl Reader<'_, '_, '_> {
    /// Reads a paragraph; `None` where it is one of a table of contents, which is
    /// made anew.
    pub(super) fn paragraph<'x>(&mut self, node: Node<'x, 'x>) -> Option<Paragraph> {
        let look = self.look;
        let properties = node.child("pPr");
        let direct = properties.map(|p| ParagraphLayer::read(p, &look.styles.theme)).unwrap_or_default();
        let style_id = properties.and_then(|p| p.val("pStyle"));
        let style_name = style_id.unwrap_or(look.styles.default_paragraph_id());
        let styled_list = look.styles.paragraph(style_id).and_then(|s| s.paragraph.list.clone());
        let of_style = direct.list.is_none();
        let list = direct.list.clone().or(styled_list).filter(|id| id != "0");
        // A list that filling added counts like another, from its beginning.
        let (list, anew) = match list {
            Some(id) => match self.added.lists.iter().find(|(number, _)| *number == id) {
                Some((number, of)) => (Some(of.clone()), Some(number.as_str())),
                None => (Some(id), None),
            },
            None => (None, None),
        };
        let at = list.as_ref().map(|id| {
            let styled = || look.styles.paragraph(style_id).and_then(|s| s.paragraph.level);
            direct.level.or_else(|| look.numbering.level_of(id, style_name).filter(|_| of_style)).or_else(styled).unwrap_or(0)
        });
        let level = list.as_ref().zip(at).and_then(|(id, at)| look.numbering.level(id, at));
        let mut laid = self.lay(style_id, level.map(|l| (&l.paragraph, of_style)));
        direct.over(&mut laid.layer);
        let Laid { layer, base, style } = laid;
        let mut mark = base.clone();
        if let Some(own) = properties.and_then(|p| p.child("rPr")) {
            self.direct_text(own, &mut mark);
        }
        let counted = list.as_ref().zip(at).and_then(|(id, at)| look.numbering.next(&mut self.counters, id, anew, at));
        let marker = counted.map(|text| {
            let mut style = mark.clone();
            let (mut follow, mut align) = Default::default();
            if let Some(level) = level {
                // Signs of symbol fonts are shown by their Unicode signs, in the text's font.
                let font = level.look.font.clone().filter(|f| !symbols::is_symbol(f));
                TextLayer { font, ..level.look.clone() }.over(&mut style);
                (follow, align) = (level.follow, level.align);
            }
            Marker { text, style: Arc::new(TextStyle { hidden: false, ..style }), follow, align }
        });
        let mut inlines = Vec::new();
        let contents_before = self.inside_contents();
        self.inlines(node, &base, &mut inlines);
        let mut paragraph = finish(&layer, style, mark, marker, inlines);
        marks::shrink(&mut paragraph, self.text.marks);
        match contents_before || self.inside_contents() {
            true => self.entry(paragraph, style_id),
            false => Some(paragraph),
        }
    }

    /// Lays defaults, tables' styles, list and paragraph style over one another.
    /// `level` is what the list's level says, and whether the style brings it: a
    /// list that the style brings lies under the style; one of the paragraph's
    /// own lies over it (ECMA-376 part 1, 17.7.2).
    pub(super) fn lay(&self, style_id: Option<&str>, level: Option<(&ParagraphLayer, bool)>) -> Laid {
        let look = self.look;
        let mut layer = look.styles.defaults.paragraph.clone();
        let mut base = self.base_text();
        if let Some(part) = self.table.last() {
            part.paragraph.over(&mut layer);
            part.text.over_style(&mut base);
        }
        if let Some((level, true)) = level {
            level.over(&mut layer);
        }
        if let Some(style) = look.styles.paragraph(style_id) {
            style.paragraph.over(&mut layer);
            style.text.over_style(&mut base);
        }
        if let Some((level, false)) = level {
            level.over(&mut layer);
        }
        Laid { layer, base, style: Arc::from(style_id.unwrap_or(look.styles.default_paragraph_id())) }
    }

    /// The look of text before any style: the document's defaults.
    fn base_text(&self) -> TextStyle {
        let mut base = TextStyle { font: Arc::from("Times New Roman"), size: 10.0, ..TextStyle::default() };
        self.look.styles.defaults.text.over(&mut base);
        base
    }

    pub(super) fn direct_text<'x>(&self, properties: Node<'x, 'x>, style: &mut TextStyle) {
        if let Some(named) = properties.val("rStyle").and_then(|id| self.look.styles.character(id)) {
            named.text.over_style(style);
        }
        TextLayer::read(properties, &self.look.styles.theme).over(style);
    }
}

pub(super) fn finish(layer: &ParagraphLayer, style: Arc<str>, mark: TextStyle, marker: Option<Marker>, inlines: Vec<Inline>) -> Paragraph {
    let mut tabs: Vec<_> = layer.tabs.iter().filter(|(_, stays)| *stays).map(|(tab, _)| *tab).collect();
    tabs.sort_by(|a, b| a.at.total_cmp(&b.at));
    let bars = tabs.extract_if(.., |tab| tab.kind == TabKind::Bar).map(|tab| tab.at).collect();
    let indent = |n: Option<f64>| n.unwrap_or(0.0).clamp(-2000.0, 2000.0);
    let space = |n: Option<f64>| n.unwrap_or(0.0).clamp(0.0, 1584.0);
    let rtl = layer.rtl.unwrap_or(false);
    let align = match (layer.align.unwrap_or_default(), rtl) {
        // Left is where lines begin.
        (Align::Left, true) => Align::Right,
        (Align::Right, true) => Align::Left,
        (align, _) => align,
    };
    let (left, right) = if rtl { (layer.right, layer.left) } else { (layer.left, layer.right) };
    Paragraph {
        align,
        rtl,
        indent: [indent(left), indent(right), indent(layer.first)],
        space: [space(layer.before), space(layer.after)],
        contextual: layer.contextual.unwrap_or(false),
        style,
        line: layer.line.unwrap_or(Line::Times(1.0)),
        shading: layer.shading.clone().flatten(),
        borders: layer.borders.clone().map(Option::flatten),
        tabs,
        bars,
        keep_next: layer.keep_next.unwrap_or(false),
        keep_lines: layer.keep_lines.unwrap_or(false),
        widows: layer.widows.unwrap_or(true),
        page_break_before: layer.page_break_before.unwrap_or(false),
        hyphenate: !layer.unhyphenated.unwrap_or(false),
        numbered: !layer.unnumbered.unwrap_or(false),
        float: layer.float.clone().flatten(),
        outline: layer.outline.filter(|level| *level < 9).map(|level| level + 1),
        marker,
        mark: Arc::new(mark),
        inlines,
    }
}
