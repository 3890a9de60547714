//! Stretches of a part whose place on the pages is asked for.

use std::sync::Arc;

use roxmltree::Node;

use super::{Reader, push_text};
use crate::model::{Inline, Line, Paragraph, TextStyle};

/// A stretch of a part's bytes whose place on the pages is asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mark {
    /// What it is known by.
    pub number: u32,
    /// The bytes, at the signs' borders.
    pub at: std::ops::Range<usize>,
    /// What is shown in its place; the bytes themselves where there is nothing else.
    pub shown: Option<Shown>,
}

/// What is shown in place of a mark's bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shown {
    /// The text.
    pub text: Arc<str>,
    /// Whether it takes as little room as can be: what prints nothing in the end.
    pub small: bool,
}

/// A part of a document as it is read into pages.
#[derive(Debug, Clone, Copy)]
pub struct Text<'a> {
    /// Its XML.
    pub bytes: &'a [u8],
    /// In the order in which they stand; they don't overlap.
    pub marks: &'a [Mark],
}

/// The size of what takes as little room as can be, in points.
const SMALL: f64 = 4.5;

impl<'p> Reader<'_, '_, 'p> {
    /// How far the bytes of the part lie before those that the XML reader saw.
    fn behind_mark(&self) -> usize {
        if self.text.bytes.starts_with("\u{feff}".as_bytes()) { 3 } else { 0 }
    }

    /// The marks that touch a stretch of the XML.
    pub(super) fn marks(&self, range: std::ops::Range<usize>) -> &'p [Mark] {
        let marks = self.text.marks;
        if marks.is_empty() {
            return marks;
        }
        let (start, end) = (range.start + self.behind_mark(), range.end + self.behind_mark());
        let first = marks.partition_point(|m| m.at.end <= start);
        let count = marks[first..].partition_point(|m| m.at.start < end);
        &marks[first..first + count]
    }

    /// A text whose marks are kept apart from what stands between them.
    pub(super) fn marked_text<'x>(&self, element: Node<'x, 'x>, marks: &[Mark], style: &Arc<TextStyle>, out: &mut Vec<Inline>) {
        let Some(whole) = element.first_child().map(|t| t.range()) else { return };
        let base = self.behind_mark();
        let mut piece = |from: usize, to: usize, mark: Option<&Mark>| {
            if let Some((mark, shown)) = mark.and_then(|m| Some((m, m.shown.as_ref()?))) {
                if from == mark.at.start && !shown.text.is_empty() {
                    out.push(stand_in(mark.number, shown, style));
                }
                return;
            }
            let raw = self.text.bytes.get(from..to).and_then(|b| std::str::from_utf8(b).ok()).unwrap_or_default();
            let text = quick_xml::escape::unescape(raw).unwrap_or(raw.into());
            match mark.map(|m| m.number) {
                Some(number) if !text.is_empty() => {
                    out.push(Inline::Marked(number, Box::new(Inline::Text(text.into_owned(), style.clone()))));
                }
                _ => push_text(&text, style, out),
            }
        };
        let (mut at, end) = (whole.start + base, whole.end + base);
        for mark in marks {
            let (from, to) = (mark.at.start.clamp(at, end), mark.at.end.clamp(at, end));
            piece(at, from, None);
            piece(from, to, Some(mark));
            at = to;
        }
        piece(at, end, None);
    }
}

fn stand_in(number: u32, shown: &Shown, style: &Arc<TextStyle>) -> Inline {
    let style = match shown.small {
        true => Arc::new(TextStyle { size: SMALL, complex: Default::default(), ..TextStyle::clone(style) }),
        false => style.clone(),
    };
    Inline::Marked(number, Box::new(Inline::Text(shown.text.to_string(), style)))
}

/// Takes the room from a paragraph in which nothing stands but what prints nothing: it is not
/// there in a filled document.
pub(super) fn shrink(paragraph: &mut Paragraph, marks: &[Mark]) {
    if marks.first().is_none_or(|m| m.shown.is_none()) {
        return;
    }
    let small = |inline: &Inline| match inline {
        Inline::Marked(_, inner) => matches!(&**inner, Inline::Text(_, style) if style.size == SMALL),
        other => !other.takes_room(),
    };
    if paragraph.inlines.iter().any(Inline::takes_room) && paragraph.inlines.iter().all(small) {
        paragraph.space = [0.0, 0.0];
        paragraph.line = Line::Exactly(SMALL + 1.0);
        paragraph.mark = Arc::new(TextStyle { size: SMALL, complex: Default::default(), ..TextStyle::clone(&paragraph.mark) });
    }
}
