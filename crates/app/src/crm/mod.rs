//! CRMs over the line: a client that waits when it is told to, and fetching a
//! query's records into its sheet.

mod client;
mod fetch;
mod secret;

pub use client::Client;
pub use fetch::{Fetching, Fetchings, Job};
pub use secret::Secrets;
