//! The program run for one record: bytes are appended, nothing is built.
//!
//! Gaps close here: what prints nothing takes one space with it when it stood
//! between two of space, paragraph edge and closing mark; a paragraph of
//! placeholders only that printed nothing goes; a table without rows goes.

use super::FillError;
use super::compile::{Fixed, Op, Program};
use crate::language::Scope;

/// Marks before which a space is not wanted.
const CLOSING: [char; 7] = ['.', ',', ';', ':', '!', '?', ')'];

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
    /// How much was printed when each open passage began.
    passages: Vec<usize>,
}

struct Filler<'a> {
    program: &'a Program,
    out: &'a mut Vec<u8>,
    paragraphs: Vec<Paragraph>,
    /// Where each open run begins, and what was printed before it.
    runs: Vec<(usize, usize)>,
    /// Where each open table begins, and its rows so far.
    tables: Vec<(usize, usize)>,
    /// Whether the last block kept in each open container is a paragraph.
    containers: Vec<bool>,
    /// The branch chosen in each block.
    chosen: Vec<Option<usize>>,
    errors: Vec<FillError>,
}

impl Program {
    /// Fills the part for one record, appending to `out`. When errors come back,
    /// the output must not be used.
    pub fn fill(&self, scope: &Scope<'_>, out: &mut Vec<u8>) -> Vec<FillError> {
        let mut filler = Filler {
            program: self,
            out,
            paragraphs: Vec::new(),
            runs: Vec::new(),
            tables: Vec::new(),
            containers: Vec::new(),
            chosen: vec![None; self.blocks.len()],
            errors: Vec::new(),
        };
        filler.run(scope);
        filler.errors
    }
}

impl Filler<'_> {
    fn run(&mut self, scope: &Scope<'_>) {
        let mut at = 0;
        while let Some(op) = self.program.ops.get(at) {
            at += 1;
            match op {
                Op::Copy(range) => self.out.extend_from_slice(&self.program.bytes[range.clone()]),
                Op::Fixed(Fixed::TextOpen) => self.out.extend_from_slice(self.program.writes.text_open.as_bytes()),
                Op::Fixed(Fixed::TextClose) => self.out.extend_from_slice(self.program.writes.text_close.as_bytes()),
                Op::Literal { raw, first, last, spaces } => {
                    let bytes = &self.program.bytes[raw.clone()];
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
                Op::Print(site) => self.print(scope, *site),
                Op::Object => {
                    self.close_gap('\u{fffc}');
                    self.printed('\u{fffc}', 1);
                }
                Op::Choose(block) => self.choose(scope, *block),
                Op::Guard { block, branch, to } => {
                    if self.chosen[*block] != Some(*branch) {
                        at = *to;
                    }
                }
                Op::PassageStart => {
                    if let Some(paragraph) = self.paragraphs.last_mut() {
                        paragraph.passages.push(paragraph.printed);
                    }
                }
                Op::PassageEnd => {
                    if let Some(paragraph) = self.paragraphs.last_mut()
                        && paragraph.passages.pop() == Some(paragraph.printed)
                    {
                        paragraph.gap = true;
                    }
                }
                Op::ParagraphStart => self.paragraphs.push(Paragraph { start: self.out.len(), ..Paragraph::default() }),
                Op::ParagraphEnd { may_go } => self.end_paragraph(*may_go),
                Op::RunStart => {
                    let before = self.paragraphs.last().map_or(0, |p| p.printed);
                    self.runs.push((self.out.len(), before));
                }
                Op::RunEnd => self.end_run(),
                Op::TableStart => self.tables.push((self.out.len(), 0)),
                Op::RowKept => {
                    if let Some((_, rows)) = self.tables.last_mut() {
                        *rows += 1;
                    }
                }
                Op::TableEnd => {
                    if let Some((start, 0)) = self.tables.pop() {
                        self.out.truncate(start);
                    }
                }
                Op::ContainerStart => self.containers.push(false),
                Op::Kept { paragraph } => self.kept(*paragraph),
                Op::ContainerEnd => {
                    if self.containers.pop() == Some(false) {
                        self.out.extend_from_slice(self.program.writes.paragraph.as_bytes());
                    }
                }
            }
        }
    }

    fn choose(&mut self, scope: &Scope<'_>, block: usize) {
        self.chosen[block] = None;
        for (branch, condition) in self.program.blocks[block].branches.iter().enumerate() {
            let holds = match condition {
                None => true,
                Some(site) => match scope.holds(&self.program.sites[*site].expr) {
                    Ok(holds) => holds,
                    Err(error) => return self.fail(*site, error),
                },
            };
            if holds {
                self.chosen[block] = Some(branch);
                return;
            }
        }
    }

    fn fail(&mut self, site: usize, error: crate::language::EvalError) {
        let placeholder = &self.program.sites[site].placeholder;
        self.errors.push(FillError { placeholder: placeholder.text.clone(), place: placeholder.place, error });
    }

    fn print(&mut self, scope: &Scope<'_>, site: usize) {
        match scope.print(&self.program.sites[site].expr) {
            Err(error) => self.fail(site, error),
            Ok(Some(text)) if !text.is_empty() => self.write(&text),
            Ok(_) => {
                if let Some(paragraph) = self.paragraphs.last_mut() {
                    paragraph.gap = true;
                }
            }
        }
    }

    /// Writes a value, escaped for where it lands.
    fn write(&mut self, text: &str) {
        let first = text.chars().next().unwrap_or(' ');
        let skip = self.close_gap(first);
        let text = &text[skip..];
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
    }

    fn printed(&mut self, last: char, signs: usize) {
        let end = self.out.len();
        if let Some(paragraph) = self.paragraphs.last_mut() {
            paragraph.printed += signs;
            paragraph.last = Some(last);
            paragraph.space_at = (last == ' ').then(|| end - 1);
        }
    }

    /// Closes a gap before `first` is written; says how many of its bytes to
    /// leave out: 1 for a space that the gap takes.
    fn close_gap(&mut self, first: char) -> usize {
        let Some(paragraph) = self.paragraphs.last_mut() else { return 0 };
        if !std::mem::take(&mut paragraph.gap) {
            return 0;
        }
        let after_space = matches!(paragraph.last, None | Some(' ' | '\n' | '\u{a0}'));
        if first == ' ' && after_space {
            return 1;
        }
        if CLOSING.contains(&first) {
            Filler::take_space(paragraph, self.out);
        }
        0
    }

    /// Takes back the space printed last.
    fn take_space(paragraph: &mut Paragraph, out: &mut Vec<u8>) {
        if let Some(at) = paragraph.space_at.take() {
            out.remove(at);
            paragraph.last = Some('\u{fffc}');
        }
    }

    fn end_paragraph(&mut self, may_go: bool) {
        let Some(mut paragraph) = self.paragraphs.pop() else { return };
        if paragraph.gap {
            Filler::take_space(&mut paragraph, self.out);
        }
        if paragraph.printed == 0 && may_go {
            self.out.truncate(paragraph.start);
            return;
        }
        self.kept(true);
    }

    fn kept(&mut self, paragraph: bool) {
        if let Some(last) = self.containers.last_mut() {
            *last = paragraph;
        }
    }

    /// A run of placeholders that printed nothing goes, with its look; one that
    /// printed spaces stays.
    fn end_run(&mut self) {
        let Some((start, before)) = self.runs.pop() else { return };
        let Some(paragraph) = self.paragraphs.last() else { return };
        if paragraph.printed == before && paragraph.space_at.is_none_or(|at| at < start) {
            self.out.truncate(start);
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

#[cfg(test)]
mod tests;
