//! The program, written node by node.

use std::collections::HashMap;
use std::ops::Range;

use super::{Compiler, Event, Events};
use crate::language::syntax::Kind;
use crate::template::dialect::{Identity, Role};
use crate::template::gathered::{Id, Node, TextNode};
use crate::template::program::{Fixed, Op};

/// A block that is open where the program is being written.
enum Open {
    /// A branch; its guard.
    Guard(usize),
    /// The turns of a block; its step, and what parts them.
    Repeat { block: usize, step: usize, between: crate::template::program::Between },
}

/// Where the program is being written.
struct Emitter {
    open: Vec<Open>,
    /// Passages within the paragraph at hand.
    inline: Vec<Inline>,
    /// The start of the run at hand: its start tag and look, and its end tag.
    run: Option<Run>,
    /// Paragraphs that are open.
    paragraphs: Vec<usize>,
    /// Blocks that are repeating here, innermost last.
    repeating: Vec<usize>,
}

enum Inline {
    Branch(usize, usize),
    Repeat { step: usize },
}

#[derive(Clone)]
struct Run {
    /// From the start tag to the first text: what gives the run its look.
    head: Range<usize>,
    tail: Range<usize>,
}

#[derive(Debug, Clone, Copy)]
enum Cut {
    /// A placeholder begins here.
    Placeholder(usize),
    /// The rest of one that began in an earlier run.
    Rest,
    Escaped,
}

impl Emitter {
    /// Text, values and objects of a passage within a paragraph are guarded one
    /// by one: the tags of the runs between them stay. Gives the guards.
    fn guard(&self, ops: &mut Vec<Op>) -> Vec<usize> {
        let mut guards = Vec::new();
        for inline in &self.inline {
            if let Inline::Branch(block, branch) = inline {
                guards.push(ops.len());
                ops.push(Op::Guard { block: *block, branch: *branch, to: 0 });
            }
        }
        guards
    }
}

impl Compiler<'_> {
    pub(super) fn emit(&mut self) {
        if self.standing.is_empty() && self.escapes.is_empty() {
            self.ops.push(Op::Copy(0..self.gathered.bytes.len()));
            return;
        }
        for events in
            [&mut self.before, &mut self.after, &mut self.before_row, &mut self.after_row, &mut self.before_table, &mut self.after_table]
                .into_iter()
                .flat_map(HashMap::values_mut)
        {
            events.sort_by_key(|(key, _)| *key);
        }
        let gathered = self.gathered;
        let starts: HashMap<usize, usize> = gathered.paragraphs.iter().enumerate().map(|(i, p)| (p.nodes.start, i)).collect();
        let tables: HashMap<Id, Id> = gathered.tables.iter().map(|t| (t.id, t.parent)).collect();
        let rows: HashMap<Id, Id> = gathered.rows.iter().map(|r| (r.id, r.table)).collect();
        let mut emitter = Emitter { open: Vec::new(), inline: Vec::new(), run: None, paragraphs: Vec::new(), repeating: Vec::new() };
        let touched = self.touched_runs();
        let mut node = 0;
        while node < gathered.nodes.len() {
            match &gathered.nodes[node] {
                Node::Open(Role::Paragraph, _, range) => {
                    let paragraph = starts[&node];
                    self.change(&mut emitter, self.before.get(&paragraph).cloned());
                    let own = &gathered.paragraphs[paragraph];
                    if self.silent.contains(&paragraph) && !own.section_end && !own.last {
                        self.silent_paragraph(&mut emitter, paragraph);
                        self.change(&mut emitter, self.after.get(&paragraph).cloned());
                        node = own.nodes.end;
                        continue;
                    }
                    if self.is_active(paragraph) {
                        self.ops.push(Op::ParagraphStart);
                    }
                    self.copy(&emitter, range.clone());
                    emitter.paragraphs.push(paragraph);
                }
                Node::Close(Role::Paragraph, _, range) => {
                    self.copy(&emitter, range.clone());
                    if let Some(paragraph) = emitter.paragraphs.pop() {
                        let own = &gathered.paragraphs[paragraph];
                        if self.is_active(paragraph) {
                            self.ops.push(Op::ParagraphEnd { may_go: !own.section_end && !own.last });
                        } else if self.risky.contains(&own.parent) {
                            self.ops.push(Op::Kept { paragraph: true });
                        }
                        self.change(&mut emitter, self.after.get(&paragraph).cloned());
                    }
                }
                Node::Open(role, id, range) => {
                    match role {
                        Role::Row => self.change(&mut emitter, self.before_row.get(id).cloned()),
                        Role::Table => {
                            self.change(&mut emitter, self.before_table.get(id).cloned());
                            if self.thinned.contains(id) {
                                self.ops.push(Op::TableStart);
                            }
                        }
                        Role::Run if touched.contains(&node) => {
                            self.ops.push(Op::RunStart);
                            emitter.run = self.run_from(node);
                        }
                        Role::SectionEnd => {
                            let events = std::mem::take(&mut self.after_text);
                            self.change(&mut emitter, Some(events));
                        }
                        _ => {}
                    }
                    self.copy(&emitter, range.clone());
                    if self.risky.contains(id) {
                        self.ops.push(Op::ContainerStart);
                    }
                }
                Node::Close(role, id, range) => {
                    if self.risky.contains(id) {
                        self.ops.push(Op::ContainerEnd);
                    }
                    self.copy(&emitter, range.clone());
                    match role {
                        Role::Row => {
                            if rows.get(id).is_some_and(|t| self.thinned.contains(t)) {
                                self.ops.push(Op::RowKept);
                            }
                            self.change(&mut emitter, self.after_row.get(id).cloned());
                        }
                        Role::Table => {
                            if self.thinned.contains(id) {
                                self.ops.push(Op::TableEnd);
                            }
                            if tables.get(id).is_some_and(|parent| self.risky.contains(parent)) {
                                self.ops.push(Op::Kept { paragraph: false });
                            }
                            self.change(&mut emitter, self.after_table.get(id).cloned());
                        }
                        Role::Run if emitter.run.is_some() => {
                            self.ops.push(Op::RunEnd);
                            emitter.run = None;
                        }
                        _ => {}
                    }
                }
                Node::Markup(range) => self.copy(&emitter, range.clone()),
                Node::ObjectOpen(range) => {
                    if emitter.paragraphs.last().is_some_and(|p| self.is_active(*p)) {
                        let guards = emitter.guard(&mut self.ops);
                        if let Some((end, op)) = self.replaced(&emitter, node) {
                            self.ops.push(op);
                            self.close(&guards);
                            node = end + 1;
                            continue;
                        }
                        self.ops.push(Op::Object);
                        emitter.open.extend(guards.into_iter().map(Open::Guard));
                    }
                    self.copy(&emitter, range.clone());
                }
                Node::ObjectClose(range) => {
                    self.copy(&emitter, range.clone());
                    if emitter.paragraphs.last().is_some_and(|p| self.is_active(*p)) {
                        let branches = emitter.inline.iter().filter(|i| matches!(i, Inline::Branch(..))).count();
                        for _ in 0..branches {
                            if let Some(Open::Guard(guard)) = emitter.open.pop() {
                                self.close(&[guard]);
                            }
                        }
                    }
                }
                Node::Text(text) => match emitter.paragraphs.last().copied() {
                    Some(paragraph) if self.is_active(paragraph) => self.text(&mut emitter, paragraph, node, text),
                    _ => self.copy(&emitter, text.whole.clone()),
                },
            }
            node += 1;
        }
    }

    /// What a paragraph does that prints nothing: it sets names.
    fn silent_paragraph(&mut self, emitter: &mut Emitter, paragraph: usize) {
        let standing: Vec<(usize, Kind)> = self.standing_in(paragraph).filter_map(|(i, s)| s.kind.clone().map(|k| (i, k))).collect();
        for (index, kind) in standing {
            if matches!(kind, Kind::Set(_)) {
                let guards = emitter.guard(&mut self.ops);
                let site = self.site(index, kind);
                self.ops.push(Op::Set(site));
                self.close(&guards);
            }
        }
    }

    /// The drawing that takes the place of an object of the template, and the
    /// node where that ends.
    fn replaced(&mut self, emitter: &Emitter, node: usize) -> Option<(usize, Op)> {
        let paragraph = *emitter.paragraphs.last()?;
        let (index, kind) =
            self.standing_in(paragraph).find(|(_, s)| s.object == Some(node)).and_then(|(i, s)| s.kind.clone().map(|k| (i, k)))?;
        let nodes = &self.gathered.nodes;
        let end = (node..nodes.len()).find(|n| matches!(nodes[*n], Node::ObjectClose(_)))?;
        let (Node::ObjectOpen(first), Node::ObjectClose(last)) = (&nodes[node], &nodes[end]) else { return None };
        let whole = first.start..last.end;
        let site = self.site(index, kind);
        Some((end, Op::Draw(site, Some(whole))))
    }

    /// Whether a paragraph needs the program's eye while it is filled.
    fn is_active(&self, paragraph: usize) -> bool {
        self.escapes.contains_key(&paragraph) || self.of_paragraph.contains_key(&paragraph)
    }

    /// Copies bytes; within a repeat, what can't be repeated as it is is written
    /// anew in each turn.
    fn copy(&mut self, emitter: &Emitter, range: Range<usize>) {
        let gathered = self.gathered;
        let mut at = range.start;
        for merge in gathered.merges.iter().filter(|m| range.contains(&m.range.start)) {
            let Some(table) = self.reach.row(gathered, merge.row).map(|r| r.table) else { continue };
            if !self.thinned.contains(&table) {
                continue;
            }
            self.copy_plain(at..merge.range.start);
            let goes_on = merge.starts && self.repeated_rows.get(&merge.row).is_some_and(|last| self.goes_on_below(*last, merge.column));
            self.ops.push(Op::Merge { column: merge.column, starts: merge.starts, goes_on });
            at = merge.range.end.min(range.end).max(at);
        }
        // The end of a repeated last section is that of its last turn.
        let last_repeats = self.last_repeats;
        let of_last = |at: usize| gathered.last_section.as_ref().is_some_and(|last| last_repeats && last.contains(&at));
        if emitter.repeating.is_empty() && !of_last(range.start) && !of_last(range.end.saturating_sub(1)) {
            return self.copy_plain(at..range.end);
        }
        let first = gathered.ids.partition_point(|site| site.range.start < at);
        for site in gathered.ids[first..].iter().take_while(|site| site.range.end <= range.end) {
            let op = match site.identity {
                Identity::List => {
                    let list = std::str::from_utf8(&gathered.bytes[site.range.clone()]).unwrap_or_default();
                    match self.restarts.get(list) {
                        Some(block) if emitter.repeating.contains(block) => Op::List(site.range.clone(), *block),
                        _ => continue,
                    }
                }
                identity if emitter.repeating.is_empty() && identity != Identity::Beside => continue,
                identity => Op::Identity(identity, site.range.clone()),
            };
            self.copy_plain(at..site.range.start);
            self.ops.push(op);
            at = site.range.end;
        }
        self.copy_plain(at..range.end);
    }

    /// Whether joined cells of a column go on below a row.
    fn goes_on_below(&self, row: Id, column: usize) -> bool {
        let below = self.reach.below(row);
        self.gathered.merges.iter().any(|m| Some(m.row) == below && m.column == column && !m.starts)
    }

    fn copy_plain(&mut self, range: Range<usize>) {
        if range.is_empty() {
            return;
        }
        if self.ops.len() > self.sealed
            && let Some(Op::Copy(before)) = self.ops.last_mut()
            && before.end == range.start
        {
            before.end = range.end;
            return;
        }
        self.ops.push(Op::Copy(range));
    }

    // Blocks.

    fn change(&mut self, emitter: &mut Emitter, events: Option<Events>) {
        for (_, event) in events.unwrap_or_default() {
            match event {
                Event::Choose(block) => self.ops.push(Op::Choose(block)),
                Event::Enter(block, branch) => {
                    emitter.open.push(Open::Guard(self.ops.len()));
                    self.ops.push(Op::Guard { block, branch, to: 0 });
                }
                Event::Repeat(block, between) => {
                    let step = self.ops.len();
                    self.ops.push(Op::Repeat { block, to: 0 });
                    self.sealed = self.ops.len();
                    emitter.open.push(Open::Repeat { block, step, between });
                    emitter.repeating.push(block);
                }
                Event::Leave => match emitter.open.pop() {
                    Some(Open::Guard(guard)) => self.close(&[guard]),
                    Some(Open::Repeat { block, step, between }) => {
                        emitter.repeating.retain(|b| *b != block);
                        self.ops.push(Op::Again { body: step + 1, between });
                        self.end_repeat(step);
                    }
                    None => {}
                },
            }
        }
    }

    /// Ends what guards guard; bytes copied from here on are not part of it.
    fn close(&mut self, guards: &[usize]) {
        for guard in guards {
            self.sealed = self.ops.len();
            if let Some(Op::Guard { to, .. }) = self.ops.get_mut(*guard) {
                *to = self.sealed;
            }
        }
    }

    fn end_repeat(&mut self, step: usize) {
        self.sealed = self.ops.len();
        if let Some(Op::Repeat { to, .. }) = self.ops.get_mut(step) {
            *to = self.sealed;
        }
    }

    // Text.

    /// The nodes that open runs in whose text a placeholder stands.
    fn touched_runs(&self) -> std::collections::HashSet<usize> {
        let mut touched = std::collections::HashSet::new();
        for (paragraph, own) in self.gathered.paragraphs.iter().enumerate() {
            if !self.is_active(paragraph) {
                continue;
            }
            for (node, _) in &own.pieces {
                let Node::Text(text) = &self.gathered.nodes[*node] else { continue };
                if self.cuts(paragraph, *node, text).is_empty() {
                    continue;
                }
                let open = (0..*node).rev().find(|n| matches!(&self.gathered.nodes[*n], Node::Open(Role::Run, _, _)));
                touched.extend(open);
            }
        }
        touched
    }

    /// What opens and closes the run of a node.
    fn run_from(&self, open: usize) -> Option<Run> {
        let nodes = &self.gathered.nodes;
        let Node::Open(Role::Run, id, start) = &nodes[open] else { return None };
        let end = nodes[open..].iter().find_map(|n| match n {
            Node::Close(Role::Run, own, range) if own == id => Some(range.clone()),
            _ => None,
        })?;
        let head_end = nodes[open + 1..]
            .iter()
            .map(|n| match n {
                Node::Text(text) => text.whole.start,
                Node::ObjectOpen(range) | Node::Close(_, _, range) => range.start,
                _ => usize::MAX,
            })
            .find(|at| *at != usize::MAX)?;
        Some(Run { head: start.start..head_end, tail: end })
    }

    /// The stretches of a text node's text that belong to placeholders: the
    /// placeholder and whether it begins here.
    fn cuts(&self, paragraph: usize, node: usize, text: &TextNode) -> Vec<(Range<usize>, Cut)> {
        let own = &self.gathered.paragraphs[paragraph];
        let Some((_, start)) = own.pieces.iter().find(|(n, _)| *n == node) else { return Vec::new() };
        let (start, end) = (*start, *start + text.text.len());
        let overlap = |range: &Range<usize>| {
            let piece = range.start.max(start)..range.end.min(end);
            (piece.start < piece.end).then(|| piece.start - start..piece.end - start)
        };
        let mut cuts: Vec<(Range<usize>, Cut)> = Vec::new();
        for (index, standing) in self.standing_in(paragraph) {
            if let Some(piece) = overlap(&standing.range) {
                cuts.push((piece, if standing.range.start >= start { Cut::Placeholder(index) } else { Cut::Rest }));
            }
        }
        for range in self.escapes.get(&paragraph).into_iter().flatten() {
            if let Some(piece) = overlap(range) {
                cuts.push((piece, if range.start >= start { Cut::Escaped } else { Cut::Rest }));
            }
        }
        cuts.sort_by_key(|(range, _)| range.start);
        cuts
    }

    fn text(&mut self, emitter: &mut Emitter, paragraph: usize, node: usize, text: &TextNode) {
        let cuts = self.cuts(paragraph, node, text);
        if cuts.is_empty() {
            self.copy_plain(text.whole.start..text.content.start);
            self.literal(emitter, text, 0..text.text.len());
            self.copy_plain(text.content.end..text.whole.end);
            return;
        }
        self.fixed(Fixed::TextOpen);
        let mut at = 0;
        for (range, cut) in cuts {
            self.literal(emitter, text, at..range.start);
            at = range.end;
            match cut {
                Cut::Rest => {}
                Cut::Escaped => {
                    let guards = emitter.guard(&mut self.ops);
                    self.ops.push(Op::Escaped);
                    self.close(&guards);
                }
                Cut::Placeholder(index) => self.placeholder(emitter, index),
            }
        }
        self.literal(emitter, text, at..text.text.len());
        self.fixed(Fixed::TextClose);
    }

    fn fixed(&mut self, fixed: Fixed) {
        if self.gathered.writes.xml {
            self.ops.push(Op::Fixed(fixed));
        }
    }

    fn placeholder(&mut self, emitter: &mut Emitter, index: usize) {
        let Some(kind) = self.standing[index].kind.clone() else { return };
        let is_end = matches!(kind, Kind::End(_));
        let op = match &kind {
            Kind::Print(_) | Kind::Clause(..) => Some(Op::Print as fn(usize) -> Op),
            Kind::Set(_) => Some(Op::Set as fn(usize) -> Op),
            Kind::Picture(..) | Kind::Barcode(_) | Kind::Signer(_) => Some((|site| Op::Draw(site, None)) as fn(usize) -> Op),
            Kind::PageBreak => Some((|_| Op::PageBreak) as fn(usize) -> Op),
            _ => None,
        };
        if let Some(op) = op {
            let guards = emitter.guard(&mut self.ops);
            let site = self.site(index, kind);
            self.ops.push(op(site));
            self.close(&guards);
            return;
        }
        for event in self.inline.get(&index).cloned().unwrap_or_default() {
            match event {
                Event::Choose(block) => {
                    let guards = emitter.guard(&mut self.ops);
                    self.ops.push(Op::Choose(block));
                    self.close(&guards);
                    self.ops.push(Op::PassageEdge);
                }
                Event::Enter(block, branch) => emitter.inline.push(Inline::Branch(block, branch)),
                Event::Repeat(block, _) => {
                    self.ops.push(Op::PassageEdge);
                    self.leave_run(emitter);
                    let step = self.begin_inline_repeat(emitter, block);
                    emitter.inline.push(Inline::Repeat { step });
                    emitter.repeating.push(block);
                    self.enter_run(emitter);
                }
                Event::Leave => {
                    if let Some(Inline::Repeat { step }) = emitter.inline.pop() {
                        emitter.repeating.pop();
                        self.leave_run(emitter);
                        // Each turn ends and begins with what prints nothing.
                        self.ops.push(Op::PassageEdge);
                        self.ops.push(Op::Again { body: step + 1, between: crate::template::program::Between::Nothing });
                        self.end_inline_repeat(emitter, step);
                        self.enter_run(emitter);
                    }
                }
            }
        }
        if is_end && self.inline.contains_key(&index) {
            self.ops.push(Op::PassageEdge);
        }
    }

    /// A repeat within branches that are not taken has no turns: the guards
    /// around it end where it does.
    fn begin_inline_repeat(&mut self, emitter: &mut Emitter, block: usize) -> usize {
        let guards = emitter.guard(&mut self.ops);
        emitter.open.extend(guards.into_iter().map(Open::Guard));
        let step = self.ops.len();
        self.ops.push(Op::Repeat { block, to: 0 });
        self.sealed = self.ops.len();
        step
    }

    fn end_inline_repeat(&mut self, emitter: &mut Emitter, step: usize) {
        self.end_repeat(step);
        let branches = emitter.inline.iter().filter(|i| matches!(i, Inline::Branch(..))).count();
        for _ in 0..branches {
            if let Some(Open::Guard(guard)) = emitter.open.pop() {
                self.close(&[guard]);
            }
        }
    }

    /// Ends the run at hand, so that what repeats begins with a run of its own.
    fn leave_run(&mut self, emitter: &Emitter) {
        let Some(run) = &emitter.run else { return };
        self.fixed(Fixed::TextClose);
        self.copy_plain(run.tail.clone());
        self.ops.push(Op::RunEnd);
        self.sealed = self.ops.len();
    }

    /// Begins the run at hand anew.
    fn enter_run(&mut self, emitter: &Emitter) {
        let Some(run) = emitter.run.clone() else { return };
        self.ops.push(Op::RunStart);
        self.copy_plain(run.head);
        self.fixed(Fixed::TextOpen);
    }

    fn literal(&mut self, emitter: &Emitter, text: &TextNode, range: Range<usize>) {
        let piece = &text.text[range.clone()];
        let (Some(first), Some(last)) = (piece.chars().next(), piece.chars().next_back()) else { return };
        let spaces = piece.chars().all(char::is_whitespace);
        let guards = emitter.guard(&mut self.ops);
        self.ops.push(Op::Literal { raw: text.raw(range), first, last, spaces });
        self.close(&guards);
    }
}
