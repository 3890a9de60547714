//! Where a text is on the pages of a PDF.

use std::sync::Arc;

use hayro::hayro_interpret::font::Glyph;
use hayro::hayro_interpret::hayro_cmap::BfString;
use hayro::hayro_interpret::{
    BlendMode, ClipPath, Context, Device, GlyphDrawMode, Image, InterpreterCache, InterpreterSettings, Paint, PathDrawMode, SoftMask,
    TransformExt, interpret_page,
};
use hayro::hayro_syntax::Pdf;
use hayro::vello_cpu::kurbo::{Affine, BezPath, Point, Rect};

/// The most characters of a document that are looked through.
const MOST: usize = 2_000_000;
/// How far below its line text reaches, as a share of its size.
const BELOW: f64 = 0.2;

/// A text that was found, in points from the top left of its page.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FoundText {
    /// The page, from 0.
    pub page: usize,
    /// Where it begins, from the left edge.
    pub left: f64,
    /// Where it ends, from the top edge.
    pub bottom: f64,
}

/// A character of a page, without capitals, in the order in which it is drawn.
#[derive(Debug, Clone, Copy)]
pub(super) struct Sign {
    page: u32,
    sign: char,
    left: f32,
    base: f32,
    size: f32,
}

/// The characters of all pages, blanks left out: programs write words with and without them.
pub(super) fn signs(bytes: &Arc<Vec<u8>>, count: usize) -> Vec<Sign> {
    let mut all = Signs::default();
    for page in 0..count {
        if all.found.len() >= MOST {
            break;
        }
        let (bytes, from) = (bytes.clone(), all.found.len());
        // Whatever a file does to the interpreter, it costs that page alone.
        let found = std::panic::catch_unwind(move || {
            let pdf = Pdf::new(bytes).ok()?;
            let own = pdf.pages().get(page)?;
            let (width, height) = own.render_dimensions();
            let (cache, mut device) = (InterpreterCache::new(), Signs { page: page as u32, found: Vec::new() });
            let whole = Rect::new(0.0, 0.0, f64::from(width), f64::from(height));
            let settings = InterpreterSettings::default();
            let mut context = Context::new(own.initial_transform(true).to_kurbo(), whole, &cache, own.xref(), settings);
            interpret_page(own, &mut context, &mut device);
            Some(device.found)
        });
        all.found.extend(found.ok().flatten().into_iter().flatten().take(MOST - from));
    }
    all.found
}

/// Where a text is among characters: in one line, whatever its capitals and spaces; so many times at
/// most.
pub(super) fn find(signs: &[Sign], text: &str, most: usize) -> Vec<FoundText> {
    let wanted: Vec<char> = text.chars().filter(|c| !c.is_whitespace()).flat_map(char::to_lowercase).collect();
    let (mut found, mut at) = (Vec::new(), 0);
    while !wanted.is_empty() && at + wanted.len() <= signs.len() && found.len() < most {
        let some = &signs[at..at + wanted.len()];
        let first = some[0];
        let level = |own: &Sign| own.page == first.page && (own.base - first.base).abs() < first.size / 2.0;
        if !some.iter().zip(&wanted).all(|(own, wanted)| own.sign == *wanted && level(own)) {
            at += 1;
            continue;
        }
        let (base, size) = (f64::from(first.base), f64::from(first.size));
        found.push(FoundText { page: first.page as usize, left: f64::from(first.left), bottom: base + size * BELOW });
        at += wanted.len();
    }
    found
}

/// Takes the characters of a page and draws nothing.
#[derive(Default)]
struct Signs {
    page: u32,
    found: Vec<Sign>,
}

impl Device<'_> for Signs {
    fn draw_glyph(&mut self, glyph: &Glyph<'_>, transform: Affine, own: Affine, _: &Paint<'_>, mode: &GlyphDrawMode) {
        // Text that is filled and has an outline is drawn twice.
        let whole = transform * own;
        let (begin, up) = (whole * Point::ORIGIN, whole * Point::new(0.0, 1000.0));
        let (left, base) = (begin.x as f32, begin.y as f32);
        let again =
            matches!(mode, GlyphDrawMode::Stroke(_)) && self.found.last().is_some_and(|last| (last.left, last.base) == (left, base));
        if again || self.found.len() >= MOST {
            return;
        }
        let text = match glyph.as_unicode() {
            Some(BfString::Char(sign)) => sign.to_string(),
            Some(BfString::String(text)) => text,
            None => return,
        };
        let size = (up - begin).hypot() as f32;
        let sign = |sign: char| Sign { page: self.page, sign, left, base, size };
        self.found.extend(text.chars().filter(|c| !c.is_whitespace()).flat_map(char::to_lowercase).map(sign));
    }

    fn set_soft_mask(&mut self, _: Option<SoftMask<'_>>) {}
    fn set_blend_mode(&mut self, _: BlendMode) {}
    fn draw_path(&mut self, _: &BezPath, _: Affine, _: &Paint<'_>, _: &PathDrawMode) {}
    fn push_clip_path(&mut self, _: &ClipPath) {}
    fn push_transparency_group(&mut self, _: f32, _: Option<SoftMask<'_>>, _: BlendMode) {}
    fn draw_image(&mut self, _: Image<'_, '_>, _: Affine) {}
    fn pop_clip_path(&mut self) {}
    fn pop_transparency_group(&mut self) {}
}
