//! Barcodes, drawn as vectors: a symbol is a grid of modules.

mod content;

use std::fmt::Write as _;

use mangle_core::language::syntax::{Level, Symbology};
use mangle_core::value::Value;
use rxing::common::BitMatrix;
use rxing::{BarcodeFormat, EncodeHints, MultiFormatWriter, Writer};

pub use content::{BarcodeFault, content};

/// A symbol as its modules, with the quiet zone that its standard asks for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Symbol {
    /// Modules from left to right, quiet zone included.
    pub width: usize,
    /// Modules from top to bottom; 1 of a symbol of bars.
    pub height: usize,
    /// Dark modules by row.
    dark: Vec<bool>,
    /// Whether its height is free: a symbol of bars.
    pub bars: bool,
}

/// Encodes a value; what the symbology can't carry is told in words.
pub fn encode(symbology: Symbology, level: Level, value: &Value, with: &[(String, Value)]) -> Result<Symbol, BarcodeFault> {
    let text = content(symbology, value, with)?;
    let (format, quiet) = match symbology {
        Symbology::Qr | Symbology::Payment => (BarcodeFormat::QR_CODE, 4),
        Symbology::DataMatrix => (BarcodeFormat::DATA_MATRIX, 2),
        Symbology::Aztec => (BarcodeFormat::AZTEC, 2),
        Symbology::Pdf417 => (BarcodeFormat::PDF_417, 2),
        Symbology::Code128 => (BarcodeFormat::CODE_128, 10),
        Symbology::Code39 => (BarcodeFormat::CODE_39, 10),
        Symbology::Itf => (BarcodeFormat::ITF, 10),
        Symbology::Ean13 | Symbology::Isbn => (BarcodeFormat::EAN_13, 11),
        Symbology::Ean8 => (BarcodeFormat::EAN_8, 7),
        Symbology::UpcA => (BarcodeFormat::UPC_A, 9),
    };
    let mut hints = EncodeHints { Margin: Some("0".into()), ..EncodeHints::default() };
    if format == BarcodeFormat::QR_CODE {
        // EPC069-12 asks for level M.
        let level = if symbology == Symbology::Payment { Level::M } else { level };
        hints.ErrorCorrection = Some(format!("{level:?}"));
    }
    // What Latin-1 has no sign for is written as UTF-8, and the symbol says so.
    if text.chars().any(|c| c > '\u{ff}') || (!text.is_ascii() && format != BarcodeFormat::DATA_MATRIX) {
        hints.CharacterSet = Some("UTF-8".into());
        if format == BarcodeFormat::DATA_MATRIX {
            hints.DataMatrixCompact = Some(true);
        }
    }
    let matrix = MultiFormatWriter
        .encode_with_hints(&text, &format, 0, 0, &hints)
        .map_err(|e| BarcodeFault::refused(symbology, &text, &e.to_string()))?;
    Ok(Symbol::of(&matrix, quiet, format))
}

impl Symbol {
    fn of(matrix: &BitMatrix, quiet: usize, format: BarcodeFormat) -> Symbol {
        let bars = !matches!(format, BarcodeFormat::QR_CODE | BarcodeFormat::DATA_MATRIX | BarcodeFormat::AZTEC | BarcodeFormat::PDF_417);
        let edge = matrix.getEnclosingRectangle().unwrap_or([0, 0, matrix.width(), matrix.height()]);
        let [left, top, width, height] = edge;
        let height = if bars { 1 } else { height };
        let above = if bars { 0 } else { quiet };
        let (full_width, full_height) = (width as usize + 2 * quiet, height as usize + 2 * above);
        let mut dark = vec![false; full_width * full_height];
        for y in 0..height {
            for x in 0..width {
                dark[(y as usize + above) * full_width + x as usize + quiet] = matrix.get(left + x, top + y);
            }
        }
        Symbol { width: full_width, height: full_height, dark, bars }
    }

    /// Whether a module is dark.
    pub fn is_dark(&self, x: usize, y: usize) -> bool {
        self.dark.get(y * self.width + x).copied().unwrap_or(false)
    }

    /// The symbol as a drawing of `height` modules; bars are as high as that.
    pub fn svg(&self, height: usize) -> Vec<u8> {
        let height = if self.bars { height.max(1) } else { self.height };
        let mut path = String::new();
        for y in 0..self.height {
            let mut x = 0;
            while x < self.width {
                let length = (x..self.width).take_while(|x| self.is_dark(*x, y)).count();
                if length > 0 {
                    let tall = if self.bars { height } else { 1 };
                    let _ = write!(path, "M{x} {y}h{length}v{tall}h-{length}z");
                }
                x += length.max(1);
            }
        }
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{w}\" height=\"{height}\" viewBox=\"0 0 {w} {height}\" shape-rendering=\"crispEdges\"><path fill=\"#000\" d=\"{path}\"/></svg>",
            w = self.width
        )
        .into_bytes()
    }

    /// The symbol as a picture of `scale` dots a module, for programs that show
    /// no vectors.
    pub fn png(&self, height: usize, scale: usize) -> Vec<u8> {
        let height = if self.bars { height.max(1) } else { self.height };
        let picture = image::GrayImage::from_fn((self.width * scale) as u32, (height * scale) as u32, |x, y| {
            let y = if self.bars { 0 } else { y as usize / scale };
            image::Luma([if self.is_dark(x as usize / scale, y) { 0 } else { 255 }])
        });
        let mut out = std::io::Cursor::new(Vec::new());
        // Writing to memory can't fail for a picture of this kind and size.
        let _ = picture.write_to(&mut out, image::ImageFormat::Png);
        out.into_inner()
    }
}

#[cfg(test)]
mod tests;
