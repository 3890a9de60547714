//! Drives the real program in headless Chromium, as a person would.

mod browser;

pub use browser::{Browser, picture};
pub use mangle_program_tests::{
    Answer, Does, Program, Told, ask, binary, docx, licences, mail_server, reminders, repository, send_file, tool, wait, web_hook,
};
