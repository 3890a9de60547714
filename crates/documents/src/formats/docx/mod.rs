//! DOCX templates (ECMA-376): placeholders found once, filled per record, and
//! the filled document written with every other part as it was.

mod dialect;
mod draw;
mod edit;
mod look;
mod numbering;
mod parts;
mod properties;
mod read;
mod ready;
mod splice;
mod styles;
mod symbols;
mod write;
mod xml;

use std::collections::HashMap;
use std::sync::Arc;

use mangle_core::diagnostic::Diagnostic;
use mangle_core::language::Scope;
use mangle_core::template::{FillError, Need, Outline, Placeholder, Program, Short, Traced, Way, compile, gather, needs};

use super::{EditError, Filled as AnyFilled, Format, MakeError, Means, PageNotes, SignerPlace, Template as AnyTemplate, TracedFill};
use crate::OpenError;
use crate::bound::Bound;
use crate::layout::{FontSet, Made, TypesetError, Typesetter};
use crate::model;
use crate::package::Package;

pub use draw::Added;
use look::Look;
pub use parts::{PartKind, Parts};
use read::{Mark, Shown, Text};
pub use ready::Found;

/// A compiled template. Sharing it between threads is free.
#[derive(Debug)]
pub struct Template {
    package: Package,
    /// The parts with text: the document first.
    parts: Vec<Part>,
    /// Links' targets and properties with placeholders, by part name.
    spliced: Vec<(String, splice::Spliced)>,
    /// Parts of comments, without their comments.
    emptied: HashMap<String, Vec<u8>>,
    placeholders: Vec<Placeholder>,
    problems: Vec<Diagnostic>,
    outline: Vec<Outline>,
    ways: Vec<Way>,
    found: Found,
    look: Look,
    shelf: draw::Shelf,
}

/// A part with text.
#[derive(Debug)]
struct Part {
    name: String,
    program: Program,
    /// It differs from the file's own even where it holds no placeholder.
    changed: bool,
    /// Where its placeholders begin among those of the template.
    first: usize,
    /// Where each of the template's placeholders stands in it.
    marks: Vec<Mark>,
}

/// A template filled for one record.
#[derive(Debug)]
pub struct Filled {
    /// The parts in the order of the template's.
    parts: Vec<Vec<u8>>,
    /// Where each entry of the trace printed, part by part; empty without a trace.
    marks: Vec<Vec<Mark>>,
    added: Added,
}

impl Filled {
    /// The signature field whose drawing has a number.
    pub fn signer(&self, number: u32) -> Option<&SignerPlace> {
        self.added.signers.get(&number)
    }
}

impl Template {
    /// Opens and compiles a template.
    pub fn open(bytes: impl Into<Arc<[u8]>>) -> Result<Template, OpenError> {
        Template::open_with(bytes, FontSet::shipped())
    }

    /// The same, with these fonts for its pages.
    pub fn open_with(bytes: impl Into<Arc<[u8]>>, fonts: &Arc<FontSet>) -> Result<Template, OpenError> {
        let package = Package::open(bytes.into(), "a DOCX document")?;
        let kinds = Parts::read(&package)?;
        let (mut parts, mut placeholders, mut problems, mut outline) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        let (mut found, mut ways, mut sections) = (Found::default(), Vec::new(), Vec::new());
        for (name, kind) in kinds.with_text() {
            let own = package.part(name)?;
            let ready = ready::ready(name, &own, &mut found)?;
            let changed = ready.is_some();
            let gathered = gather(ready.unwrap_or(own), &dialect::WORDPROCESSING, kind.place()).map_err(|e| OpenError::of_part(name, e))?;
            let compiled = compile(gathered);
            let first = placeholders.len();
            outline.extend(compiled.outline.into_iter().map(|line| line.moved(first)));
            ways.extend(compiled.ways.into_iter().map(|way| way.moved(first)));
            placeholders.extend(compiled.placeholders);
            sections.extend(compiled.sections);
            problems.extend(compiled.problems);
            let spots = compiled.spots.into_iter().enumerate();
            let mut marks: Vec<Mark> = spots
                .flat_map(|(n, spots)| spots.into_iter().map(move |at| Mark { number: (first + n) as u32, at, shown: None }))
                .collect();
            marks.sort_by_key(|m| m.at.start);
            parts.push(Part { name: name.to_owned(), program: compiled.program, changed, first, marks });
        }
        let look = Look::read(&package, &kinds, fonts)?;
        // Headers and footers of repeated sections look names up in the turns.
        for (relation, lists) in sections {
            let own = parts.first().and_then(|document: &Part| look.relation(&document.name, &relation));
            let Some(at) = parts.iter().position(|p| Some(p.name.as_str()) == own) else { continue };
            let until = parts.get(at + 1).map_or(placeholders.len(), |next| next.first);
            for name in placeholders[parts[at].first..until].iter_mut().flat_map(|p: &mut Placeholder| &mut p.names) {
                if !name.within.starts_with(&lists) {
                    name.within.splice(0..0, lists.iter().cloned());
                }
            }
        }
        let mut spliced: Vec<(String, splice::Spliced)> = Vec::new();
        for name in package.names() {
            let read = match name {
                "docProps/core.xml" => splice::Spliced::properties,
                rels if rels.ends_with(".rels") && rels.contains('/') => splice::Spliced::relations,
                _ => continue,
            };
            if let Some(part) = read(package.part(name)?) {
                placeholders.extend(part.placeholders());
                problems.extend(part.problems());
                spliced.push((name.to_owned(), part));
            }
        }
        let mut emptied = HashMap::new();
        for name in kinds.comments() {
            emptied.insert(name.to_owned(), write::without_content(&package.part(name)?));
        }
        Ok(Template { package, parts, spliced, emptied, placeholders, problems, outline, ways, found, look, shelf: draw::Shelf::default() })
    }

    /// The placeholders in reading order: document, headers, footers, notes, then
    /// links and properties.
    pub fn placeholders(&self) -> &[Placeholder] {
        &self.placeholders
    }

    /// What must be put right before the template can be used.
    pub fn problems(&self) -> &[Diagnostic] {
        &self.problems
    }

    /// The conditions and repeats as they nest.
    pub fn outline(&self) -> &[Outline] {
        &self.outline
    }

    /// The ways that filling can go.
    pub fn ways(&self) -> &[Way] {
        &self.ways
    }

    /// The fields that it needs, as a tree.
    pub fn needs(&self) -> Vec<Need> {
        needs(&self.placeholders)
    }

    /// What was read differently than it stands in the file.
    pub fn found(&self) -> &Found {
        &self.found
    }

    /// Fills the template for one record, with pictures only from the record.
    pub fn fill(&self, scope: &Scope<'_>) -> Result<Filled, Vec<FillError>> {
        self.fill_with(scope, Means::default())
    }

    /// Fills the template for one record.
    pub fn fill_with(&self, scope: &Scope<'_>, means: Means<'_>) -> Result<Filled, Vec<FillError>> {
        let TracedFill { filled, errors, .. } = self.run(scope, means, false);
        if errors.is_empty() { Ok(filled) } else { Err(errors) }
    }

    /// Fills the template to be looked at, and tells what each placeholder did, by its
    /// place among [`Template::placeholders`].
    pub fn fill_traced(&self, scope: &Scope<'_>, means: Means<'_>) -> TracedFill<Filled> {
        self.run(scope, means, true)
    }

    fn run(&self, scope: &Scope<'_>, means: Means<'_>, traced: bool) -> TracedFill<Filled> {
        let (mut errors, mut trace) = (Vec::new(), Vec::new());
        let mut artist = draw::Artist {
            pictures: means.pictures,
            shelf: &self.shelf,
            next_list: self.look.next_list(),
            part: String::new(),
            added: Added::default(),
            drawn: 0,
            parts: &self.parts,
            look: &self.look,
        };
        let mut parts = Vec::with_capacity(self.parts.len());
        let mut marks = Vec::new();
        // The document comes first: headers and footers see the names that it sets.
        for part in &self.parts {
            let mut out = Vec::new();
            let before = trace.len();
            // One whose sections all have their own need not be filled by itself.
            let turn = artist.added.parts.iter().rev().find(|turn| turn.of == part.name);
            if let Some(turn) = turn.filter(|_| !self.leads_to(parts.first().map_or(&[], Vec::as_slice), &part.name)) {
                out.clone_from(&turn.bytes);
            } else if !part.program.is_static() {
                artist.begin(&part.name);
                out.reserve(part.program.source().len() + 1024);
                let filling = match traced {
                    true => part.program.fill_traced(scope, &mut out, &mut artist),
                    false => part.program.fill(scope, &mut out, &mut artist),
                };
                errors.extend(filling.errors);
                trace.extend(filling.trace.into_iter().map(|t| Traced { placeholder: t.placeholder + part.first, ..t }));
            }
            parts.push(out);
            if traced {
                let own = trace.iter().enumerate().skip(before);
                marks.push(own.filter_map(|(n, t)| Some(Mark { number: n as u32, at: t.at.clone()?, shown: None })).collect());
            }
        }
        let mut added = artist.added;
        for (name, part) in &self.spliced {
            match part.fill(scope, &mut added.links) {
                Ok(bytes) => {
                    added.spliced.insert(name.clone(), bytes);
                }
                Err(error) => errors.push(error),
            }
        }
        TracedFill { filled: Filled { parts, marks, added }, errors, trace }
    }

    /// Whether a filled document still has a relation to a part.
    fn leads_to(&self, document: &[u8], part: &str) -> bool {
        let text = String::from_utf8_lossy(document);
        self.look.relations_to(part).any(|id| text.contains(&format!(":id=\"{id}\"")))
    }

    /// A part as filled; `None` when the template has no such part with text.
    fn filled_part<'a>(&'a self, filled: &'a Filled, name: &str) -> Option<Text<'a>> {
        if let Some(turn) = filled.added.parts.iter().find(|own| own.name == name) {
            return Some(Text { bytes: &turn.bytes, marks: &[] });
        }
        let at = self.parts.iter().position(|own| own.name == name)?;
        let program = &self.parts[at].program;
        Some(match program.is_static() {
            true => Text { bytes: program.source(), marks: &[] },
            false => Text { bytes: &filled.parts[at], marks: filled.marks.get(at).map_or(&[], Vec::as_slice) },
        })
    }

    /// The template's own pages, its placeholders as they are written. The marks of
    /// what is made are the places of [`Template::placeholders`].
    pub fn unfilled(&self) -> Result<Made, MakeError> {
        let pages = self.unfilled_pages()?;
        Ok(Typesetter::default().make(&pages, self.look.fonts(), &self.look.pictures_with(&Added::default()))?)
    }

    /// The same with a short stand-in for each placeholder ([`Short`]), so that columns,
    /// lines and pages are about those of a filled document.
    pub fn with_stand_ins(&self) -> Result<Made, MakeError> {
        let shorts: Vec<Shown> = self.placeholders.iter().map(|p| shown(&Short::of(&p.text))).collect();
        let marked = |own: &Part| -> Vec<Mark> {
            let mut before = None;
            let mark = |mark: &Mark| {
                // Of a placeholder in several pieces the first shows all of it.
                let text = Shown { text: "".into(), small: true };
                let shown = match before.replace(mark.number) == Some(mark.number) {
                    true => text,
                    false => shorts.get(mark.number as usize).cloned().unwrap_or(text),
                };
                Mark { shown: Some(shown), ..mark.clone() }
            };
            own.marks.iter().map(mark).collect()
        };
        let parts: HashMap<&str, (&Part, Vec<Mark>)> = self.parts.iter().map(|own| (own.name.as_str(), (own, marked(own)))).collect();
        let part = |name: &str| parts.get(name).map(|(own, marks)| Text { bytes: own.program.source(), marks });
        let pages = read::read(&self.look, &Added::default(), &part)?;
        Ok(Typesetter::default().make(&pages, self.look.fonts(), &self.look.pictures_with(&Added::default()))?)
    }

    /// What its pages can't show, or show in another font than it asks for; worked
    /// out from the pages before they are filled.
    pub fn page_notes(&self) -> Result<PageNotes, OpenError> {
        let pages = self.unfilled_pages()?;
        let fonts = pages.fonts().into_iter().map(|asked| self.look.fonts().stand_in(&asked)).filter(|u| !u.same_widths).collect();
        Ok(PageNotes { left_out: pages.left_out.into_iter().collect(), fonts })
    }

    /// The same as a page model.
    pub fn unfilled_pages(&self) -> Result<model::Document, OpenError> {
        let added = Added::default();
        let part = |name: &str| {
            let own = self.parts.iter().find(|own| own.name == name)?;
            Some(Text { bytes: own.program.source(), marks: &own.marks })
        };
        read::read(&self.look, &added, &part)
    }

    /// Writes the filled document. Parts without placeholders are copied as they
    /// are packed, byte for byte.
    pub fn docx(&self, filled: &Filled) -> Result<Vec<u8>, OpenError> {
        write::docx(self, filled)
    }

    /// The filled document as a page model.
    pub fn pages(&self, filled: &Filled) -> Result<model::Document, OpenError> {
        read::read(&self.look, &filled.added, &|name| self.filled_part(filled, name))
    }

    /// The filled document typeset.
    pub fn typeset(&self, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Made, MakeError> {
        Ok(self.typeset_pages(&self.pages(filled)?, filled, typesetter)?)
    }

    /// Pages read before, typeset.
    pub fn typeset_pages(&self, pages: &model::Document, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Made, TypesetError> {
        typesetter.make(pages, self.look.fonts(), &self.look.pictures_with(&filled.added))
    }
}

fn shown(short: &Short) -> Shown {
    Shown { text: short.text.as_str().into(), small: !short.prints }
}

/// DOCX (ECMA-376), the format of word processors.
#[derive(Debug)]
pub struct Docx;

impl Format for Docx {
    fn word(&self) -> &'static str {
        "docx"
    }

    fn name(&self) -> &'static str {
        "DOCX"
    }

    fn media_type(&self) -> &'static str {
        "application/vnd.openxmlformats-officedocument.wordprocessingml.document"
    }

    fn holds(&self, bytes: &[u8]) -> bool {
        bytes.starts_with(b"PK") && bytes.windows(17).any(|w| w == b"word/document.xml")
    }

    fn open(&self, bytes: Arc<[u8]>, fonts: &Arc<FontSet>) -> Result<Arc<dyn AnyTemplate>, OpenError> {
        Ok(Arc::new(Template::open_with(bytes, fonts)?))
    }
}

impl AnyTemplate for Template {
    fn placeholders(&self) -> &[Placeholder] {
        self.placeholders()
    }

    fn problems(&self) -> &[Diagnostic] {
        self.problems()
    }

    fn outline(&self) -> &[Outline] {
        self.outline()
    }

    fn ways(&self) -> &[Way] {
        self.ways()
    }

    fn notes(&self) -> Vec<String> {
        self.found.said()
    }

    fn fill_traced(&self, scope: &Scope<'_>, means: Means<'_>) -> TracedFill {
        any(self.run(scope, means, true))
    }

    fn fill_with(&self, scope: &Scope<'_>, means: Means<'_>) -> Result<AnyFilled, Vec<FillError>> {
        any(self.run(scope, means, false)).whole()
    }

    fn write(&self, filled: &AnyFilled) -> Result<Vec<u8>, OpenError> {
        self.docx(own(filled)?)
    }

    fn typeset(&self, filled: &AnyFilled, typesetter: &Typesetter<'_>) -> Result<Bound, MakeError> {
        Ok(self.typeset(own(filled)?, typesetter)?.into())
    }

    fn lines(&self) -> Result<Vec<String>, OpenError> {
        Ok(self.unfilled_pages()?.lines())
    }

    fn lines_of(&self, filled: &AnyFilled) -> Result<Vec<String>, OpenError> {
        Ok(self.pages(own(filled)?)?.lines())
    }

    fn with_stand_ins(&self) -> Result<Bound, MakeError> {
        Ok(self.with_stand_ins()?.into())
    }

    fn page_notes(&self) -> Result<PageNotes, OpenError> {
        self.page_notes()
    }

    fn rewritten(&self, placeholder: usize, text: &str) -> Result<Vec<u8>, EditError> {
        self.rewritten(placeholder, text)
    }
}

fn any(traced: TracedFill<Filled>) -> TracedFill {
    let TracedFill { filled, errors, trace } = traced;
    let signers = filled.added.signers.clone();
    TracedFill { filled: AnyFilled::new(filled, signers), errors, trace }
}

fn own(filled: &AnyFilled) -> Result<&Filled, OpenError> {
    filled.of().ok_or(OpenError::WrongKind {
        found: "a document of another template",
        wanted: "a filled DOCX",
        remedy: "fill the template again",
    })
}

#[cfg(test)]
mod tests;
