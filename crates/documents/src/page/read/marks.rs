//! Stretches of a part whose place on the pages is asked for.

use std::sync::Arc;

use roxmltree::Node;

use super::{Reader, push_text};
use crate::page::model::{Inline, Mark, TextStyle};

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
        let mut piece = |from: usize, to: usize, number: Option<u32>| {
            let raw = self.text.bytes.get(from..to).and_then(|b| std::str::from_utf8(b).ok()).unwrap_or_default();
            let text = quick_xml::escape::unescape(raw).unwrap_or(raw.into());
            match number {
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
            piece(from, to, Some(mark.number));
            at = to;
        }
        piece(at, end, None);
    }
}
