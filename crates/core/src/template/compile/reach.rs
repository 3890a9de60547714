//! What `keep` and `repeat` take whole: rows, paragraphs, tables and sections as stretches
//! of a part's nodes, found once for all placeholders.

use std::collections::HashMap;
use std::ops::Range;

use super::Compiler;
use crate::language::syntax::{Extent, Unit};
use crate::template::gathered::{Gathered, Id, Node, Row};

/// How many conditions and repeats a placeholder may stand within (rule 30).
pub(in crate::template) const DEEPEST: usize = 64;

#[derive(Default)]
pub(super) struct Reach {
    /// Where each row stands among those gathered, and which is below it.
    rows: HashMap<Id, usize>,
    below: HashMap<Id, Id>,
    /// The paragraph that follows on each.
    next: HashMap<usize, usize>,
    /// From where to where rows and tables reach, and sections.
    spans: HashMap<Id, Range<usize>>,
    sections: HashMap<usize, Range<usize>>,
    /// Paragraphs in the order in which they begin, with the nodes that they begin at.
    order: Vec<(usize, usize)>,
}

impl Reach {
    pub(super) fn new(gathered: &Gathered) -> Reach {
        let mut reach = Reach::default();
        for (at, row) in gathered.rows.iter().enumerate() {
            reach.rows.insert(row.id, at);
            reach.spans.insert(row.id, 0..0);
            reach.below.extend(row.above.map(|above| (above, row.id)));
        }
        reach.spans.extend(gathered.tables.iter().map(|table| (table.id, 0..0)));
        for (at, node) in gathered.nodes.iter().enumerate() {
            match node {
                Node::Open(_, id, _) => reach.spans.entry(*id).and_modify(|span| span.start = at),
                Node::Close(_, id, _) => reach.spans.entry(*id).and_modify(|span| span.end = at + 1),
                _ => continue,
            };
        }
        for (at, paragraph) in gathered.paragraphs.iter().enumerate() {
            reach.next.extend(paragraph.above.map(|above| (above, at)));
            let section = reach.sections.entry(paragraph.section).or_insert(paragraph.nodes.clone());
            *section = section.start.min(paragraph.nodes.start)..section.end.max(paragraph.nodes.end);
            reach.order.push((paragraph.nodes.start, at));
        }
        reach.order.sort_unstable();
        reach
    }

    pub(super) fn row<'g>(&self, gathered: &'g Gathered, id: Id) -> Option<&'g Row> {
        self.rows.get(&id).map(|at| &gathered.rows[*at])
    }

    /// The row below another in its table.
    pub(super) fn below(&self, row: Id) -> Option<Id> {
        self.below.get(&row).copied()
    }

    /// So many rows of one table, this one first.
    pub(super) fn rows_from(&self, row: Id, count: usize) -> Vec<Id> {
        std::iter::successors(Some(row), |row| self.below(*row)).take(count).collect()
    }

    /// So many paragraphs that follow one another, this one first.
    pub(super) fn paragraphs_from(&self, paragraph: usize, count: usize) -> Vec<usize> {
        std::iter::successors(Some(paragraph), |paragraph| self.next.get(paragraph).copied()).take(count).collect()
    }

    /// From where to where the nodes reach that a placeholder in a paragraph takes whole.
    pub(super) fn span(&self, gathered: &Gathered, paragraph: usize, extent: Extent) -> Option<Range<usize>> {
        let own = &gathered.paragraphs[paragraph];
        match extent.unit {
            Unit::Row => {
                let (first, rows) = (own.row?, self.rows_from(own.row?, extent.count));
                Some(self.spans.get(&first)?.start..self.spans.get(rows.last()?)?.end)
            }
            Unit::Para => {
                let last = *self.paragraphs_from(paragraph, extent.count).last()?;
                Some(own.nodes.start..gathered.paragraphs[last].nodes.end)
            }
            Unit::Table => self.spans.get(&own.table?).cloned(),
            Unit::Section => self.sections.get(&own.section).cloned(),
        }
    }

    /// The paragraphs that begin within a stretch of nodes, in reading order.
    pub(super) fn paragraphs_in(&self, span: &Range<usize>) -> Vec<usize> {
        let first = self.order.partition_point(|(start, _)| *start < span.start);
        let mut found: Vec<usize> = self.order[first..].iter().take_while(|(start, _)| *start < span.end).map(|(_, at)| *at).collect();
        found.sort_unstable();
        found
    }
}

impl Compiler<'_> {
    /// For each placeholder those others that take it whole, in reading order; a few more
    /// than the most that are allowed where there are more.
    pub(super) fn taken(&self) -> Vec<Vec<usize>> {
        let begins = |index: usize| self.gathered.paragraphs[self.standing[index].paragraph].nodes.start;
        let mut spans: Vec<(Range<usize>, usize)> = (0..self.standing.len())
            .filter_map(|index| {
                let standing = &self.standing[index];
                let extent = standing.kind.as_ref()?.extent()?;
                Some((self.reach.span(self.gathered, standing.paragraph, extent)?, index))
            })
            .collect();
        spans.sort_by_key(|(span, index)| (span.start, *index));
        let mut order: Vec<usize> = (0..self.standing.len()).collect();
        order.sort_by_key(|index| begins(*index));
        let mut taken = vec![Vec::new(); self.standing.len()];
        let (mut open, mut rest): (Vec<(usize, usize)>, _) = (Vec::new(), spans.iter().peekable());
        for index in order {
            let at = begins(index);
            while let Some((span, taker)) = rest.next_if(|(span, _)| span.start <= at) {
                open.push((span.end, *taker));
            }
            open.retain(|(end, _)| *end > at);
            taken[index] = open.iter().map(|(_, taker)| *taker).filter(|taker| *taker != index).take(DEEPEST + 1).collect();
            taken[index].sort_unstable();
        }
        taken
    }
}
