//! Markup → pages → PDF and SVG, in process.

use std::collections::HashMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, LazyLock};

use jiff::civil::DateTime;
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration, Smart};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World};
use typst_layout::PagedDocument;
use typst_pdf::{PdfOptions, PdfStandard, PdfStandards, Timestamp};

use super::fonts::FontSet;
use super::markup::{self, Wanted, picture_path};
use crate::model::Document;
use mangle_core::words::grouped;

/// Pages that can't be made.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the pages can't be created: {0}")]
pub struct TypesetError(pub String);

/// After how many pages the typesetter forgets what it did not need again: to look
/// through all it remembers costs a letter a twentieth of its time.
const ROUND: usize = 8;
/// For how many rounds it remembers what comes again in none.
const ROUNDS: usize = 2;
/// The most pages of a document.
const MOST_PAGES: usize = 10_000;

/// What is the same for all documents.
struct Base {
    library: LazyHash<Library>,
    main: FileId,
    prelude: Source,
}

static BASE: LazyLock<Base> = LazyLock::new(|| Base {
    library: LazyHash::new(Library::default()),
    main: id("/main.typ"),
    prelude: Source::new(id("/prelude.typ"), include_str!("prelude.typ").to_owned()),
});

fn id(path: &str) -> FileId {
    match VirtualPath::new(path) {
        Ok(path) => RootedPath::new(VirtualRoot::Project, path).intern(),
        Err(_) => unreachable!("paths are written here"),
    }
}

/// One document's files.
struct Files<'a> {
    fonts: &'a FontSet,
    main: Source,
    pictures: HashMap<FileId, Bytes>,
}

impl World for Files<'_> {
    fn library(&self) -> &LazyHash<Library> {
        &BASE.library
    }

    fn book(&self) -> &LazyHash<FontBook> {
        &self.fonts.book
    }

    fn main(&self) -> FileId {
        BASE.main
    }

    fn source(&self, id: FileId) -> FileResult<Source> {
        if id == BASE.main {
            Ok(self.main.clone())
        } else if id == BASE.prelude.id() {
            Ok(BASE.prelude.clone())
        } else {
            Err(FileError::AccessDenied)
        }
    }

    fn file(&self, id: FileId) -> FileResult<Bytes> {
        self.pictures.get(&id).cloned().ok_or(FileError::AccessDenied)
    }

    fn font(&self, index: usize) -> Option<Font> {
        self.fonts.fonts.get(index).cloned()
    }

    fn today(&self, _: Option<Duration>) -> Option<Datetime> {
        None
    }
}

/// Makes pages. One serves the whole process.
#[derive(Debug, Default, Clone, Copy)]
pub struct Typesetter<'a> {
    /// Prints PROOF across every page.
    pub proof: bool,
    /// What is attached to the PDF.
    pub attached: Option<Attached<'a>>,
    /// How its pages are numbered where it is a part of more.
    pub through: Option<Through>,
}

/// Page numbers of a part that go on from the parts before it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Through {
    /// The number of its first page.
    pub first: usize,
    /// How many pages there are in all.
    pub total: usize,
}

/// A file that is attached to a PDF: the data that the document was made from.
#[derive(Debug, Clone, Copy)]
pub struct Attached<'a> {
    /// Its kind.
    pub kind: AttachedKind,
    /// Its content.
    pub bytes: &'a [u8],
}

/// The kinds of attached files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum AttachedKind {
    Json,
    Csv,
}

impl AttachedKind {
    /// Its virtual path, from which it has its name.
    fn path(self) -> &'static str {
        match self {
            AttachedKind::Json => "/record.json",
            AttachedKind::Csv => "/record.csv",
        }
    }

    pub(super) fn markup(self) -> &'static str {
        match self {
            AttachedKind::Json => {
                "#pdf.attach(\"/record.json\", relationship: \"data\", mime-type: \"application/json\", description: \"The record that this document was made from\")\n"
            }
            AttachedKind::Csv => {
                "#pdf.attach(\"/record.csv\", relationship: \"data\", mime-type: \"text/csv\", description: \"The record that this document was made from\")\n"
            }
        }
    }
}

/// How a PDF is written.
#[derive(Debug, Clone, Copy)]
pub struct PdfWish<'a> {
    /// Its title.
    pub title: &'a str,
    /// When it is made.
    pub moment: DateTime,
    /// The standard that it keeps besides PDF itself.
    pub standard: Option<Standard>,
    /// The password that opens it. With one, the same pages no longer give the same
    /// bytes.
    pub password: Option<&'a str>,
}

/// A standard that a PDF keeps.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Standard {
    /// PDF/A-2b (ISO 19005-2).
    A2b,
    /// PDF/A-3b (ISO 19005-3).
    A3b,
    /// PDF/UA-1 (ISO 14289-1).
    Ua1,
}

impl Standard {
    /// What people call it.
    pub fn name(self) -> &'static str {
        match self {
            Standard::A2b => "PDF/A-2b",
            Standard::A3b => "PDF/A-3b",
            Standard::Ua1 => "PDF/UA-1",
        }
    }
}

/// Pictures by the name that the page model gives them.
pub type Pictures = HashMap<Arc<str>, Bytes>;

/// Typeset pages.
#[derive(Debug)]
pub struct Made {
    document: PagedDocument,
}

impl Typesetter<'_> {
    /// Typesets a document.
    pub fn make(&self, document: &Document, fonts: &FontSet, pictures: &Pictures) -> Result<Made, TypesetError> {
        let markup = markup::write(
            document,
            Wanted { tab: document.tab, proof: self.proof, attached: self.attached.map(|a| a.kind), through: self.through, fonts },
        );
        let mut pictures: HashMap<FileId, Bytes> = markup
            .pictures
            .iter()
            .enumerate()
            .filter_map(|(number, part)| Some((id(&picture_path(number, part)), pictures.get(part)?.clone())))
            .collect();
        if let Some(attached) = &self.attached {
            pictures.insert(id(attached.kind.path()), Bytes::new(attached.bytes.to_vec()));
        }
        let files = Files { fonts, main: Source::new(BASE.main, markup.source), pictures };
        let result = caught(|| typst::compile::<PagedDocument>(&files).output)?;
        forget(result.as_ref().map_or(1, |document| document.pages().len()));
        let document =
            result.map_err(|errors| TypesetError(errors.iter().map(|e| e.message.to_string()).collect::<Vec<_>>().join("; ")))?;
        if document.pages().len() > MOST_PAGES {
            return Err(TypesetError(format!("it has {} pages (maximum {})", grouped(document.pages().len()), grouped(MOST_PAGES))));
        }
        Ok(Made { document })
    }
}

/// Typesets markup of our own, whose texts are escaped (`escaped`), with pictures by their paths.
pub(crate) fn typeset_markup(source: String, fonts: &FontSet, pictures: &[(&str, Bytes)]) -> Result<Made, TypesetError> {
    let pictures = pictures.iter().map(|(path, bytes)| (id(path), bytes.clone())).collect();
    let files = Files { fonts, main: Source::new(BASE.main, source), pictures };
    let result = caught(|| typst::compile::<PagedDocument>(&files).output)?;
    forget(1);
    let document = result.map_err(|errors| TypesetError(errors.iter().map(|e| e.message.to_string()).collect::<Vec<_>>().join("; ")))?;
    Ok(Made { document })
}

/// Whatever a document does to the typesetter, it costs that document alone.
fn caught<T>(work: impl FnOnce() -> T) -> Result<T, TypesetError> {
    let done = std::panic::catch_unwind(std::panic::AssertUnwindSafe(work));
    done.map_err(|_| TypesetError("typesetting failed".to_owned()))
}

/// Counts pages that were typeset, and lets the typesetter forget after each round.
fn forget(pages: usize) {
    static TYPESET: AtomicUsize = AtomicUsize::new(0);
    if TYPESET.fetch_add(pages, Ordering::Relaxed) + pages >= ROUND {
        TYPESET.store(0, Ordering::Relaxed);
        comemo::evict(ROUNDS);
    }
}

impl Made {
    pub(super) fn introspector(&self) -> &typst_layout::PagedIntrospector {
        self.document.introspector()
    }

    pub(super) fn pages(&self) -> &[typst_layout::Page] {
        self.document.pages()
    }

    /// How many pages there are.
    pub fn page_count(&self) -> usize {
        self.document.pages().len()
    }

    /// The pages as a tagged PDF. The same pages, title and moment give the same
    /// bytes.
    pub fn pdf(self, title: &str, moment: DateTime) -> Result<Vec<u8>, TypesetError> {
        self.pdf_as(PdfWish { title, moment, standard: None, password: None })
    }

    /// The pages as a PDF of that kind.
    pub fn pdf_as(mut self, wish: PdfWish<'_>) -> Result<Vec<u8>, TypesetError> {
        let PdfWish { title, moment, .. } = wish;
        let timestamp = Datetime::from_ymd_hms(
            i32::from(moment.year()),
            moment.month() as u8,
            moment.day() as u8,
            moment.hour() as u8,
            moment.minute() as u8,
            moment.second() as u8,
        );
        self.document.info_mut().title = Some(title.into());
        let options = PdfOptions {
            ident: Smart::Custom(title.to_owned()),
            creator: Smart::Custom(Some("Mangle".to_owned())),
            timestamp: timestamp.map(Timestamp::new_utc),
            standards: match wish.standard {
                None => PdfStandards::default(),
                Some(standard) => PdfStandards::new(&[match standard {
                    Standard::A2b => PdfStandard::A_2b,
                    Standard::A3b => PdfStandard::A_3b,
                    Standard::Ua1 => PdfStandard::Ua_1,
                }])
                .map_err(|e| TypesetError(e.message().to_string()))?,
            },
            ..PdfOptions::default()
        };
        let pdf = caught(|| typst_pdf::pdf(&self.document, &options))?
            .map_err(|errors| TypesetError(errors.iter().map(|e| e.message.to_string()).collect::<Vec<_>>().join("; ")))?;
        match wish.password {
            Some(password) => crate::pdf::close(&pdf, password).map_err(|e| TypesetError(e.to_string())),
            None => Ok(pdf),
        }
    }

    /// The pages as a PDF without tags, to be drawn into another.
    pub(crate) fn drawn(self) -> Result<Vec<u8>, TypesetError> {
        let standards = PdfStandards::new(&[PdfStandard::A_2b]).map_err(|e| TypesetError(e.message().to_string()))?;
        let timestamp = Datetime::from_ymd_hms(2026, 1, 1, 0, 0, 0).map(Timestamp::new_utc);
        let options = PdfOptions { ident: Smart::Custom("mark".to_owned()), standards, tagged: false, timestamp, ..PdfOptions::default() };
        caught(|| typst_pdf::pdf(&self.document, &options))?
            .map_err(|errors| TypesetError(errors.iter().map(|e| e.message.to_string()).collect::<Vec<_>>().join("; ")))
    }

    /// The size of a page in points: width, height.
    pub fn size(&self, page: usize) -> Option<(f64, f64)> {
        self.document.pages().get(page).map(|p| (p.frame.width().to_pt(), p.frame.height().to_pt()))
    }

    /// A page as SVG.
    pub fn svg(&self, page: usize) -> Option<String> {
        let page = self.document.pages().get(page)?;
        caught(|| typst_svg::svg(page, &typst_svg::SvgOptions::default())).ok()
    }
}
