//! Starts the real program as a person or a system would, and asks its API: tests that need no
//! browser, and what the browser journeys share with them.

mod api;
mod beside;
mod dispatch;
mod hook;
mod mail;
mod program;

pub use api::{ask, send_file, wait};
pub use beside::beside;
pub use dispatch::{licences, reminders, start_reminders};
pub use hook::{Answer, Posted, web_hook};
pub use mail::{Does, Told, mail_server};
pub use program::{Program, binary, docx, repository, tool};
