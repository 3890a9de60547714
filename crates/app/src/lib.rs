//! What Mangle does, without HTTP: use cases, the store, the jobs. The API, the command line and
//! tests call the same functions.

mod actor;
mod app;
pub mod buckets;
mod cache;
pub mod clauses;
pub mod clock;
pub mod crm;
pub mod demo;
pub mod dispatches;
pub mod documents;
pub mod drop;
mod error;
pub mod fields;
mod files;
pub mod find;
pub mod fonts;
pub mod forms;
pub mod frames;
pub mod jobs;
pub mod labels;
pub mod language;
pub mod ledger;
pub mod logo;
pub mod mail;
pub mod making;
pub mod messages;
pub mod moves;
pub mod packs;
pub mod pages;
pub mod pictures;
pub mod prepare;
pub mod printers;
mod runs;
pub mod settings;
pub mod share;
pub mod signing;
pub mod sources;
pub mod starters;
pub mod store;
pub mod templates;
pub mod transfer;
pub mod triggers;
pub mod web_hook;

pub use actor::Actor;
pub use app::{App, Inner, Options, open};
pub use error::{Error, ErrorKind, Outcome, Problem};
pub use files::Files;
/// How many rows or items a page holds when none is asked for.
pub fn page_size() -> usize {
    100
}

pub use mangle_channels::bounces::BounceMailbox;
pub use mangle_channels::mail::{Security, SignIn};
pub use mangle_channels::{Config as Channels, Rate, Secret};
