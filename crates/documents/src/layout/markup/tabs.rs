//! Tab stops and the numbers of lists. The typesetter has no tab stops: each
//! segment is moved to where it belongs. Where fonts tell how wide the segments
//! are, that is worked out here; else the typesetter measures.

use std::fmt::Write;

use super::{Around, Writer, literal, round};
use crate::model::{Align, Follow, Inline, Marker, Paragraph, Tab, TabKind};

impl Writer<'_> {
    /// Each line of a paragraph with tabs, its segments set at their stops.
    pub(super) fn tabbed(&mut self, paragraph: &Paragraph, inlines: &[Inline], is_first: bool) {
        let stops = stops(paragraph);
        for (index, line) in inlines.split(|i| *i == Inline::Break).enumerate() {
            if index > 0 {
                self.out.push_str("#linebreak()");
            }
            let first = if index == 0 && is_first { paragraph.indent[2] } else { 0.0 };
            let segments: Vec<&[Inline]> = line.split(|i| matches!(i, Inline::Tab(_))).collect();
            self.segments(paragraph, &stops, paragraph.indent[0] + first, &segments);
        }
    }

    fn segments(&mut self, paragraph: &Paragraph, stops: &[Tab], start: f64, segments: &[&[Inline]]) {
        if let Some(gaps) = self.gaps(paragraph, stops, start, segments) {
            for (index, segment) in segments.iter().enumerate() {
                match index.checked_sub(1).map(|at| gaps[at]) {
                    Some(Gap::Wide(width)) if width != 0.0 => {
                        let _ = write!(self.out, "#h({}pt)", round(width));
                    }
                    Some(Gap::UpTo(_)) => self.out.push_str("#h(1fr)"),
                    _ => {}
                }
                self.inlines(segment, paragraph.line);
            }
            if let Some(Gap::UpTo(behind)) = gaps.last()
                && *behind > 0.0
            {
                let _ = write!(self.out, "#h({}pt)", round(*behind));
            }
            return;
        }
        let stops: String = stops
            .iter()
            .map(|tab| {
                let kind = match tab.kind {
                    TabKind::Left | TabKind::Bar => "left",
                    TabKind::Center => "center",
                    TabKind::Right => "right",
                    TabKind::Decimal => "decimal",
                };
                let leader = tab.leader.map_or("none".to_owned(), |c| literal(c.encode_utf8(&mut [0; 4])));
                format!("({}pt, \"{kind}\", {leader}), ", round(tab.at))
            })
            .collect();
        let style = self.style(&paragraph.mark, paragraph.line);
        let _ = write!(self.out, "#tabs(s{style}, {}pt, ({stops}), {}pt, (", round(start), self.wanted.tab);
        for segment in segments {
            self.out.push_str("([");
            self.inlines(segment, paragraph.line);
            self.out.push_str("], ");
            // What stands before the decimal sign is measured by itself.
            match before_decimal(segment) {
                Some(before) => {
                    self.out.push('[');
                    self.inlines(&before, paragraph.line);
                    self.out.push(']');
                }
                None => self.out.push_str("none"),
            }
            self.out.push_str("), ");
        }
        self.out.push_str("))");
    }

    /// The gaps between segments, where the widths of these tell them; none where the
    /// typesetter has to measure.
    fn gaps(&self, paragraph: &Paragraph, stops: &[Tab], start: f64, segments: &[&[Inline]]) -> Option<Vec<Gap>> {
        let mut gaps = Vec::with_capacity(segments.len());
        let mut x = start + self.width(segments.first()?).or_else(|| (segments.len() == 1).then_some(0.0))?;
        for (index, segment) in segments.iter().enumerate().skip(1) {
            let stop = stops.iter().find(|t| t.at > x + 0.1).copied();
            let stop = stop.unwrap_or_else(|| Tab { at: self.next_step(x), kind: TabKind::Left, leader: None });
            if stop.leader.is_some() {
                return None;
            }
            let (width, last) = (self.width(segment), index + 1 == segments.len());
            let back = match (stop.kind, width) {
                (TabKind::Left | TabKind::Bar, _) => 0.0,
                (TabKind::Right, Some(width)) => width,
                (TabKind::Center, Some(width)) => width / 2.0,
                (TabKind::Decimal, Some(_)) => before_decimal(segment).map_or(Some(0.0), |before| self.width(&before))?,
                // Page numbers at the right: what is left of the line stands before them.
                (TabKind::Right, None) if last && matches!(self.around, Around::Edge(_)) => {
                    let behind = self.page.room() - paragraph.indent[1] - stop.at;
                    gaps.push(Gap::UpTo(behind));
                    return (behind > -0.5).then_some(gaps);
                }
                _ => return None,
            };
            // A hair less, or a line that is just full has no room for its last segment.
            let target = (stop.at - back - HAIR).max(x);
            gaps.push(Gap::Wide(target - x));
            x = target + width.or_else(|| last.then_some(0.0))?;
        }
        Some(gaps)
    }

    /// The right indent with which the lines of a paragraph reach the tab stops that
    /// stand beyond its own: text is set at those, too (ECMA-376 part 1, 17.3.1.37).
    pub(super) fn reach(&self, paragraph: &Paragraph, inlines: &[Inline], is_first: bool) -> Option<f64> {
        let edge = self.page.room() - paragraph.indent[1];
        if matches!(self.around, Around::Box | Around::Columns) || paragraph.tabs.last().is_none_or(|last| last.at <= edge + 0.1) {
            return None;
        }
        let stops = stops(paragraph);
        let mut farthest = edge;
        for (index, line) in inlines.split(|i| *i == Inline::Break).enumerate() {
            let mut x = paragraph.indent[0] + if index == 0 && is_first { paragraph.indent[2] } else { 0.0 };
            for (at, segment) in line.split(|i| matches!(i, Inline::Tab(_))).enumerate() {
                let width = self.width(segment).unwrap_or(0.0);
                let stop = stops.iter().find(|t| at > 0 && t.at > x + 0.1);
                let end = match stop.map(|stop| (stop.kind, stop.at)) {
                    Some((TabKind::Right | TabKind::Decimal, at)) => at.max(x + width),
                    Some((TabKind::Center, at)) => (at + width / 2.0).max(x + width),
                    Some((_, at)) => at + width,
                    None if at > 0 => self.next_step(x) + width,
                    None => x + width,
                };
                if stop.is_some_and(|stop| stop.at > edge + 0.1 && !matches!(stop.kind, TabKind::Left | TabKind::Bar)) {
                    farthest = farthest.max(end);
                }
                x = end;
            }
        }
        (farthest > edge).then(|| self.page.room() - farthest)
    }

    fn next_step(&self, x: f64) -> f64 {
        ((x / self.wanted.tab + 0.01).floor() + 1.0) * self.wanted.tab
    }

    /// A paragraph of a list: its number, what follows it, its text.
    pub(super) fn numbered(&mut self, paragraph: &Paragraph, marker: &Marker, inlines: &[Inline], tabs: bool) {
        let number = Inline::Text(marker.text.clone(), marker.style.clone());
        let start = paragraph.indent[0] + paragraph.indent[2];
        let width = self.width(std::slice::from_ref(&number));
        let mut start = start;
        if let (Some(width), Align::Right | Align::Center) = (width, marker.align) {
            let back = if marker.align == Align::Right { width } else { width / 2.0 };
            let _ = write!(self.out, "#h({}pt)", round(-back));
            start -= back;
        }
        let mut all = vec![number];
        match marker.follow {
            Follow::Tab => all.push(Inline::Tab(marker.style.clone())),
            Follow::Space => all.push(Inline::Text(" ".to_owned(), marker.style.clone())),
            Follow::Nothing => {}
        }
        let follows = marker.follow == Follow::Tab;
        all.extend_from_slice(inlines);
        if !follows && !tabs {
            return self.inlines(&all, paragraph.line);
        }
        let stops = stops(paragraph);
        for (index, line) in all.split(|i| *i == Inline::Break).enumerate() {
            if index > 0 {
                self.out.push_str("#linebreak()");
            }
            let start = if index == 0 { start } else { paragraph.indent[0] };
            let segments: Vec<&[Inline]> = line.split(|i| matches!(i, Inline::Tab(_))).collect();
            self.segments(paragraph, &stops, start, &segments);
        }
    }

    /// How wide a segment is, where its fonts tell.
    pub(super) fn width(&self, inlines: &[Inline]) -> Option<f64> {
        inlines.iter().try_fold(0.0, |sum, inline| {
            Some(
                sum + match inline {
                    Inline::Text(text, style) => self.wanted.fonts.text_width(text, style)?,
                    Inline::Drawing(drawing) if drawing.turned == 0.0 => drawing.width,
                    Inline::Signer(_, width, ..) => *width,
                    Inline::Place(_) | Inline::Anchored(_) => 0.0,
                    Inline::Link(_, inner) => self.width(inner)?,
                    Inline::Marked(_, inner) => self.width(std::slice::from_ref(inner))?,
                    _ => return None,
                },
            )
        })
    }
}

/// What can't be seen, in points.
const HAIR: f64 = 0.005;

/// What stands between two segments.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Gap {
    /// So much.
    Wide(f64),
    /// What is left of the line, but for so much behind the segment.
    UpTo(f64),
}

/// A paragraph's tab stops; its hanging indent is one of them.
fn stops(paragraph: &Paragraph) -> Vec<Tab> {
    let mut stops = paragraph.tabs.clone();
    let [left, _, first] = paragraph.indent;
    if first < 0.0 && !stops.iter().any(|t| (t.at - left).abs() < 0.5) {
        stops.push(Tab { at: left, kind: TabKind::Left, leader: None });
        stops.sort_by(|a, b| a.at.total_cmp(&b.at));
    }
    stops
}

/// What stands before the last decimal sign of a segment; all of it where there
/// is none.
fn before_decimal(segment: &[Inline]) -> Option<Vec<Inline>> {
    let text = crate::layout::lines::text_of(segment);
    if !text.chars().any(|c| c.is_ascii_digit()) {
        return None;
    }
    let sign = text
        .char_indices()
        .rev()
        .find(|(at, c)| matches!(c, '.' | ',') && text[at + c.len_utf8()..].starts_with(|d: char| d.is_ascii_digit()));
    let Some((end, _)) = sign else { return Some(segment.to_vec()) };
    let (mut out, mut at) = (Vec::new(), 0);
    take(segment, end, &mut at, &mut out);
    Some(out)
}

fn take(segment: &[Inline], end: usize, at: &mut usize, out: &mut Vec<Inline>) {
    for inline in segment {
        match inline {
            Inline::Text(text, style) if *at < end => {
                let part = text.get(..(end - *at).min(text.len())).unwrap_or(text);
                out.push(Inline::Text(part.to_owned(), style.clone()));
                *at += text.len();
            }
            Inline::Link(_, inner) => take(inner, end, at, out),
            Inline::Marked(_, inner) => take(std::slice::from_ref(inner), end, at, out),
            _ => {}
        }
    }
}
