//! Page model → the typesetter's markup. All text goes in as escaped string
//! literals: nothing of a record is ever read as markup.

mod beside;
mod drawing;
mod flow;
mod inline;
mod kept;
mod paragraph;
mod sections;
mod table;
mod tabs;

use std::collections::HashMap;
use std::fmt::Write;
use std::sync::Arc;

use super::fonts::FontSet;
use super::typeset::{AttachedKind, Through};
use crate::model::{Block, Border, Document, Inline, Line, LineNumbers, NumberFormat, PageSize, Paragraph, Raise, TextStyle};

/// Marks go through the typesetter as links to addresses of this kind.
pub(super) const MARK: &str = "mark:";

/// The markup of a document and the pictures that it shows.
pub(super) struct Markup {
    pub source: String,
    /// Part names, in the order of their numbers.
    pub pictures: Vec<Arc<str>>,
}

/// How pages are wanted besides what the document says.
#[derive(Debug, Clone, Copy)]
pub(super) struct Wanted<'a> {
    /// The distance of tab stops that no paragraph sets.
    pub tab: f64,
    /// PROOF across every page.
    pub proof: bool,
    pub attached: Option<AttachedKind>,
    /// How pages are numbered where the document is a part of more.
    pub through: Option<Through>,
    pub fonts: &'a FontSet,
}

/// Writes a document's markup.
pub(super) fn write(document: &Document, wanted: Wanted<'_>) -> Markup {
    let mut writer = Writer {
        out: String::with_capacity(16 << 10),
        styles: Vec::new(),
        base: most_used(document),
        pictures: Vec::new(),
        wanted,
        page: PageSize::default(),
        around: Around::Page,
        column: None,
        lines: None,
        hyphenate: document.hyphenate,
        adds_spaces: document.adds_spaces,
        note_gap: document.note_gap,
        number_format: NumberFormat::Decimal,
        section: 0,
        numbers: None,
        headings: Vec::new(),
    };
    writer.document(document);
    writer.finish(document)
}

/// What stands around the blocks that are written.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Around {
    /// The page's text.
    Page,
    /// A header or footer, whose top stands so far from the paper's.
    Edge(f64),
    /// Columns that the typesetter is not told of as the page's own.
    Columns,
    /// A cell, a note, a text box.
    Box,
}

struct Writer<'a> {
    out: String,
    /// Looks used so far, each with its line rule; their index is their name.
    styles: Vec<(Arc<TextStyle>, Line)>,
    /// The look that is set for the whole document.
    base: Option<(Arc<TextStyle>, Line)>,
    pictures: Vec<Arc<str>>,
    wanted: Wanted<'a>,
    page: PageSize,
    around: Around,
    /// The width of the column, cell or box at hand, where it is known.
    column: Option<f64>,
    /// The width of the lines that are written, where it is known.
    lines: Option<f64>,
    hyphenate: bool,
    adds_spaces: bool,
    note_gap: f64,
    number_format: NumberFormat,
    section: usize,
    /// The numbers beside lines that are set.
    numbers: Option<LineNumbers>,
    /// The levels of the headings around, outermost first.
    headings: Vec<u8>,
}

impl Writer<'_> {
    fn finish(self, document: &Document) -> Markup {
        let mut source = String::with_capacity(self.out.len() + 512 * (self.styles.len() + 2));
        let (language, region) = document.language.as_deref().and_then(language).unwrap_or(("en".into(), None));
        let tag = region.as_ref().map_or(language.clone(), |region| format!("{language}-{region}"));
        let _ = write!(
            source,
            "#import \"/prelude.typ\": *\n#show: office.with({}pt, {}pt)\n#set text(lang: \"{language}\"",
            round(document.separator),
            round(document.note_gap)
        );
        if let Some(region) = region {
            let _ = write!(source, ", region: \"{region}\"");
        }
        if document.hyphenate {
            source.push_str(", hyphenate: true");
        }
        let of = |(style, line): &(Arc<TextStyle>, Line)| properties(style, *line, &tag, self.wanted.fonts);
        // What is set for all text is not set again for pieces of it; the language is
        // the document's.
        let mut in_force: HashMap<&str, String> = UNSET.iter().map(|(name, value)| (*name, (*value).to_owned())).collect();
        let (plain, base) = (of(&(Arc::default(), Line::Times(1.0))), self.base.as_ref().map(of).unwrap_or_default());
        in_force.extend(plain.into_iter().filter(|(name, _)| is_language(name)));
        for (name, value) in base.into_iter().filter(|(name, _)| !is_language(name)) {
            if in_force.get(name) != Some(&value) {
                let _ = write!(source, ", {name}: {value}");
                in_force.insert(name, value);
            }
        }
        source.push_str(")\n");
        // The typesetter makes headings bold and large, and notes small: what is in force
        // holds in them, too.
        let holds: String = ["weight", "size"].into_iter().filter_map(|name| Some(format!("{name}: {}, ", in_force.get(name)?))).collect();
        let _ = writeln!(source, "#show heading: set text({holds})\n#show footnote.entry: set text({holds})");
        for (index, style) in self.styles.iter().enumerate() {
            let _ = write!(source, "#let s{index} = text.with(");
            for (name, value) in of(style).into_iter().filter(|(name, value)| in_force.get(name) != Some(value)) {
                let _ = write!(source, "{name}: {value}, ");
            }
            source.push_str(")\n");
        }
        if let Some(attached) = self.wanted.attached {
            source.push_str(attached.markup());
        }
        source.push_str(&self.out);
        Markup { source, pictures: self.pictures }
    }

    fn style(&mut self, style: &Arc<TextStyle>, line: Line) -> usize {
        if let Some(at) = self.styles.iter().position(|(own, l)| *l == line && (Arc::ptr_eq(own, style) || own == style)) {
            return at;
        }
        self.styles.push((style.clone(), line));
        self.styles.len() - 1
    }

    /// Whether text has this look where none is asked for.
    fn is_base(&self, style: &Arc<TextStyle>, line: Line) -> bool {
        self.base.as_ref().is_some_and(|(own, l)| *l == line && (Arc::ptr_eq(own, style) || own == style))
    }

    /// Blocks below one another, the first where a column, cell or box begins.
    /// Gives the space that the last asks for below it.
    fn blocks(&mut self, blocks: &[Block]) -> f64 {
        let after = self.stacked(blocks, self.above(blocks, 0));
        // Space after the last paragraph of a cell or header counts.
        if self.around != Around::Page {
            self.space(after);
        }
        after
    }

    fn space(&mut self, height: f64) {
        if height > 0.0 {
            let _ = write!(self.out, "#v({}pt)", round(height));
        }
    }

    /// The same without the space below the last, and with so much above the first.
    fn stacked(&mut self, blocks: &[Block], first: f64) -> f64 {
        let mut at = 0;
        while let Some(block) = blocks.get(at) {
            let above = if at == 0 { first } else { self.above(blocks, at) };
            at += match block {
                Block::Paragraph(_) => self.paragraphs(&blocks[at..], above, at == 0),
                Block::Table(table) => {
                    self.table(table, above);
                    1
                }
            };
        }
        below(blocks)
    }

    /// The space between one of the blocks and what stands before it.
    fn above(&self, blocks: &[Block], at: usize) -> f64 {
        let before = at.checked_sub(1).and_then(|before| blocks.get(before));
        let (after, style) = match before {
            Some(Block::Paragraph(before)) => (space_after(before, blocks.get(at)), Some(&before.style)),
            _ => (0.0, None),
        };
        match blocks.get(at) {
            Some(Block::Paragraph(own)) if own.contextual && style == Some(&own.style) => self.gap(after, 0.0),
            Some(Block::Paragraph(own)) => self.gap(after, own.space[0]),
            _ => after,
        }
    }

    /// The space between paragraphs: the larger one of what each asks for, or both
    /// (ECMA-376 part 1, 17.15.3.21).
    fn gap(&self, after: f64, before: f64) -> f64 {
        if self.adds_spaces { after + before } else { after.max(before) }
    }

    /// Blocks in a cell or a text box of this width.
    fn boxed(&mut self, blocks: &[Block], width: Option<f64>) {
        self.apart(width, |writer| {
            writer.blocks(blocks);
        });
    }

    /// Blocks in a note: of the space below it, what is more than that between notes.
    fn note(&mut self, blocks: &[Block]) {
        self.apart(Some(self.page.room()), |writer| {
            let after = writer.stacked(blocks, writer.above(blocks, 0));
            writer.space(after - writer.note_gap);
        });
    }

    fn apart(&mut self, width: Option<f64>, write: impl FnOnce(&mut Self)) {
        let outer = std::mem::replace(&mut self.around, Around::Box);
        let outer_widths = (std::mem::replace(&mut self.column, width), self.lines.take());
        let numbers = self.unnumbered();
        write(self);
        (self.around, self.numbers) = (outer, numbers);
        (self.column, self.lines) = outer_widths;
    }

    /// No numbers beside the lines of the content that begins here; gives what is to be
    /// set again behind it.
    fn unnumbered(&mut self) -> Option<LineNumbers> {
        let numbers = self.numbers.take();
        if numbers.is_some() {
            self.out.push_str("#set par.line(numbering: none)\n");
        }
        numbers
    }
}

/// The space that the last of the blocks asks for below it.
fn below(blocks: &[Block]) -> f64 {
    match blocks.last() {
        Some(Block::Paragraph(last)) => space_after(last, None),
        _ => 0.0,
    }
}

/// The space that counts after a paragraph.
fn space_after(paragraph: &Paragraph, next: Option<&Block>) -> f64 {
    match next {
        Some(Block::Paragraph(next)) if paragraph.contextual && next.style == paragraph.style => 0.0,
        _ => paragraph.space[1],
    }
}

/// The virtual path of a picture: few of them for the whole process.
pub(super) fn picture_path(number: usize, part: &str) -> String {
    let kind = part.rsplit_once('.').map(|(_, e)| e.to_ascii_lowercase());
    let kind = match kind.as_deref() {
        Some("png") => "png",
        Some("gif") => "gif",
        Some("webp") => "webp",
        Some("svg") => "svg",
        _ => "jpg",
    };
    format!("/picture-{number}.{kind}")
}

/// What a look sets, each with its value as it is written. `language` is the
/// document's own.
fn properties(style: &TextStyle, line: Line, language: &str, fonts: &FontSet) -> Vec<(&'static str, String)> {
    let font = fonts.stand_in(&style.font);
    let size = shown_size(style);
    let (mut top, mut bottom) = edges(style, line, fonts);
    // Text raised by hand makes room for itself, but in lines of a height of their own;
    // an index does not.
    if !matches!(line, Line::Exactly(_)) {
        top += style.shift.max(0.0);
        bottom += (-style.shift).max(0.0);
    }
    let raised = match style.raise {
        Raise::Super => style.size * 0.33,
        Raise::Sub => -style.size * 0.14,
        Raise::None => 0.0,
    } + style.shift;
    let (lang, region) = style.language.as_deref().and_then(self::language).map_or_else(
        || language.split_once('-').map_or((language.to_owned(), None), |(l, r)| (l.to_owned(), Some(r.to_owned()))),
        |(lang, region)| (lang, region),
    );
    vec![
        ("font", format!("({}, ..others)", literal(&font.shown))),
        ("size", format!("{}pt", round(size))),
        ("top-edge", format!("{}pt", round(top))),
        ("bottom-edge", format!("{}pt", round(-bottom))),
        ("weight", if style.bold { "700" } else { "400" }.to_owned()),
        ("style", if style.italic { "\"italic\"" } else { "\"normal\"" }.to_owned()),
        ("fill", style.color.as_ref().map_or("luma(0)".to_owned(), |c| fill(Some(c)))),
        ("tracking", format!("{}pt", round(style.tracking.clamp(-20.0, 100.0)))),
        ("kerning", style.kerning.is_some_and(|from| style.size >= from).to_string()),
        ("baseline", format!("{}pt", round(-raised + 0.0))),
        ("lang", format!("\"{lang}\"")),
        ("region", region.map_or("none".to_owned(), |r| format!("\"{r}\""))),
    ]
}

fn is_language(name: &str) -> bool {
    matches!(name, "lang" | "region")
}

/// What text has where nothing is set: [`properties`] of such a look.
const UNSET: [(&str, &str); 6] =
    [("weight", "400"), ("style", "\"normal\""), ("fill", "luma(0)"), ("tracking", "0pt"), ("kerning", "false"), ("baseline", "0pt")];

/// A look with its line rule, and how much text has it.
type Counted<'a> = (&'a Arc<TextStyle>, Line, usize);

/// The look of most of a document's text: what is set for all of it need not be set
/// again for each piece.
fn most_used(document: &Document) -> Option<(Arc<TextStyle>, Line)> {
    let mut counted: Vec<Counted<'_>> = Vec::new();
    document.sections.iter().for_each(|section| count_blocks(&section.blocks, &mut counted));
    let (style, line, _) = counted.into_iter().max_by_key(|(_, _, count)| *count)?;
    // The document's language is set apart; what is raised is not most of any text.
    let spoken = |tag: &Option<Arc<str>>| tag.as_deref().and_then(language);
    let same = style.language.is_none() || spoken(&style.language) == spoken(&document.language);
    (same && style.raise == Raise::None && style.shift == 0.0).then(|| (style.clone(), line))
}

fn count_blocks<'a>(blocks: &'a [Block], counted: &mut Vec<Counted<'a>>) {
    for block in blocks {
        match block {
            Block::Paragraph(paragraph) => paragraph.inlines.iter().for_each(|i| count_inline(i, paragraph.line, counted)),
            Block::Table(table) => table.rows.iter().flat_map(|r| &r.cells).for_each(|c| count_blocks(&c.blocks, counted)),
        }
    }
}

fn count_inline<'a>(inline: &'a Inline, line: Line, counted: &mut Vec<Counted<'a>>) {
    match inline {
        Inline::Text(text, style) => {
            match counted.iter_mut().find(|(own, l, _)| *l == line && (Arc::ptr_eq(own, style) || *own == style)) {
                Some((_, _, count)) => *count += text.len(),
                None => counted.push((style, line, text.len())),
            }
        }
        Inline::Marked(_, inner) => count_inline(inner, line, counted),
        Inline::Link(_, inner) => inner.iter().for_each(|i| count_inline(i, line, counted)),
        _ => {}
    }
}

fn language(tag: &str) -> Option<(String, Option<String>)> {
    let mut parts = tag.split(['-', '_']);
    let letters = |p: &&str| (2..=3).contains(&p.len()) && p.bytes().all(|b| b.is_ascii_alphabetic());
    let language = parts.next().filter(letters)?.to_ascii_lowercase();
    let region = parts.find(|p| p.len() == 2 && p.bytes().all(|b| b.is_ascii_alphabetic())).map(str::to_ascii_lowercase);
    Some((language, region))
}

/// From the baseline to the top and the bottom of a line of this look.
fn edges(style: &TextStyle, line: Line, fonts: &FontSet) -> (f64, f64) {
    let metrics = fonts.metrics(&fonts.stand_in(&style.font).shown, style.bold, style.italic);
    let size = shown_size(style);
    let natural = (metrics.ascent + metrics.descent + metrics.gap) * size;
    let below = metrics.descent * size;
    // What a line has beyond its font's own distance lies below it.
    match line {
        Line::Times(times) if times > 1.0 => (natural - below, natural * (times - 1.0) + below),
        Line::Times(times) => (natural * times - below, below),
        Line::AtLeast(least) => (natural.max(least) - below, below),
        Line::Exactly(exactly) => (exactly * 0.8, exactly * 0.2),
    }
}

/// The size in which signs are shown: those of an index are smaller.
fn shown_size(style: &TextStyle) -> f64 {
    if style.raise == Raise::None { style.size } else { style.size * 0.65 }
}

fn line_height(style: &TextStyle, line: Line, fonts: &FontSet) -> f64 {
    let (top, bottom) = edges(style, line, fonts);
    top + bottom
}

/// How thick a border is: two lines are drawn as one of their strength.
/// The room that a border takes: two lines have the width of one between them.
fn thickness(border: &Border) -> f64 {
    if border.double { border.width * 3.0 } else { border.width }
}

/// One line of a border.
fn stroke(border: &Border) -> String {
    stroke_of(border, border.width)
}

fn stroke_of(border: &Border, width: f64) -> String {
    match border.dash {
        Some(dash) => format!("(paint: rgb(\"#{}\"), thickness: {}pt, dash: \"{dash}\")", border.color, round(width)),
        None => format!("{}pt + rgb(\"#{}\")", round(width), border.color),
    }
}

/// Lines of four sides as the typesetter takes them, each as wide as `wide` says.
fn strokes(borders: &[Option<Border>], wide: fn(&Border) -> f64) -> String {
    let sides = ["top", "right", "bottom", "left"];
    let strokes: Vec<String> = sides
        .iter()
        .zip(borders)
        .filter_map(|(side, b)| b.as_ref().map(|b| (side, b, wide(b))))
        .filter(|(_, _, width)| *width > 0.0)
        .map(|(side, b, width)| format!("{side}: {}", stroke_of(b, width)))
        .collect();
    if strokes.is_empty() { "none".to_owned() } else { format!("({})", strokes.join(", ")) }
}

fn fill(color: Option<&Arc<str>>) -> String {
    color.map_or("none".to_owned(), |c| format!("rgb(\"#{c}\")"))
}

/// The inner lines of those borders that are two lines, for a frame that lies this
/// far within the outer ones.
fn inner_lines(borders: &[Option<Border>]) -> (String, [f64; 4]) {
    let second = |b: &Border| if b.double { b.width } else { 0.0 };
    let inset = |side: usize| borders[side].as_ref().filter(|b| b.double).map_or(0.0, |b| b.width * 2.0);
    (strokes(borders, second), std::array::from_fn(inset))
}

/// How the typesetter is asked for a number.
fn pattern(format: NumberFormat) -> &'static str {
    match format {
        NumberFormat::Decimal => "1",
        NumberFormat::LowerLetter => "a",
        NumberFormat::UpperLetter => "A",
        NumberFormat::LowerRoman => "i",
        NumberFormat::UpperRoman => "I",
    }
}

/// A string literal of the markup.
pub(crate) fn literal(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => {}
            '\t' => out.push(' '),
            c if c.is_control() => {}
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

fn round(length: f64) -> f64 {
    (length * 1000.0).round() / 1000.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_can_not_leave_its_literal() {
        assert_eq!(literal("a\"#read(\"/etc\")\\"), "\"a\\\"#read(\\\"/etc\\\")\\\\\"");
        assert_eq!(literal("a\nb\tc\u{7}"), "\"a\\nb c\"");
    }

    #[test]
    fn exact_lines_stand_on_four_fifths() {
        let fonts = FontSet::shipped();
        let style = TextStyle { font: "Arial".into(), size: 10.0, ..TextStyle::default() };
        assert_eq!(edges(&style, Line::Exactly(20.0), fonts), (16.0, 4.0));
        let (top, bottom) = edges(&style, Line::Times(1.0), fonts);
        assert!((top + bottom - 11.5).abs() < 0.1, "{}", top + bottom);
    }
}
