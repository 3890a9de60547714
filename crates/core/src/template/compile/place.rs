//! `if` and `repeat` matched with their `end`; `keep` and `repeat` with what
//! they take whole.

use std::collections::HashMap;

use super::{Compiler, Event, Standing};
use crate::language::syntax::{Expr, Extent, Kind, Passage, Unit};
use crate::template::gathered::{Id, Node};
use crate::template::program::{Between, Block, Site};
use crate::words::counted;

/// A passage whose `end` is still to come.
struct Frame {
    block: usize,
    passage: Passage,
    /// Placeholder of each branch's start.
    markers: Vec<usize>,
}

/// The block that each row, paragraph or table was last part of, for the `else`
/// of the one below.
#[derive(Default)]
struct Above {
    rows: HashMap<Id, usize>,
    paragraphs: HashMap<usize, usize>,
}

impl Compiler<'_> {
    pub(super) fn site(&mut self, index: usize, kind: Kind) -> usize {
        self.sites.push(Site { kind, index, placeholder: self.placeholders[index].clone() });
        self.sites.len() - 1
    }

    fn block(&mut self, index: usize, kind: Kind) -> usize {
        let site = self.site(index, kind);
        self.blocks.push(Block { branches: vec![Some(site)] });
        self.blocks.len() - 1
    }

    pub(super) fn place(&mut self) {
        let mut frames: Vec<Option<Frame>> = Vec::new();
        let mut above = Above::default();
        for index in 0..self.standing.len() {
            let Some(kind) = self.standing[index].kind.clone() else {
                if self.standing[index].opens {
                    frames.push(None);
                }
                continue;
            };
            match kind {
                Kind::If(_) | Kind::Repeat(None, _) => {
                    let passage = if matches!(kind, Kind::If(_)) { Passage::If } else { Passage::Repeat };
                    let block = self.block(index, kind);
                    frames.push(Some(Frame { block, passage, markers: vec![index] }));
                }
                Kind::ElseIf(_) | Kind::Else => match frames.last_mut() {
                    None => self.problem_at(index, "else-without-if", "`else` without `if`. Add an `if` or remove this."),
                    Some(None) => {}
                    Some(Some(frame)) => {
                        let (block, repeat) = (frame.block, frame.passage == Passage::Repeat);
                        frame.markers.push(index);
                        let closed = self.blocks[block].branches.last() == Some(&None);
                        let wrong = repeat && matches!(kind, Kind::ElseIf(_));
                        let branch = match kind {
                            Kind::ElseIf(_) => Some(self.site(index, kind)),
                            _ => None,
                        };
                        self.blocks[block].branches.push(branch);
                        if closed {
                            self.problem_at(index, "else-after-else", "there is already an `else`. Remove one.");
                        } else if wrong {
                            let message = "`else` in a `repeat` can't have a condition: it applies when the list is empty";
                            self.problem_at(index, "else-if-of-repeat", message);
                        }
                    }
                },
                Kind::End(ends) => match frames.pop() {
                    None => {
                        self.problem_at(index, "end-without-start", "`end` without `if` or `repeat`. Remove it or add the missing start.")
                    }
                    Some(None) => {}
                    Some(Some(mut frame)) => {
                        if let Some(ends) = ends.filter(|ends| *ends != frame.passage) {
                            let word = |p: Passage| if p == Passage::If { "if" } else { "repeat" };
                            let message = format!(
                                "this ends the `{}`, not the `{}`. An `end` is missing before it.",
                                word(frame.passage),
                                word(ends)
                            );
                            self.problem_at(index, "end-of-another", &message);
                        }
                        frame.markers.push(index);
                        self.place_passage(&frame);
                    }
                },
                Kind::Keep(extent, _) | Kind::Repeat(Some(extent), _) => {
                    let block = self.block(index, kind);
                    self.take_whole(index, extent, block, &mut above);
                }
                Kind::KeepElse(extent) => self.keep_else(index, extent, None, &mut above),
                Kind::KeepElseIf(extent, expr) => self.keep_else(index, extent, Some(expr), &mut above),
                _ => {}
            }
        }
        for frame in frames.into_iter().flatten() {
            self.problem_at(frame.markers[0], "never-ended", "missing `[:end]`");
        }
    }

    /// Places the events of a passage: within one paragraph, or at the edges of
    /// several.
    fn place_passage(&mut self, frame: &Frame) {
        let paragraph_of = |c: &Self, marker: usize| c.standing[marker].paragraph;
        let first = paragraph_of(self, frame.markers[0]);
        let one = frame.markers.iter().all(|m| paragraph_of(self, *m) == first) && !self.silent.contains(&first);
        let last = frame.markers.len() - 1;
        let parent = self.gathered.paragraphs[first].parent;
        if one && frame.passage == Passage::Repeat && !self.can_repeat_inline(&frame.markers) {
            let message = "this repeat starts inside a link or field and ends outside it. Keep both in the same place.";
            self.problem_at(frame.markers[0], "passage-crosses", message);
            return;
        }
        for (branch, marker) in frame.markers.iter().enumerate() {
            let events: Vec<Event> = match (branch, frame.passage) {
                (0, Passage::If) => vec![Event::Choose(frame.block), Event::Enter(frame.block, 0)],
                (0, Passage::Repeat) => vec![Event::Repeat(frame.block, Between::Nothing)],
                (b, _) if b == last => vec![Event::Leave],
                (b, _) => vec![Event::Leave, Event::Enter(frame.block, b)],
            };
            if one {
                self.inline.entry(*marker).or_default().extend(events);
                continue;
            }
            let paragraph = paragraph_of(self, *marker);
            if self.gathered.paragraphs[paragraph].parent != parent {
                self.problem_at(
                    *marker,
                    "passage-crosses",
                    "this passage starts in one cell, header or box and ends in another. Keep it in one.",
                );
                return;
            }
            self.risky.insert(parent);
            let (starts, ends) = self.edges(*marker);
            let events = events.into_iter().map(|e| ((std::cmp::Reverse(0), *marker), e));
            if starts && branch != last {
                self.before.entry(paragraph).or_default().extend(events);
            } else if ends && branch != 0 {
                self.after.entry(paragraph).or_default().extend(events);
            } else {
                let hint = match branch {
                    0 => "a passage that spans paragraphs must start at the beginning of a paragraph",
                    _ => "a passage that spans paragraphs must end at the end of a paragraph",
                };
                self.problem_at(*marker, "passage-misplaced", &format!("{hint}; move this there or into a paragraph of its own"));
                return;
            }
        }
        if frame.passage == Passage::Repeat && !one {
            let until = frame.markers[1];
            let (from, to) = (paragraph_of(self, frame.markers[0]), paragraph_of(self, until));
            self.restart_lists(frame.block, from..=to);
        }
    }

    /// Whether the runs in which a repeat within a paragraph begins and ends lie
    /// side by side.
    fn can_repeat_inline(&self, markers: &[usize]) -> bool {
        let place = |marker: &usize| {
            let node = self.node_of(&self.standing[*marker])?;
            // Open elements other than runs between the paragraph and here.
            let start = self.gathered.paragraphs[self.standing[*marker].paragraph].nodes.start;
            Some((start..node).filter_map(|n| self.wrapper_change(n)).sum::<i64>())
        };
        let mut places = markers.iter().map(place);
        let first = places.next().flatten();
        first.is_some() && places.all(|p| p == first)
    }

    /// How many elements a stretch of markup leaves open.
    fn wrapper_change(&self, node: usize) -> Option<i64> {
        let Node::Markup(range) = &self.gathered.nodes[node] else { return None };
        let bytes = &self.gathered.bytes[range.clone()];
        let mut change = 0;
        for (at, byte) in bytes.iter().enumerate() {
            if *byte == b'<' && bytes.get(at + 1).is_some_and(|b| *b != b'!' && *b != b'?') {
                change += if bytes.get(at + 1) == Some(&b'/') { -1 } else { 1 };
            }
            if *byte == b'>' && at > 0 && bytes[at - 1] == b'/' {
                change -= 1;
            }
        }
        Some(change)
    }

    /// The text node in which a placeholder begins.
    pub(super) fn node_of(&self, standing: &Standing) -> Option<usize> {
        let own = &self.gathered.paragraphs[standing.paragraph];
        own.pieces.iter().rev().find(|(_, start)| *start <= standing.range.start).map(|(node, _)| *node)
    }

    /// Whether nothing is printed before a placeholder in its paragraph, and
    /// whether nothing is printed after it.
    fn edges(&self, index: usize) -> (bool, bool) {
        let standing = &self.standing[index];
        if self.silent.contains(&standing.paragraph) {
            return (true, true);
        }
        let own = &self.gathered.paragraphs[standing.paragraph];
        let (mut before, mut after, mut at) = (true, true, 0);
        let mut prints = |start: usize, end: usize, printed: bool| {
            before &= !printed || start >= standing.range.start;
            after &= !printed || end <= standing.range.end;
        };
        for (_, other) in self.standing_in(standing.paragraph).filter(|(_, other)| !other.range.is_empty()) {
            prints(at, other.range.start, !own.text[at..other.range.start].trim().is_empty());
            prints(other.range.start, other.range.end, other.kind.as_ref().is_none_or(Kind::prints));
            at = other.range.end;
        }
        prints(at, own.text.len(), !own.text[at..].trim().is_empty());
        before &= !own.objects.iter().any(|(_, at)| *at <= standing.range.start);
        after &= !own.objects.iter().any(|(_, at)| *at >= standing.range.end);
        (before, after)
    }

    /// Places what `keep` and `repeat` take whole.
    fn take_whole(&mut self, index: usize, extent: Extent, block: usize, above: &mut Above) {
        let branch = self.blocks[block].branches.len() - 1;
        let repeats = branch == 0 && matches!(self.standing[index].kind, Some(Kind::Repeat(..)));
        let between = match extent.unit {
            Unit::Table => Between::Paragraph,
            Unit::Section => match &self.gathered.last_section {
                Some(end) if self.is_last_section(index) => Between::Section(end.clone()),
                _ => Between::Nothing,
            },
            _ => Between::Nothing,
        };
        let key = (std::cmp::Reverse(extent.count), index);
        let enter: Vec<_> = match (branch, repeats) {
            (_, true) => vec![(key, Event::Repeat(block, between))],
            (0, _) => vec![(key, Event::Choose(block)), (key, Event::Enter(block, 0))],
            _ => vec![(key, Event::Enter(block, branch))],
        };
        let leave = (key, Event::Leave);
        let paragraph = self.standing[index].paragraph;
        let own = &self.gathered.paragraphs[paragraph];
        match extent.unit {
            Unit::Row => {
                let Some(row) = own.row else {
                    let message = "not in a table. Put it in a cell of the row it applies to.";
                    return self.problem_at(index, "row-outside-table", message);
                };
                let rows = self.reach.rows_from(row, extent.count);
                if rows.len() < extent.count {
                    let message =
                        format!("only {} left in the table from here, {} needed", counted(rows.len(), "row is", "rows are"), extent.count);
                    return self.problem_at(index, "too-few-rows", &message);
                }
                let last = rows[rows.len() - 1];
                above.rows.insert(last, block);
                if let Some(found) = self.reach.row(self.gathered, row) {
                    self.thinned.insert(found.table);
                }
                if repeats {
                    self.repeated_rows.extend(rows.iter().map(|r| (*r, last)));
                }
                self.before_row.entry(row).or_default().extend(enter);
                self.after_row.entry(last).or_default().push(leave);
                if repeats {
                    let inside = self.paragraphs_of(paragraph, extent);
                    self.restart_lists_in(block, &inside);
                }
            }
            Unit::Para => {
                let paragraphs = self.reach.paragraphs_from(paragraph, extent.count);
                if paragraphs.len() < extent.count {
                    let message = format!(
                        "only {} from here, {} needed",
                        counted(paragraphs.len(), "paragraph follows", "paragraphs follow"),
                        extent.count
                    );
                    return self.problem_at(index, "too-few-paragraphs", &message);
                }
                let last = paragraphs[paragraphs.len() - 1];
                above.paragraphs.insert(last, block);
                self.risky.insert(own.parent);
                self.before.entry(paragraph).or_default().extend(enter);
                self.after.entry(last).or_default().push(leave);
                if repeats {
                    self.restart_lists_in(block, &paragraphs);
                }
            }
            Unit::Table => {
                let Some(table) = own.table else {
                    let message = "not in a table. Put it in a cell of the table it applies to.";
                    return self.problem_at(index, "table-outside-table", message);
                };
                if let Some(found) = self.gathered.tables.iter().find(|t| t.id == table) {
                    self.risky.insert(found.parent);
                }
                self.before_table.entry(table).or_default().extend(enter);
                self.after_table.entry(table).or_default().push(leave);
                if repeats {
                    let inside = self.paragraphs_of(paragraph, extent);
                    self.restart_lists_in(block, &inside);
                }
            }
            Unit::Section => self.take_section(index, enter, leave, repeats, block),
        }
    }

    fn is_last_section(&self, index: usize) -> bool {
        self.gathered.paragraphs[self.standing[index].paragraph].section == self.gathered.sections
    }

    /// A section: from the block behind the section before to the paragraph that
    /// ends it, or to the end of the text.
    fn take_section(
        &mut self,
        index: usize,
        enter: Vec<((std::cmp::Reverse<usize>, usize), Event)>,
        leave: ((std::cmp::Reverse<usize>, usize), Event),
        repeats: bool,
        block: usize,
    ) {
        let own = &self.gathered.paragraphs[self.standing[index].paragraph];
        if !matches!(own.place, crate::template::Place::Body | crate::template::Place::Table) {
            return self.problem_at(index, "section-elsewhere", "sections can only be used in the body text. Move this there.");
        }
        let last = self.is_last_section(index);
        if last && (self.gathered.last_section.is_none() || !repeats) {
            let message =
                "the last section can't be conditional because it holds the page setup. Move the optional part to an earlier section.";
            return self.problem_at(index, "last-section", message);
        }
        let inside = self.paragraphs_of(self.standing[index].paragraph, Extent { count: 1, unit: Unit::Section });
        let Some(first) = inside.first().copied() else { return };
        // The first block is a table when its first paragraph stands in one.
        let key = enter.first().map_or((std::cmp::Reverse(0), index), |(key, _)| *key);
        let whole = (std::cmp::Reverse(usize::MAX), key.1);
        let enter = enter.into_iter().map(|(_, e)| (whole, e));
        match self.outermost_table(first) {
            Some(table) => self.before_table.entry(table).or_default().extend(enter),
            None => self.before.entry(first).or_default().extend(enter),
        }
        match inside.iter().rev().find(|p| self.gathered.paragraphs[**p].section_end) {
            _ if last => {
                self.after_text.push((whole, leave.1));
                self.last_repeats = true;
            }
            Some(end) => self.after.entry(*end).or_default().push((whole, leave.1)),
            None => {}
        }
        self.risky.insert(self.gathered.paragraphs[first].parent);
        if repeats {
            self.restart_lists_in(block, &inside);
        }
    }

    fn outermost_table(&self, paragraph: usize) -> Option<Id> {
        let mut found = self.gathered.paragraphs[paragraph].table?;
        // A table within a table: its parent is a cell of the outer, which opens before it.
        while let Some(outer) = self.table_around(found) {
            found = outer;
        }
        Some(found)
    }

    /// The table in one of whose cells a table stands.
    fn table_around(&self, table: Id) -> Option<Id> {
        use crate::template::dialect::Role;
        let mut open: Vec<Id> = Vec::new();
        for node in &self.gathered.nodes {
            match node {
                Node::Open(Role::Table, id, _) if *id == table => return open.last().copied(),
                Node::Open(Role::Table, id, _) => open.push(*id),
                Node::Close(Role::Table, _, _) => {
                    open.pop();
                }
                _ => {}
            }
        }
        None
    }

    fn keep_else(&mut self, index: usize, extent: Extent, condition: Option<Expr>, above: &mut Above) {
        let own = &self.gathered.paragraphs[self.standing[index].paragraph];
        let block = match extent.unit {
            Unit::Row => {
                let over = own.row.and_then(|row| self.reach.row(self.gathered, row)).and_then(|r| r.above);
                over.and_then(|row| above.rows.get(&row).copied())
            }
            Unit::Para => own.above.and_then(|p| above.paragraphs.get(&p).copied()),
            Unit::Table | Unit::Section => {
                let message = "`keep … else` works only for rows and paragraphs. Write the opposite condition instead.";
                return self.problem_at(index, "else-without-if", message);
            }
        };
        let Some(block) = block else {
            let message = match extent.unit {
                Unit::Row => "the row directly above has no `keep row if` and no `repeat row`; this `else` needs one",
                _ => "the paragraph directly above has no `keep para if` and no `repeat para`; this `else` needs one",
            };
            return self.problem_at(index, "else-without-if", message);
        };
        let branch = condition.map(|expr| self.site(index, Kind::KeepElseIf(extent, expr)));
        self.blocks[block].branches.push(branch);
        self.take_whole(index, extent, block, above);
    }

    /// The paragraphs that an extent holds, in reading order.
    fn paragraphs_of(&self, paragraph: usize, extent: Extent) -> Vec<usize> {
        self.reach.span(self.gathered, paragraph, extent).map_or_else(Vec::new, |span| self.reach.paragraphs_in(&span))
    }

    fn restart_lists(&mut self, block: usize, paragraphs: std::ops::RangeInclusive<usize>) {
        let inside: Vec<usize> = paragraphs.collect();
        self.restart_lists_in(block, &inside);
    }

    /// A list that lies wholly within a repeat, beside other text, begins anew in
    /// each turn; one that is all there is goes on counting.
    fn restart_lists_in(&mut self, block: usize, inside: &[usize]) {
        let paragraphs = &self.gathered.paragraphs;
        let mut lists: Vec<&str> = inside.iter().filter_map(|p| paragraphs[*p].list.as_deref()).collect();
        lists.sort_unstable();
        lists.dedup();
        let mut restart = Vec::new();
        for list in lists {
            let outside = paragraphs.iter().enumerate().any(|(i, p)| p.list.as_deref() == Some(list) && inside.binary_search(&i).is_err());
            let beside = inside.iter().any(|p| paragraphs[*p].list.as_deref() != Some(list) && !self.silent.contains(p));
            if !outside && beside {
                restart.push(list.to_owned());
            }
        }
        for list in restart {
            self.restarts.entry(list).or_insert(block);
        }
    }
}
