//! Gathered nodes → a flat program, its placeholders, its outline and its
//! problems: read the placeholders, place their blocks, emit the program.

mod emit;
mod place;
mod reach;
mod read;

use std::collections::{HashMap, HashSet};
use std::ops::Range;

pub(super) use self::reach::DEEPEST;
use self::reach::Reach;
use super::Placeholder;
use super::coverage::{self, Way};
use super::dialect::Identity;
use super::gathered::{Gathered, Id, Node};
use super::outline::{Outline, outline};
use super::program::{Block, Op, Program, Site};
use crate::diagnostic::{Diagnostic, Target};
use crate::language::Span;
use crate::language::syntax::{Kind, Unit};

/// A part, compiled.
#[derive(Debug)]
pub struct Compiled {
    /// What filling runs.
    pub program: Program,
    /// The placeholders in reading order.
    pub placeholders: Vec<Placeholder>,
    /// The bytes of the part in which each of them stands; several stretches
    /// where a word processor split it.
    pub spots: Vec<Vec<Range<usize>>>,
    /// What must be put right first.
    pub problems: Vec<Diagnostic>,
    /// The conditions and repeats as they nest, with what is printed in them.
    pub outline: Vec<Outline>,
    /// The ways that filling can go, in reading order.
    pub ways: Vec<Way>,
    /// Relations to headers and footers of repeated sections, with the lists whose
    /// records these take.
    pub sections: Vec<(String, Vec<Option<Vec<String>>>)>,
}

/// Compiles a gathered part.
pub fn compile(gathered: Gathered) -> Compiled {
    let mut compiler = Compiler::new(&gathered);
    compiler.read();
    compiler.place();
    compiler.emit();
    let sections = compiler.sections();
    let spots = compiler.standing.iter().map(|s| compiler.spot(s)).collect();
    let Compiler { ops, sites, blocks, placeholders, mut problems, standing, taken, .. } = compiler;
    let kinds: Vec<Option<&Kind>> = standing.iter().zip(&placeholders).map(|(s, p)| s.kind.as_ref().filter(|_| !p.again)).collect();
    let outline = outline(&kinds, &placeholders, &taken);
    let mut ways: Vec<Way> = blocks.iter().flat_map(|b| coverage::of_block(&b.branches, &sites)).collect();
    ways.extend(sites.iter().flat_map(coverage::of_site));
    ways.retain(|w| !placeholders[w.placeholder].again);
    ways.sort_by_key(|w| w.placeholder);
    problems.sort_by_key(|(order, _)| *order);
    let free = free_number(&gathered);
    let besides = gathered.ids.iter().filter(|site| site.identity == Identity::Beside).map(|site| site.range.clone()).collect();
    let program = Program { bytes: gathered.bytes, ops, sites, blocks, writes: gathered.writes, besides, free };
    Compiled { program, placeholders, spots, problems: problems.into_iter().map(|(_, p)| p).collect(), outline, ways, sections }
}

/// A number above all that drawings and bookmarks have.
fn free_number(gathered: &Gathered) -> u32 {
    let numbers = gathered.ids.iter().filter_map(|site| std::str::from_utf8(&gathered.bytes[site.range.clone()]).ok()?.parse::<u32>().ok());
    numbers.max().unwrap_or(0).saturating_add(1).min(1 << 30)
}

/// A placeholder where it stands.
struct Standing {
    paragraph: usize,
    /// In the paragraph's joined text.
    range: Range<usize>,
    /// The object whose description it is, by the node that opens it.
    object: Option<usize>,
    kind: Option<Kind>,
    /// Its text inside the brackets, for problems.
    text: String,
    /// Opens a passage even though it can't be read, so that its `end` is not
    /// a problem too.
    opens: bool,
}

/// A change of block, in the order of the placeholders that ask for it.
#[derive(Debug, Clone)]
enum Event {
    Choose(usize),
    Enter(usize, usize),
    Repeat(usize, super::program::Between),
    /// Ends the innermost block.
    Leave,
}

/// Events with what they are sorted by: larger extents first, then as they stand.
type Events = Vec<((std::cmp::Reverse<usize>, usize), Event)>;

struct Compiler<'g> {
    gathered: &'g Gathered,
    /// What may be taken whole.
    reach: Reach,
    /// All placeholders that could be read, in reading order.
    standing: Vec<Standing>,
    /// For each of them those others that take it whole.
    taken: Vec<Vec<usize>>,
    /// The placeholders of each paragraph, as a range of `standing`.
    of_paragraph: HashMap<usize, Range<usize>>,
    /// `[[:` in each paragraph.
    escapes: HashMap<usize, Vec<Range<usize>>>,
    /// Paragraphs that hold nothing but kinds that print nothing.
    silent: HashSet<usize>,
    /// What happens before and after a paragraph, row or table, round the end of
    /// the last section, and at a placeholder.
    before: HashMap<usize, Events>,
    after: HashMap<usize, Events>,
    before_row: HashMap<Id, Events>,
    after_row: HashMap<Id, Events>,
    before_table: HashMap<Id, Events>,
    after_table: HashMap<Id, Events>,
    after_text: Events,
    /// Whether the last section is repeated.
    last_repeats: bool,
    inline: HashMap<usize, Vec<Event>>,
    /// Containers and tables from which paragraphs or rows may go.
    risky: HashSet<Id>,
    thinned: HashSet<Id>,
    /// Lists that begin anew in each turn of a block, and the block.
    restarts: HashMap<String, usize>,
    /// Rows repeated by a block: the last of them, for joined cells that go on below.
    repeated_rows: HashMap<Id, Id>,
    ops: Vec<Op>,
    /// How many steps lie behind the last guard's end.
    sealed: usize,
    sites: Vec<Site>,
    blocks: Vec<Block>,
    placeholders: Vec<Placeholder>,
    /// With the order of their paragraphs.
    problems: Vec<(usize, Diagnostic)>,
}

impl<'g> Compiler<'g> {
    fn new(gathered: &'g Gathered) -> Compiler<'g> {
        Compiler {
            gathered,
            reach: Reach::new(gathered),
            standing: Vec::new(),
            taken: Vec::new(),
            of_paragraph: HashMap::new(),
            escapes: HashMap::new(),
            silent: HashSet::new(),
            before: HashMap::new(),
            after: HashMap::new(),
            before_row: HashMap::new(),
            after_row: HashMap::new(),
            before_table: HashMap::new(),
            after_table: HashMap::new(),
            after_text: Vec::new(),
            last_repeats: false,
            inline: HashMap::new(),
            risky: HashSet::new(),
            thinned: HashSet::new(),
            restarts: HashMap::new(),
            repeated_rows: HashMap::new(),
            ops: Vec::new(),
            sealed: 0,
            sites: Vec::new(),
            blocks: Vec::new(),
            placeholders: Vec::new(),
            problems: Vec::new(),
        }
    }

    fn problem(&mut self, paragraph: usize, placeholder: String, span: Span, code: &'static str, message: String) {
        let own = &self.gathered.paragraphs[paragraph];
        self.problems.push((
            paragraph,
            Diagnostic::error(code, message)
                .about(Target::Template { place: own.place, line: shown(&own.text) })
                .within(placeholder)
                .at(span),
        ));
    }

    fn problem_at(&mut self, index: usize, code: &'static str, message: &str) {
        let (paragraph, text) = (self.standing[index].paragraph, self.standing[index].text.clone());
        let span = Span { start: 0, end: text.len() };
        self.problem(paragraph, format!("[:{text}]"), span, code, message.to_owned());
    }

    /// The relations to headers and footers of repeated sections.
    fn sections(&self) -> Vec<(String, Vec<Option<Vec<String>>>)> {
        // Where each section but the last ends.
        let ends: Vec<usize> = self
            .gathered
            .paragraphs
            .iter()
            .filter(|p| p.section_end)
            .filter_map(|p| match &self.gathered.nodes[p.nodes.end.checked_sub(1)?] {
                Node::Close(_, _, range) => Some(range.end),
                _ => None,
            })
            .collect();
        let lists = |section: usize| -> Vec<Option<Vec<String>>> {
            let repeats = self.standing.iter().filter_map(|s| match &s.kind {
                Some(Kind::Repeat(Some(extent), list)) if extent.unit == Unit::Section => {
                    (self.gathered.paragraphs[s.paragraph].section == section).then(|| list.path())
                }
                _ => None,
            });
            repeats.map(|path| path.map(|names| names.into_iter().map(|n| n.text).collect())).collect()
        };
        let besides = self.gathered.ids.iter().filter(|site| site.identity == Identity::Beside);
        besides
            .filter_map(|site| {
                let section = ends.iter().filter(|end| **end <= site.range.start).count();
                let relation = std::str::from_utf8(&self.gathered.bytes[site.range.clone()]).ok()?;
                let lists = lists(section);
                (!lists.is_empty()).then(|| (relation.to_owned(), lists))
            })
            .collect()
    }

    /// The bytes in which a placeholder stands.
    fn spot(&self, standing: &Standing) -> Vec<Range<usize>> {
        let own = &self.gathered.paragraphs[standing.paragraph];
        if let Some(Node::ObjectOpen(tag)) = standing.object.map(|node| &self.gathered.nodes[node]) {
            return vec![tag.clone()];
        }
        let texts = own.pieces.iter().filter_map(|(node, start)| match &self.gathered.nodes[*node] {
            Node::Text(text) => Some((text, *start)),
            _ => None,
        });
        texts
            .filter_map(|(text, start)| {
                let from = standing.range.start.max(start);
                let to = standing.range.end.min(start + text.text.len());
                (from < to).then(|| text.raw(from - start..to - start))
            })
            .collect()
    }

    /// The placeholders of a paragraph with their places in the reading order.
    fn standing_in(&self, paragraph: usize) -> impl DoubleEndedIterator<Item = (usize, &Standing)> {
        let range = self.of_paragraph.get(&paragraph).cloned().unwrap_or(0..0);
        range.map(|index| (index, &self.standing[index]))
    }
}

/// A line of text cut to what a list can show.
fn shown(text: &str) -> String {
    let text = text.trim();
    let mut line: String = text.chars().take(240).map(|c| if c.is_whitespace() { ' ' } else { c }).collect();
    if text.chars().nth(240).is_some() {
        line.push('…');
    }
    line
}
