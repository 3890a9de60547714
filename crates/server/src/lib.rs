//! Mangle's service: the API, the store, the runner and the channels.

mod api;
mod clock;
mod crm;
mod demo;
mod error;
mod files;
mod pictures;
mod prepare;
mod run;
mod server;
mod store;
mod web;

pub use api::openapi;
pub use clock::now;
pub use demo::{demo, demo_crm};
pub use error::{Problem, Refused};
pub use server::{App, Options, Smtp, app, router, serve};
