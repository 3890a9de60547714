//! DOCX templates (ECMA-376): placeholders found once, filled per record, and
//! the filled document written with every other part as it was.

mod dialect;
mod parts;

use std::io::{Cursor, Write};
use std::sync::Arc;

use mangle_core::language::Scope;
use mangle_core::template::{FillError, Placeholder, Problem, Program, compile, gather};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use crate::OpenError;
use crate::package::Package;
use crate::page::{self, Look, TypesetError, Typesetter};

pub use parts::{PartKind, Parts};

/// A compiled template. Sharing it between threads is free.
#[derive(Debug)]
pub struct Template {
    package: Package,
    /// Parts that change from record to record.
    programs: Vec<(String, Program)>,
    placeholders: Vec<Placeholder>,
    problems: Vec<Problem>,
    look: Look,
}

/// The parts filled for one record, in the order of the template's programs.
#[derive(Debug)]
pub struct Filled(Vec<Vec<u8>>);

impl Template {
    /// Opens and compiles a template.
    pub fn open(bytes: impl Into<Arc<[u8]>>) -> Result<Template, OpenError> {
        let package = Package::open(bytes.into(), "a DOCX document")?;
        let parts = Parts::read(&package)?;
        let (mut programs, mut placeholders, mut problems) = (Vec::new(), Vec::new(), Vec::new());
        for (name, kind) in parts.with_text() {
            let bytes = package.part(name)?;
            let gathered = gather(bytes, &dialect::WORDPROCESSING, kind.place()).map_err(|e| OpenError::of_part(name, e))?;
            let compiled = compile(gathered);
            placeholders.extend(compiled.placeholders);
            problems.extend(compiled.problems);
            programs.push((name.to_owned(), compiled.program));
        }
        let look = Look::read(&package, &parts)?;
        Ok(Template { package, programs, placeholders, problems, look })
    }

    /// The placeholders in reading order: document, headers, footers, notes.
    pub fn placeholders(&self) -> &[Placeholder] {
        &self.placeholders
    }

    /// What must be put right before the template can be used.
    pub fn problems(&self) -> &[Problem] {
        &self.problems
    }

    /// Fills the template for one record.
    pub fn fill(&self, scope: &Scope<'_>) -> Result<Filled, Vec<FillError>> {
        let mut errors = Vec::new();
        let filled = self
            .programs
            .iter()
            .map(|(_, program)| {
                if program.is_static() {
                    return Vec::new();
                }
                let mut out = Vec::with_capacity(program.source().len() + 1024);
                errors.extend(program.fill(scope, &mut out, &mut mangle_core::template::NoDrawing).errors);
                out
            })
            .collect();
        if errors.is_empty() { Ok(Filled(filled)) } else { Err(errors) }
    }

    /// The bytes of a part as filled; `None` when the template has no such part
    /// with text.
    fn filled_part<'a>(&'a self, filled: &'a Filled, name: &str) -> Option<&'a [u8]> {
        let at = self.programs.iter().position(|(own, _)| own == name)?;
        let program = &self.programs[at].1;
        Some(if program.is_static() { program.source() } else { &filled.0[at] })
    }

    /// Writes the filled document. Parts without placeholders are copied as they
    /// are packed, byte for byte.
    pub fn docx(&self, filled: &Filled) -> Result<Vec<u8>, OpenError> {
        let damaged = |e: zip::result::ZipError| OpenError::Damaged(e.to_string());
        let mut archive = self.package.archive.clone();
        let mut writer = ZipWriter::new(Cursor::new(Vec::with_capacity(self.package.bytes.len() + 4096)));
        let options = SimpleFileOptions::default().compression_level(Some(1));
        for index in 0..archive.len() {
            let part = archive.by_index_raw(index).map_err(damaged)?;
            let part_name = part.name().map_err(damaged)?.into_owned();
            let changed = self.programs.iter().position(|(name, program)| *name == part_name && !program.is_static());
            match changed {
                None => writer.raw_copy_file(part).map_err(damaged)?,
                Some(at) => {
                    drop(part);
                    writer.start_file(part_name, options).map_err(damaged)?;
                    writer.write_all(&filled.0[at]).map_err(|e| OpenError::Damaged(e.to_string()))?;
                }
            }
        }
        Ok(writer.finish().map_err(damaged)?.into_inner())
    }

    /// The filled document as a page model.
    pub fn pages(&self, filled: &Filled) -> Result<page::Document, OpenError> {
        page::read(&self.look, &|name| self.filled_part(filled, name))
    }

    /// The filled document typeset.
    pub fn typeset(&self, filled: &Filled, typesetter: &Typesetter) -> Result<page::Made, MakeError> {
        Ok(self.typeset_pages(&self.pages(filled)?, typesetter)?)
    }

    /// Pages read before, typeset.
    pub fn typeset_pages(&self, pages: &page::Document, typesetter: &Typesetter) -> Result<page::Made, TypesetError> {
        typesetter.make(pages, self.look.pictures(), self.look.tab_distance())
    }
}

/// Why a filled document has no pages.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MakeError {
    /// It can't be read.
    #[error(transparent)]
    Read(#[from] OpenError),
    /// It can't be typeset.
    #[error(transparent)]
    Typeset(#[from] TypesetError),
}

#[cfg(test)]
mod tests;
