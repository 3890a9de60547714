//! Refusals: what went wrong as data, with its status and one sentence.

use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use mangle_documents::OpenError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What the API answers when it refuses.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// A short name for programs.
    pub code: String,
    /// What is wrong, where, and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
}

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
        Refused::new(StatusCode::UNPROCESSABLE_ENTITY, code, message)
    }

    /// Something that is not there (any more).
    pub fn missing(what: &str) -> Refused {
        Refused::new(StatusCode::NOT_FOUND, "not-found", format!("{what} no longer exists. Go back to the list."))
    }

    /// Something that does not fit the state of things.
    pub fn conflict(code: &str, message: impl Into<String>) -> Refused {
        Refused::new(StatusCode::CONFLICT, code, message)
    }
}

impl IntoResponse for Refused {
    fn into_response(self) -> Response {
        (self.status, Json(self.problem)).into_response()
    }
}

impl From<OpenError> for Refused {
    fn from(error: OpenError) -> Refused {
        Refused::unusable(error.code(), error.to_string())
    }
}

/// What is no one's fault outside is logged and said in general words.
impl From<anyhow::Error> for Refused {
    fn from(error: anyhow::Error) -> Refused {
        tracing::error!(error = format!("{error:#}"), "a request failed");
        Refused::new(StatusCode::INTERNAL_SERVER_ERROR, "internal", "Internal error. Try again; if it persists, check the log.")
    }
}

impl From<rusqlite::Error> for Refused {
    fn from(error: rusqlite::Error) -> Refused {
        anyhow::Error::new(error).into()
    }
}
