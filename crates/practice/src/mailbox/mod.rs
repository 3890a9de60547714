//! The practice mailbox: takes every message (SMTP, RFC 5321), keeps it, and
//! sends nothing on.

mod api;
mod smtp;
mod store;

pub use api::{PracticeMailbox, router};
pub use smtp::{Door, serve, serve_behind};
pub use store::{Attachment, Mailbox, Message, Summary};
