//! A pack: a document put together from parts, each a template, a PDF as it is, a picture or
//! another pack.

use std::collections::HashMap;
use std::sync::Arc;

use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::{self, Inclusion, Numbering, PartContent, Question, answer, of_part};
use mangle_core::language::syntax::Sizes;
use mangle_core::language::{EvalError, Fault, Scope, Span};
use mangle_core::template::{Condition, FillError, Outline, Place, Placeholder, Repeat, TextTemplate, Traced, Way};
use typst::foundations::Bytes;

use super::{EditError, Filled, MakeError, Means, PageNotes, SignerPlace, Template, TracedFill, fixed_fields, page_notes_of, questions_of};
use crate::bound::{Bound, Pages, Piece};
use crate::layout::{FontSet, Made, MarkedSpot, Through, TypesetError, Typesetter};
use crate::model::{
    Align, Block, Document, Drawing, Inline, Line, PageSize, Paragraph, Section, Shows, Tab, TabKind, Target, TextStyle, Vertical,
};
use crate::pdf::{FixedPdf, PART};
use crate::picture::{self, PictureFault};
use crate::{OpenError, layout};

/// What a part is.
#[derive(Debug, Clone)]
pub enum Content {
    /// A template or another pack.
    Template(Arc<dyn Template>),
    /// A PDF as it is.
    Pdf(Arc<FixedPdf>),
    /// A picture on a page of its own.
    Picture(Arc<Picture>),
    /// Something that can't be used: a problem tells why.
    Gone,
}

/// A picture that is a part.
#[derive(Debug)]
pub struct Picture {
    prepared: picture::Prepared,
}

impl Picture {
    /// Opens a picture.
    pub fn open(name: &str, bytes: &Arc<[u8]>) -> Result<Picture, PictureFault> {
        let sizes = Sizes { fit: Some(room()), dpi: Some(220.0), ..Sizes::default() };
        Ok(Picture { prepared: picture::prepare(name, bytes, &sizes, None, room().0)? })
    }
}

/// A pack, compiled.
#[derive(Debug)]
pub struct Pack {
    own: dispatch::Pack,
    parts: Vec<Part>,
    cover: Option<TextTemplate>,
    /// The placeholders of the conditions, titles and repeats, then those of each template.
    placeholders: Vec<Placeholder>,
    /// The logic of all its templates.
    outline: Vec<Outline>,
    problems: Vec<Diagnostic>,
}

/// A part, compiled.
#[derive(Debug)]
struct Part {
    title: TextTemplate,
    condition: Option<Condition>,
    repeat: Option<Repeat>,
    content: Content,
    /// The signature fields on its pages, each with its place.
    fields: Vec<(MarkedSpot, SignerPlace)>,
    /// Where the placeholders of its template begin among all.
    first: usize,
}

/// A filled pack.
#[derive(Debug)]
struct Pieces {
    pieces: Vec<FilledPiece>,
    cover: Option<String>,
}

/// A part filled for one record, or for one turn of its list.
#[derive(Debug)]
struct FilledPiece {
    part: usize,
    title: String,
    filled: Option<Filled>,
    /// What the numbers of its marks and of its signature fields begin at.
    first: [u32; 2],
}

impl Pack {
    /// Compiles a pack of parts that are open, in its order, with what is wrong with them.
    pub fn new(own: dispatch::Pack, contents: Vec<Content>, wrong: Vec<Diagnostic>) -> Pack {
        let mut problems = own.problems();
        problems.extend(wrong);
        let mut parts: Vec<Part> = Vec::with_capacity(own.parts.len());
        let mut on_pages: Vec<Vec<Placeholder>> = Vec::with_capacity(own.parts.len());
        for (part, content) in own.parts.iter().zip(contents) {
            let condition = match &part.include {
                Inclusion::If { condition } | Inclusion::OneOf { condition, .. } => Condition::read(condition).unwrap_or_default(),
                Inclusion::Always | Inclusion::Ask { .. } => None,
            };
            let title = if part.title.trim().is_empty() { part.name.replace("[:", "[[:") } else { part.title.clone() };
            let repeat = Repeat::read(&part.repeat).unwrap_or_default();
            let (mut fields, mut of_fields) = (Vec::new(), Vec::new());
            if let (PartContent::Pdf { fields: placed, .. }, Content::Pdf(pdf)) = (&part.content, &content) {
                for field in placed {
                    // What its placeholder is not is among the pack's own problems.
                    let Ok(own) = field.read() else { continue };
                    let place = SignerPlace::of(&own);
                    match fixed_fields::spots(field, place.size, pdf) {
                        Ok(spots) => {
                            let first = fields.len() as u32;
                            fields
                                .extend(spots.into_iter().map(|spot| (MarkedSpot { number: first + spot.number, ..spot }, place.clone())));
                            of_fields.extend(field.text().placeholders().iter().cloned());
                        }
                        Err(problem) => problems.push(of_part(&part.name, *problem)),
                    }
                }
            }
            on_pages.push(of_fields);
            parts.push(Part { title: TextTemplate::new(&title), condition, repeat, content, fields, first: 0 });
        }
        let cover = (!own.cover.trim().is_empty()).then(|| TextTemplate::new(&own.cover));
        let mut placeholders: Vec<Placeholder> = cover.iter().flat_map(|cover| cover.placeholders().iter().cloned()).collect();
        for part in &parts {
            placeholders.extend(part.condition.iter().flat_map(|own| own.text().placeholders().iter().cloned()));
            placeholders.extend(part.repeat.iter().flat_map(|own| own.text().placeholders().iter().cloned()));
            placeholders.extend(part.title.placeholders().iter().map(|own| part.seen(own)));
        }
        let mut outline = Vec::new();
        for (at, part) in parts.iter_mut().enumerate() {
            part.first = placeholders.len();
            placeholders.extend(on_pages[at].iter().map(|own| part.seen(own)));
            if let Content::Template(template) = &part.content {
                placeholders.extend(template.placeholders().iter().map(|own| part.seen(own)));
                outline.extend(template.outline().iter().map(|line| line.clone().moved(part.first)));
                let name = &own.parts[at].name;
                problems.extend(template.problems().iter().map(|problem| of_part(name, problem.clone())));
            }
        }
        Pack { own, parts, cover, placeholders, outline, problems }
    }

    /// The parts that a record gets, by their places.
    fn chosen(&self, scope: &Scope<'_>, means: Means<'_>) -> Result<Vec<usize>, FillError> {
        let questions = self.own.questions();
        let answered = |about: &str| questions.iter().find(|q| q.about == about).map(|question| answer(means.answers, question));
        let fault = |fault: Fault| {
            let error = EvalError { span: Span::default(), fault };
            FillError { placeholder: "".into(), place: Place::Body, turn_of: None, error }
        };
        let mut chosen = Vec::new();
        for (at, (own, part)) in self.own.parts.iter().zip(&self.parts).enumerate() {
            let included = match &own.include {
                Inclusion::Always => true,
                Inclusion::If { .. } => part.condition.as_ref().map_or(Ok(false), |condition| condition.holds(scope))?,
                Inclusion::Ask { .. } => answered(&own.name) == Some("yes"),
                Inclusion::OneOf { group, .. } if self.own.is_chosen(group) => {
                    let about = questions.iter().find(|q| q.choices.contains(&own.name));
                    about.is_some_and(|question| answer(means.answers, question) == own.name)
                }
                Inclusion::OneOf { group, .. } => self.of_group(group, scope)?.ok_or_else(|| fault(Fault::NoneOf(group.clone())))? == at,
            };
            if included {
                chosen.push(at);
            }
        }
        if chosen.is_empty() { Err(fault(Fault::NoPart)) } else { Ok(chosen) }
    }

    /// The part of a group that a record gets by the conditions: the first that is true, else the
    /// one without.
    fn of_group(&self, group: &str, scope: &Scope<'_>) -> Result<Option<usize>, FillError> {
        let parts = self.own.of_group(group);
        for at in &parts {
            if let Some(condition) = &self.parts[*at].condition
                && condition.holds(scope)?
            {
                return Ok(Some(*at));
            }
        }
        Ok(parts.into_iter().find(|at| self.parts[*at].condition.is_none()))
    }

    fn fill(&self, scope: &Scope<'_>, means: Means<'_>, traced: bool) -> TracedFill {
        let (mut errors, mut trace, mut pieces) = (Vec::new(), Vec::new(), Vec::new());
        let mut signers: HashMap<u32, SignerPlace> = HashMap::new();
        let said = |text: &TextTemplate, scope: &Scope<'_>, errors: &mut Vec<FillError>| match text.fill(scope) {
            Ok(text) => text,
            Err(error) => {
                errors.push(error);
                String::new()
            }
        };
        let chosen = self.chosen(scope, means).unwrap_or_else(|error| {
            errors.push(error);
            // Something is shown in any case: the parts that are always there.
            if traced { self.always() } else { Vec::new() }
        });
        for at in chosen {
            let part = &self.parts[at];
            let scopes = match &part.repeat {
                None => vec![scope.clone()],
                Some(repeat) => match repeat.turns(scope) {
                    Ok(turns) => (0..turns.len()).filter_map(|turn| Some(scope.turn(turns.get(turn)?))).collect(),
                    Err(error) => {
                        errors.push(error);
                        Vec::new()
                    }
                },
            };
            for scope in &scopes {
                let title = said(&part.title, scope, &mut errors);
                let mut piece = FilledPiece { part: at, title, filled: None, first: [trace.len() as u32, 0] };
                let mut own: HashMap<u32, SignerPlace> = part.fields.iter().map(|(spot, place)| (spot.number, place.clone())).collect();
                if let Content::Template(template) = &part.content {
                    let mut filled = match traced {
                        true => {
                            let TracedFill { filled, errors: own, trace: did } = template.fill_traced(scope, means);
                            errors.extend(own);
                            trace.extend(did.into_iter().map(|one| Traced { placeholder: part.first + one.placeholder, ..one }));
                            Some(filled)
                        }
                        false => template.fill_with(scope, means).map_err(|own| errors.extend(own)).ok(),
                    };
                    own.extend(filled.as_mut().map(|filled| std::mem::take(&mut filled.signers)).unwrap_or_default());
                    piece.filled = filled;
                }
                // Behind those of the parts before, whatever theirs begin at.
                if let (Some(most), Some(least)) = (signers.keys().max(), own.keys().min()) {
                    piece.first[1] = (most + 1).wrapping_sub(*least);
                }
                signers.extend(own.into_iter().map(|(number, place)| (number.wrapping_add(piece.first[1]), place)));
                pieces.push(piece);
            }
        }
        if pieces.is_empty() && errors.is_empty() {
            let error = EvalError { span: Span::default(), fault: Fault::NoPart };
            errors.push(FillError { placeholder: "".into(), place: Place::Body, turn_of: None, error });
        }
        let cover = self.cover.as_ref().map(|cover| said(cover, scope, &mut errors));
        TracedFill { filled: Filled::new(Pieces { pieces, cover }, signers), errors, trace }
    }

    fn always(&self) -> Vec<usize> {
        let is_always = |(_, part): &(usize, &dispatch::Part)| part.include == Inclusion::Always;
        self.own.parts.iter().enumerate().filter(is_always).map(|(at, _)| at).collect()
    }

    /// The pages of each piece, numbered from that on, where they are numbered through.
    fn pages(&self, own: &Pieces, typesetter: &Typesetter<'_>, from: Option<Through>) -> Result<Vec<Piece>, MakeError> {
        let mut made: Vec<Piece> = Vec::with_capacity(own.pieces.len());
        let (mut next, mut attached) = (from.map(|own| own.first), typesetter.attached);
        for piece in &own.pieces {
            let through = from.zip(next).map(|(through, first)| Through { first, ..through });
            let (title, first) = (piece.title.clone(), piece.first);
            let of = |pages: Pages, first: [u32; 2]| Piece { title: title.clone(), pages, first };
            let before = made.len();
            match (&self.parts[piece.part].content, &piece.filled) {
                (Content::Template(template), Some(filled)) => {
                    let own = Typesetter { through, attached: attached.take(), ..*typesetter };
                    let inner = template.typeset(filled, &own)?.into_pieces();
                    // A pack within has titles of its own.
                    let retitled = |inner: Piece| {
                        let title = if inner.title.is_empty() { title.clone() } else { inner.title };
                        Piece { title, pages: inner.pages, first: [inner.first[0] + first[0], inner.first[1].wrapping_add(first[1])] }
                    };
                    made.extend(inner.into_iter().map(retitled));
                }
                (Content::Pdf(pdf), _) => made.push(of(self.parts[piece.part].fixed(pdf), first)),
                (Content::Picture(picture), _) => made.push(of(Pages::Typeset(Box::new(picture.page(&title, typesetter)?)), first)),
                (Content::Template(_) | Content::Gone, _) => {}
            }
            let count: usize = made[before..].iter().map(|piece| piece.pages.count()).sum();
            next = next.map(|next| next + count);
        }
        Ok(made)
    }

    /// The cover and the page of contents.
    fn front(&self, own: &Pieces, made: &[Piece], typesetter: &Typesetter<'_>) -> Result<Vec<Piece>, TypesetError> {
        let mut front = Vec::new();
        let paper = made.first().and_then(|piece| match &piece.pages {
            Pages::Typeset(made) => made.size(0),
            Pages::Fixed(pdf, _) => pdf.size(0),
        });
        let page = paper_of(paper.unwrap_or(A4));
        let typesetter = Typesetter { proof: typesetter.proof, ..Typesetter::default() };
        let typeset = |blocks: Vec<Block>, vertical: Vertical| {
            let section = Section { page, columns: (1, 0.0), blocks, vertical, ..Section::default() };
            let document = Document { sections: vec![section], tab: 36.0, ..Document::default() };
            typesetter.make(&document, FontSet::shipped(), &layout::Pictures::default())
        };
        let piece = |title: &str, made: Made| Piece { title: title.to_owned(), pages: Pages::Typeset(Box::new(made)), first: [0, 0] };
        if let Some(title) = &own.cover {
            let lines = title.lines().enumerate().map(|(at, line)| {
                let style = style(if at == 0 { 30.0 } else { 14.0 }, at == 0);
                paragraph(Align::Center, 10.0, vec![Inline::Text(line.to_owned(), style.clone())], &style)
            });
            front.push(piece(title.lines().next().unwrap_or_default(), typeset(lines.collect(), Vertical::Middle)?));
        }
        if self.own.contents {
            let entries = |before: usize| -> Vec<Block> {
                let (heading, text) = (style(18.0, true), style(11.0, false));
                let mut blocks = vec![paragraph(Align::Left, 14.0, vec![Inline::Text("Contents".to_owned(), heading.clone())], &heading)];
                let mut page_number = before + 1;
                for (at, one) in made.iter().enumerate() {
                    let link = |text_of: String| {
                        let inner = vec![Inline::Text(text_of, text.clone())];
                        Inline::Link(Target::Address(format!("{PART}{}", front.len() + 1 + at)), inner)
                    };
                    let line = vec![link(one.title.clone()), Inline::Tab(text.clone()), link(page_number.to_string())];
                    blocks.push(paragraph(Align::Left, 4.0, line, &text));
                    if let Some(Block::Paragraph(last)) = blocks.last_mut() {
                        last.tabs = vec![Tab { at: page.room(), kind: TabKind::Right, leader: Some('.') }];
                    }
                    page_number += one.pages.count();
                }
                blocks
            };
            // How many pages it has itself is known when it is made.
            let covers: usize = front.iter().map(|piece: &Piece| piece.pages.count()).sum();
            let first = typeset(entries(covers + 1), Vertical::Top)?;
            let made = match first.page_count() {
                1 => first,
                more => typeset(entries(covers + more), Vertical::Top)?,
            };
            front.push(piece("Contents", made));
        }
        Ok(front)
    }
}

impl Part {
    /// Its PDF's pages with their signature fields.
    fn fixed(&self, pdf: &Arc<FixedPdf>) -> Pages {
        Pages::Fixed(pdf.clone(), self.fields.iter().map(|(spot, _)| *spot).collect())
    }

    /// A placeholder of its own as the pack sees it.
    fn seen(&self, placeholder: &Placeholder) -> Placeholder {
        self.repeat.as_ref().map_or_else(|| placeholder.clone(), |repeat| repeat.around(placeholder))
    }
}

impl Template for Pack {
    fn placeholders(&self) -> &[Placeholder] {
        &self.placeholders
    }

    fn problems(&self) -> &[Diagnostic] {
        &self.problems
    }

    fn outline(&self) -> &[Outline] {
        &self.outline
    }

    fn ways(&self) -> &[Way] {
        &[]
    }

    fn notes(&self) -> Vec<String> {
        self.templates().flat_map(|template| template.notes()).collect()
    }

    fn questions(&self) -> Vec<Question> {
        questions_of(self.templates(), self.own.questions())
    }

    fn writes(&self) -> bool {
        false
    }

    fn fill_with(&self, scope: &Scope<'_>, means: Means<'_>) -> Result<Filled, Vec<FillError>> {
        self.fill(scope, means, false).whole()
    }

    fn fill_traced(&self, scope: &Scope<'_>, means: Means<'_>) -> TracedFill {
        self.fill(scope, means, true)
    }

    fn write(&self, _filled: &Filled) -> Result<Vec<u8>, OpenError> {
        Err(OpenError::WrongKind { found: "a pack", wanted: "a template", remedy: "make it as PDF" })
    }

    fn typeset(&self, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Bound, MakeError> {
        let own: &Pieces = filled.of().ok_or_else(other_pack)?;
        let counted_anew = self.own.numbering == Numbering::PerPart && typesetter.through.is_none();
        let mut made = self.pages(own, typesetter, None)?;
        let front = self.front(own, &made, typesetter)?;
        if !counted_anew {
            let front: usize = front.iter().map(|piece| piece.pages.count()).sum();
            let count = front + made.iter().map(|piece| piece.pages.count()).sum::<usize>();
            let through = match typesetter.through {
                Some(outer) => Through { first: outer.first + front, ..outer },
                None => Through { first: front + 1, total: count },
            };
            made = self.pages(own, typesetter, Some(through))?;
        }
        Ok(Bound::new(front.into_iter().chain(made).collect(), counted_anew, typesetter.proof))
    }

    fn lines(&self) -> Result<Vec<String>, OpenError> {
        let mut lines = Vec::new();
        for (own, part) in self.own.parts.iter().zip(&self.parts) {
            lines.push(own.name.clone());
            match &part.content {
                Content::Template(template) => lines.extend(template.lines()?),
                Content::Pdf(pdf) => lines.push(format!("PDF of {} pages", pdf.page_count())),
                Content::Picture(_) | Content::Gone => {}
            }
        }
        Ok(lines)
    }

    fn lines_of(&self, filled: &Filled) -> Result<Vec<String>, OpenError> {
        let own: &Pieces = filled.of().ok_or_else(other_pack)?;
        let mut lines: Vec<String> = own.cover.iter().cloned().collect();
        for piece in &own.pieces {
            lines.push(piece.title.clone());
            if let (Content::Template(template), Some(filled)) = (&self.parts[piece.part].content, &piece.filled) {
                lines.extend(template.lines_of(filled)?);
            }
        }
        Ok(lines)
    }

    fn with_stand_ins(&self) -> Result<Bound, MakeError> {
        let mut made: Vec<Piece> = Vec::new();
        for (at, (own, part)) in self.own.parts.iter().zip(&self.parts).enumerate() {
            let of = |pages: Pages| Piece { title: own.name.clone(), pages, first: [self.parts[at].first as u32, 0] };
            match &part.content {
                Content::Template(template) => {
                    let inner = template.with_stand_ins()?.into_pieces().into_iter();
                    made.extend(inner.map(|piece| Piece { first: [piece.first[0] + part.first as u32, 0], ..piece }));
                }
                Content::Pdf(pdf) => made.push(of(part.fixed(pdf))),
                Content::Picture(picture) => made.push(of(Pages::Typeset(Box::new(picture.page(&own.name, &Typesetter::default())?)))),
                Content::Gone => {}
            }
        }
        Ok(Bound::new(made, true, false))
    }

    fn page_notes(&self) -> Result<PageNotes, OpenError> {
        page_notes_of(self.templates())
    }

    fn rewritten(&self, placeholder: usize, _text: &str) -> Result<Vec<u8>, EditError> {
        Err(EditError::NoSuch(placeholder))
    }
}

impl Pack {
    fn templates(&self) -> impl Iterator<Item = &Arc<dyn Template>> {
        self.parts.iter().filter_map(|part| match &part.content {
            Content::Template(template) => Some(template),
            _ => None,
        })
    }
}

fn other_pack() -> OpenError {
    OpenError::WrongKind { found: "a document of another pack", wanted: "one of this pack", remedy: "fill it again" }
}

/// A4 in points (ISO 216).
const A4: (f64, f64) = (595.28, 841.89);
/// The margin of the pages that a pack makes itself: 20 mm.
const MARGIN: f64 = 56.69;

/// The room for a picture on a page of its own.
fn room() -> (f64, f64) {
    (A4.0 - 2.0 * MARGIN, A4.1 - 2.0 * MARGIN)
}

fn paper_of((width, height): (f64, f64)) -> PageSize {
    let margin = MARGIN.min(width / 8.0).min(height / 8.0);
    PageSize { width, height, margin: [margin; 4], header: margin / 2.0, footer: margin / 2.0, fixed: [false; 2] }
}

fn style(size: f64, bold: bool) -> Arc<TextStyle> {
    Arc::new(TextStyle { font: "Liberation Sans".into(), size, bold, ..TextStyle::default() })
}

fn paragraph(align: Align, after: f64, inlines: Vec<Inline>, mark: &Arc<TextStyle>) -> Block {
    Block::Paragraph(Paragraph {
        align,
        rtl: false,
        indent: [0.0; 3],
        space: [0.0, after],
        contextual: false,
        style: "".into(),
        line: Line::Times(1.15),
        shading: None,
        borders: Default::default(),
        tabs: Vec::new(),
        bars: Vec::new(),
        keep_next: false,
        keep_lines: false,
        widows: true,
        page_break_before: false,
        hyphenate: false,
        numbered: false,
        float: None,
        outline: None,
        marker: None,
        mark: mark.clone(),
        inlines,
    })
}

impl Picture {
    /// The picture on a page of its own, as large as it goes there.
    fn page(&self, title: &str, typesetter: &Typesetter<'_>) -> Result<Made, TypesetError> {
        let own = &self.prepared;
        let part: Arc<str> = format!("picture.{}", own.kind).into();
        let shows = Shows::Picture { part: part.clone(), crop: [0.0; 4], text: title.to_owned() };
        let drawing = Drawing { width: own.width, height: own.height, turned: 0.0, shows };
        let block = paragraph(Align::Center, 0.0, vec![Inline::Drawing(Arc::new(drawing))], &style(1.0, false));
        let section =
            Section { page: paper_of(A4), columns: (1, 0.0), blocks: vec![block], vertical: Vertical::Middle, ..Section::default() };
        let document = Document { sections: vec![section], tab: 36.0, ..Document::default() };
        let pictures: layout::Pictures = HashMap::from([(part, Bytes::new(own.bytes.clone()))]);
        Typesetter { proof: typesetter.proof, ..Typesetter::default() }.make(&document, FontSet::shipped(), &pictures)
    }
}
