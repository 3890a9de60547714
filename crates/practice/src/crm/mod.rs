//! The practice CRM: a boatyard's owners, vessels and refit cases, spoken to in
//! OData 4.01 (OASIS, JSON format). It can be told to be slow, to fail, to page and
//! to limit how often it is asked.
//!
//! A request goes through `service` (who asks, how it behaves), `options` (what is
//! asked for, read from the address), `answer` (the entities as JSON).

mod answer;
mod filter;
mod hooks;
mod metadata;
mod model;
mod options;
mod photographs;
mod screen;
mod service;
mod world;

pub use service::{Behaviour, Crm, TOKEN, router, serve};
