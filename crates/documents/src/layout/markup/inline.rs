//! What stands in a line.

use std::borrow::Cow;
use std::fmt::Write;
use std::sync::Arc;

use super::{MARK, Writer, fill, literal, pattern, round, stroke};
use crate::layout::fit::{is_address, parted, pieces};
use crate::model::{Inline, Line, Target, TextStyle, Underline};

/// A paragraph's content without the spaces at the ends of its lines: they take no room,
/// but the typesetter gives them some where a line has to end.
pub(super) fn without_last_spaces(inlines: &[Inline]) -> Cow<'_, [Inline]> {
    let spaced = inlines.split_inclusive(|i| *i == Inline::Break).any(|line| {
        let text = line.iter().rev().find(|i| **i != Inline::Break && i.takes_room());
        text.is_some_and(ends_in_space)
    });
    if !spaced {
        return Cow::Borrowed(inlines);
    }
    let mut out: Vec<Inline> = Vec::with_capacity(inlines.len());
    for (index, line) in inlines.split(|i| *i == Inline::Break).enumerate() {
        if index > 0 {
            out.push(Inline::Break);
        }
        let from = out.len();
        out.extend_from_slice(line);
        // A line of nothing but spaces is a line.
        let Some(last) = out[from..].iter().rposition(|i| i.takes_room() && !only_spaces(i)) else { continue };
        for inline in &mut out[from + last..] {
            trim(inline);
        }
    }
    Cow::Owned(out)
}

fn ends_in_space(inline: &Inline) -> bool {
    match inline {
        Inline::Text(text, _) => text.ends_with(' '),
        Inline::Marked(_, inner) => ends_in_space(inner),
        _ => false,
    }
}

fn only_spaces(inline: &Inline) -> bool {
    match inline {
        Inline::Text(text, _) => text.bytes().all(|b| b == b' '),
        Inline::Marked(_, inner) => only_spaces(inner),
        _ => false,
    }
}

fn trim(inline: &mut Inline) {
    match inline {
        Inline::Text(text, _) => text.truncate(text.trim_end_matches(' ').len()),
        Inline::Marked(_, inner) => trim(inner),
        _ => {}
    }
}

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
            Inline::Pages(style) => match self.wanted.through {
                Some(through) => self.counted(style, line, &format!("\"{}\"", through.total)),
                None => self.counted(style, line, "str(locate(<last>).page())"),
            },
            Inline::SectionPages(style) => {
                let of = self.section;
                self.counted(style, line, &format!("str(locate(<e{of}>).page() - locate(<s{of}>).page() + 1)"));
            }
            Inline::PageOf(place, style) => self.counted(style, line, &format!("page-of(label(\"b{place}\"))")),
            Inline::Place(place) => {
                let _ = write!(self.out, "#[#metadata(none)<b{place}>]");
            }
            Inline::Drawing(drawing) => self.drawing_in_line(drawing),
            Inline::Signer(number, width, height, style) => {
                let family = literal(&self.wanted.fonts.stand_in(&style.font).shown);
                let colour = literal(style.color.as_deref().unwrap_or("000000"));
                let (size, bold, italic) = (round(style.size), style.bold, style.italic);
                let font = format!("{family}, {size}, {colour}, {bold}, {italic}");
                let _ = write!(self.out, "#signer({number}, {}pt, {}pt, ({font}))", round(*width), round(*height));
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
                self.note(blocks);
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
        if style.stretch != 0.0 {
            return self.stretched(text, style, line);
        }
        let ends = self.lines.map(|room| parted(text, style, room, self.wanted.fonts)).unwrap_or_default();
        if !ends.is_empty() {
            let mut from = 0;
            let lines = self.lines.take();
            for to in ends {
                self.text(&text[from..to], style, line);
                // Lines may end at a space that can't be seen; one without width is none.
                self.out.push_str("#h(0.001pt)");
                from = to;
            }
            self.text(&text[from..], style, line);
            self.lines = lines;
            return;
        }
        match text.contains("://") || text.contains("www.") {
            true => self.with_addresses(text, style, line),
            false => self.set(text, style, line),
        }
    }

    /// Text in which addresses end lines at hyphens alone: the typesetter would part
    /// them at slashes and points, too, but not what stands in boxes.
    fn with_addresses(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        let mut plain = 0;
        let mut at = 0;
        for word in text.split_inclusive(' ') {
            let address = word.trim_end_matches(' ');
            if is_address(address) {
                self.set(&text[plain..at], style, line);
                for piece in pieces(address) {
                    self.out.push_str("#box[");
                    self.set(piece, style, line);
                    self.out.push(']');
                }
                plain = at + address.len();
            }
            at += word.len();
        }
        self.set(&text[plain..], style, line);
    }

    /// Text of one look, as it is.
    fn set(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        if text.is_empty() {
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

    /// Text whose letters are wider or narrower than the font's: word by word, so that
    /// lines can end between them.
    fn stretched(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        let share = round((1.0 + style.stretch) * 100.0);
        let plain = Arc::new(TextStyle { stretch: 0.0, ..TextStyle::clone(style) });
        for piece in text.split_inclusive(' ') {
            let word = piece.trim_end_matches(' ');
            if !word.is_empty() {
                let _ = write!(self.out, "#box(scale(x: {share}%, reflow: true, [");
                self.text(word, &plain, line);
                self.out.push_str("]))");
            }
            if word.len() < piece.len() {
                let name = self.style(&plain, line);
                let _ = write!(self.out, "#s{name}(spacing: {share}%, {})", literal(&piece[word.len()..]));
            }
        }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spaces_at_the_ends_of_lines_take_no_room() {
        let style = Arc::new(TextStyle::default());
        let text = |words: &str| Inline::Text(words.to_owned(), style.clone());
        let marked = |words: &str| Inline::Marked(1, Box::new(text(words)));
        let of = |inlines: &[Inline]| crate::layout::lines::text_of(&without_last_spaces(inlines));
        assert_eq!(of(&[text("and "), text("on  ")]), "and on");
        assert_eq!(of(&[text("a "), Inline::Break, text("b "), marked("c  "), text("   "), Inline::Place(1)]), "a b c");
        // A line of spaces stays, as do those between words and those that don't break.
        assert_eq!(of(&[text("   ")]), "   ");
        assert_eq!(of(&[text("a\u{a0}")]), "a\u{a0}");
        assert!(matches!(without_last_spaces(&[text("a b"), Inline::Tab(style.clone())]), Cow::Borrowed(_)));
    }
}
