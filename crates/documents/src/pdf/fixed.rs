//! A PDF that is a part of a document as it is: harbour rules, terms and conditions.

use std::sync::{Arc, OnceLock};

use hayro::hayro_interpret::InterpreterSettings;
use hayro::hayro_syntax::Pdf;
use hayro_svg::{RenderCache, SvgRenderSettings, convert};
use lopdf::{Dictionary, Document, LoadOptions, Object};
use mangle_core::words::grouped;

use super::find::{self, FoundText, Sign};
use crate::layout::Standard;

/// The most pages that a fixed PDF may have.
pub const MOST_PAGES: usize = 1_000;
/// The most bytes of it.
pub const MOST_BYTES: usize = 50 << 20;
/// How deep its tree of pages may nest.
const DEEPEST: usize = 64;
/// What one of its compressed streams may unpack to while it is opened.
const MOST_UNPACKED: usize = 64 << 20;

/// A PDF that is a part of a document as it is.
pub struct FixedPdf {
    pub(crate) document: Document,
    bytes: Arc<Vec<u8>>,
    sizes: Vec<(f64, f64)>,
    tagged: bool,
    /// The standards that it says it keeps, as `pdfaid:part` and `pdfuaid:part` of its metadata.
    archive: Option<u8>,
    reads_aloud: bool,
    drawn: Vec<OnceLock<Option<String>>>,
    signs: OnceLock<Vec<Sign>>,
}

impl std::fmt::Debug for FixedPdf {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("FixedPdf").field("pages", &self.sizes.len()).field("tagged", &self.tagged).finish_non_exhaustive()
    }
}

/// Why a PDF can't be a part.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FixedFault {
    /// It is none.
    #[error("this is not a PDF. Choose a file that ends in .pdf, or save the document as PDF first.")]
    NotOne,
    /// It is damaged.
    #[error("the PDF is damaged or incomplete ({0}). Open it in a PDF viewer, save or print it to a new PDF and upload that.")]
    Damaged(String),
    /// It is encrypted, with or without a password to open it.
    #[error("the PDF is encrypted. Save it without password and without restrictions, then upload it again.")]
    Encrypted,
    /// It has too many pages.
    #[error("the PDF has {} pages (maximum {})", grouped(*.0), grouped(MOST_PAGES))]
    TooManyPages(usize),
    /// It has too many bytes.
    #[error("the PDF has more than {} MB", MOST_BYTES >> 20)]
    TooLarge,
    /// It is signed.
    #[error("the PDF is signed; its signature would become invalid. Print it to a new PDF and upload that, or attach it to the e-mail.")]
    Signed,
    /// Its pages are made by the viewer.
    #[error("the PDF is an XFA form, which most viewers can't show. Print it to a new PDF and upload that.")]
    Dynamic,
}

impl FixedPdf {
    /// Opens a PDF.
    pub fn open(bytes: Vec<u8>) -> Result<FixedPdf, FixedFault> {
        let damaged = |why: &str| FixedFault::Damaged(why.to_owned());
        if bytes.len() > MOST_BYTES {
            return Err(FixedFault::TooLarge);
        }
        // The header may stand behind something else (ISO 32000-1, annex H.3, note 13).
        if !bytes[..bytes.len().min(1024)].windows(5).any(|w| w == b"%PDF-") {
            return Err(FixedFault::NotOne);
        }
        let options = LoadOptions { max_decompressed_size: Some(MOST_UNPACKED), ..LoadOptions::default() };
        let document = Document::load_mem_with_options(&bytes, options).map_err(|error| match error {
            lopdf::Error::Decryption(_) | lopdf::Error::UnsupportedSecurityHandler(_) | lopdf::Error::InvalidPassword => {
                FixedFault::Encrypted
            }
            _ => damaged("its objects can't be read"),
        })?;
        if document.is_encrypted() || document.was_encrypted() {
            return Err(FixedFault::Encrypted);
        }
        if document.xref_recovery.is_some() {
            return Err(damaged("its table of contents can't be read"));
        }
        let catalog = document.catalog().map_err(|_| damaged("it has no catalog"))?;
        let mut count = 0;
        if let Ok(pages) = catalog.get_deref(b"Pages", &document).and_then(Object::as_dict) {
            count_pages(&document, pages, &mut count, 0);
        }
        if count > MOST_PAGES {
            return Err(FixedFault::TooManyPages(count));
        }
        if count != document.page_iter().count() {
            return Err(damaged("a page comes twice"));
        }
        if let Ok(form) = catalog.get_deref(b"AcroForm", &document).and_then(Object::as_dict) {
            if form.has(b"XFA") {
                return Err(FixedFault::Dynamic);
            }
            if form.get_deref(b"SigFlags", &document).and_then(Object::as_i64).is_ok_and(|flags| flags & 1 == 1) {
                return Err(FixedFault::Signed);
            }
        }
        let tagged = catalog.get_deref(b"StructTreeRoot", &document).and_then(Object::as_dict).is_ok();
        let said = catalog.get_deref(b"Metadata", &document).and_then(Object::as_stream).ok();
        let said = said.and_then(|stream| stream.get_plain_content_with_limit(MOST_UNPACKED).ok()).unwrap_or_default();
        let said = String::from_utf8_lossy(&said);
        let (archive, reads_aloud) = (part_said(&said, "pdfaid:part"), part_said(&said, "pdfuaid:part").is_some());
        let bytes = Arc::new(bytes);
        let sizes = std::panic::catch_unwind(|| {
            let pdf = Pdf::new(bytes.clone()).ok()?;
            let size = |(width, height): (f32, f32)| (f64::from(width), f64::from(height));
            Some(pdf.pages().iter().map(|page| size(page.render_dimensions())).collect::<Vec<_>>())
        });
        let sizes = sizes.ok().flatten().ok_or_else(|| damaged("its pages can't be read"))?;
        if sizes.is_empty() || sizes.len() != count {
            return Err(damaged("some of its pages can't be read"));
        }
        let drawn = sizes.iter().map(|_| OnceLock::new()).collect();
        Ok(FixedPdf { document, bytes, sizes, tagged, archive, reads_aloud, drawn, signs: OnceLock::new() })
    }

    /// How many pages it has.
    pub fn page_count(&self) -> usize {
        self.sizes.len()
    }

    /// The size of a page in points: width, height.
    pub fn size(&self, page: usize) -> Option<(f64, f64)> {
        self.sizes.get(page).copied()
    }

    /// Whether it has tags for reading aloud.
    pub fn is_tagged(&self) -> bool {
        self.tagged
    }

    /// Whether it says that it keeps a standard.
    pub fn keeps(&self, standard: Standard) -> bool {
        match standard {
            Standard::A2b => matches!(self.archive, Some(1 | 2)),
            Standard::A3b => matches!(self.archive, Some(1..=3)),
            Standard::Ua1 => self.reads_aloud && self.tagged,
        }
    }

    /// Where a text is on its pages, so many times at most. Capitals and spaces don't count; text that
    /// is turned is passed over.
    pub fn find(&self, text: &str, most: usize) -> Vec<FoundText> {
        find::find(self.signs.get_or_init(|| find::signs(&self.bytes, self.sizes.len())), text, most)
    }

    /// A page as SVG, drawn once.
    pub fn svg(&self, page: usize) -> Option<String> {
        self.drawn.get(page)?.get_or_init(|| self.draw(page)).clone()
    }

    fn draw(&self, page: usize) -> Option<String> {
        // Whatever a file does to the renderer, it costs that page alone.
        let bytes = self.bytes.clone();
        let drawn = std::panic::catch_unwind(move || {
            let pdf = Pdf::new(bytes).ok()?;
            let white = SvgRenderSettings { bg_color: [255; 4] };
            Some(convert(pdf.pages().get(page)?, &RenderCache::new(), &InterpreterSettings::default(), &white))
        });
        drawn.ok().flatten()
    }
}

/// How many pages a tree of pages leads to, each as often as it is named; a few more than are allowed
/// at most, for a small file can name a page a billion times.
fn count_pages(document: &Document, node: &Dictionary, count: &mut usize, deep: usize) {
    let Ok(kids) = node.get_deref(b"Kids", document).and_then(Object::as_array) else {
        *count += 1;
        return;
    };
    for kid in kids {
        if *count > MOST_PAGES * 4 || deep > DEEPEST {
            return;
        }
        if let Ok(kid) = document.dereference(kid).and_then(|(_, kid)| kid.as_dict()) {
            count_pages(document, kid, count, deep + 1);
        }
    }
}

/// The number of a standard's part that metadata names, as an element or an attribute.
fn part_said(metadata: &str, name: &str) -> Option<u8> {
    let (_, after) = metadata.split_once(name)?;
    let number = after.trim_start_matches(['>', '=', '"', '\'', ' ', '\n']).chars().next()?;
    number.to_digit(10).and_then(|number| u8::try_from(number).ok())
}
