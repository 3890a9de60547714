//! Mangle's service: the API and the front end over [`mangle_app`].

mod api;
mod error;
mod health;
pub mod public;
mod server;
mod web;

pub use api::openapi;
pub use error::{Problem, Refused};
pub use mangle_app::clock::{now, turn_back};
pub use mangle_app::demo::{demo, demo_crm};
pub use mangle_app::printers::furnish as demo_printer;
pub use mangle_app::settings::trust_timestamps as demo_timestamps;
pub use mangle_app::{App, BounceMailbox, Channels, Options, Rate, Secret, Security, SignIn, open as app};
pub use server::{router, serve};
