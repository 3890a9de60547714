//! The placeholder language: text → tokens → syntax tree → value → printed text.

pub mod error;
mod eval;
mod format;
pub mod function;
mod name;
mod parse;
pub mod syntax;
pub(crate) mod token;

pub use error::{EvalError, Fault, Span, SyntaxError, SyntaxFault};
pub use eval::{Clock, Context, Office, Scope, Ties, order};
pub use format::{Format, plain};
pub use name::{Folded, nearest};
pub use parse::{condition, kind, value};
