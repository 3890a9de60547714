//! Why something that was asked for was not done: what kind of reason, a code for programs and
//! one sentence for people. How a reason is told over HTTP or at a terminal is theirs.

use mangle_core::diagnostic::Diagnostic;
use mangle_documents::OpenError;
use serde::{Deserialize, Serialize};

/// Why something was not done.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{what}")]
pub struct Error {
    /// What kind of reason it is.
    pub kind: ErrorKind,
    /// What is wrong, where, and what to do.
    pub what: Box<Diagnostic>,
}

/// What kind of reason keeps something from being done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ErrorKind {
    /// The input can't be used.
    Unusable,
    /// It is not there (any more).
    Missing,
    /// It does not fit the state of things.
    Conflict,
    /// It is asked for more often than is served.
    TooMany,
    /// The machine or the program: it is logged, and no input would help.
    Internal,
}

/// What a use case gives.
pub type Outcome<T> = Result<T, Error>;

impl Error {
    /// A reason of a kind.
    pub fn new(kind: ErrorKind, code: &str, message: impl Into<String>) -> Error {
        Error { kind, what: Box::new(Diagnostic::error(code.to_owned(), message)) }
    }

    /// A short name for programs.
    pub fn code(&self) -> &str {
        &self.what.code
    }

    /// Input that can't be used.
    pub fn unusable(code: &str, message: impl Into<String>) -> Error {
        Error::new(ErrorKind::Unusable, code, message)
    }

    /// Something that is not there (any more).
    pub fn missing(what: &str) -> Error {
        Error::new(ErrorKind::Missing, "not-found", format!("{what} no longer exists. Go back to the list."))
    }

    /// Something that does not fit the state of things.
    pub fn conflict(code: &str, message: impl Into<String>) -> Error {
        Error::new(ErrorKind::Conflict, code, message)
    }
}

impl From<OpenError> for Error {
    fn from(error: OpenError) -> Error {
        Error::unusable(error.code(), error.to_string())
    }
}

/// What is no one's fault outside is logged and said in general words.
impl From<anyhow::Error> for Error {
    fn from(error: anyhow::Error) -> Error {
        tracing::error!(error = format!("{error:#}"), "a request failed");
        Error::new(ErrorKind::Internal, "internal", "Internal error. Try again; if it persists, check the log.")
    }
}

/// What the API answers when it refuses.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Problem {
    /// A short name for programs.
    pub code: String,
    /// What is wrong, where, and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
}

impl From<Error> for Problem {
    fn from(error: Error) -> Problem {
        Problem { message: error.to_string(), code: error.what.code.into_owned() }
    }
}
