//! The practice mailbox: takes every message (SMTP, RFC 5321), keeps it, and
//! sends nothing on. A person can have one come back (RFC 3464), into a mailbox of its own that is
//! read over IMAP (RFC 3501).

mod api;
mod bounce;
mod imap;
mod smtp;
mod store;

pub use api::{PracticeMailbox, router};
pub use bounce::{Bounce, Returned};
pub use imap::{PASSWORD, USER, serve as serve_returned};
pub use smtp::{Door, serve, serve_behind};
pub use store::{Attachment, Mailbox, Message, Summary};
