//! Zip packages from outside: opened within limits, before anything else reads
//! them.

use std::collections::HashMap;
use std::io::{Cursor, Read};
use std::sync::Arc;

use zip::ZipArchive;

use crate::OpenError;
use crate::open::{Content, sniff};
use mangle_core::words::counted;

/// The largest file that is opened, packed.
const LARGEST: usize = 64 << 20;
/// The most that all its parts may unpack to.
const UNPACKED: u64 = 768 << 20;
/// Parts beyond this size may not unpack by this ratio or more.
const RATIO_FROM: u64 = 1 << 20;
const RATIO: u64 = 100;
const MOST_PARTS: usize = 8192;
/// Parts up to this size are kept unpacked, since they were once to be looked at,
/// as long as all of them don't come to more than the second.
const KEPT_PART: usize = 256 << 10;
const KEPT_PARTS: usize = 4 << 20;

/// The bytes of a package that can be shared and read.
pub(crate) type Shared = Cursor<Arc<[u8]>>;

/// A zip package within limits.
#[derive(Clone)]
pub(crate) struct Package {
    pub bytes: Arc<[u8]>,
    pub archive: ZipArchive<Shared>,
    /// Part name → its index.
    index: HashMap<String, usize>,
    /// Index → the bytes of a small part.
    kept: HashMap<usize, Arc<[u8]>>,
}

impl std::fmt::Debug for Package {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Package({} parts)", self.index.len())
    }
}

impl Package {
    /// Opens a package, unpacking every part once to see that it keeps within the limits.
    pub fn open(bytes: Arc<[u8]>, wanted: &'static str) -> Result<Package, OpenError> {
        if bytes.is_empty() {
            return Err(OpenError::Empty);
        }
        if bytes.len() > LARGEST {
            return Err(OpenError::TooLarge {
                what: format!("a {} MB file", bytes.len() >> 20),
                limit: format!("{} MB", LARGEST >> 20),
                remedy: "reduce the size of its pictures or split it",
            });
        }
        match sniff(&bytes) {
            Content::Zip => {}
            Content::Text => {
                return Err(OpenError::WrongKind {
                    found: "a text file",
                    wanted,
                    remedy: "choose the right file or save it in that format",
                });
            }
            Content::Other(found) => {
                return Err(OpenError::WrongKind { found, wanted, remedy: "choose the right file or save it in that format" });
            }
        }
        let damaged = |e: zip::result::ZipError| OpenError::Damaged(e.to_string());
        // What the unpacker says of a file that is no whole zip helps nobody.
        let mut archive =
            ZipArchive::new(Cursor::new(bytes.clone())).map_err(|_| OpenError::Damaged("its parts list is missing".into()))?;
        if archive.len() > MOST_PARTS {
            return Err(OpenError::TooLarge {
                what: format!("a file with {}", counted(archive.len(), "part", "parts")),
                limit: counted(MOST_PARTS, "part", "parts"),
                remedy: "save it again in the program that created it",
            });
        }
        let mut index = HashMap::with_capacity(archive.len());
        let (mut kept, mut kept_bytes, mut buffer) = (HashMap::new(), 0, vec![0; 64 << 10]);
        let mut total = 0;
        for at in 0..archive.len() {
            let mut part = archive.by_index(at).map_err(damaged)?;
            let name = part.name().map_err(damaged)?.into_owned();
            let (size, small) = inspect(&mut part, &name, UNPACKED - total, &mut buffer)?;
            drop(part);
            total += size;
            if let Some(bytes) = small.filter(|bytes| kept_bytes + bytes.len() <= KEPT_PARTS) {
                kept_bytes += bytes.len();
                kept.insert(at, as_utf8(&name, bytes).into());
            }
            index.insert(name, at);
        }
        Ok(Package { bytes, archive, index, kept })
    }

    /// Whether the package has a part.
    pub fn has(&self, name: &str) -> bool {
        self.index.contains_key(name)
    }

    /// The index of a part.
    pub fn position(&self, name: &str) -> Option<usize> {
        self.index.get(name).copied()
    }

    /// The names of its parts.
    pub fn names(&self) -> Vec<&str> {
        let mut names: Vec<(&str, usize)> = self.index.iter().map(|(name, at)| (name.as_str(), *at)).collect();
        names.sort_by_key(|(_, at)| *at);
        names.into_iter().map(|(name, _)| name).collect()
    }

    /// The unpacked bytes of a part: of XML in UTF-8, whatever the file has it in. XML that
    /// declares a DTD is refused.
    pub fn part(&self, name: &str) -> Result<Arc<[u8]>, OpenError> {
        let bytes = self.unpacked(name)?;
        let head = &bytes[..bytes.len().min(2048)];
        if is_xml(name) && head.windows(9).any(|w| w.eq_ignore_ascii_case(b"<!DOCTYPE")) {
            return Err(OpenError::Dtd { part: name.to_owned() });
        }
        Ok(bytes)
    }

    /// The part as [`Package::part`] gives it, with its bytes as they are packed.
    pub fn unpacked(&self, name: &str) -> Result<Arc<[u8]>, OpenError> {
        let at = self.position(name).ok_or_else(|| OpenError::Damaged(format!("it has no part “{name}”")))?;
        if let Some(kept) = self.kept.get(&at) {
            return Ok(kept.clone());
        }
        let mut archive = self.archive.clone();
        let mut bytes = Vec::new();
        let part = archive.by_index(at).map_err(|e| OpenError::Damaged(e.to_string()))?;
        part.take(UNPACKED).read_to_end(&mut bytes).map_err(|e| OpenError::Damaged(e.to_string()))?;
        Ok(as_utf8(name, bytes).into())
    }
}

/// Unpacks a part piece by piece; says how large it is, and gives its bytes where it
/// is small.
fn inspect(
    part: &mut zip::read::ZipFile<'_, Shared>,
    name: &str,
    left: u64,
    buffer: &mut [u8],
) -> Result<(u64, Option<Vec<u8>>), OpenError> {
    let packed = part.compressed_size().max(1);
    let mut small = Some(Vec::new());
    let mut size: u64 = 0;
    loop {
        let read = part.read(buffer).map_err(|e| OpenError::Damaged(format!("“{name}”: {e}")))?;
        if read == 0 {
            return Ok((size, small));
        }
        size += read as u64;
        match &mut small {
            Some(bytes) if bytes.len() + read <= KEPT_PART => bytes.extend_from_slice(&buffer[..read]),
            _ => small = None,
        }
        if size > RATIO_FROM && size / packed >= RATIO {
            return Err(OpenError::Bomb { part: name.to_owned(), unpacked: size / packed });
        }
        if size > left {
            return Err(OpenError::TooLarge {
                what: "the unpacked size of the file".into(),
                limit: format!("{} MB", UNPACKED >> 20),
                remedy: "split it",
            });
        }
    }
}

fn is_xml(name: &str) -> bool {
    name.ends_with(".xml") || name.ends_with(".rels") || name.ends_with(".vml")
}

/// XML in UTF-8 without a byte order mark. Parts may also be in UTF-16, whose mark tells
/// (ECMA-376 part 2, 8.2); other encodings that a declaration names are read as well.
fn as_utf8(name: &str, bytes: Vec<u8>) -> Vec<u8> {
    if !is_xml(name) {
        return bytes;
    }
    if let Some(plain) = bytes.strip_prefix(b"\xef\xbb\xbf") {
        return plain.to_vec();
    }
    let marked = encoding_rs::Encoding::for_bom(&bytes);
    // Without a mark, UTF-16 shows by the zeros beside its first sign.
    let unmarked = match bytes.get(..4) {
        Some([b'<', 0, _, 0]) => Some((encoding_rs::UTF_16LE, 0)),
        Some([0, b'<', 0, _]) => Some((encoding_rs::UTF_16BE, 0)),
        _ => declared(&bytes).map(|encoding| (encoding, 0)),
    };
    let Some((encoding, mark)) = marked.or(unmarked).filter(|(encoding, _)| *encoding != encoding_rs::UTF_8) else { return bytes };
    let text = encoding.decode_without_bom_handling(&bytes[mark..]).0;
    // What it declares is no longer so.
    let text = match text.starts_with("<?xml").then(|| text.find("?>")).flatten() {
        Some(end) => format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"{}{}",
            if text[..end].contains("standalone=\"yes\"") { " standalone=\"yes\"" } else { "" },
            &text[end..]
        ),
        None => text.into_owned(),
    };
    text.into_bytes()
}

/// The encoding that an XML declaration names.
fn declared(bytes: &[u8]) -> Option<&'static encoding_rs::Encoding> {
    let head = bytes.get(..bytes.len().min(200))?.strip_prefix(b"<?xml")?;
    let head = &head[..memchr::memmem::find(head, b"?>")?];
    let value = &head[memchr::memmem::find(head, b"encoding=")? + 9..];
    let quote = *value.first()?;
    let label = value.get(1..)?.split(|b| *b == quote).next()?;
    encoding_rs::Encoding::for_label(label)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn xml_comes_as_utf_8_whatever_the_file_has_it_in() {
        let plain = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?><a>Möwe</a>";
        let utf16 = plain.replace("UTF-8", "UTF-16");
        let units = |swap: fn(u16) -> [u8; 2]| utf16.encode_utf16().flat_map(swap).collect::<Vec<u8>>();
        let read = |bytes: Vec<u8>| String::from_utf8(as_utf8("a.xml", bytes)).expect("UTF-8");
        assert_eq!(read(plain.as_bytes().to_vec()), plain);
        assert_eq!(read([b"\xef\xbb\xbf", plain.as_bytes()].concat()), plain);
        assert_eq!(read([vec![0xff, 0xfe], units(u16::to_le_bytes)].concat()), plain);
        assert_eq!(read([vec![0xfe, 0xff], units(u16::to_be_bytes)].concat()), plain);
        assert_eq!(read(units(u16::to_le_bytes)), plain);
        assert_eq!(
            read(b"<?xml version='1.0' encoding='ISO-8859-1'?><a>M\xf6we</a>".to_vec()),
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?><a>Möwe</a>"
        );
        assert_eq!(as_utf8("a.png", vec![0xff, 0xfe, 1, 0]), [0xff, 0xfe, 1, 0], "only XML is read so");
    }
}
