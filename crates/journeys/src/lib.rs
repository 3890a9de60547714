//! Drives the real program in headless Chromium, as a person would.

mod api;
mod browser;
mod mail;
mod program;

pub use api::{ask, send_file, wait};
pub use browser::{Browser, picture};
pub use mail::{Does, Told, mail_server};
pub use program::{Program, binary, repository, tool};
