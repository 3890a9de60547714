//! The program run for one record: bytes are appended, nothing is built.
//!
//! Gaps close here: what prints nothing takes one space with it when it stood
//! between two of space, paragraph edge and closing mark; a paragraph of
//! placeholders only that printed nothing goes; a table without rows goes.

mod gaps;
mod sums;
mod unique;

use std::collections::HashMap;
use std::ops::Range;

use self::sums::Sums;
use super::FillError;
use super::coverage::Took;
use super::draw::{Draw, Drawing};
use super::program::{Between, Fixed, Op, Program};
use crate::language::syntax::{Expr, Kind, Unit};
use crate::language::{EvalError, Fault, Read, Scope, Span, Turns};
use crate::value::Value;

/// How many turns a record may take.
const MOST_TURNS: usize = 1_000_000;
/// How many errors of one record are kept.
const MOST_ERRORS: usize = 1_000;
/// How many bytes a part may be filled to.
const LARGEST: usize = 200 << 20;

/// What filling a part for one record gives, besides its bytes.
#[derive(Debug, Default)]
pub struct Filling {
    /// When there are any, the bytes are of use for looking at alone.
    pub errors: Vec<FillError>,
    /// What each placeholder did, where a trace was asked for.
    pub trace: Vec<Traced>,
}

/// What one placeholder did in one place.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Traced {
    /// Which of the part's placeholders.
    pub placeholder: usize,
    /// The turn of each repeat around it, from 1, outermost first.
    pub turns: Vec<usize>,
    /// What it printed.
    pub printed: Option<String>,
    /// The branch that was taken, from 0; none when no branch was. Of a repeat, 0
    /// for turns and 1 for its `else`.
    pub branch: Option<usize>,
    /// How many turns a repeat took.
    pub count: Option<usize>,
    /// What was chosen, where there was a choice.
    pub chose: Option<Took>,
    /// The record fields that were read.
    pub read: Vec<Read>,
    /// What else happened: a table that went.
    pub note: Option<&'static str>,
    /// Why it could not be worked out; it is written as it stands in the template then.
    pub failed: Option<String>,
    /// Where it printed, in the bytes of the filled part.
    #[serde(skip)]
    pub at: Option<Range<usize>>,
}

/// A paragraph while it is written.
#[derive(Default)]
struct Paragraph {
    /// Where it begins in the output.
    start: usize,
    /// Signs and objects printed so far that are not spaces.
    printed: usize,
    /// The last sign printed; `None` at the paragraph's edge.
    last: Option<char>,
    /// Where the last sign stands, when it is a space.
    space_at: Option<usize>,
    /// Something printed nothing just now.
    gap: bool,
}

/// A table while it is written.
#[derive(Default)]
struct Table {
    start: usize,
    rows: usize,
    /// The row up to which the cells of a column are joined.
    joined: HashMap<usize, usize>,
}

/// The turns of a repeat.
struct Frame<'a> {
    block: usize,
    turns: Turns,
    at: usize,
    /// The scope around it.
    around: Scope<'a>,
    /// Counts the turns of the whole part, to tell one from another.
    serial: usize,
}

struct Filler<'a> {
    program: &'a Program,
    out: &'a mut Vec<u8>,
    draw: &'a mut dyn Draw,
    scope: Scope<'a>,
    /// The scope of the last turn of the last section, once that has ended.
    section: Option<Scope<'a>>,
    paragraphs: Vec<Paragraph>,
    /// Where each open run begins, and what was printed before it.
    runs: Vec<(usize, usize)>,
    tables: Vec<Table>,
    /// Whether the last block kept in each open container is a paragraph.
    containers: Vec<bool>,
    /// The branch chosen in each block.
    chosen: Vec<Option<usize>>,
    frames: Vec<Frame<'a>>,
    turns: usize,
    /// How often each identity was written; what a bookmark's number is now.
    written: HashMap<usize, usize>,
    bookmarks: HashMap<Range<usize>, u32>,
    numbers: HashMap<String, u32>,
    names: HashMap<String, usize>,
    free: u32,
    /// The list that stands for another in the turn at hand.
    lists: HashMap<(String, usize), String>,
    errors: Vec<FillError>,
    trace: Option<Vec<Traced>>,
    /// Whether text can be written where the part is now.
    in_text: bool,
    /// What failed where no text can stand: it is shown in the next text.
    to_show: Vec<(usize, String)>,
    /// The numbers printed, where someone asks.
    sums: Option<Sums>,
}

impl Program {
    /// Fills the part for one record, appending to `out`.
    pub fn fill(&self, scope: &Scope<'_>, out: &mut Vec<u8>, draw: &mut dyn Draw) -> Filling {
        self.start(scope.clone(), out, draw, None)
    }

    /// The same, with a trace of what each placeholder did.
    pub fn fill_traced(&self, scope: &Scope<'_>, out: &mut Vec<u8>, draw: &mut dyn Draw) -> Filling {
        self.start(scope.clone().traced(), out, draw, Some(Vec::new()))
    }

    fn start(&self, scope: Scope<'_>, out: &mut Vec<u8>, draw: &mut dyn Draw, trace: Option<Vec<Traced>>) -> Filling {
        let set = self.sites.iter().filter_map(|site| if let Kind::Set(setting) = &site.kind { Some(&setting.name.folded) } else { None });
        scope.declare(set);
        let sums = scope.context.noticed.asked().then(Sums::default);
        let mut filler = Filler {
            program: self,
            out,
            draw,
            scope,
            section: None,
            paragraphs: Vec::new(),
            runs: Vec::new(),
            tables: Vec::new(),
            containers: Vec::new(),
            chosen: vec![None; self.blocks.len()],
            frames: Vec::new(),
            turns: 0,
            written: HashMap::new(),
            bookmarks: HashMap::new(),
            numbers: HashMap::new(),
            names: HashMap::new(),
            free: self.free,
            lists: HashMap::new(),
            errors: Vec::new(),
            trace,
            in_text: !self.writes.xml,
            to_show: Vec::new(),
            sums,
        };
        filler.run();
        if let Some(sums) = &filler.sums {
            let uneven = sums.uneven(|site| self.sites[site].placeholder.text.clone());
            filler.scope.context.noticed.note_uneven(uneven);
            filler.scope.context.noticed.note_close(sums.close(|site| self.sites[site].placeholder.text.clone()));
        }
        Filling { errors: filler.errors, trace: filler.trace.unwrap_or_default() }
    }
}

impl Filler<'_> {
    fn run(&mut self) {
        let mut at = 0;
        let program = self.program;
        while let Some(op) = program.ops.get(at) {
            at += 1;
            match op {
                Op::Copy(range) => self.out.extend_from_slice(&program.bytes[range.clone()]),
                Op::Fixed(Fixed::TextOpen) => {
                    self.out.extend_from_slice(program.writes.text_open.as_bytes());
                    self.in_text = true;
                    self.show_failed();
                }
                Op::Fixed(Fixed::TextClose) => {
                    self.out.extend_from_slice(program.writes.text_close.as_bytes());
                    self.in_text = false;
                }
                Op::Literal { raw, first, last, spaces } => {
                    let bytes = &program.bytes[raw.clone()];
                    let skip = self.close_gap(*first);
                    self.out.extend_from_slice(&bytes[skip..]);
                    if skip < bytes.len() {
                        self.printed(*last, usize::from(!spaces));
                    }
                }
                Op::Escaped => {
                    self.close_gap('[');
                    self.out.extend_from_slice(b"[:");
                    self.printed(':', 2);
                }
                Op::Print(site) => self.print(*site),
                Op::Set(site) => self.set(*site),
                Op::Draw(site, instead) => self.drawing(*site, instead.clone()),
                Op::PageBreak => {
                    self.close_gap(OBJECT);
                    self.out.extend_from_slice(program.writes.page_break.as_bytes());
                    self.printed(OBJECT, 1);
                }
                Op::Object => {
                    self.close_gap(OBJECT);
                    self.printed(OBJECT, 1);
                }
                Op::Choose(block) => self.choose(*block),
                Op::Guard { block, branch, to } => {
                    if self.chosen[*block] != Some(*branch) {
                        at = *to;
                    }
                }
                Op::Repeat { block, to } => {
                    if !self.begin_turns(*block) {
                        at = *to;
                    }
                }
                Op::Again { body, between } => {
                    if self.next_turn(between) {
                        at = *body;
                    }
                }
                // What begins and ends a passage prints nothing itself.
                Op::PassageEdge => self.gap(),
                Op::ParagraphStart => self.paragraphs.push(Paragraph { start: self.out.len(), ..Paragraph::default() }),
                Op::ParagraphEnd { may_go } => self.end_paragraph(*may_go),
                Op::RunStart => {
                    let before = self.paragraphs.last().map_or(0, |p| p.printed);
                    self.runs.push((self.out.len(), before));
                }
                Op::RunEnd => self.end_run(),
                Op::TableStart => self.tables.push(Table { start: self.out.len(), ..Table::default() }),
                Op::RowKept => {
                    if let Some(table) = self.tables.last_mut() {
                        table.rows += 1;
                    }
                }
                Op::TableEnd => self.end_table(),
                Op::ContainerStart => self.containers.push(false),
                Op::Kept { paragraph } => self.kept(*paragraph),
                Op::ContainerEnd => {
                    if self.containers.pop() == Some(false) {
                        self.out.extend_from_slice(program.writes.paragraph.as_bytes());
                    }
                }
                Op::Identity(identity, range) => self.identity(*identity, range),
                Op::List(range, block) => self.list(range, *block),
                Op::Merge { column, starts, goes_on } => self.merge(*column, *starts, *goes_on),
            }
        }
    }

    // Blocks.

    fn choose(&mut self, block: usize) {
        self.chosen[block] = None;
        let program = self.program;
        for (branch, condition) in program.blocks[block].branches.iter().enumerate() {
            let holds = match condition {
                None => true,
                Some(site) => match self.holds(*site) {
                    Ok(holds) => holds,
                    Err(error) => {
                        self.fail(*site, error);
                        // Where it is shown, the person sees the passage with it.
                        self.chosen[block] = self.trace.is_some().then_some(branch);
                        return;
                    }
                },
            };
            if holds {
                self.chosen[block] = Some(branch);
                break;
            }
        }
        if let Some(Some(site)) = program.blocks[block].branches.first() {
            let branch = self.chosen[block];
            self.note(*site, |t| (t.branch, t.chose) = (branch, Some(branch.map_or(Took::NoBranch, Took::Branch))));
        }
    }

    fn holds(&self, site: usize) -> Result<bool, EvalError> {
        match self.program.sites[site].kind.exprs().first() {
            Some(condition) => self.scope.holds(condition),
            None => Ok(true),
        }
    }

    /// Begins the turns of a block's list; false when it has none.
    fn begin_turns(&mut self, block: usize) -> bool {
        self.chosen[block] = None;
        let Some(Some(site)) = self.program.blocks[block].branches.first().copied() else { return false };
        let Kind::Repeat(_, list) = &self.program.sites[site].kind else { return false };
        let turns = match self.scope.turns(list) {
            Ok(turns) => turns,
            Err(error) => {
                self.fail(site, error);
                return false;
            }
        };
        self.chosen[block] = Some(usize::from(turns.is_empty()));
        let (branch, count) = (self.chosen[block], turns.len());
        let chose = if turns.is_empty() { Took::NoTurns } else { Took::Turns };
        self.note(site, |t| (t.branch, t.count, t.chose) = (branch, Some(count), Some(chose)));
        let Some(first) = turns.get(0) else { return false };
        if !self.counts(site, list) {
            return false;
        }
        let around = self.scope.clone();
        self.scope = around.turn(first);
        self.frames.push(Frame { block, turns, at: 0, around, serial: self.turns });
        true
    }

    /// Counts a turn; false when there are too many, or too much was written.
    fn counts(&mut self, site: usize, list: &Expr) -> bool {
        self.turns += 1;
        let fault = match () {
            () if self.turns > MOST_TURNS => Fault::TooManyTurns(MOST_TURNS),
            () if self.out.len() > LARGEST => Fault::Drawing("the document would exceed 200 MB. Filter the list.".into()),
            () => return true,
        };
        if self.errors.is_empty() {
            self.fail(site, EvalError { span: list.span, fault });
        }
        false
    }

    /// Goes on with the next turn of the innermost repeat; false after the last.
    fn next_turn(&mut self, between: &Between) -> bool {
        let Some(mut frame) = self.frames.pop() else { return false };
        frame.at += 1;
        let next = frame.turns.get(frame.at);
        let site = self.program.blocks[frame.block].branches.first().copied().flatten();
        let goes_on = match (next.is_some(), site) {
            (true, Some(site)) => match &self.program.sites[site].kind {
                Kind::Repeat(_, list) => self.counts(site, list),
                _ => false,
            },
            _ => false,
        };
        let Some(turn) = next.filter(|_| goes_on) else {
            // The end of the text is the end of the last turn's section.
            if matches!(between, Between::Section(_)) {
                self.section = Some(self.scope.clone());
            }
            self.scope = frame.around;
            return false;
        };
        let program = self.program;
        let writes = &program.writes;
        match between {
            Between::Nothing => {}
            Between::Paragraph => self.out.extend_from_slice(writes.paragraph.as_bytes()),
            Between::Section(end) => {
                self.out.extend_from_slice(writes.section[0].as_bytes());
                let mut at = end.start;
                for relation in program.besides.iter().filter(|r| end.contains(&r.start)) {
                    self.out.extend_from_slice(&program.bytes[at..relation.start]);
                    let scope = self.scope.clone();
                    self.beside(relation, &scope);
                    at = relation.end;
                }
                self.out.extend_from_slice(&program.bytes[at..end.end]);
                self.out.extend_from_slice(writes.section[1].as_bytes());
            }
        }
        self.scope = frame.around.turn(turn);
        frame.serial = self.turns;
        self.frames.push(frame);
        true
    }

    // Placeholders.

    fn fail(&mut self, site: usize, error: EvalError) {
        if self.errors.len() < MOST_ERRORS {
            let placeholder = &self.program.sites[site].placeholder;
            let turn_of = self.scope.record_of_the_turn().and_then(|record| u32::try_from(record.number).ok());
            if self.trace.is_some() {
                self.to_show.push((site, error.to_string()));
                self.show_failed();
            }
            self.errors.push(FillError { placeholder: placeholder.text.as_str().into(), place: placeholder.place, turn_of, error });
        }
    }

    /// Writes what failed as it stands in the template, so that it is found on the page.
    fn show_failed(&mut self) {
        let program = self.program;
        for (site, why) in std::mem::take(&mut self.to_show) {
            let own = &program.sites[site];
            // A passage over paragraphs stands between them, what keeps or repeats rows
            // between rows: there its text goes into the first cell.
            let between = match &own.kind {
                Kind::If(_) | Kind::ElseIf(_) | Kind::Repeat(None, _) => true,
                Kind::Repeat(Some(extent), _) | Kind::Keep(extent, _) | Kind::KeepElseIf(extent, _) => extent.unit == Unit::Para,
                _ => false,
            };
            let (in_paragraph, alone) = (!self.paragraphs.is_empty(), &program.writes.text_paragraph);
            match self.in_text {
                false if !between || in_paragraph => self.to_show.push((site, why)),
                in_text => {
                    if !in_text {
                        self.out.extend_from_slice(alone[0].as_bytes());
                    }
                    let at = self.write(&own.placeholder.text);
                    if !in_text {
                        self.out.extend_from_slice(alone[1].as_bytes());
                        self.kept(true);
                    }
                    self.note(site, |t| (t.at, t.failed) = (Some(at), Some(why)));
                }
            }
        }
    }

    /// Notes in the trace what a placeholder did.
    fn note(&mut self, site: usize, what: impl FnOnce(&mut Traced)) {
        if let Some(trace) = &mut self.trace {
            let turns = self.frames.iter().map(|f| f.at + 1).collect();
            let placeholder = self.program.sites[site].index;
            let mut traced = Traced {
                placeholder,
                turns,
                printed: None,
                branch: None,
                count: None,
                chose: None,
                read: self.scope.take_reads(),
                note: None,
                failed: None,
                at: None,
            };
            what(&mut traced);
            trace.push(traced);
        }
    }

    fn print(&mut self, site: usize) {
        let mut chose = None;
        let printed = match &self.program.sites[site].kind {
            Kind::Print(expr) => self.scope.print_which(expr).map(|which| {
                chose = Some(which.as_ref().map_or(Took::Blank, |shown| Took::Alternative(shown.alternative)));
                let shown = which?;
                if let (Some(sums), Some(weighed)) = (&mut self.sums, shown.weighed) {
                    sums.add(site, self.frames.iter().map(|f| f.at + 1).collect(), weighed);
                }
                Some(shown.text)
            }),
            Kind::Clause(name, with) => self.scope.context.clauses.fill(name, with, &self.scope).map(Some),
            _ => Ok(None),
        };
        match printed {
            Err(error) => self.fail(site, error),
            Ok(text) => {
                let text = text.filter(|t| !t.is_empty());
                let at = match &text {
                    Some(text) => Some(self.write(text)),
                    None => {
                        self.gap();
                        None
                    }
                };
                self.note(site, |t| (t.printed, t.at, t.chose) = (text, at, chose));
            }
        }
    }

    fn set(&mut self, site: usize) {
        if let Kind::Set(setting) = &self.program.sites[site].kind {
            match self.scope.value(&setting.value) {
                Ok(value) => self.scope.set(&setting.name, value),
                Err(error) => self.fail(site, error),
            }
        }
        self.gap();
        self.note(site, |_| {});
    }

    fn drawing(&mut self, site: usize, instead: Option<Range<usize>>) {
        let drawn = self.draw_one(site, instead.clone());
        match drawn {
            Err(error) => {
                // A placeholder picture stays where it is shown.
                if let Some(range) = instead.filter(|_| self.trace.is_some()) {
                    self.out.extend_from_slice(&self.program.bytes[range]);
                    self.printed(OBJECT, 1);
                }
                self.fail(site, error);
            }
            Ok(None) => {
                self.gap();
                self.note(site, |_| {});
            }
            Ok(Some(bytes)) => {
                self.close_gap(OBJECT);
                // A drawing stands in a run, beside its texts.
                let writes = &self.program.writes;
                let beside = instead.is_none();
                if beside {
                    self.out.extend_from_slice(writes.text_close.as_bytes());
                }
                let start = self.out.len();
                self.out.extend_from_slice(&bytes);
                let at = start..self.out.len();
                if beside {
                    self.out.extend_from_slice(writes.text_open.as_bytes());
                }
                self.printed(OBJECT, 1);
                self.note(site, |t| (t.printed, t.at) = (Some("drawn".to_owned()), Some(at)));
            }
        }
    }

    fn draw_one(&mut self, site: usize, instead: Option<Range<usize>>) -> Result<Option<Vec<u8>>, EvalError> {
        let program = self.program;
        let instead = instead.map(|range| &program.bytes[range]);
        let at = |expr: &Expr| {
            let span = expr.span;
            move |fault| EvalError { span, fault }
        };
        match &program.sites[site].kind {
            Kind::Picture(expr, sizes) => {
                let value = self.scope.value(expr)?;
                if value.is_blank() {
                    return Ok(None);
                }
                self.draw.draw(&Drawing::Picture { value: &value, sizes }, instead).map_err(at(expr))
            }
            Kind::Barcode(code) => {
                let value = self.scope.value(&code.value)?;
                if value.is_blank() {
                    return Ok(None);
                }
                let with: Result<Vec<(String, Value)>, EvalError> =
                    code.with.iter().map(|s| Ok((s.name.folded.as_str().to_owned(), self.scope.value(&s.value)?))).collect();
                self.draw.draw(&Drawing::Barcode { code, value: &value, with: &with? }, instead).map_err(at(&code.value))
            }
            Kind::Signer(field) => {
                let span = Span::default();
                self.draw.draw(&Drawing::Signer(field), instead).map_err(|fault| EvalError { span, fault })
            }
            _ => Ok(None),
        }
    }
}

/// Stands for what is visible and no text.
const OBJECT: char = '\u{fffc}';

#[cfg(test)]
mod tests;
