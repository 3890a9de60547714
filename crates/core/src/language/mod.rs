//! The placeholder language: text → tokens → syntax tree → value → printed text.

mod check;
mod compose;
pub mod context;
mod error;
mod eval;
mod format;
pub mod function;
mod name;
mod noticed;
mod operate;
mod parse;
mod scope;
pub mod syntax;
pub(crate) mod token;
mod types;
mod typing;
mod uses;

pub use check::{Offer, check, check_text, complete, written};
pub use compose::{Composed, Offered, compose, condition_of, formats};
pub use context::{Clock, Context, Link, Office, OwnLocales, Sender};
pub use error::{EvalError, Fault, Span, SyntaxError, SyntaxFault};
pub use eval::{Shown, Weighed};
pub use format::{Format, plain};
pub(crate) use function::NULL_DATE;
pub use name::{Folded, nearest};
pub use noticed::{Noticed, Uneven};
pub(crate) use operate::caseless;
pub use operate::{order, total_order};
pub use parse::{condition, condition_with_errors, kind, kind_with_errors, value, value_with_errors};
pub use scope::{Read, Scope, Ties, Turn, Turns};
pub use types::template_marks;
pub(crate) use typing::Names;
pub use uses::{Use, UsedAs, Within};
