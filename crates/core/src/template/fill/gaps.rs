//! What is printed, and the gaps that close where nothing is: a blank takes one
//! space with it, a paragraph or a run that printed nothing goes.

use std::ops::Range;

use super::{Filler, OBJECT, Paragraph};

/// Marks before which a space is not wanted.
const CLOSING: [char; 7] = ['.', ',', ';', ':', '!', '?', ')'];

impl Filler<'_> {
    /// Something printed nothing just now.
    pub(super) fn gap(&mut self) {
        if let Some(paragraph) = self.paragraphs.last_mut() {
            paragraph.gap = true;
        }
    }

    /// Writes a value, escaped for where it lands; says where.
    pub(super) fn write(&mut self, text: &str) -> Range<usize> {
        let first = text.chars().next().unwrap_or(' ');
        let skip = self.close_gap(first);
        let text = &text[skip..];
        let start = self.out.len();
        let writes = &self.program.writes;
        if !writes.xml {
            self.out.extend_from_slice(text.as_bytes());
        } else {
            escape(text, &writes.line_break, &writes.tab, self.out);
        }
        if let Some(last) = text.chars().next_back() {
            let signs = text.chars().filter(|c| !c.is_whitespace()).count();
            self.printed(last, signs);
        }
        start..self.out.len()
    }

    pub(super) fn printed(&mut self, last: char, signs: usize) {
        let end = self.out.len();
        if let Some(paragraph) = self.paragraphs.last_mut() {
            paragraph.printed += signs;
            paragraph.last = Some(last);
            paragraph.space_at = (last == ' ').then(|| end - 1);
        }
    }

    /// Closes a gap before `first` is written; says how many of its bytes to
    /// leave out: 1 for a space that the gap takes.
    pub(super) fn close_gap(&mut self, first: char) -> usize {
        let Some(mut paragraph) = self.paragraphs.pop_if(|p| std::mem::take(&mut p.gap)) else { return 0 };
        let after_space = matches!(paragraph.last, None | Some(' ' | '\n' | '\u{a0}'));
        if CLOSING.contains(&first) {
            self.take_space(&mut paragraph);
        }
        self.paragraphs.push(paragraph);
        usize::from(first == ' ' && after_space)
    }

    /// Takes back the space printed last.
    fn take_space(&mut self, paragraph: &mut Paragraph) {
        if let Some(at) = paragraph.space_at.take() {
            self.out.remove(at);
            paragraph.last = Some(OBJECT);
            // The value printed last may have ended with it.
            let last = self.trace.iter_mut().flatten().rev().find_map(|t| t.at.as_mut());
            if let Some(last) = last.filter(|last| last.end == at + 1) {
                last.end = at;
            }
        }
    }

    /// Takes back what was written from a place on.
    pub(super) fn cut(&mut self, from: usize) {
        self.out.truncate(from);
        for own in self.trace.iter_mut().flatten().rev() {
            match &own.at {
                Some(at) if at.start < from => break,
                _ => own.at = None,
            }
        }
    }

    pub(super) fn end_paragraph(&mut self, may_go: bool) {
        let Some(mut paragraph) = self.paragraphs.pop() else { return };
        if paragraph.gap {
            self.take_space(&mut paragraph);
        }
        if paragraph.printed == 0 && may_go {
            self.cut(paragraph.start);
            return;
        }
        self.kept(true);
    }

    pub(super) fn kept(&mut self, paragraph: bool) {
        if let Some(last) = self.containers.last_mut() {
            *last = paragraph;
        }
    }

    /// A run of placeholders that printed nothing goes, with its look; one that
    /// printed spaces stays.
    pub(super) fn end_run(&mut self) {
        let Some((start, before)) = self.runs.pop() else { return };
        let Some(paragraph) = self.paragraphs.last() else { return };
        if paragraph.printed == before && paragraph.space_at.is_none_or(|at| at < start) {
            self.cut(start);
        }
    }
}

/// Text as XML character data. Signs that XML 1.0 can't carry are dropped.
fn escape(text: &str, line_break: &str, tab: &str, out: &mut Vec<u8>) {
    let mut plain = 0;
    for (at, c) in text.char_indices() {
        let instead = match c {
            '&' => "&amp;",
            '<' => "&lt;",
            '>' => "&gt;",
            '\n' => line_break,
            '\t' => tab,
            '\u{0}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}' => "",
            _ => continue,
        };
        out.extend_from_slice(&text.as_bytes()[plain..at]);
        out.extend_from_slice(instead.as_bytes());
        plain = at + c.len_utf8();
    }
    out.extend_from_slice(&text.as_bytes()[plain..]);
}
