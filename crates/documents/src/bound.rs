//! Pages that were made, bound together: typeset ones, and those of PDFs that are parts as they
//! are.

use std::collections::HashMap;
use std::sync::Arc;

use lopdf::Document;
use mangle_core::signing::FieldFont;

use crate::layout::{Made, MarkedSpot, PdfWish, TextSpot, TypesetError};
use crate::pdf::{self, FixedPdf, How, Merge};

/// Pages that were made.
#[derive(Debug)]
pub struct Bound {
    pieces: Vec<Piece>,
    counted_anew: bool,
    proof: bool,
}

/// Pages of one kind that follow one another.
#[derive(Debug)]
pub struct Piece {
    /// Its title among the bookmarks.
    pub title: String,
    /// Its pages.
    pub pages: Pages,
    /// What the numbers of its marks and of its signature fields begin at.
    pub first: [u32; 2],
}

/// Where pages come from.
#[derive(Debug)]
pub enum Pages {
    /// They were typeset.
    Typeset(Box<Made>),
    /// They are those of a PDF, with the signature fields that were placed on them.
    Fixed(Arc<FixedPdf>, Vec<MarkedSpot>),
}

impl Pages {
    /// How many there are.
    pub fn count(&self) -> usize {
        match self {
            Pages::Typeset(made) => made.page_count(),
            Pages::Fixed(pdf, _) => pdf.page_count(),
        }
    }
}

impl From<Made> for Bound {
    fn from(made: Made) -> Bound {
        let piece = Piece { title: String::new(), pages: Pages::Typeset(Box::new(made)), first: [0, 0] };
        Bound { pieces: vec![piece], counted_anew: false, proof: false }
    }
}

impl Bound {
    /// Pieces bound together; whether the pages of each are counted from 1, and whether it is a
    /// proof.
    pub fn new(pieces: Vec<Piece>, counted_anew: bool, proof: bool) -> Bound {
        Bound { pieces, counted_anew, proof }
    }

    /// Its pieces.
    pub fn into_pieces(self) -> Vec<Piece> {
        self.pieces
    }

    /// How many pages there are.
    pub fn page_count(&self) -> usize {
        self.pieces.iter().map(|piece| piece.pages.count()).sum()
    }

    /// The piece of a page, and the page's place in it.
    fn at(&self, page: usize) -> Option<(&Piece, usize)> {
        let mut left = page;
        for piece in &self.pieces {
            match left.checked_sub(piece.pages.count()) {
                None => return Some((piece, left)),
                Some(rest) => left = rest,
            }
        }
        None
    }

    /// The size of a page in points: width, height.
    pub fn size(&self, page: usize) -> Option<(f64, f64)> {
        match self.at(page)? {
            (Piece { pages: Pages::Typeset(made), .. }, page) => made.size(page),
            (Piece { pages: Pages::Fixed(pdf, _), .. }, page) => pdf.size(page),
        }
    }

    /// A page as SVG.
    pub fn svg(&self, page: usize) -> Option<String> {
        match self.at(page)? {
            (Piece { pages: Pages::Typeset(made), .. }, page) => made.svg(page),
            (Piece { pages: Pages::Fixed(pdf, _), .. }, page) => pdf.svg(page),
        }
    }

    /// The text of a page that was typeset, in reading order.
    pub fn text(&self, page: usize) -> Vec<TextSpot> {
        match self.at(page) {
            Some((Piece { pages: Pages::Typeset(made), .. }, page)) => made.text(page),
            _ => Vec::new(),
        }
    }

    /// Where the marks are, page by page, a rectangle for each line.
    pub fn marks(&self) -> Vec<MarkedSpot> {
        self.spots(0, |pages| match pages {
            Pages::Typeset(made) => made.marks(),
            Pages::Fixed(..) => Vec::new(),
        })
    }

    /// Where the signature fields are, with the numbers of their drawings.
    pub fn signers(&self) -> Vec<MarkedSpot> {
        self.spots(1, |pages| match pages {
            Pages::Typeset(made) => made.signers(),
            Pages::Fixed(_, fields) => fields.clone(),
        })
    }

    /// The fonts of what is filled in at the signature fields, by their numbers; none for those on the
    /// pages of a PDF.
    pub fn signer_fonts(&self) -> HashMap<u32, FieldFont> {
        let of = |piece: &Piece| match &piece.pages {
            Pages::Typeset(made) => {
                let first = piece.first[1];
                made.signer_fonts().into_iter().map(|(number, font)| (number.wrapping_add(first), font)).collect()
            }
            Pages::Fixed(..) => Vec::new(),
        };
        self.pieces.iter().flat_map(of).collect()
    }

    fn spots(&self, kind: usize, of: fn(&Pages) -> Vec<MarkedSpot>) -> Vec<MarkedSpot> {
        let (mut found, mut before) = (Vec::new(), 0);
        for piece in &self.pieces {
            let moved =
                |spot: MarkedSpot| MarkedSpot { number: spot.number.wrapping_add(piece.first[kind]), page: spot.page + before, ..spot };
            found.extend(of(&piece.pages).into_iter().map(moved));
            before += piece.pages.count();
        }
        found
    }

    /// The pages as a PDF of that kind. Parts that are tagged stay tagged.
    pub fn pdf_as(mut self, wish: PdfWish<'_>) -> Result<Vec<u8>, TypesetError> {
        if let [Piece { pages: Pages::Typeset(_), .. }] = self.pieces.as_slice()
            && let Some(Piece { pages: Pages::Typeset(made), .. }) = self.pieces.pop()
        {
            return made.pdf_as(wish);
        }
        let failed = |why: String| TypesetError(why);
        let mut merge = Merge::new();
        for Piece { title, pages, .. } in self.pieces {
            let (document, ours) = match pages {
                Pages::Typeset(made) => {
                    let bytes = made.pdf_as(PdfWish { password: None, ..wish })?;
                    (Document::load_mem(&bytes).map_err(|e| failed(e.to_string()))?, true)
                }
                Pages::Fixed(pdf, _) => {
                    if let Some(standard) = wish.standard.filter(|standard| !pdf.keeps(*standard)) {
                        let name = standard.name();
                        return Err(failed(format!(
                            "“{title}” does not comply with {name}. Replace it, or choose the standard PDF under Output."
                        )));
                    }
                    let mut document = pdf.document.clone();
                    if self.proof {
                        pdf::stamp(&mut document);
                    }
                    (document, false)
                }
            };
            merge.add(title, document, ours).map_err(|e| failed(e.to_string()))?;
        }
        let whole = merge.finish(How { title: wish.title, counted_anew: self.counted_anew }).map_err(|e| failed(e.to_string()))?;
        match wish.password {
            Some(password) => pdf::close(&whole, password).map_err(|e| failed(e.to_string())),
            None => Ok(whole),
        }
    }
}
