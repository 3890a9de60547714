//! Gathered nodes → a flat program, its placeholders and its problems.

use std::collections::{HashMap, HashSet};
use std::ops::Range;
use std::sync::Arc;

use super::dialect::Role;
use super::gather::{Gathered, Id, Node, TextNode, Writes};
use super::scan::{Found, scan};
use super::{Placeholder, Problem};
use crate::language::syntax::{Expr, Kind, Scope};
use crate::language::{self, Span, SyntaxError};

/// A part, compiled.
#[derive(Debug)]
pub struct Compiled {
    /// What filling runs.
    pub program: Program,
    /// The placeholders in reading order.
    pub placeholders: Vec<Placeholder>,
    /// What must be put right first.
    pub problems: Vec<Problem>,
}

/// The flat program of a part.
#[derive(Debug)]
pub struct Program {
    pub(super) bytes: Arc<[u8]>,
    pub(super) ops: Vec<Op>,
    pub(super) sites: Vec<Site>,
    pub(super) blocks: Vec<Block>,
    pub(super) writes: Writes,
}

/// One step of filling.
#[derive(Debug, Clone)]
pub(super) enum Op {
    /// Copies bytes that print nothing by themselves.
    Copy(Range<usize>),
    /// Writes one of the fixed stretches.
    Fixed(Fixed),
    /// Copies bytes that print text.
    Literal {
        raw: Range<usize>,
        first: char,
        last: char,
        spaces: bool,
    },
    /// Writes `[:`.
    Escaped,
    /// Prints the value of a site.
    Print(usize),
    /// Something visible follows that is not text.
    Object,
    /// Chooses a branch of a block.
    Choose(usize),
    /// Goes on only in the chosen branch, else behind `to`.
    Guard {
        block: usize,
        branch: usize,
        to: usize,
    },
    /// Notes how much is printed when a passage within a paragraph begins.
    PassageStart,
    /// A passage that printed nothing leaves a gap to close.
    PassageEnd,
    ParagraphStart,
    /// Ends a paragraph; one that printed nothing goes if it may.
    ParagraphEnd {
        may_go: bool,
    },
    RunStart,
    RunEnd,
    TableStart,
    RowKept,
    /// Ends a table; one without rows goes.
    TableEnd,
    ContainerStart,
    /// A paragraph (or else a table) was kept in the container at hand.
    Kept {
        paragraph: bool,
    },
    /// A container must end with a paragraph.
    ContainerEnd,
}

#[derive(Debug, Clone, Copy)]
pub(super) enum Fixed {
    TextOpen,
    TextClose,
}

/// An expression and the placeholder that holds it.
#[derive(Debug)]
pub(super) struct Site {
    pub expr: Expr,
    pub placeholder: Placeholder,
}

/// The branches of an `if` or `keep`: the site of each condition; `None`: else.
#[derive(Debug, Default)]
pub(super) struct Block {
    pub branches: Vec<Option<usize>>,
}

impl Program {
    /// Whether filling changes nothing.
    pub fn is_static(&self) -> bool {
        matches!(self.ops.as_slice(), [] | [Op::Copy(_)])
    }

    /// The bytes that it was compiled from.
    pub fn source(&self) -> &Arc<[u8]> {
        &self.bytes
    }
}

/// Compiles a gathered part.
pub fn compile(gathered: Gathered) -> Compiled {
    let mut compiler = Compiler::new(&gathered);
    compiler.read();
    compiler.match_blocks();
    compiler.emit();
    let Compiler { ops, sites, blocks, placeholders, problems, .. } = compiler;
    let program = Program { bytes: gathered.bytes, ops, sites, blocks, writes: gathered.writes };
    Compiled { program, placeholders, problems }
}

/// A placeholder where it stands.
struct Standing {
    paragraph: usize,
    /// In the paragraph's joined text.
    range: Range<usize>,
    kind: Option<Kind>,
    /// Its text inside the brackets, for problems.
    text: String,
    /// Opens a passage even though it can't be read, so that its `end` is not
    /// a problem too.
    opens: bool,
}

/// A change of branch, in the order of the placeholders that ask for it.
#[derive(Debug, Clone, Copy)]
enum Event {
    Choose(usize),
    Enter(usize, usize),
    Leave,
}

/// Events by the placeholder that asks for them.
type Events = Vec<(usize, Event)>;

struct Compiler<'g> {
    gathered: &'g Gathered,
    /// All placeholders that could be read, in reading order.
    standing: Vec<Standing>,
    /// `[[:` in each paragraph.
    escapes: HashMap<usize, Vec<Range<usize>>>,
    /// Paragraphs that hold nothing but kinds that print nothing.
    silent: HashSet<usize>,
    /// What happens before, after and instead of a paragraph, before and after
    /// a row, and at a placeholder.
    before: HashMap<usize, Events>,
    after: HashMap<usize, Events>,
    before_row: HashMap<Id, Events>,
    after_row: HashMap<Id, Events>,
    inline: HashMap<usize, Events>,
    /// Containers and tables from which paragraphs or rows may go.
    risky: HashSet<Id>,
    thinned: HashSet<Id>,
    ops: Vec<Op>,
    /// How many steps lie behind the last guard's end.
    sealed: usize,
    sites: Vec<Site>,
    blocks: Vec<Block>,
    placeholders: Vec<Placeholder>,
    problems: Vec<Problem>,
}

/// An `if` whose `end` is still to come.
struct Frame {
    block: usize,
    /// Placeholder of each branch's start.
    markers: Vec<usize>,
}

impl<'g> Compiler<'g> {
    fn new(gathered: &'g Gathered) -> Compiler<'g> {
        Compiler {
            gathered,
            standing: Vec::new(),
            escapes: HashMap::new(),
            silent: HashSet::new(),
            before: HashMap::new(),
            after: HashMap::new(),
            before_row: HashMap::new(),
            after_row: HashMap::new(),
            inline: HashMap::new(),
            risky: HashSet::new(),
            thinned: HashSet::new(),
            ops: Vec::new(),
            sealed: 0,
            sites: Vec::new(),
            blocks: Vec::new(),
            placeholders: Vec::new(),
            problems: Vec::new(),
        }
    }

    fn problem(&mut self, paragraph: usize, placeholder: String, span: Span, code: &'static str, message: String) {
        let paragraph = &self.gathered.paragraphs[paragraph];
        self.problems.push(Problem { code, message, place: paragraph.place, line: shown(&paragraph.text), placeholder, span });
    }

    fn problem_at(&mut self, index: usize, code: &'static str, message: &str) {
        let (paragraph, text) = (self.standing[index].paragraph, self.standing[index].text.clone());
        let span = Span { start: 0, end: text.len() };
        self.problem(paragraph, format!("[:{text}]"), span, code, message.to_owned());
    }

    // Reading the placeholders of all paragraphs.

    fn read(&mut self) {
        for index in 0..self.gathered.paragraphs.len() {
            let text = &self.gathered.paragraphs[index].text;
            for found in scan(text) {
                match found {
                    Found::Escaped(range) => self.escapes.entry(index).or_default().push(range),
                    Found::Unclosed(range) => {
                        let piece = text[range.clone()].trim_end().to_owned();
                        let span = Span { start: 0, end: piece.len().saturating_sub(2) };
                        let message = format!("“{}” is never closed; put “]” where the placeholder ends", shown(&piece));
                        self.problem(index, piece, span, "never-closed", message);
                    }
                    Found::Placeholder(range) => self.read_one(index, range),
                }
            }
        }
        for paragraph in 0..self.gathered.paragraphs.len() {
            if self.is_silent(paragraph) {
                self.silent.insert(paragraph);
            }
        }
    }

    fn read_one(&mut self, paragraph: usize, range: Range<usize>) {
        let own = &self.gathered.paragraphs[paragraph];
        let text = own.text[range.start + 2..range.end - 1].to_owned();
        let opens = text.starts_with("repeat");
        let kind = match language::kind(&text) {
            Ok(kind) => Some(kind),
            Err(SyntaxError { span, fault }) => {
                let message = fault.to_string();
                self.problem(paragraph, format!("[:{text}]"), span, fault.code(), message);
                None
            }
        };
        let mut names: Vec<String> = Vec::new();
        if let Some(expr) = kind.as_ref().and_then(Kind::expr) {
            expr.names(&mut |name, _| {
                if !names.contains(&name.text) {
                    names.push(name.text.clone());
                }
            });
        }
        self.placeholders.push(Placeholder { text: format!("[:{text}]"), place: own.place, line: shown(&own.text), names });
        self.standing.push(Standing { paragraph, range, kind, text, opens });
    }

    /// Whether a paragraph holds kinds that print nothing, and nothing else.
    fn is_silent(&self, paragraph: usize) -> bool {
        let own = &self.gathered.paragraphs[paragraph];
        let mut at = 0;
        let mut any = false;
        for standing in self.standing.iter().filter(|s| s.paragraph == paragraph) {
            if !own.text[at..standing.range.start].trim().is_empty() || matches!(standing.kind, Some(Kind::Print(_)) | None) {
                return false;
            }
            at = standing.range.end;
            any = true;
        }
        any && own.text[at..].trim().is_empty() && own.objects.is_empty()
    }

    // Matching if with end, and keep with what it keeps.

    fn site(&mut self, expr: Expr, standing: usize) -> usize {
        self.sites.push(Site { expr, placeholder: self.placeholders[standing].clone() });
        self.sites.len() - 1
    }

    fn match_blocks(&mut self) {
        let mut frames: Vec<Option<Frame>> = Vec::new();
        let mut row_blocks: HashMap<Id, usize> = HashMap::new();
        let mut para_blocks: HashMap<usize, usize> = HashMap::new();
        for index in 0..self.standing.len() {
            if self.standing[index].opens {
                frames.push(None);
                continue;
            }
            let Some(kind) = self.standing[index].kind.clone() else { continue };
            match kind {
                Kind::Print(_) | Kind::Remark => {}
                Kind::If(expr) => {
                    let site = self.site(expr, index);
                    self.blocks.push(Block { branches: vec![Some(site)] });
                    frames.push(Some(Frame { block: self.blocks.len() - 1, markers: vec![index] }));
                }
                Kind::ElseIf(_) | Kind::Else => match frames.last_mut() {
                    None => self.problem_at(index, "else-without-if", "there is no `if` before this `else`; put one in, or take this out"),
                    Some(None) => {}
                    Some(Some(frame)) => {
                        let closed = self.blocks[frame.block].branches.last() == Some(&None);
                        frame.markers.push(index);
                        let block = frame.block;
                        let branch = match kind {
                            Kind::ElseIf(expr) => Some(self.site(expr, index)),
                            _ => None,
                        };
                        self.blocks[block].branches.push(branch);
                        if closed {
                            self.problem_at(index, "else-after-else", "the passage has its last `else` already; take one out");
                        }
                    }
                },
                Kind::End => match frames.pop() {
                    None => self.problem_at(
                        index,
                        "end-without-start",
                        "there is one `end` too many; take it out, or put the `if` in that it should end",
                    ),
                    Some(None) => {}
                    Some(Some(mut frame)) => {
                        frame.markers.push(index);
                        self.place_passage(&frame);
                    }
                },
                Kind::Keep(scope, expr) => {
                    let site = self.site(expr, index);
                    self.blocks.push(Block { branches: vec![Some(site)] });
                    self.keep(index, scope, self.blocks.len() - 1, &mut row_blocks, &mut para_blocks);
                }
                Kind::KeepElse(scope) => self.keep_else(index, scope, None, &mut row_blocks, &mut para_blocks),
                Kind::KeepElseIf(scope, expr) => self.keep_else(index, scope, Some(expr), &mut row_blocks, &mut para_blocks),
            }
        }
        for frame in frames.into_iter().flatten() {
            self.problem_at(frame.markers[0], "never-ended", "this passage is never ended; put `[:end]` where it ends");
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
        for (branch, marker) in frame.markers.iter().enumerate() {
            let events: Vec<Event> = match branch {
                0 => vec![Event::Choose(frame.block), Event::Enter(frame.block, 0)],
                b if b == last => vec![Event::Leave],
                b => vec![Event::Leave, Event::Enter(frame.block, b)],
            };
            let events = events.into_iter().map(|e| (*marker, e));
            if one {
                self.inline.entry(*marker).or_default().extend(events);
                continue;
            }
            let paragraph = paragraph_of(self, *marker);
            if self.gathered.paragraphs[paragraph].parent != parent {
                self.problem_at(
                    *marker,
                    "passage-crosses",
                    "this passage begins in one cell, header or box and ends in another; keep it in one",
                );
                return;
            }
            self.risky.insert(parent);
            let (starts, ends) = self.edges(*marker);
            if starts && branch != last {
                self.before.entry(paragraph).or_default().extend(events);
            } else if ends && branch != 0 {
                self.after.entry(paragraph).or_default().extend(events);
            } else {
                let hint = match branch {
                    0 => "a passage over several paragraphs begins at the start of a paragraph",
                    _ => "a passage over several paragraphs ends at the end of a paragraph",
                };
                self.problem_at(*marker, "passage-misplaced", &format!("{hint}; move this there or into a paragraph of its own"));
                return;
            }
        }
    }

    /// Whether nothing is printed before a placeholder in its paragraph, and
    /// whether nothing is printed after it.
    fn edges(&self, index: usize) -> (bool, bool) {
        let standing = &self.standing[index];
        if self.silent.contains(&standing.paragraph) {
            return (true, true);
        }
        let own = &self.gathered.paragraphs[standing.paragraph];
        let mut rest = own.text.clone();
        for other in self.standing.iter().rev().filter(|s| s.paragraph == standing.paragraph) {
            let silent = !matches!(other.kind, Some(Kind::Print(_)));
            rest.replace_range(other.range.clone(), &if silent { " " } else { "x" }.repeat(other.range.len()));
        }
        let before = rest[..standing.range.start].trim().is_empty() && !own.objects.iter().any(|(_, at)| *at <= standing.range.start);
        let after = rest[standing.range.end..].trim().is_empty() && !own.objects.iter().any(|(_, at)| *at >= standing.range.end);
        (before, after)
    }

    fn keep(&mut self, index: usize, scope: Scope, block: usize, rows: &mut HashMap<Id, usize>, paras: &mut HashMap<usize, usize>) {
        let branch = self.blocks[block].branches.len() - 1;
        let paragraph = self.standing[index].paragraph;
        let own = &self.gathered.paragraphs[paragraph];
        let mut enter = vec![(index, Event::Enter(block, branch))];
        if branch == 0 {
            enter.insert(0, (index, Event::Choose(block)));
        }
        match scope {
            Scope::Row => {
                let Some(row) = own.row else {
                    self.problem_at(index, "row-outside-table", "`keep row` stands outside a table; put it into a cell of the row");
                    return;
                };
                rows.insert(row, block);
                if let Some(found) = self.gathered.rows.iter().find(|r| r.id == row) {
                    self.thinned.insert(found.table);
                }
                self.before_row.entry(row).or_default().extend(enter);
                self.after_row.entry(row).or_default().push((index, Event::Leave));
            }
            Scope::Para => {
                paras.insert(paragraph, block);
                self.risky.insert(own.parent);
                self.before.entry(paragraph).or_default().extend(enter);
                self.after.entry(paragraph).or_default().push((index, Event::Leave));
            }
        }
    }

    fn keep_else(
        &mut self,
        index: usize,
        scope: Scope,
        condition: Option<Expr>,
        rows: &mut HashMap<Id, usize>,
        paras: &mut HashMap<usize, usize>,
    ) {
        let own = &self.gathered.paragraphs[self.standing[index].paragraph];
        let block = match scope {
            Scope::Row => {
                let above = own.row.and_then(|row| self.gathered.rows.iter().find(|r| r.id == row)).and_then(|r| r.above);
                above.and_then(|row| rows.get(&row).copied())
            }
            Scope::Para => own.above.and_then(|p| paras.get(&p).copied()),
        };
        let Some(block) = block else {
            let message = match scope {
                Scope::Row => "the row directly above has no `keep row if`; this `else` needs one",
                Scope::Para => "the paragraph directly above has no `keep para if`; this `else` needs one",
            };
            self.problem_at(index, "else-without-if", message);
            return;
        };
        let branch = condition.map(|expr| self.site(expr, index));
        self.blocks[block].branches.push(branch);
        self.keep(index, scope, block, rows, paras);
    }

    // Writing the program.

    fn emit(&mut self) {
        if self.standing.is_empty() && self.escapes.is_empty() {
            self.ops.push(Op::Copy(0..self.gathered.bytes.len()));
            return;
        }
        for events in [&mut self.before, &mut self.after].into_iter().flat_map(HashMap::values_mut) {
            events.sort_by_key(|(marker, _)| *marker);
        }
        let starts: HashMap<usize, usize> = self.gathered.paragraphs.iter().enumerate().map(|(i, p)| (p.nodes.start, i)).collect();
        let mut emitter = Emitter { guards: Vec::new(), inline: Vec::new() };
        let mut open: Vec<usize> = Vec::new();
        let mut node = 0;
        let parents: HashMap<Id, Id> = self.gathered.tables.iter().copied().collect();
        while node < self.gathered.nodes.len() {
            match &self.gathered.nodes[node] {
                Node::Open(Role::Paragraph, _, range) => {
                    let paragraph = starts[&node];
                    self.blocks_change(&mut emitter, self.before.get(&paragraph).cloned());
                    let own = &self.gathered.paragraphs[paragraph];
                    if self.silent.contains(&paragraph) && !own.section_end && !own.last {
                        self.blocks_change(&mut emitter, self.after.get(&paragraph).cloned());
                        node = own.nodes.end;
                        continue;
                    }
                    if self.is_active(paragraph) {
                        self.ops.push(Op::ParagraphStart);
                    }
                    self.copy(range.clone());
                    open.push(paragraph);
                }
                Node::Close(Role::Paragraph, _, range) => {
                    self.copy(range.clone());
                    if let Some(paragraph) = open.pop() {
                        let own = &self.gathered.paragraphs[paragraph];
                        if self.is_active(paragraph) {
                            self.ops.push(Op::ParagraphEnd { may_go: !own.section_end && !own.last });
                        } else if self.risky.contains(&own.parent) {
                            self.ops.push(Op::Kept { paragraph: true });
                        }
                        self.blocks_change(&mut emitter, self.after.get(&paragraph).cloned());
                    }
                }
                Node::Open(role, id, range) => {
                    match role {
                        Role::Row => self.blocks_change(&mut emitter, self.before_row.get(id).cloned()),
                        Role::Table if self.thinned.contains(id) => self.ops.push(Op::TableStart),
                        Role::Run if self.run_is_touched(node, *id) => self.ops.push(Op::RunStart),
                        _ => {}
                    }
                    self.copy(range.clone());
                    if self.risky.contains(id) {
                        self.ops.push(Op::ContainerStart);
                    }
                }
                Node::Close(role, id, range) => {
                    if self.risky.contains(id) {
                        self.ops.push(Op::ContainerEnd);
                    }
                    self.copy(range.clone());
                    match role {
                        Role::Row => {
                            let table = self.gathered.rows.iter().find(|r| r.id == *id).map(|r| r.table);
                            if table.is_some_and(|t| self.thinned.contains(&t)) {
                                self.ops.push(Op::RowKept);
                            }
                            self.blocks_change(&mut emitter, self.after_row.get(id).cloned());
                        }
                        Role::Table => {
                            if self.thinned.contains(id) {
                                self.ops.push(Op::TableEnd);
                            }
                            if parents.get(id).is_some_and(|parent| self.risky.contains(parent)) {
                                self.ops.push(Op::Kept { paragraph: false });
                            }
                        }
                        Role::Run if self.run_was_touched(node, *id) => self.ops.push(Op::RunEnd),
                        _ => {}
                    }
                }
                Node::Markup(range) => self.copy(range.clone()),
                Node::ObjectOpen(range) => {
                    if open.last().is_some_and(|p| self.is_active(*p)) {
                        emitter.guard_inline(&mut self.ops);
                        self.ops.push(Op::Object);
                    }
                    self.copy(range.clone());
                }
                Node::ObjectClose(range) => {
                    self.copy(range.clone());
                    if open.last().is_some_and(|p| self.is_active(*p)) {
                        self.close_inline(&mut emitter);
                    }
                }
                Node::Text(text) => match open.last() {
                    Some(paragraph) if self.is_active(*paragraph) => self.emit_text(&mut emitter, *paragraph, node, text),
                    _ => self.copy(text.whole.clone()),
                },
            }
            node += 1;
        }
    }

    /// Whether a paragraph needs the program's eye while it is filled.
    fn is_active(&self, paragraph: usize) -> bool {
        self.escapes.contains_key(&paragraph) || self.standing.iter().any(|s| s.paragraph == paragraph)
    }

    fn copy(&mut self, range: Range<usize>) {
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

    fn blocks_change(&mut self, emitter: &mut Emitter, events: Option<Events>) {
        for (_, event) in events.unwrap_or_default() {
            match event {
                Event::Choose(block) => self.ops.push(Op::Choose(block)),
                Event::Enter(block, branch) => {
                    emitter.guards.push(self.ops.len());
                    self.ops.push(Op::Guard { block, branch, to: 0 });
                }
                Event::Leave => {
                    if let Some(at) = emitter.guards.pop() {
                        self.close(at);
                    }
                }
            }
        }
    }

    /// Ends what a guard guards; bytes copied from here on are not part of it.
    fn close(&mut self, guard: usize) {
        self.sealed = self.ops.len();
        if let Some(Op::Guard { to, .. }) = self.ops.get_mut(guard) {
            *to = self.sealed;
        }
    }

    fn close_inline(&mut self, emitter: &mut Emitter) {
        for _ in 0..emitter.inline.len() {
            if let Some(at) = emitter.guards.pop() {
                self.close(at);
            }
        }
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
        for (index, standing) in self.standing.iter().enumerate().filter(|(_, s)| s.paragraph == paragraph) {
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

    fn emit_text(&mut self, emitter: &mut Emitter, paragraph: usize, node: usize, text: &TextNode) {
        let cuts = self.cuts(paragraph, node, text);
        if cuts.is_empty() {
            self.copy(text.whole.start..text.content.start);
            self.literal(emitter, text, 0..text.text.len());
            self.copy(text.content.end..text.whole.end);
            return;
        }
        if self.gathered.writes.xml {
            self.ops.push(Op::Fixed(Fixed::TextOpen));
        }
        let mut at = 0;
        for (range, cut) in cuts {
            self.literal(emitter, text, at..range.start);
            at = range.end;
            match cut {
                Cut::Rest => {}
                Cut::Escaped => {
                    emitter.guard_inline(&mut self.ops);
                    self.ops.push(Op::Escaped);
                    self.close_inline(emitter);
                }
                Cut::Placeholder(index) => self.emit_placeholder(emitter, index),
            }
        }
        self.literal(emitter, text, at..text.text.len());
        if self.gathered.writes.xml {
            self.ops.push(Op::Fixed(Fixed::TextClose));
        }
    }

    fn emit_placeholder(&mut self, emitter: &mut Emitter, index: usize) {
        if let Some(Kind::Print(expr)) = &self.standing[index].kind {
            let site = self.site(expr.clone(), index);
            emitter.guard_inline(&mut self.ops);
            self.ops.push(Op::Print(site));
            self.close_inline(emitter);
            return;
        }
        for (_, event) in self.inline.get(&index).cloned().unwrap_or_default() {
            match event {
                Event::Choose(block) => {
                    emitter.guard_inline(&mut self.ops);
                    self.ops.push(Op::Choose(block));
                    self.close_inline(emitter);
                    self.ops.push(Op::PassageStart);
                }
                Event::Enter(block, branch) => emitter.inline.push((block, branch)),
                Event::Leave => {
                    emitter.inline.pop();
                }
            }
        }
        let ends = matches!(self.standing[index].kind, Some(Kind::End)) && self.inline.contains_key(&index);
        if ends {
            self.ops.push(Op::PassageEnd);
        }
    }

    fn literal(&mut self, emitter: &mut Emitter, text: &TextNode, range: Range<usize>) {
        let piece = &text.text[range.clone()];
        let (Some(first), Some(last)) = (piece.chars().next(), piece.chars().next_back()) else { return };
        let spaces = piece.chars().all(char::is_whitespace);
        emitter.guard_inline(&mut self.ops);
        self.ops.push(Op::Literal { raw: text.raw(range), first, last, spaces });
        self.close_inline(emitter);
    }

    fn run_is_touched(&self, open: usize, id: Id) -> bool {
        let close =
            (open..self.gathered.nodes.len()).find(|n| matches!(&self.gathered.nodes[*n], Node::Close(Role::Run, own, _) if *own == id));
        close.is_some_and(|close| self.touched_between(open, close))
    }

    fn run_was_touched(&self, close: usize, id: Id) -> bool {
        let open = (0..close).rev().find(|n| matches!(&self.gathered.nodes[*n], Node::Open(Role::Run, own, _) if *own == id));
        open.is_some_and(|open| self.touched_between(open, close))
    }

    /// Whether a placeholder stands in the text between two nodes of a run.
    fn touched_between(&self, open: usize, close: usize) -> bool {
        self.gathered.paragraphs.iter().enumerate().filter(|(_, p)| p.nodes.start < open && close < p.nodes.end).any(|(paragraph, own)| {
            own.pieces.iter().filter(|(n, _)| (open..close).contains(n)).any(|(n, _)| match &self.gathered.nodes[*n] {
                Node::Text(text) => !self.cuts(paragraph, *n, text).is_empty(),
                _ => false,
            })
        })
    }
}

#[derive(Debug, Clone, Copy)]
enum Cut {
    /// A placeholder begins here.
    Placeholder(usize),
    /// The rest of one that began in an earlier run.
    Rest,
    Escaped,
}

/// Which passages are open where the program is being written.
struct Emitter {
    /// Guards of passages over paragraphs and rows that still need their end.
    guards: Vec<usize>,
    /// Passages within the paragraph at hand: block and branch.
    inline: Vec<(usize, usize)>,
}

impl Emitter {
    /// Text, values and objects of a passage within a paragraph are guarded one
    /// by one: the tags of the runs between them stay.
    fn guard_inline(&mut self, ops: &mut Vec<Op>) {
        for (block, branch) in &self.inline {
            self.guards.push(ops.len());
            ops.push(Op::Guard { block: *block, branch: *branch, to: 0 });
        }
    }
}

/// A line of text cut to what a list can show.
fn shown(text: &str) -> String {
    let line: String = text.chars().map(|c| if c.is_whitespace() { ' ' } else { c }).collect();
    let line = line.trim();
    match line.char_indices().nth(240) {
        Some((at, _)) => format!("{}…", &line[..at]),
        None => line.to_owned(),
    }
}
