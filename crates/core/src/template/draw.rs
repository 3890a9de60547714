//! What a template draws: pictures, barcodes and signature fields. The engine
//! says what; the document's kind says how it is written.

use super::FillError;
use crate::language::syntax::{Barcode, SignerField, Sizes};
use crate::language::{Fault, Scope};
use crate::value::Value;

/// Something to draw.
#[derive(Debug)]
pub enum Drawing<'a> {
    /// The picture that a value names.
    Picture {
        /// A file's name, a data address, a web address, or a record with such
        /// a field.
        value: &'a Value,
        /// The sizes asked for.
        sizes: &'a Sizes,
    },
    /// A barcode of a value, with more for a payment.
    Barcode {
        /// What is asked for.
        code: &'a Barcode,
        /// The content, or a payment's amount.
        value: &'a Value,
        /// The further values by name.
        with: &'a [(String, Value)],
    },
    /// A place that a signer fills in.
    Signer(&'a SignerField),
}

/// Writes what is drawn.
pub trait Draw {
    /// The bytes that stand in a run for it; `None` when there is nothing to draw.
    /// `instead` is the drawing of the template that it takes the place of.
    fn draw(&mut self, drawing: &Drawing<'_>, instead: Option<&[u8]>) -> Result<Option<Vec<u8>>, Fault>;

    /// The number of a list that counts like another, from its beginning.
    fn list_anew(&mut self, list: &str) -> String {
        list.to_owned()
    }

    /// A header or footer for the turn at hand: fills another like the one that a
    /// relation leads to, and gives the relation to it; `None` where it needs none
    /// of its own.
    fn beside(&mut self, _relation: &str, _scope: &Scope<'_>) -> Result<Option<String>, Vec<FillError>> {
        Ok(None)
    }
}

/// For texts, which hold no drawings.
#[derive(Debug)]
pub struct NoDrawing;

impl Draw for NoDrawing {
    fn draw(&mut self, drawing: &Drawing<'_>, _: Option<&[u8]>) -> Result<Option<Vec<u8>>, Fault> {
        let what = match drawing {
            Drawing::Picture { .. } => "a picture",
            Drawing::Barcode { .. } => "a barcode",
            Drawing::Signer(_) => "a signature field",
        };
        Err(Fault::Drawing(format!("{what} can't be used in plain text. Remove it.")))
    }
}
