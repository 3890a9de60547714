//! Why a file can't be opened: what is wrong, where, and what to do.

use mangle_core::records::SchemaFault;
use mangle_core::template::GatherError;

/// A file that can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum OpenError {
    /// Nothing in it.
    #[error("the file is empty. Choose another file.")]
    Empty,
    /// It is something else than its name or place says.
    #[error("this is {found}, not {wanted}; {remedy}")]
    WrongKind {
        /// What it is.
        found: &'static str,
        /// What was wanted.
        wanted: &'static str,
        /// What to do.
        remedy: &'static str,
    },
    /// It ends too early or its parts are damaged.
    #[error("the file is damaged or incomplete ({0}). Open it in the program that created it, save it again and upload the copy.")]
    Damaged(String),
    /// It unpacks to far more than a document holds.
    #[error(
        "“{part}” inside the file expands to {unpacked} times its size, as malicious files do. Save the document again in the program that created it."
    )]
    Bomb {
        /// The part.
        part: String,
        /// How many times larger it unpacks.
        unpacked: u64,
    },
    /// It is over a limit.
    #[error("{what} exceeds the limit of {limit}; {remedy}")]
    TooLarge {
        /// What is too large, in words.
        what: String,
        /// The limit, in words.
        limit: String,
        /// What to do.
        remedy: &'static str,
    },
    /// It holds a document type definition.
    #[error("“{part}” inside the file contains a DTD, which is not allowed. Save the document again in the program that created it.")]
    Dtd {
        /// The part.
        part: String,
    },
    /// A part is not well-formed.
    #[error("“{part}” inside the file can't be read: {why}")]
    Part {
        /// The part.
        part: String,
        /// Why.
        why: String,
    },
    /// Its JSON can't be read, or holds no records.
    #[error("no records in the JSON: {0}")]
    Json(String),
    /// The header of a sheet can't be used.
    #[error("in the sheet “{sheet}”, {fault}")]
    Header {
        /// The sheet.
        sheet: String,
        /// What is wrong.
        fault: SchemaFault,
    },
    /// No sheet of the file has a header and a row.
    #[error("no sheet has a header row with data below it. Put the column names in the first row.")]
    NoRows,
}

impl OpenError {
    /// A short name for programs.
    pub fn code(&self) -> &'static str {
        match self {
            OpenError::Empty => "empty-file",
            OpenError::WrongKind { .. } => "wrong-kind",
            OpenError::Damaged(_) => "damaged-file",
            OpenError::Bomb { .. } => "unpacks-too-far",
            OpenError::TooLarge { .. } => "too-large",
            OpenError::Dtd { .. } => "dtd",
            OpenError::Part { .. } => "broken-part",
            OpenError::Header { .. } => "header",
            OpenError::Json(_) => "json",
            OpenError::NoRows => "no-rows",
        }
    }

    /// The error of a part that could not be gathered.
    pub(crate) fn of_part(part: &str, error: GatherError) -> OpenError {
        match error {
            GatherError::Dtd => OpenError::Dtd { part: part.to_owned() },
            other => OpenError::Part { part: part.to_owned(), why: other.to_string() },
        }
    }
}

/// What a file is, by its content and never by its name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Content {
    Zip,
    Text,
    Other(&'static str),
}

/// Looks at the first bytes.
pub(crate) fn sniff(bytes: &[u8]) -> Content {
    const KNOWN: [(&[u8], &str); 8] = [
        (b"%PDF-", "a PDF"),
        (b"\x89PNG", "a PNG picture"),
        (b"\xff\xd8\xff", "a JPEG picture"),
        (b"GIF8", "a GIF picture"),
        (b"{\\rtf", "an RTF document"),
        (b"\xd0\xcf\x11\xe0", "a legacy or password-protected office file"),
        (b"\x1f\x8b", "a gzip archive"),
        (b"Rar!", "a RAR archive"),
    ];
    if bytes.starts_with(b"PK") {
        return Content::Zip;
    }
    if let Some((_, name)) = KNOWN.iter().find(|(magic, _)| bytes.starts_with(magic)) {
        return Content::Other(name);
    }
    let head = &bytes[..bytes.len().min(4096)];
    let utf16 = head.starts_with(&[0xff, 0xfe]) || head.starts_with(&[0xfe, 0xff]);
    let zeros = head.iter().filter(|b| **b == 0).count();
    let controls = head.iter().filter(|b| **b < 9 || (14..27).contains(*b)).count() - zeros;
    if controls > 0 || (zeros > 0 && !utf16 && zeros * 3 < head.len()) {
        return Content::Other("a binary file");
    }
    Content::Text
}
