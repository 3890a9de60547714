//! Refusals: what went wrong as data, with its HTTP status and one sentence.

use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};

pub use mangle_app::Problem;
use mangle_app::{Error, ErrorKind};
use mangle_documents::OpenError;

/// A refusal with its status.
#[derive(Debug)]
pub struct Refused {
    /// The HTTP status.
    pub status: StatusCode,
    /// What is said.
    pub problem: Problem,
}

/// What a handler gives.
pub type Answer<T> = Result<Json<T>, Refused>;

impl Refused {
    /// A refusal of what was asked.
    pub fn new(status: StatusCode, code: &str, message: impl Into<String>) -> Refused {
        Refused { status, problem: Problem { code: code.to_owned(), message: message.into() } }
    }

    /// Input that can't be used.
    pub fn unusable(code: &str, message: impl Into<String>) -> Refused {
        Error::unusable(code, message).into()
    }

    /// Something that is not there (any more).
    pub fn missing(what: &str) -> Refused {
        Error::missing(what).into()
    }

    /// Something that does not fit the state of things.
    pub fn conflict(code: &str, message: impl Into<String>) -> Refused {
        Error::conflict(code, message).into()
    }
}

impl IntoResponse for Refused {
    fn into_response(self) -> Response {
        (self.status, Json(self.problem)).into_response()
    }
}

/// A reason of the application, told over HTTP.
impl From<Error> for Refused {
    fn from(error: Error) -> Refused {
        let status = match error.kind {
            ErrorKind::Unusable => StatusCode::UNPROCESSABLE_ENTITY,
            ErrorKind::Missing => StatusCode::NOT_FOUND,
            ErrorKind::Conflict => StatusCode::CONFLICT,
            ErrorKind::TooMany => StatusCode::TOO_MANY_REQUESTS,
            ErrorKind::Internal => StatusCode::INTERNAL_SERVER_ERROR,
        };
        Refused { status, problem: error.into() }
    }
}

impl From<OpenError> for Refused {
    fn from(error: OpenError) -> Refused {
        Error::from(error).into()
    }
}

impl From<anyhow::Error> for Refused {
    fn from(error: anyhow::Error) -> Refused {
        Error::from(error).into()
    }
}
