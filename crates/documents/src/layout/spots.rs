//! What stands where on typeset pages: marks, and the text as it can be selected.

use mangle_core::signing::FieldFont;
use typst::foundations::{Content, Label, Selector, Value};
use typst::introspection::{Introspector, MetadataElem};
use typst::layout::{Frame, FrameItem};
use typst::model::Destination;
use typst::utils::PicoStr;

use super::markup::MARK;
use super::typeset::Made;

/// Where something stands on a page: a mark's text, a signature field, in points from its top left.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MarkedSpot {
    /// Its number.
    pub number: u32,
    /// The page, from 0.
    pub page: usize,
    /// From the left edge.
    pub left: f64,
    /// From the top edge.
    pub top: f64,
    /// Width.
    pub width: f64,
    /// Height.
    pub height: f64,
}

/// Text of one look on one line of a page, in points from the page's top left.
#[derive(Debug, Clone, PartialEq)]
pub struct TextSpot {
    /// The text.
    pub text: String,
    /// From the left edge.
    pub left: f64,
    /// Its line, from the top edge.
    pub base: f64,
    /// The size of its font.
    pub size: f64,
    /// Its width.
    pub width: f64,
}

impl Made {
    /// Where the marks are, page by page, a rectangle for each line.
    pub fn marks(&self) -> Vec<MarkedSpot> {
        let mut found = Vec::new();
        for (page, laid) in self.pages().iter().enumerate() {
            marks_in(&laid.frame, page, (0.0, 0.0), &mut found);
        }
        found
    }

    /// Where the signature fields are, with the numbers of their drawings.
    pub fn signers(&self) -> Vec<MarkedSpot> {
        let introspector = self.introspector();
        let spot = |(element, number, said): (Content, u32, Vec<Value>)| {
            let [width, height, _] = said.as_slice() else { return None };
            let position = introspector.position(element.location()?)?;
            Some(MarkedSpot {
                number,
                page: position.page.get() - 1,
                left: position.point.x.to_pt(),
                top: position.point.y.to_pt(),
                width: width.clone().cast().ok()?,
                height: height.clone().cast().ok()?,
            })
        };
        self.fields().filter_map(spot).collect()
    }

    /// The fonts of what is filled in at the signature fields, by the numbers of their drawings.
    pub fn signer_fonts(&self) -> Vec<(u32, FieldFont)> {
        let font = |(_, number, said): (Content, u32, Vec<Value>)| {
            let [_, _, Value::Array(font)] = said.as_slice() else { return None };
            let [family, size, colour, bold, italic] = font.as_slice() else { return None };
            let font = FieldFont {
                family: family.clone().cast().ok()?,
                size: size.clone().cast().ok()?,
                colour: colour.clone().cast().ok()?,
                bold: bold.clone().cast().ok()?,
                italic: italic.clone().cast().ok()?,
            };
            Some((number, font))
        };
        self.fields().filter_map(font).collect()
    }

    /// The signature fields: each with the number of its drawing and what else the markup says of it.
    fn fields(&self) -> impl Iterator<Item = (Content, u32, Vec<Value>)> {
        let label = Label::new(PicoStr::intern("signer"));
        let found = label.map(|label| self.introspector().query(&Selector::Label(label))).unwrap_or_default();
        found.into_iter().filter_map(|element| {
            let Value::Array(said) = element.to_packed::<MetadataElem>()?.value.clone() else { return None };
            let (Value::Int(number), rest) = said.as_slice().split_first()? else { return None };
            let (number, rest) = (u32::try_from(*number).ok()?, rest.to_vec());
            Some((element, number, rest))
        })
    }

    /// The text of a page, in reading order. Text that is turned is left out.
    pub fn text(&self, page: usize) -> Vec<TextSpot> {
        let mut found = Vec::new();
        if let Some(laid) = self.pages().get(page) {
            text_in(&laid.frame, (0.0, 0.0), &mut found);
        }
        found
    }
}

/// Marks are links; the typesetter lays a rectangle over each of their pieces.
/// Frames are moved, never turned, by our markup.
fn marks_in(frame: &Frame, page: usize, (x, y): (f64, f64), found: &mut Vec<MarkedSpot>) {
    for (point, item) in frame.items() {
        let (left, top) = (x + point.x.to_pt(), y + point.y.to_pt());
        match item {
            FrameItem::Group(group) => marks_in(&group.frame, page, (left, top), found),
            FrameItem::Link(Destination::Url(url), size) => {
                let Some(number) = url.as_str().strip_prefix(MARK).and_then(|n| n.parse().ok()) else { continue };
                let (width, height) = (size.x.to_pt(), size.y.to_pt());
                match found.last_mut() {
                    // Pieces of one line lie side by side.
                    Some(last) if last.number == number && last.page == page && (last.top - top).abs() < 0.5 && last.left < left => {
                        last.width = left + width - last.left;
                    }
                    _ => found.push(MarkedSpot { number, page, left, top, width, height }),
                }
            }
            _ => {}
        }
    }
}

fn text_in(frame: &Frame, (x, y): (f64, f64), found: &mut Vec<TextSpot>) {
    for (point, item) in frame.items() {
        let (left, base) = (x + point.x.to_pt(), y + point.y.to_pt());
        match item {
            FrameItem::Group(group) if group.transform.is_only_translate() => {
                let (dx, dy) = (group.transform.tx.to_pt(), group.transform.ty.to_pt());
                text_in(&group.frame, (left + dx, base + dy), found);
            }
            FrameItem::Text(text) if !text.text.trim().is_empty() => {
                let (size, width) = (text.size.to_pt(), text.width().to_pt());
                found.push(TextSpot { text: text.text.to_string(), left, base, size, width });
            }
            _ => {}
        }
    }
}
