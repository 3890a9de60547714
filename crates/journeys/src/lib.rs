//! Drives the real program in headless Chromium, as a person would.

mod browser;

pub use browser::{Browser, picture};
pub use mangle_program_tests::{
    Does, Program, Told, ask, binary, docx, licences, mail_server, reminders, repository, send_file, tool, wait,
};
