//! Pictures from records: checked, turned upright, resampled to what is printed.

use std::io::Cursor;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use fast_image_resize::{ResizeOptions, Resizer};
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader};
use mangle_core::language::syntax::Sizes;

/// The largest file that is read.
pub const LARGEST: usize = 64 << 20;
/// The most dots on a side.
const MOST_DOTS: u32 = 20_000;
/// The most bytes that a picture of dots may unpack to.
const UNPACKED: u64 = 256 << 20;
/// Pictures that unpack to more are decoded one at a time.
const LARGE: u64 = 32 << 20;
/// Dots per inch where nothing else is asked for.
const DPI: f64 = 150.0;
/// Dots per inch of a picture without a size (CSS 2.2, 4.3.2).
const OWN_DPI: f64 = 96.0;

/// A picture that can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PictureFault {
    /// There is no such file, or it may not be read.
    #[error("picture “{0}” not found. Add the file or correct its name.")]
    Missing(String),
    /// It is no picture of a kind that is known.
    #[error("“{0}” is not a supported picture. Use PNG, JPEG, GIF, WebP or SVG.")]
    Kind(String),
    /// It can't be read.
    #[error("the picture “{name}” is damaged: {why}")]
    Damaged {
        /// Its name.
        name: String,
        /// What the reader says.
        why: String,
    },
    /// It is too large.
    #[error("the picture “{name}” exceeds {limit}. Reduce its size.")]
    TooLarge {
        /// Its name.
        name: String,
        /// The limit, in words.
        limit: &'static str,
    },
    /// It stands where nothing may be fetched from.
    #[error("“{0}” is on a website that is not allowed. Add the website under Settings.")]
    Host(String),
}

/// Where pictures come from.
pub trait Pictures: Sync {
    /// The bytes of a picture by the name that a record gives.
    fn load(&self, name: &str) -> Result<Arc<[u8]>, PictureFault>;
}

/// No pictures but those in the records themselves.
#[derive(Debug, Default, Clone, Copy)]
pub struct NoPictures;

impl Pictures for NoPictures {
    fn load(&self, name: &str) -> Result<Arc<[u8]>, PictureFault> {
        Err(PictureFault::Missing(name.to_owned()))
    }
}

/// The pictures of a folder and of those below it, by name or path.
#[derive(Debug, Clone)]
pub struct FolderPictures(pub std::path::PathBuf);

impl Pictures for FolderPictures {
    fn load(&self, name: &str) -> Result<Arc<[u8]>, PictureFault> {
        let missing = || PictureFault::Missing(name.to_owned());
        if name.starts_with("http://") || name.starts_with("https://") {
            return Err(PictureFault::Host(name.to_owned()));
        }
        let root = self.0.canonicalize().map_err(|_| missing())?;
        // Links and `..` may not lead out of the folder.
        let path = root.join(name.replace('\\', "/")).canonicalize().map_err(|_| missing())?;
        if !path.starts_with(&root) || !path.is_file() {
            return Err(missing());
        }
        if path.metadata().map_err(|_| missing())?.len() > LARGEST as u64 {
            return Err(PictureFault::TooLarge { name: name.to_owned(), limit: "64 MB" });
        }
        std::fs::read(&path).map(Into::into).map_err(|_| missing())
    }
}

/// The bytes that a data address holds (RFC 2397); `None` when it is none.
pub fn data_address(text: &str) -> Option<Result<Arc<[u8]>, PictureFault>> {
    let (head, data) = text.strip_prefix("data:")?.split_once(',')?;
    let name = || format!("data:{head}");
    if data.len() > LARGEST * 4 / 3 + 4 {
        return Some(Err(PictureFault::TooLarge { name: name(), limit: "64 MB" }));
    }
    let bytes = if head.ends_with(";base64") { from_base64(data) } else { None };
    Some(bytes.map(Into::into).ok_or_else(|| PictureFault::Damaged { name: name(), why: "its text is not base64".into() }))
}

/// RFC 4648, 4; spaces and line breaks between the signs do not count.
fn from_base64(text: &str) -> Option<Vec<u8>> {
    use base64::Engine;
    let packed: String = text.chars().filter(|c| !c.is_ascii_whitespace()).collect();
    base64::engine::general_purpose::STANDARD.decode(packed).ok()
}

/// A picture ready for a document.
#[derive(Debug, Clone)]
pub struct Prepared {
    /// PNG or JPEG.
    pub bytes: Arc<[u8]>,
    /// `png` or `jpeg`.
    pub kind: &'static str,
    /// The drawing itself, of an SVG: the bytes above are its dots.
    pub vector: Option<Arc<[u8]>>,
    /// Its printed size in points.
    pub width: f64,
    /// Its printed size in points.
    pub height: f64,
}

/// The printed size of a picture whose own size is given, all in points; `room`
/// is the width of the text, `frame` the box of the drawing that it replaces.
pub fn printed(own: (f64, f64), sizes: &Sizes, frame: Option<(f64, f64)>, room: f64) -> (f64, f64) {
    let by = |factor: f64| (own.0 * factor, own.1 * factor);
    let fit = |width: f64, height: f64| by((width / own.0).min(height / own.1));
    match (sizes.fit, sizes.width, sizes.height, frame) {
        (Some((width, height)), ..) => fit(width, height),
        (None, Some(width), Some(height), _) => fit(width, height),
        (None, Some(width), None, _) => by(width / own.0),
        (None, None, Some(height), _) => by(height / own.1),
        (None, None, None, Some((width, height))) => fit(width, height),
        (None, None, None, None) => by((room / own.0).min(1.0)),
    }
}

/// The most bytes of a picture of a signature, and the most dots on a side of one that is read.
const SIGNATURE: (usize, u32) = (8 << 20, 8_000);
/// The dots of a signature as it is kept.
const SIGNATURE_DOTS: (u32, u32) = (720, 240);

/// A picture of a signature (PNG, JPEG, WebP or GIF) as a PNG that is no larger than is printed.
pub fn signature_picture(bytes: &[u8]) -> Result<Vec<u8>, PictureFault> {
    let name = || "signature".to_owned();
    let damaged = |why: String| PictureFault::Damaged { name: name(), why };
    if bytes.len() > SIGNATURE.0 {
        return Err(PictureFault::TooLarge { name: name(), limit: "8 MB" });
    }
    let kind = image::guess_format(bytes).map_err(|_| PictureFault::Kind(name()))?;
    let mut reader = ImageReader::with_format(Cursor::new(bytes), kind);
    let mut limits = image::Limits::default();
    (limits.max_image_width, limits.max_image_height, limits.max_alloc) = (Some(SIGNATURE.1), Some(SIGNATURE.1), Some(UNPACKED));
    reader.limits(limits);
    let decoded = reader.decode().map_err(|e| match e {
        image::ImageError::Limits(_) => PictureFault::TooLarge { name: name(), limit: "8,000 dots on a side" },
        other => damaged(other.to_string()),
    })?;
    let (width, height) = SIGNATURE_DOTS;
    let small = if decoded.width() > width || decoded.height() > height { decoded.thumbnail(width, height) } else { decoded };
    let mut out = Cursor::new(Vec::new());
    DynamicImage::from(small.to_rgba8()).write_to(&mut out, ImageFormat::Png).map_err(|e| damaged(e.to_string()))?;
    Ok(out.into_inner())
}

/// Whether a file can be used as a picture.
pub fn check(name: &str, bytes: &[u8]) -> Result<(), PictureFault> {
    if is_svg(bytes) {
        return prepare(name, &bytes.into(), &Sizes::default(), None, OWN_DPI).map(drop);
    }
    decoded(name, bytes).map(drop)
}

/// Whether bytes are a picture of dots that can be read, whatever its name says.
pub fn is_photograph(bytes: &[u8]) -> bool {
    !is_svg(bytes) && check("", bytes).is_ok()
}

/// Prepares a picture for its printed size.
pub fn prepare(name: &str, bytes: &Arc<[u8]>, sizes: &Sizes, frame: Option<(f64, f64)>, room: f64) -> Result<Prepared, PictureFault> {
    let damaged = |why: String| PictureFault::Damaged { name: name.to_owned(), why };
    if bytes.len() > LARGEST {
        return Err(PictureFault::TooLarge { name: name.to_owned(), limit: "64 MB" });
    }
    if is_svg(bytes) {
        return vector(name, bytes, sizes, frame, room);
    }
    // Decoded even where it stays as it is: a damaged one is found here, not by the
    // recipient's program.
    let Decoded { mut picture, kind, turn, _alone } = decoded(name, bytes)?;
    let (wide, high) = (picture.width(), picture.height());
    let sideways = matches!(
        turn,
        image::metadata::Orientation::Rotate90
            | image::metadata::Orientation::Rotate270
            | image::metadata::Orientation::Rotate90FlipH
            | image::metadata::Orientation::Rotate270FlipH
    );
    let (wide, high) = if sideways { (high, wide) } else { (wide, high) };
    let own = (f64::from(wide) * 72.0 / OWN_DPI, f64::from(high) * 72.0 / OWN_DPI);
    let (width, height) = printed(own, sizes, frame, room);
    let dots = |points: f64| ((points / 72.0 * sizes.dpi.unwrap_or(DPI)).round() as u32).max(1);
    let (to_wide, to_high) = (dots(width), dots(height));
    // A little finer than asked for is not worth new dots.
    let smaller = f64::from(wide) > f64::from(to_wide) * 1.2;
    let upright = turn == image::metadata::Orientation::NoTransforms;
    if !smaller && upright && matches!(kind, ImageFormat::Png | ImageFormat::Jpeg) {
        let kind = if kind == ImageFormat::Png { "png" } else { "jpeg" };
        return Ok(Prepared { bytes: bytes.clone(), kind, vector: None, width, height });
    }
    picture.apply_orientation(turn);
    if smaller {
        picture = resample(picture, to_wide, to_high).map_err(damaged)?;
    }
    let (bytes, kind) = write(picture, kind).map_err(damaged)?;
    Ok(Prepared { bytes: bytes.into(), kind, vector: None, width, height })
}

/// A picture of dots, and how it must be turned to stand upright.
struct Decoded {
    picture: DynamicImage,
    kind: ImageFormat,
    turn: image::metadata::Orientation,
    /// Held while a large picture is in memory: one at a time.
    _alone: Option<MutexGuard<'static, ()>>,
}

/// Decodes a picture. Its size is known before anything is decoded, and refused there:
/// a file of a few kilobytes may unpack to gigabytes.
fn decoded(name: &str, bytes: &[u8]) -> Result<Decoded, PictureFault> {
    static ALONE: Mutex<()> = Mutex::new(());
    let kind = image::guess_format(bytes).map_err(|_| PictureFault::Kind(name.to_owned()))?;
    if !matches!(kind, ImageFormat::Png | ImageFormat::Jpeg | ImageFormat::Gif | ImageFormat::WebP) {
        return Err(PictureFault::Kind(name.to_owned()));
    }
    if bytes.len() > LARGEST {
        return Err(PictureFault::TooLarge { name: name.to_owned(), limit: "64 MB" });
    }
    let mut reader = ImageReader::with_format(Cursor::new(bytes), kind);
    let mut limits = image::Limits::default();
    (limits.max_image_width, limits.max_image_height) = (Some(MOST_DOTS), Some(MOST_DOTS));
    limits.max_alloc = Some(UNPACKED);
    reader.limits(limits);
    let fault = |e: image::ImageError| match e {
        image::ImageError::Limits(_) => {
            PictureFault::TooLarge { name: name.to_owned(), limit: "20,000 pixels per side and 256 MB when unpacked" }
        }
        other => PictureFault::Damaged { name: name.to_owned(), why: other.to_string() },
    };
    let mut decoder = reader.into_decoder().map_err(fault)?;
    // The decoders hold to the limit of their own work alone, not of what they give.
    if decoder.total_bytes() > UNPACKED {
        return Err(PictureFault::TooLarge { name: name.to_owned(), limit: "256 MB when unpacked, about 80 million dots" });
    }
    let large = decoder.total_bytes() > LARGE;
    let _alone = large.then(|| ALONE.lock().unwrap_or_else(PoisonError::into_inner));
    let turn = decoder.orientation().unwrap_or(image::metadata::Orientation::NoTransforms);
    let picture = DynamicImage::from_decoder(decoder).map_err(fault)?;
    Ok(Decoded { picture, kind, turn, _alone })
}

fn resample(picture: DynamicImage, wide: u32, high: u32) -> Result<DynamicImage, String> {
    let picture =
        if picture.color().has_alpha() { DynamicImage::ImageRgba8(picture.to_rgba8()) } else { DynamicImage::ImageRgb8(picture.to_rgb8()) };
    let (from_wide, from_high) = (picture.width(), picture.height());
    let alpha = picture.color().has_alpha();
    let pixels = if alpha { fast_image_resize::PixelType::U8x4 } else { fast_image_resize::PixelType::U8x3 };
    let source =
        fast_image_resize::images::Image::from_vec_u8(from_wide, from_high, picture.into_bytes(), pixels).map_err(|e| e.to_string())?;
    let mut target = fast_image_resize::images::Image::new(wide, high, pixels);
    Resizer::new().resize(&source, &mut target, &ResizeOptions::new().use_alpha(alpha)).map_err(|e| e.to_string())?;
    let buffer = target.into_vec();
    let made = match alpha {
        true => image::RgbaImage::from_raw(wide, high, buffer).map(DynamicImage::ImageRgba8),
        false => image::RgbImage::from_raw(wide, high, buffer).map(DynamicImage::ImageRgb8),
    };
    made.ok_or_else(|| "it could not be resized".to_owned())
}

/// Photographs as JPEG; what has see-through parts or was drawn, as PNG.
fn write(picture: DynamicImage, from: ImageFormat) -> Result<(Vec<u8>, &'static str), String> {
    let mut out = Cursor::new(Vec::new());
    let photograph = from == ImageFormat::Jpeg || (from == ImageFormat::WebP && !picture.color().has_alpha());
    if photograph {
        let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut out, 85);
        DynamicImage::ImageRgb8(picture.into_rgb8()).write_with_encoder(encoder).map_err(|e| e.to_string())?;
        return Ok((out.into_inner(), "jpeg"));
    }
    picture.write_to(&mut out, ImageFormat::Png).map_err(|e| e.to_string())?;
    Ok((out.into_inner(), "png"))
}

fn is_svg(bytes: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(1024)]);
    let head = head.trim_start_matches('\u{feff}').trim_start();
    head.starts_with("<svg") || (head.starts_with("<?xml") || head.starts_with("<!--")) && head.contains("<svg")
}

/// An SVG keeps its lines; a picture of dots goes with it for programs that show
/// none. Nothing outside of it is fetched.
fn vector(name: &str, bytes: &Arc<[u8]>, sizes: &Sizes, frame: Option<(f64, f64)>, room: f64) -> Result<Prepared, PictureFault> {
    use resvg::{tiny_skia, usvg};
    let damaged = |why: String| PictureFault::Damaged { name: name.to_owned(), why };
    let text = std::str::from_utf8(bytes).map_err(|e| damaged(e.to_string()))?;
    let lower = text.to_ascii_lowercase();
    if lower.contains("<!doctype") || lower.contains("<!entity") {
        return Err(damaged("it contains a document type definition (DTD)".into()));
    }
    let mut options = usvg::Options::default();
    options.image_href_resolver.resolve_string = Box::new(|_, _| None);
    let tree = usvg::Tree::from_str(text, &options).map_err(|e| damaged(e.to_string()))?;
    if layers(tree.root(), 0).is_none() {
        return Err(damaged(format!("its groups or filters nest more than {MOST_LAYERS} deep")));
    }
    let own = (f64::from(tree.size().width()) * 0.75, f64::from(tree.size().height()) * 0.75);
    let (width, height) = printed(own, sizes, frame, room);
    let scale = (width / 72.0 * sizes.dpi.unwrap_or(DPI) * 2.0 / f64::from(tree.size().width())).clamp(0.01, 50.0);
    let dots = |side: f32| ((f64::from(side) * scale).ceil() as u32).clamp(1, 4000);
    let mut pixmap =
        tiny_skia::Pixmap::new(dots(tree.size().width()), dots(tree.size().height())).ok_or_else(|| damaged("it has no size".into()))?;
    resvg::render(&tree, tiny_skia::Transform::from_scale(scale as f32, scale as f32), &mut pixmap.as_mut());
    let picture = image::RgbaImage::from_raw(
        pixmap.width(),
        pixmap.height(),
        pixmap
            .pixels()
            .iter()
            .flat_map(|p| {
                let c = p.demultiply();
                [c.red(), c.green(), c.blue(), c.alpha()]
            })
            .collect(),
    )
    .ok_or_else(|| damaged("it could not be drawn".into()))?;
    let (dots, kind) = write(DynamicImage::ImageRgba8(picture), ImageFormat::Png).map_err(damaged)?;
    Ok(Prepared { bytes: dots.into(), kind, vector: Some(bytes.clone()), width, height })
}

/// How deep groups that are drawn by themselves may nest: each takes a whole picture.
const MOST_LAYERS: usize = 8;
/// How many filters may stand in a drawing.
const MOST_FILTERS: usize = 24;

/// How many filters stand in a group; none where it is too deep or they are too many.
fn layers(group: &resvg::usvg::Group, depth: usize) -> Option<usize> {
    let depth = depth + usize::from(group.should_isolate());
    let mut filters = group.filters().len();
    if depth > MOST_LAYERS {
        return None;
    }
    for node in group.children() {
        if let resvg::usvg::Node::Group(inner) = node {
            filters += layers(inner, depth)?;
        }
    }
    (filters <= MOST_FILTERS).then_some(filters)
}

#[cfg(test)]
mod tests;
