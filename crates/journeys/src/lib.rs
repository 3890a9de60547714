//! Drives the real program in headless Chromium, as a person would.

mod browser;
mod program;

pub use browser::{Browser, picture};
pub use program::{Program, binary, repository, tool};
