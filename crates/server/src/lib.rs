//! Mangle's service: the API and the front end over [`mangle_app`].

mod api;
mod error;
mod health;
pub mod public;
mod server;
mod web;

pub use api::openapi;
pub use error::{Problem, Refused};
pub use mangle_app::clock::now;
pub use mangle_app::demo::{demo, demo_crm};
pub use mangle_app::{App, Channels, Options, Rate, open as app};
pub use server::{router, serve};
