//! Where the signature fields of a PDF are that is a part of a pack: where they were placed by hand, or
//! at each place of a marker text.

use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::FixedField;

use crate::layout::MarkedSpot;
use crate::pdf::FixedPdf;

/// The most places of one field.
const MOST: usize = 200;

/// Where a field of that size is on the pages of a PDF, numbered from 0.
pub fn spots(field: &FixedField, size: (f64, f64), pdf: &FixedPdf) -> Result<Vec<MarkedSpot>, Box<Diagnostic>> {
    let (page, left, top) = ((field.page as usize).wrapping_sub(1), tenths(field.left), tenths(field.top));
    let marker = field.marker.trim();
    let spots = match marker.is_empty() {
        true if pdf.size(page).is_none() => {
            let (at, count) = (field.page, pdf.page_count());
            return wrong("field-off-page", format!("{} is on page {at} of {count}. Choose another page.", field.placeholder));
        }
        true => vec![spot(0, page, (left, top), size)],
        false => {
            markers(marker, size, pdf)?.into_iter().map(|own| MarkedSpot { left: own.left + left, top: own.top + top, ..own }).collect()
        }
    };
    // Half a point is lost when what is dragged is rounded.
    let fits = |own: &MarkedSpot| {
        let within = |from: f64, length: f64, whole: f64| from >= -0.5 && from + length <= whole + 0.5;
        pdf.size(own.page).is_some_and(|(across, down)| within(own.left, own.width, across) && within(own.top, own.height, down))
    };
    match spots.iter().find(|own| !fits(own)) {
        Some(own) => {
            let message = format!("{} does not fit on page {}. Move it up or left, or make it smaller.", field.placeholder, own.page + 1);
            wrong("field-off-page", message)
        }
        None => Ok(spots),
    }
}

/// Where a field of that size is by a marker text alone: it begins where the text begins, and its
/// lower edge is that of the text.
pub fn markers(marker: &str, size: (f64, f64), pdf: &FixedPdf) -> Result<Vec<MarkedSpot>, Box<Diagnostic>> {
    let found = pdf.find(marker, MOST + 1);
    match found.len() {
        0 => wrong("no-marker", format!("“{marker}” is on no page of the PDF. Check the marker text, or place the field by hand.")),
        many if many > MOST => wrong("markers", format!("“{marker}” is on the pages more than {MOST} times. Choose a longer marker text.")),
        _ => {
            let one = |(at, text): (usize, crate::pdf::FoundText)| spot(at as u32, text.page, (text.left, text.bottom - size.1), size);
            Ok(found.into_iter().enumerate().map(one).collect())
        }
    }
}

fn spot(number: u32, page: usize, (left, top): (f64, f64), (width, height): (f64, f64)) -> MarkedSpot {
    MarkedSpot { number, page, left, top, width, height }
}

fn wrong<T>(code: &'static str, message: String) -> Result<T, Box<Diagnostic>> {
    Err(Box::new(Diagnostic::error(code, message)))
}

/// Tenths of a millimetre in points.
fn tenths(length: i32) -> f64 {
    f64::from(length) * 72.0 / 254.0
}
