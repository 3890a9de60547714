//! A PDF's pages as a PWG raster stream (PWG 5102.4-2012), for printers that take no PDF.

use hayro::hayro_interpret::InterpreterSettings;
use hayro::hayro_syntax::Pdf;
use hayro::vello_cpu::color::palette::css::WHITE;
use hayro::{RenderCache, RenderSettings, render};

/// What a stream begins with.
const SYNC: &[u8] = b"RaS2";
/// How long a page's header is.
const HEADER: usize = 1796;
/// The most pages.
const MOST_PAGES: usize = 2_000;
/// The most pixels of a page: A3 at 600 dots to the inch.
const MOST_PIXELS: usize = 72_000_000;
/// The colour spaces (PWG 5102.4, 4.3.2.3).
const GREY: u32 = 18;
const SRGB: u32 = 19;

/// The pages of a PDF at so many dots to the inch, in colour or grey.
pub fn raster(pdf: &[u8], dpi: u32, colour: bool) -> Result<Vec<u8>, String> {
    let pdf = Pdf::new(pdf.to_vec()).map_err(|_| "the PDF can't be read to make pictures of its pages".to_owned())?;
    let pages = pdf.pages();
    if pages.is_empty() || pages.len() > MOST_PAGES {
        return Err(format!("the PDF has {} pages; between 1 and {MOST_PAGES} can be printed", pages.len()));
    }
    let scale = dpi as f32 / 72.0;
    let settings = RenderSettings { x_scale: scale, y_scale: scale, bg_color: WHITE, ..RenderSettings::default() };
    let (cache, interpreter) = (RenderCache::new(), InterpreterSettings::default());
    let mut out = SYNC.to_vec();
    for page in pages.iter() {
        let (width, height) = page.render_dimensions();
        if (width * scale) as usize * (height * scale) as usize > MOST_PIXELS || (width * scale).max(height * scale) > f32::from(u16::MAX) {
            return Err(format!("a page of {width:.0} × {height:.0} points is too large to print at {dpi} dots to the inch"));
        }
        let drawn = render(page, &cache, &interpreter, &settings);
        let size = [usize::from(drawn.width()), usize::from(drawn.height())];
        // Nothing shines through: the page was painted on white.
        let rgba = drawn.data_as_u8_slice();
        let pixels: Vec<u8> = match colour {
            true => rgba.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]).collect(),
            false => rgba.chunks_exact(4).map(grey).collect(),
        };
        let page = Page { dpi, colour, points: [width.round() as u32, height.round() as u32], size, count: pages.len() as u32 };
        page.write(&pixels, &mut out);
    }
    Ok(out)
}

/// The lightness of a pixel (ITU-R BT.601).
fn grey(pixel: &[u8]) -> u8 {
    ((u32::from(pixel[0]) * 299 + u32::from(pixel[1]) * 587 + u32::from(pixel[2]) * 114 + 500) / 1000) as u8
}

struct Page {
    dpi: u32,
    colour: bool,
    points: [u32; 2],
    size: [usize; 2],
    count: u32,
}

impl Page {
    fn header(&self) -> Vec<u8> {
        let mut header = vec![0; HEADER];
        header[..9].copy_from_slice(b"PwgRaster");
        let [width, height] = self.size.map(|size| size as u32);
        let depth = if self.colour { 3 } else { 1 };
        let numbers = [
            (276, self.dpi),
            (280, self.dpi),
            (340, 1),
            (352, self.points[0]),
            (356, self.points[1]),
            (372, width),
            (376, height),
            // Bits of a colour and of a pixel, bytes of a line.
            (384, 8),
            (388, 8 * depth),
            (392, width * depth),
            (400, if self.colour { SRGB } else { GREY }),
            (420, depth),
            (452, self.count),
            (456, 1),
            (460, 1),
            // The box that something stands in: the page.
            (472, width),
            (476, height),
            // What the printer fills beside the page with: white.
            (480, 0x00ff_ffff),
        ];
        for (at, number) in numbers {
            header[at..at + 4].copy_from_slice(&number.to_be_bytes());
        }
        header
    }

    fn write(&self, pixels: &[u8], out: &mut Vec<u8>) {
        out.extend(self.header());
        let depth = if self.colour { 3 } else { 1 };
        let mut lines = pixels.chunks_exact(self.size[0] * depth).peekable();
        while let Some(line) = lines.next() {
            // Lines that are alike are written once (PWG 5102.4, 4.4).
            let mut again = 0u8;
            while again < u8::MAX && lines.next_if(|next| *next == line).is_some() {
                again += 1;
            }
            out.push(again);
            write_line(line, depth, out);
        }
    }
}

/// A line: runs of one pixel, and stretches of different ones.
fn write_line(line: &[u8], depth: usize, out: &mut Vec<u8>) {
    let pixel = |at: usize| &line[at * depth..(at + 1) * depth];
    let count = line.len() / depth;
    let mut at = 0;
    while at < count {
        let mut run = 1;
        while run < 128 && at + run < count && pixel(at + run) == pixel(at) {
            run += 1;
        }
        if run > 1 || at + 1 == count {
            out.push((run - 1) as u8);
            out.extend_from_slice(pixel(at));
            at += run;
            continue;
        }
        let mut end = at + 1;
        while end < count && end - at < 128 && (end + 1 == count || pixel(end) != pixel(end + 1)) {
            end += 1;
        }
        // A stretch of one is a run of one.
        match end - at {
            1 => out.push(0),
            several => out.push((257 - several) as u8),
        }
        out.extend_from_slice(&line[at * depth..end * depth]);
        at = end;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Reads lines as the standard has it, written from its text and not from the writer above.
    fn read(bytes: &[u8], width: usize, height: usize, depth: usize) -> (Vec<u8>, usize) {
        let (mut pixels, mut at) = (Vec::new(), 0);
        while pixels.len() < width * height * depth {
            let times = usize::from(bytes[at]) + 1;
            at += 1;
            let mut line = Vec::new();
            while line.len() < width * depth {
                let code = usize::from(bytes[at]);
                at += 1;
                assert_ne!(code, 128, "that clears to the end of the line, which is never written");
                if code < 128 {
                    line.extend(bytes[at..at + depth].repeat(code + 1));
                    at += depth;
                } else {
                    let length = (257 - code) * depth;
                    line.extend(&bytes[at..at + length]);
                    at += length;
                }
            }
            assert_eq!(line.len(), width * depth);
            pixels.extend(line.repeat(times));
        }
        (pixels, at)
    }

    #[test]
    fn lines_are_read_as_they_were_written() {
        let mut seed = 7u32;
        for (width, colours) in [(1, 2), (2, 2), (7, 3), (300, 2), (300, 200), (128, 1), (129, 255)] {
            for depth in [1, 3] {
                let mut pixels = Vec::new();
                for _ in 0..width * 5 {
                    seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                    pixels.extend(std::iter::repeat_n((seed >> 16) as u8 % colours, depth));
                }
                let page = Page { dpi: 300, colour: depth == 3, points: [1, 1], size: [width, 5], count: 1 };
                let mut out = Vec::new();
                page.write(&pixels, &mut out);
                assert_eq!(read(&out[HEADER..], width, 5, depth), (pixels, out.len() - HEADER), "{width} wide, {depth} deep");
            }
        }
    }

    #[test]
    fn a_page_is_drawn_at_the_size_that_it_says() {
        // A page of one inch, half of it black.
        let pdf = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj\n\
            3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 72 72]/Contents 4 0 R/Resources<<>>>>endobj\n\
            4 0 obj<</Length 18>>stream\n0 g 0 0 36 72 re f\nendstream endobj\n\
            trailer<</Root 1 0 R/Size 5>>\n%%EOF";
        for (colour, depth, space) in [(true, 3, SRGB), (false, 1, GREY)] {
            let stream = raster(pdf, 100, colour).expect("drawn");
            assert_eq!(&stream[..13], b"RaS2PwgRaster");
            let number = |at: usize| u32::from_be_bytes(stream[4 + at..8 + at].try_into().expect("four bytes"));
            assert_eq!((number(372), number(376), number(276), number(400), number(452)), (100, 100, 100, space, 1));
            let (pixels, length) = read(&stream[4 + HEADER..], 100, 100, depth);
            assert_eq!(length, stream.len() - 4 - HEADER, "nothing follows the page");
            assert!(pixels[..10 * depth].iter().all(|p| *p < 8) && pixels[60 * depth..100 * depth].iter().all(|p| *p > 247));
        }
        assert!(raster(b"no PDF", 300, true).is_err());
    }
}
