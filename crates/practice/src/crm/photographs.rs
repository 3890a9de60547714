//! The photographs: drawn once each kind, in the original's size and a smaller one.

use std::collections::HashMap;
use std::io::Cursor;
use std::sync::{Arc, Mutex};

use image::{DynamicImage, Rgb, RgbImage};

/// How many pictures differ.
const KINDS: u32 = 12;

/// Pictures drawn so far, by kind and width.
#[derive(Debug, Default)]
pub struct Photographs(Mutex<Drawn>);

/// Files by kind and width.
type Drawn = HashMap<(u32, u32), Arc<[u8]>>;

impl Photographs {
    /// A photograph as JPEG, so many dots wide.
    pub fn draw(&self, number: u32, wide: u32) -> Arc<[u8]> {
        let kind = (number % KINDS, wide);
        let lock = || self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if let Some(drawn) = lock().get(&kind) {
            return drawn.clone();
        }
        let drawn = draw(kind.0, wide);
        lock().insert(kind, drawn.clone());
        drawn
    }
}

/// A hull in its cradle, with a stain that differs.
fn draw(kind: u32, wide: u32) -> Arc<[u8]> {
    let high = wide * 3 / 4;
    let (w, h) = (f64::from(wide), f64::from(high));
    let hull = [Rgb([232, 228, 218]), Rgb([46, 72, 92]), Rgb([150, 52, 46])][kind as usize % 3];
    let picture = RgbImage::from_fn(wide, high, |x, y| {
        let (x, y) = (f64::from(x) / w, f64::from(y) / h);
        // Grain, as every sensor has some.
        let grain = ((x * 911.0).sin() * (y * 577.0).cos() * 9.0) as i16;
        let keel = 0.35 + 0.4 * (x - 0.5).abs().powi(2);
        let base = if y > 0.82 {
            Rgb([120, 114, 104])
        } else if y > keel && y < 0.82 - 0.5 * (x - 0.5).powi(2) {
            hull
        } else {
            Rgb([168, 192, 208])
        };
        let stain = ((x - 0.3 - f64::from(kind) * 0.03).powi(2) + (y - 0.6).powi(2)).sqrt() < 0.07;
        let base = if stain { Rgb([128, 78, 34]) } else { base };
        Rgb(base.0.map(|part: u8| (i16::from(part) + grain).clamp(0, 255) as u8))
    });
    let mut out = Cursor::new(Vec::new());
    let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut out, 88);
    // Writing to memory does not fail.
    let _ = DynamicImage::ImageRgb8(picture).write_with_encoder(encoder);
    out.into_inner().into()
}
