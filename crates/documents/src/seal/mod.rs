//! Signed documents: what signers fill in as updates at the end of a PDF, the attestation, the
//! organisation's seal (PAdES baseline B-T or B-LT, ETSI EN 319 142-1), and the check of all that.

mod key;
mod look;
mod mark;
mod pages;
mod revocation;
mod sign;
mod timestamp;
mod update;
mod verify;

pub use key::{KeyFault, SealKey};
pub use look::{Drawn, Look, Person, Step, attestation, looks};
pub use mark::{Mark, mark};
pub use pages::{Attestation, attest};
pub use revocation::{Fetch, LongTerm, long_term};
pub use sign::{SealText, Stamp, seal};
pub use timestamp::{TimestampFault, Token};
pub use verify::{Change, Revision, Sealed, Verdict, verify};

/// A PDF that can't be signed or sealed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SealFault {
    /// It is no PDF, or a damaged one.
    #[error("the PDF can't be read: {0}")]
    Unreadable(String),
    /// It has a password.
    #[error("the PDF has a password. Signatures need a PDF without one.")]
    Closed,
    /// It carries a signature already.
    #[error("the PDF has a digital signature already, which a change would break")]
    Signed,
    /// A page that it does not have.
    #[error("the PDF has no page {0}")]
    NoPage(usize),
    /// What is to appear can't be read.
    #[error("a mark can't be drawn: {0}")]
    Appearance(String),
    /// The signature can't be made.
    #[error("the seal can't be created: {0}")]
    Key(String),
    /// The moment of the seal can't be confirmed.
    #[error("the timestamp authority gave no timestamp: {0}")]
    Timestamp(#[from] TimestampFault),
}

impl From<lopdf::Error> for SealFault {
    fn from(error: lopdf::Error) -> SealFault {
        SealFault::Unreadable(error.to_string())
    }
}

impl From<der::Error> for SealFault {
    fn from(error: der::Error) -> SealFault {
        SealFault::Key(error.to_string())
    }
}

/// Bytes as hexadecimal digits.
fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}
