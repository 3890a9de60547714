//! What stands in a line.

use std::fmt::Write;
use std::sync::Arc;

use super::{MARK, Writer, fill, literal, pattern, round, stroke};
use crate::page::model::{Inline, Line, Target, TextStyle, Underline};

impl Writer<'_> {
    pub(super) fn inlines(&mut self, inlines: &[Inline], line: Line) {
        for inline in inlines {
            self.inline(inline, line);
        }
    }

    pub(super) fn inline(&mut self, inline: &Inline, line: Line) {
        match inline {
            Inline::Text(text, style) => self.text(text, style, line),
            Inline::Break => self.out.push_str("#linebreak()"),
            Inline::PageBreak | Inline::ColumnBreak | Inline::Tab(_) | Inline::Anchored(_) => {}
            Inline::Page(style, format) => {
                let own = pattern(format.unwrap_or(self.number_format));
                self.counted(style, line, &format!("counter(page).display(\"{own}\")"));
            }
            Inline::Pages(style) => self.counted(style, line, "str(locate(<last>).page())"),
            Inline::SectionPages(style) => {
                let of = self.section;
                self.counted(style, line, &format!("str(locate(<e{of}>).page() - locate(<s{of}>).page() + 1)"));
            }
            Inline::PageOf(place, style) => self.counted(style, line, &format!("page-of(label(\"b{place}\"))")),
            Inline::Place(place) => {
                let _ = write!(self.out, "#[#metadata(none)<b{place}>]");
            }
            Inline::Drawing(drawing) => self.drawing_in_line(drawing),
            Inline::Signer(number, width, height) => {
                let _ = write!(self.out, "#signer({number}, {}pt, {}pt)", round(*width), round(*height));
            }
            Inline::Link(Target::Address(address), inner) => {
                let _ = write!(self.out, "#link({}, [", literal(address));
                self.inlines(inner, line);
                self.out.push_str("])");
            }
            Inline::Link(Target::Place(place), inner) => {
                let _ = write!(self.out, "#to-place(label(\"b{place}\"), [");
                self.inlines(inner, line);
                self.out.push_str("])");
            }
            Inline::Footnote(blocks) => {
                self.out.push_str("#footnote(numbering: _ => [], [");
                self.boxed(blocks);
                self.out.push_str("])");
            }
            Inline::Marked(number, inner) => {
                let _ = write!(self.out, "#link(\"{MARK}{number}\", [");
                self.inline(inner, line);
                self.out.push_str("])");
            }
        }
    }

    /// A number that only the pages know.
    fn counted(&mut self, style: &Arc<TextStyle>, line: Line, expression: &str) {
        let style = self.style(style, line);
        let _ = write!(self.out, "#s{style}(context {expression})");
    }

    fn text(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        if style.small_caps && !style.caps {
            return self.small_caps(text, style, line);
        }
        if style.underline == Underline::Words && text.contains(' ') {
            let plain = Arc::new(TextStyle { underline: Underline::None, ..TextStyle::clone(style) });
            let single = Arc::new(TextStyle { underline: Underline::Single, ..TextStyle::clone(style) });
            for piece in text.split_inclusive(' ') {
                let word = piece.trim_end_matches(' ');
                self.text(word, &single, line);
                self.text(&piece[word.len()..], &plain, line);
            }
            return;
        }
        if text.is_empty() {
            return;
        }
        if text.contains('\u{ad}') {
            // A soft hyphen is set by itself, or each sign before one copies out with it.
            for (at, piece) in text.split('\u{ad}').enumerate() {
                if at > 0 {
                    let name = self.style(style, line);
                    let _ = write!(self.out, "#s{name}(spacing: 99%, \"\u{ad}\")");
                }
                self.text(piece, style, line);
            }
            return;
        }
        let text = if style.caps { literal(&text.to_uppercase()) } else { literal(text) };
        let mut wrapped = match self.is_base(style, line) {
            true => text,
            false => format!("s{}({text})", self.style(style, line)),
        };
        if style.underline != Underline::None {
            let paint = style.underline_color.as_ref().or(style.color.as_ref()).map_or("auto".to_owned(), |c| fill(Some(c)));
            let (kind, times) = match style.underline {
                Underline::Thick => ("solid", 2),
                Underline::Double => ("double", 1),
                Underline::Dotted => ("dotted", 1),
                Underline::Dashed => ("dashed", 1),
                Underline::DotDash => ("dash-dotted", 1),
                Underline::Wave => ("wave", 1),
                _ => ("solid", 1),
            };
            wrapped = match (kind, times, style.underline_color.is_some()) {
                ("solid", 1, false) => format!("underline(evade: false, {wrapped})"),
                _ => format!("under(\"{kind}\", {}pt, {paint}, {wrapped})", round(style.size * 0.05 * f64::from(times))),
            };
        }
        if style.strike {
            wrapped = format!("strike({wrapped})");
        }
        if style.double_strike {
            let up = round(style.size * 0.3);
            let down = round(style.size * 0.2);
            wrapped = format!("strike(offset: -{up}pt, strike(offset: -{down}pt, {wrapped}))");
        }
        if style.highlight.is_some() || style.boxed.is_some() {
            let (top, bottom) = super::edges(style, line, self.wanted.fonts);
            let line = style.boxed.as_ref().map_or("none".to_owned(), stroke);
            wrapped = format!(
                "highlight(fill: {}, stroke: {line}, top-edge: {}pt, bottom-edge: -{}pt, {wrapped})",
                fill(style.highlight.as_ref()),
                round(top),
                round(bottom)
            );
        }
        let _ = write!(self.out, "#{wrapped}");
    }

    /// Small letters as capitals of four fifths the size.
    fn small_caps(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        let large = Arc::new(TextStyle { small_caps: false, caps: true, ..TextStyle::clone(style) });
        let small = Arc::new(TextStyle { size: style.size * 0.8, ..TextStyle::clone(&large) });
        let mut rest = text;
        while let Some(first) = rest.chars().next() {
            let is_small = first.is_lowercase();
            let end = rest.find(|c: char| c.is_lowercase() != is_small).unwrap_or(rest.len());
            self.text(&rest[..end], if is_small { &small } else { &large }, line);
            rest = &rest[end..];
        }
    }
}
